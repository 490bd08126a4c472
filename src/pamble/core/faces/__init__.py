"""Faces: a surface with its edges; trimmed faces; display grids and meshes."""
