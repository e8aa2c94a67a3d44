"""Python steps of dialects."""
