"""A line that lies on a face, and the face without the strip beside it."""

from __future__ import annotations

import numpy as np
import shapely

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import Face, side_curve
from pamble.core.faces.trim import Cutter, divide
from pamble.core.spline.closest import boxed, to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.knots import reverse_curve, transfer
from pamble.core.spline.surface import Surface

_CUT = 1e-4
_ON = 1e-2
"""Distance, mm, within which a line lies on the face, and begins at its border."""


def fading(t: Array) -> Array:
    """What is left of a crease or step at shares (m,) of its line: 1 at the start, 0 at the end to the third order."""
    return (1 - t) ** 3 * (1 + 3 * t)


def in_rows(strip: Surface, rises: Array) -> Array:
    """How far the rows of a strip of degree 5 go that one span across has with six rows' rises (6,)."""
    start, end = strip.domain[1]
    knots = np.concatenate([np.full(6, start), np.full(6, end)])
    return np.asarray(transfer(knots, 5, strip.knots_v, 5) @ rises)


def line_on(face: Face, line: Curve, turned: bool) -> Curve:
    """A line in a face's parameters, from the border on. turned: whether it begins at its end.

    Raises `GeometryError` for a line off the face, and one that begins inside it.
    """
    fits = curve_onto(face.surface, reverse_curve(line) if turned else line, None, _CUT)
    if len(fits) != 1:
        raise GeometryError("The line has a kink, or leaves the face: a feature line is one smooth line on it.")
    fit = fits[0]
    off = float(to_curve(fit.space, curve_points(line, np.linspace(*line.domain, 33))).distance.max())
    if off > _ON:
        raise GeometryError(f"The line lies {off:.3f} mm off the face: project it first.")
    start = curve_points(fit.space, [0.0])
    near = [e for e in face.edges if boxed(e.space, start, _ON)[0]] or face.edges
    away = min(float(to_curve(e.space, start).distance[0]) for e in near)
    if away > _ON:
        raise GeometryError(
            f"The crease begins {away:.2f} mm inside the face: it would end there in a step. Begin the line at a "
            "border."
        )
    return fit.on_a


def without(face: Face, strip: Surface, name: str, quick: bool = False) -> Face:
    """The face without the strip; the edges along it are called by ``name`` and 0 to 2: along v0, v1 and u1. quick:
    within ten times the tolerance.
    """
    cutters = [
        Cutter(f"{name}{k}", "the strip", side_curve(strip, side)[2], None, k < 2)
        for k, side in enumerate(("v0", "v1", "u1"))
    ]
    divided = divide(face, cutters, _CUT * (10.0 if quick else 1.0), quick=quick)
    middle = to_surface(face.surface, surface_grid(strip, np.array([0.5]), np.array([0.5]))[0, 0, 0])
    place = shapely.Point(np.array([middle.u[0], middle.v[0]]) * divided.arrangement.scale)
    keep = [r.number for r in divided.regions if not divided.arrangement.polygon(r.number).contains(place)]
    if len(divided.regions) < 2 or not keep:
        raise GeometryError(
            "The strip does not part the face: "
            + (" ".join(w.words for w in divided.complaints) or "make it narrower.")
        )
    return divided.holding(keep)[0]
