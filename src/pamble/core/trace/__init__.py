"""The trace: why a seam or a blend is not quiet, and what would heal it."""
