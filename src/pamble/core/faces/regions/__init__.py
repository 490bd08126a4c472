"""Regions of a face: what curves in its parameter plane cut it into, with borders that are exact."""
