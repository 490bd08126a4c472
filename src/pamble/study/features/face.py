"""A face given by its own numbers: a primary that was made or imported, its CVs free to be moved."""

from __future__ import annotations

from pamble.study.data import FaceData, Stored
from pamble.study.features.base import Context, FeatureKind, Inputs, Made


class FaceParams(Stored):
    """The face itself. source: the file it came from, if any."""

    face: FaceData
    source: str | None = None


def run(params: FaceParams, inputs: Inputs, context: Context) -> Made:
    """Build the face from its numbers."""
    face = params.face.face()
    facts = {"source": params.source} if params.source else {}
    return Made(face, facts=facts)


KIND = FeatureKind("face", "Face", "primary", FaceParams, run, bulk=("face",), net=("face", "surface", "control"))
