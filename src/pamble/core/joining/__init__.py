"""Joining: what meets what and how smoothly. Edge blends by rows of control points claimed from each side."""
