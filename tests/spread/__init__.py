"""How far secrets go."""
