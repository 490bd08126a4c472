"""Fillets and balls with their outside where the faces beside them have theirs."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array
from pamble.core.faces.face import Face
from pamble.core.faces.twins import run_back
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface


def sided(face: Face, beside: Surface, place: Array) -> Face:
    """The face with its normal on the side of that of a surface which it touches tangentially about a place (3,)."""
    one, two = (_normal(s, place) for s in (face.surface, beside))
    return face if float(one @ two) >= 0 else run_back(face)


def _normal(surface: Surface, place: Array) -> Array:
    foot = to_surface(surface, place[None])
    d = surface_derivatives(surface, foot.u, foot.v, 1)[:, :, 0]
    return np.asarray(np.cross(d[1, 0], d[0, 1]))
