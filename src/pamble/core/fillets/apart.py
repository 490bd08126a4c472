"""The crease of two faces that need not touch: where their surfaces, carried on, would meet."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.faces.trim import fresh_meet
from pamble.core.fillets.chain import Chain, Followed, Run
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extend import grown

_GROWN = 0.3
"""By how much of its size each surface is carried on, on every side."""

_CUT = 1e-4
_SAMPLES = 33


def crease_apart(part: Sequence[Face], number: int, other: int) -> Followed:
    """The crease along which two faces of a part would meet, as far as it runs beside both.

    Raises `GeometryError` where they do not meet when carried on.
    """
    one, two = part[number], part[other]
    surfaces = grown(one.surface, _GROWN), grown(two.surface, _GROWN)
    found = [fit for fit, _ in fresh_meet(_CUT)(*surfaces)]
    spans = [(fit, span) for fit in found if (span := _beside(fit.space, one, two)) is not None]
    if not spans:
        raise GeometryError("The faces do not meet where they would run on: nothing can be rolled between them.")
    fit, (low, high) = max(spans, key=lambda s: curve_length(s[0].space, *s[1]))
    space = curve_part(fit.space, low, high)
    chains = [
        Chain((_edge(face, surface, curve_part(flat, low, high), space),), space)
        for face, surface, flat in zip((one, two), surfaces, (fit.on_a, fit.on_b), strict=True)
    ]
    return Followed((Run((number, other), chains[0], chains[1]),), False)


def _beside(space: Curve, one: Face, two: Face) -> tuple[float, float] | None:
    """The stretch of a curve that runs beside both faces; None where there is none."""
    low, high = space.domain
    for face in (one, two):
        points = np.concatenate([curve_points(e.space, np.linspace(*e.domain, _SAMPLES)) for e in face.edges])
        t = to_curve(space, points).t
        low, high = max(low, float(t.min())), min(high, float(t.max()))
    return (low, high) if high - low > 1e-3 * (space.domain[1] - space.domain[0]) else None


def _edge(face: Face, surface: Surface, flat: Curve, space: Curve) -> Edge:
    """The crease as an edge of a carried on surface, the face on the side on which most of it lies."""
    edge = Edge(surface, "crease", flat, 1.0, space)
    f = frames(edge, np.linspace(*space.domain, _SAMPLES), remember=False)
    inside = _middle(face) - f.position
    nearest = int(np.argmin(norm(inside)))
    leaves = float(inside[nearest] @ f.outward[nearest]) > 0
    return Edge(surface, "crease", flat, -1.0, space) if leaves else edge


def _middle(face: Face) -> Array:
    points = np.concatenate([curve_points(e.space, np.linspace(*e.domain, _SAMPLES)) for e in face.edges])
    return np.asarray(points.mean(axis=0))
