"""A blend whose ends follow curves over it."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from pamble.core.errors import BlendError
from pamble.core.faces.face import Face
from pamble.core.faces.trim import Cutter, divide
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid

_MIDST = np.linspace(0, 1, 9)
"""Parameters at which a blend's normals are averaged."""


def trimmed_ends(face: Face, curves: Mapping[str, tuple[str, Curve]], tolerance: float, quick: bool = False) -> Face:
    """What lies of a blend between curves over it, its largest region.

    curves: by the lasting name of the edge that each makes, with its name in words. They are laid on along the blend's
    mean normal: along its own, one that lies off a blend that bends far may meet it anywhere; short ones are carried
    on. tolerance: of the cuts, mm. Raises `BlendError` for one that does not cross the blend.
    """
    way = normals(surface_grid(face.surface, _MIDST, _MIDST, 1)).mean(axis=(0, 1))
    cutters = [Cutter(name, label, curve, way, extend=True) for name, (label, curve) in curves.items()]
    divided = divide(face, cutters, tolerance, quick=quick)
    if len(divided.regions) <= len(cutters):
        words = divided.complaints[0].words if divided.complaints else "a curve does not cross it from edge to edge."
        raise BlendError(f"The blend's ends cannot be trimmed: {words}")
    return divided.holding([divided.regions[0].number])[0]
