"""Curves and points inside a patch that it passes."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.extremes import largest
from pamble.core.spline.kinks import smooth_pieces
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import BLEND_GAP

Through = Sequence[Curve | Array]
"""Curves and points (3,) inside a hole that a patch passes."""

PLACES, _A_SPAN = 60, 6
"""Samples along a curve, and at least for each span of the surface that it might run along."""


def samples(inside: Curve | Array) -> Array:
    """Places (m, 3) along a curve, or a point alone."""
    if isinstance(inside, Curve):
        return curve_points(inside, np.linspace(*inside.domain, PLACES))
    return np.asarray(inside, dtype=float).reshape(1, 3)


def off(surface: Surface, inside: Curve | Array) -> float:
    """How far a curve or a point lies off a surface, mm; along a curve closed in on between samples."""
    if not isinstance(inside, Curve):
        return float(to_surface(surface, samples(inside)).distance[0])

    # A search for the nearest place does not get past a kink: each smooth piece is asked.
    pieces = smooth_pieces(surface)
    t = np.linspace(*inside.domain, max(PLACES, _A_SPAN * max(surface.spans)))
    first = [to_surface(piece, curve_points(inside, t)) for piece in pieces]

    def away(between: Array) -> Array:
        points, near = curve_points(inside, between), np.abs(between[:, None] - t).argmin(axis=1)
        found = [to_surface(p, points, (f.u[near], f.v[near])) for p, f in zip(pieces, first, strict=True)]
        return np.asarray(np.min([f.distance for f in found], axis=0)[None])

    return float(largest(away, t, np.min([f.distance for f in first], axis=0)[None])[1][0])


def missed(surface: Surface, rows: Sequence[Array]) -> list[str]:
    """What the patch does not pass: it contradicts the sides."""
    out = []
    for row in rows:
        off = to_surface(surface, row).distance
        at = int(np.argmax(off))
        if off[at] > BLEND_GAP:
            x, y, z = row[at]
            what = "point" if len(row) == 1 else "curve"
            out.append(
                f"A {what} inside is missed by {off[at]:.3f} mm near ({x:.2f}, {y:.2f}, {z:.2f}) mm: it asks for more "
                "than the sides leave. Move it, or ask for less at the sides."
            )
    return out
