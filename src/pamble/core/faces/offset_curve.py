"""Offset of a curve on a surface: every point walks the same distance along a geodesic square to the curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray, cross, unit
from pamble.core.curves.fit import fit_points
from pamble.core.curves.geodesic import walk
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.least_squares import Fit
from pamble.core.curves.loops import without_loops
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.runs import Tracer
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_points

_FINE = 241
_STEPS = 8
_MOMENT = 1e-3
"""Share of the curve below which a run between two leaps is left out."""


@dataclass(frozen=True)
class SurfaceOffset:
    """A fitted piece for every stretch that stays on the face. off_surface: how far the curve itself is off it, mm.

    left: whether part of the offset runs over its edge. cuts: (k, 3) where loops were cut out.
    """

    pieces: tuple[Fit, ...]
    off_surface: float
    left: bool
    cuts: Array


def offset_on_surface(
    curve: Curve,
    face: Face,
    distance: float | tuple[float, float],
    degree: int = 5,
    tolerance: float = 0.005,
    spans: int | Array | None = None,
    hurry: bool = False,
) -> SurfaceOffset:
    """Offset by ``distance`` mm to the side normal x tangent, measured along the surface; two distances vary evenly
    along the length.

    Raises `GeometryError` if the curve is not on the surface or nothing of the offset is.
    """
    surface = face.surface
    t = length_parameters(curve, np.linspace(0, 1, _FINE // 4 if hurry else _FINE), hurry)
    t[[0, -1]] = curve.domain
    ends = (distance, distance) if isinstance(distance, (int, float)) else distance
    along = np.linspace(0, 1, len(t))
    off = float(to_surface(surface, curve_points(curve, t)).distance.max())
    if off > 1.0:
        raise GeometryError(f"The curve is up to {off:.2f} mm off the face: project it onto the face first.")

    def place(at: Array, only: int | None) -> tuple[IntArray, Array]:
        jets = curve_jets(curve, at)
        feet = to_surface(surface, jets.point)
        n = normals(surface_derivatives(surface, feet.u, feet.v, 1))
        d = ends[0] + np.interp(at, t, along) * (ends[1] - ends[0])
        side = unit(cross(n, jets.tangent)) * np.sign(d)[:, None]
        u, v, stays = walk(surface, feet.u, feet.v, side, np.abs(d), _STEPS // 2 if hurry else _STEPS)
        return np.where(stays & inside(face, u, v), 0, -1), surface_points(surface, u, v)

    runs, missed = Tracer(curve, place, hurry).runs()
    # Between two leaps, as over the apex of a cone, what is left of a moment of the curve is no part of the offset.
    whole = [r for r in runs if r.end - r.start > _MOMENT * (t[-1] - t[0])]
    kept = [without_loops(run.points, None) for run in whole]
    if not any(kept):
        raise GeometryError(
            f"Nothing of the offset by {ends[0]:g} mm is left on the face: it runs over the edge, or into one point."
        )
    cuts = [piece[-1] for parts in kept for piece in parts[:-1]]
    pieces = tuple(fit_points(piece, degree, tolerance, spans, hurry=hurry) for parts in kept for piece in parts)
    return SurfaceOffset(pieces, off, len(missed) > 0 or len(whole) < len(runs), np.array(cuts).reshape(-1, 3))
