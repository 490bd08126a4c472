"""Limits within which a file is read."""

MEMORY = 6 << 30
"""Address space in bytes of a process that reads files; its libraries alone take more than one GB of it."""

_SECONDS, _PER_BYTE = 30.0, 2e-6


def seconds_to_read(size: int) -> float:
    """Seconds that reading a file of so many bytes may take: many times what sound ones need."""
    return _SECONDS + _PER_BYTE * size
