"""How far what somebody has goes: over a whole network, hop by hop, and what closes it."""
