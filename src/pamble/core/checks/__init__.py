"""Checks: seam figures, seams of a set of faces, curvature, combs."""
