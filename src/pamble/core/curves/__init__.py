"""Making and changing curves."""
