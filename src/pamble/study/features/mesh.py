"""Reference mesh: a scan or styling model, shown under the surfaces."""

from __future__ import annotations

from functools import lru_cache

from pamble.core.errors import ReferenceLost
from pamble.core.meshes.mesh import TriangleMesh, open_edge_count, unpack
from pamble.study.features.base import Context, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, unseen
from pamble.study.stored import Stored


class MeshParams(Stored):
    """asset: the name under which the mesh is stored with the study. source: the file it came from."""

    asset: str = unseen()
    source: str | None = choice("Source", None)


def run(params: MeshParams, inputs: Inputs, context: Context) -> Made:
    """Take the mesh from the study's assets."""
    if params.asset not in context.assets:
        raise ReferenceLost("The data of this mesh is not stored with the study: load it from its file again.")
    mesh = _unpacked(context.assets[params.asset])
    size = [float(x) for x in mesh.size]
    facts = {
        "brief": "mesh",
        "triangles": len(mesh.triangles),
        "vertices": len(mesh.vertices),
        "size": size,
        "open_edges": open_edge_count(mesh),
    }
    return Made({"": Shape(mesh=mesh)}, facts=facts)


@lru_cache(maxsize=8)
def _unpacked(data: bytes) -> TriangleMesh:
    return unpack(data)


KIND = FeatureKind(
    "mesh", "Reference mesh", "construction", MeshParams, run, makes="mesh",
    figures=(
        Figure("triangles", "Triangles"),
        Figure("size", "Size", "mm", "size"),
        Figure("open_edges", "Open sides of triangles"),
    ),
)  # fmt: skip
