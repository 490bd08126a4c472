"""Display meshes of trimmed faces: quads inside, a constrained Delaunay rim, the loops' points kept exactly."""
