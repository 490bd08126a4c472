"""Sweep: sections moved along one rail or between two; the section stays exact, the rows along the rail are the
fewest, or those of the rail itself where it is made of lines and arcs.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from scipy.interpolate import CubicSpline

from pamble.core.arrays import Array, norm, unit
from pamble.core.curves.piecewise import DEGREE, bounds_of, in_stretches, nodes
from pamble.core.errors import GeometryError
from pamble.core.patches.frames import Frames, Path, local, moved
from pamble.core.patches.sections import alike
from pamble.core.patches.space import Space
from pamble.core.patches.standing import standing
from pamble.core.patches.swept_exact import exactly_swept
from pamble.core.patches.swept_rows import MOST_SPANS, Rows, fewest_rows
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

_STATIONS = 401
_FEW_ROWS = 8
_UNEVEN = 4.0

_ONE = 1e-12
"""Difference of weights that are one."""


@dataclass(frozen=True)
class Swept:
    """u runs along the section, v along the rail at the pace that takes the fewest rows. deviation: from the true
    sweep, mm.
    """

    surface: Surface
    deviation: float
    turned: tuple[bool, ...]


def sweep(
    sections: Sequence[Curve], path: Path, *, straight: bool = False, tolerance: float = 0.002, exact: bool = True
) -> Swept:
    """The surface that sections make on their way along a path; closed and smooth at its joint where the path is.

    exact: whether it may be exact, with the rail's degree and rational where that is, where it can; else its rows are
    polynomial of degree 5. Between several sections their shapes pass smoothly or straight into each other. Raises
    `GeometryError` for a rail that misses a section, and for a sweep that crosses itself, with the radius of the path
    and the reach there.

    >>> from pamble.core.patches.frames import along
    >>> rail = Curve.line([0, 0, 0], [100, 0, 0])
    >>> section = Curve.bezier([[0, 0, 0], [0, 3, 8], [0, 8, 0]])
    >>> sweep([section], along(rail)).surface.control.shape[:2]
    (3, 2)
    """
    stand = standing(sections, path)
    order = np.argsort(stand)
    same = alike([sections[i] for i in order], tolerance=tolerance) if len(sections) > 1 else None
    curves, stand = [sections[0]] if same is None else list(same.curves), stand[order]
    if any(np.abs(c.homogeneous[:, 3] - curves[0].homogeneous[:, 3]).max() > _ONE for c in curves):
        raise GeometryError("Sections with other weights do not pass into each other: rebuild the rational ones first.")
    first, turned = curves[0], (False,) if same is None else same.turned
    bounds = bounds_of([*path.loose, *(stand if len(stand) > 1 else ())])
    parts = nodes(bounds) if path.closed or len(bounds) > 2 else np.zeros((0, 0))
    s, numbers = np.unique(np.concatenate([np.linspace(0, 1, _STATIONS), stand, parts.ravel()]), return_inverse=True)
    all_along = path.at(s)
    shapes = np.array([local(c.control, all_along, n) for c, n in zip(curves, numbers[_STATIONS:], strict=False)])
    f = all_along.taken(numbers[:_STATIONS])
    way = carried(shapes, stand, f, straight, path.closed)
    shape = _shape(first)
    _refuse_fold(shape, way, f, len(path.rails) > 1)
    own_rows = exactly_swept(first, path, float(stand[0])) if exact and len(curves) == 1 else None
    if own_rows is not None:
        return Swept(own_rows, 0.0, turned)
    found, most = list[Rows](), MOST_SPANS
    if parts.size:
        between = all_along.taken(numbers[-parts.size :])
        own = carried(shapes, stand, between, straight, path.closed).reshape(*parts.shape, *way.shape[1:])
        knots, rows, off = in_stretches(bounds, own, tolerance, path.closed, shape)
        # It was fitted at places of its own: it is judged at all the others, too.
        space = Space(DEGREE, knots)
        miss = np.tensordot(space.matrix(f.s)[0], rows, axes=1) - way
        found.append((space, rows, max(off, float(norm(shape @ miss).max()))))
        most = min(most, found[0][0].count - DEGREE - 1) if found[0][2] <= tolerance else most
    for pace in () if path.closed else (f.t, f.s):
        if all(made[0].count > _FEW_ROWS for made in found):
            found.append(fewest_rows(way, pace, tolerance, shape=shape, most=most))
    space, rows, off = min(found, key=lambda made: (made[2] > tolerance, made[0].count))
    weights = None if first.weights is None else np.repeat(first.weights[:, None], space.count, axis=1)
    surface = Surface(first.degree, space.degree, first.knots, space.knots, rows.transpose(1, 0, 2), weights)
    return Swept(surface, off, turned)


def carried(shapes: Array, places: Array, f: Frames, straight: bool, ring: bool = False) -> Array:
    """Control points at every station, (m, n, 3), of sections (s, n, 3) in the frame at rising places (s,); ring: the
    way closes, and the last section passes into the first.
    """
    s = f.s
    if len(shapes) == 1:
        return moved(np.broadcast_to(shapes[0], (len(s), *shapes[0].shape)), f)
    if ring:
        s = np.mod(s - places[0], 1.0)
        places, shapes = np.append(places - places[0], 1.0), np.concatenate([shapes, shapes[:1]])
    if straight or len(shapes) == 2:
        k = np.clip(np.searchsorted(places, s, side="right") - 1, 0, len(places) - 2)
        w = np.clip((s - places[k]) / (places[k + 1] - places[k]), 0, 1)
        w = w if straight else w * w * (3 - 2 * w)
        shape = (1 - w)[:, None, None] * shapes[k] + w[:, None, None] * shapes[k + 1]
    else:
        inside = np.clip(s, places[0], places[-1])
        shape = _round_trip(places, shapes, s) if ring else CubicSpline(places, shapes, bc_type="natural")(inside)
    return moved(shape, f)


def _round_trip(places: Array, shapes: Array, s: Array) -> Array:
    """Control points between those of a ring: by the fewest waves that pass all, which take fewer rows than a spline;
    by a periodic spline where the places are so uneven that waves would swing.
    """
    waves = np.arange(1, (len(places) - 1) // 2 + 1)

    def columns(t: Array) -> Array:
        turn = 2 * np.pi * t[:, None] * waves
        return np.hstack([np.ones((len(t), 1)), np.cos(turn) / waves**2, np.sin(turn) / waves**2])

    at = columns(places[:-1])
    if len(waves) and np.linalg.cond(at * np.concatenate([[1.0], waves**2, waves**2])) < _UNEVEN:
        made = np.linalg.pinv(at) @ shapes[:-1].reshape(len(shapes) - 1, -1)
        return np.asarray((columns(s) @ made).reshape(len(s), *shapes.shape[1:]))
    return np.asarray(CubicSpline(places, shapes, bc_type="periodic")(s))


def _shape(section: Curve) -> Array:
    """What its control points weigh in places along a section, (k, n)."""
    at = np.linspace(*section.domain, max(25, 6 * section.spans + 1))
    b: Array = basis.matrix(section.knots, section.degree, at)[0]
    if section.weights is None:
        return b
    b = b * section.weights
    return np.asarray(b / b.sum(axis=1, keepdims=True))


def _refuse_fold(shape: Array, way: Array, f: Frames, two: bool) -> None:
    """Raise `GeometryError` where the section runs back on its way: its reach is greater than the path's radius. two:
    whether it goes between two rails, on which its ends lie.
    """
    points = np.einsum("un,mnc->muc", shape, way)
    h = f.s[1] - f.s[0]
    moves = np.gradient(points, h, axis=0)
    ahead = unit(np.gradient(f.origin, h, axis=0))[:, None]
    if two:
        share = np.linspace(0, 1, points.shape[1])[:, None]
        ahead = unit((1 - share) * unit(moves[:, :1]) + share * unit(moves[:, -1:]))
    run = (moves * ahead).sum(axis=2)
    i, j = np.unravel_index(int(np.argmin(run)), run.shape)
    pace = float(norm(np.gradient(f.origin, h, axis=0)[[i]])[0])
    if run[i, j] > 1e-4 * pace:
        return
    if two:
        x, y, z = points[i, j]
        raise GeometryError(
            f"The section runs back between the rails near ({x:.2f}, {y:.2f}, {z:.2f}) mm: they bend too unlike there."
        )
    bend = f.bend[i]
    k = float(np.linalg.norm(bend))
    reach = float((points[i, j] - f.origin[i]) @ bend) / max(k, 1e-12)
    x, y, z = f.origin[i]
    radius = 1 / max(k, 1e-12)
    raise GeometryError(
        f"The sweep crosses itself near ({x:.2f}, {y:.2f}, {z:.2f}) mm: the rail's radius there is {radius:.2f} mm "
        f"and the section reaches {reach:.2f} mm inward. A section that reaches less goes, or a calmer rail."
    )
