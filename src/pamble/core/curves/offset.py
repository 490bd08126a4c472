"""Offset of a curve in a plane, constant or varying, with folds found and cut out."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arcs import EXACT, ways
from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.fit import fit_points
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.least_squares import Fit
from pamble.core.curves.loops import crossings, without_loops
from pamble.core.curves.measure import length_parameters
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives
from pamble.core.spline.kinks import kinks

_FINE = 600
_COARSE = 5


@dataclass(frozen=True)
class Offset:
    """One fitted piece for every stretch between folds, and where loops were cut out, points (k, 3)."""

    pieces: tuple[Fit, ...]
    cuts: Array


def curve_plane(curve: Curve) -> tuple[Array, float]:
    """Unit normal of the plane that fits a curve best, and the largest distance of a CV from it, mm."""
    points = curve.control - curve.control.mean(axis=0)
    _, sizes, directions = np.linalg.svd(points, full_matrices=False)
    if len(sizes) < 3 or sizes[1] < 1e-9 * max(sizes[0], 1e-12):
        raise GeometryError("A straight curve lies in no plane of its own: give the plane's normal.")
    normal = directions[2]
    # Turned so that the largest coordinate is positive: the side of an offset must not depend on rounding.
    normal = normal * np.sign(normal[int(np.argmax(np.abs(normal)))])
    return normal, float(np.abs(points @ normal).max())


def offset_curve(
    curve: Curve,
    distance: float | tuple[float, float],
    normal: Array | None = None,
    degree: int = 5,
    tolerance: float = 0.005,
    spans: int | Array | None = None,
    hurry: bool = False,
) -> Offset:
    """Curve at ``distance`` (mm) to the side normal x tangent; two distances vary evenly along the length.

    Where the distance is more than the local radius the offset folds; loops are cut out where the offset crosses
    itself, and each smooth piece is fitted on its own. Over lines and arcs an even offset is exact, of their degree,
    rational where they are. Raises `GeometryError`.
    """
    n = curve_plane(curve)[0] if normal is None else unit(np.asarray(normal, dtype=float)[None])[0]
    s = np.linspace(0.0, 1.0, _FINE // 3 if hurry else _FINE)
    t = length_parameters(curve, s, hurry)
    t[[0, -1]] = curve.domain
    jets = curve_jets(curve, t)
    side = np.cross(np.broadcast_to(n, jets.tangent.shape), jets.tangent)
    if float(norm(side).min()) < 1e-3:
        raise GeometryError("The curve runs along the plane's normal somewhere: it has no side to offset to there.")
    ends = (distance, distance) if isinstance(distance, (int, float)) else distance
    d = ends[0] + s * (ends[1] - ends[0])
    points = jets.point + d[:, None] * unit(side)
    # Without a fold on the hollow side and without a crossing seen from afar there is no loop to look for.
    folds = np.any(dot(jets.bend, unit(side)) * d > 1.0)
    keep = without_loops(points, n) if folds or len(crossings(points[::_COARSE], n)[0]) else [points]
    if not keep:
        raise GeometryError("Nothing is left of this offset: the distance is more than the radius everywhere.")
    even = len(keep) == 1 and ends[0] == ends[1] and not isinstance(spans, int)
    exact = _exact(curve, ends[0], n) if even else None
    if exact is not None:
        return Offset((Fit(exact, 0.0, points[0], True),), np.zeros((0, 3)))
    cuts = [piece[-1] for piece in keep[:-1]]
    fits = tuple(fit_points(piece, degree, tolerance, spans, hurry=hurry) for piece in keep)
    return Offset(fits, np.array(cuts).reshape(-1, 3))


def _exact(curve: Curve, distance: float, normal: Array) -> Curve | None:
    """An even offset that does not fold, over lines and arcs in a row in a plane with the normal; None over others."""
    if np.ptp(curve.control @ normal) > EXACT * np.ptp(curve.control, axis=0).max() or len(kinks(curve)[0]):
        return None
    d = curve_derivatives(curve, curve.domain[:1], 1)[:, 0]
    point = d[0] + distance * unit(np.cross(normal, d[1])[None])[0]
    net = ways(point[None], curve, curve.domain[0])
    return None if net is None else Curve(curve.degree, curve.knots, net[0], curve.weights)
