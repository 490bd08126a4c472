"""The tools. A new one is a file here and a line in `KINDS`."""

from pamble.build.features import edge_blend, face
from pamble.build.features.base import Context, DeclaredSeam, FeatureKind, Made, PartHandle

KINDS: dict[str, FeatureKind] = {k.kind: k for k in (face.KIND, edge_blend.KIND)}

__all__ = ["KINDS", "Context", "DeclaredSeam", "FeatureKind", "Made", "PartHandle"]
