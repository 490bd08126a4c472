"""Triangles of a trimmed face, by OpenCASCADE's mesher; only their parameters are kept."""

from __future__ import annotations

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepMesh import BRepMesh_IncrementalMesh
from OCP.TopLoc import TopLoc_Location

from pamble.core.arrays import Array, IntArray
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.shapes import face_to_shape


def triangulate(face: Face, steps: int) -> tuple[Array, IntArray]:
    """Parameters (m, 2) and triangles (k, 3) of a trimmed face. Raises `GeometryError` if it cannot be meshed."""
    shape = face_to_shape(face)
    sag = face.surface.diagonal / (4.0 * steps * steps)
    BRepMesh_IncrementalMesh(shape, sag, False, 0.2, False)
    mesh = BRep_Tool.Triangulation_s(shape, TopLoc_Location())
    if mesh is None or not mesh.HasUVNodes():
        raise GeometryError("A trimmed face cannot be meshed for display.")
    uv = np.array([(p.X(), p.Y()) for p in (mesh.UVNode(i) for i in range(1, mesh.NbNodes() + 1))])
    corners = [mesh.Triangle(i) for i in range(1, mesh.NbTriangles() + 1)]
    triangles = np.array([(c.Value(1), c.Value(2), c.Value(3)) for c in corners], dtype=np.intp) - 1
    return uv, triangles
