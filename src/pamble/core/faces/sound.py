"""Whether faces are ones that other programs take: judged by OpenCASCADE's checker, as they are handed over."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.spline.evaluate import curve_points


def sound(face: Face) -> bool:
    """Whether the border of a face closes, lies on its surface and does not cross itself."""
    # The library is loaded, for a second, where it is first asked: who only knows of fillets does not wait for it.
    from OCP.BRepCheck import BRepCheck_Analyzer

    from pamble.core.faces.to_shape import face_to_shape

    try:
        return face.natural or bool(BRepCheck_Analyzer(face_to_shape(face)).IsValid())
    except GeometryError:
        return False


def told_unsound(faces: Iterable[Face]) -> list[str]:
    """Words about each face that is not sound, with its place."""
    out = []
    for face in faces:
        if not sound(face):
            middles = [curve_points(e.space, [0.5 * sum(e.domain)])[0] for e in face.edges]
            x, y, z = np.mean(middles, axis=0)
            out.append(
                f"The face about ({x:.2f}, {y:.2f}, {z:.2f}) mm is not sound: its border crosses itself or does not "
                "close, and other programs may not take it. Try another radius."
            )
    return out
