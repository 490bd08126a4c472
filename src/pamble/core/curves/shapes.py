"""Lines, arcs, circles, ellipses and rounded rectangles as exact rational curves."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, floats, unit
from pamble.core.errors import GeometryError
from pamble.core.planes import circle_centre
from pamble.core.spline.curve import Curve

_ROUND, _ROUND_WITHIN = 2**0.5 - 1, 5e-5
"""Height of a square corner's conic that is an arc, and how near to it one is meant to be round."""


def frame(normal: Array, toward: Array | None = None) -> tuple[Array, Array]:
    """Two unit vectors that span the plane square to ``normal``, the first one along ``toward`` as far as it goes."""
    n = unit(floats(normal)[None])[0]
    if not np.any(n):
        raise GeometryError("A plane needs a normal that is not zero.")
    hint = np.eye(3)[int(np.argmin(np.abs(n)))] if toward is None else floats(toward)
    x = hint - (hint @ n) * n
    if np.linalg.norm(x) < 1e-9:
        raise GeometryError("The start direction runs along the plane's normal.")
    x = x / np.linalg.norm(x)
    return x, np.cross(n, x)


def conic_arc(start: Array, corner: Array, end: Array, rho: float) -> Curve:
    """Conic from ``start`` to ``end`` with tangents toward ``corner``. rho: 0 to 1, the height of its shoulder as a
    fraction of the corner's; below 1/2 an ellipse, 1/2 a parabola, above a hyperbola (The NURBS Book, section 7.3).
    """
    if not 0 < rho < 1:
        raise GeometryError(f"rho lies between 0 and 1, not at {rho:g}.")
    w = rho / (1 - rho)
    return Curve(2, floats([0, 0, 0, 1, 1, 1]), np.array([start, corner, end]), floats([1.0, w, 1.0]))


def ellipse(
    centre: Array, normal: Array, radii: tuple[float, float], toward: Array | None = None, degrees: float = 360.0
) -> Curve:
    """Ellipse or elliptic arc: ``degrees`` of the eccentric angle from the first radius, which points ``toward``.

    Exact, degree 2, a piece for every 90 degrees at most.
    """
    if min(radii) <= 0:
        raise GeometryError(f"Radii are above zero, not {min(radii):g} mm.")
    if not 0 < abs(degrees) <= 360:
        raise GeometryError(f"An arc turns by up to 360°, not by {degrees:g}°.")
    x, y = frame(normal, toward)
    pieces = int(np.ceil(abs(degrees) / 90 - 1e-9))
    half = np.radians(degrees) / pieces / 2
    angle = half * np.arange(2 * pieces + 1)
    out = np.where(np.arange(2 * pieces + 1) % 2, 1 / np.cos(half), 1.0)
    control = (
        floats(centre) + (radii[0] * np.cos(angle) * out)[:, None] * x + (radii[1] * np.sin(angle) * out)[:, None] * y
    )
    if abs(degrees) == 360:
        control[-1] = control[0]
    inner = np.repeat(np.arange(1, pieces) / pieces, 2)
    knots = np.concatenate([[0.0] * 3, inner, [1.0] * 3])
    return Curve(2, knots, control, np.where(np.arange(2 * pieces + 1) % 2, np.cos(half), 1.0))


def circle(centre: Array, normal: Array, radius: float) -> Curve:
    """Full circle.

    >>> from pamble.core.spline.evaluate import curve_points
    >>> ring = circle(np.zeros(3), np.array([0, 0, 1.0]), 7.0)
    >>> t = np.linspace(*ring.domain, 9)
    >>> bool(np.allclose(np.linalg.norm(curve_points(ring, t), axis=1), 7))
    True
    """
    return ellipse(centre, normal, (radius, radius))


def arc_three_points(a: Array, b: Array, c: Array) -> Curve:
    """Arc from ``a`` through ``b`` to ``c``. Raises `GeometryError` for points on a line.

    >>> arc = arc_three_points(np.array([5.0, 0, 0]), np.array([0, 5.0, 0]), np.array([-5.0, 0, 0]))
    >>> arc.degree, arc.weights is not None
    (2, True)
    """
    a, b, c = floats(a), floats(b), floats(c)
    centre, n = circle_centre(a, b, c), np.cross(b - a, c - a)
    if centre is None:
        raise GeometryError("The three points lie on a line: an arc needs a bend.")
    x, y = frame(n, a - centre)
    angle = float(np.degrees(np.arctan2((c - centre) @ y, (c - centre) @ x)) % 360)
    radius = float(np.linalg.norm(a - centre))
    return ellipse(centre, n, (radius, radius), a - centre, angle)


def arc_by_radius(start: Array, end: Array, radius: float, normal: Array, large: bool = False) -> Curve:
    """Arc between two points by its radius (mm), turning about ``normal``; the short way unless ``large``."""
    a, b = floats(start), floats(end)
    chord = b - a
    width = float(np.linalg.norm(chord))
    if width < 1e-9:
        raise GeometryError("The two ends of the arc are one point.")
    if radius < width / 2:
        raise GeometryError(
            f"Radius {radius:g} mm is too small for ends {width:g} mm apart: {width / 2:g} mm is least."
        )
    n = unit(floats(normal)[None])[0]
    side = np.cross(n, chord / width)
    if np.linalg.norm(side) < 0.999:
        raise GeometryError("The plane's normal is not square to the line between the ends.")
    rise = np.sqrt(max(radius**2 - width**2 / 4, 0.0)) * (-1.0 if large else 1.0)
    centre = (a + b) / 2 + rise * side
    x, y = frame(n, a - centre)
    angle = float(np.degrees(np.arctan2((b - centre) @ y, (b - centre) @ x)) % 360)
    return ellipse(centre, n, (radius, radius), a - centre, angle)


def rounded_rectangle(
    centre: Array, normal: Array, size: tuple[float, float], corner: float, rho: float, toward: Array | None = None
) -> Curve:
    """Closed rectangle with conic corners of one ``corner`` length (mm); rho sqrt(2)-1, to four digits, makes them
    round, exactly.
    """
    w, h = size
    if min(w, h) <= 0 or corner <= 0 or 2 * corner > min(w, h):
        raise GeometryError(f"Corners of {corner:g} mm do not fit a rectangle of {w:g} x {h:g} mm.")
    if not 0 < rho < 1:
        raise GeometryError(f"rho lies between 0 and 1, not at {rho:g}.")
    if abs(rho - _ROUND) < _ROUND_WITHIN:
        rho = _ROUND
    x, y = frame(normal, toward)
    signs = np.array([(1, -1), (1, 1), (-1, 1), (-1, -1)])
    tips = floats(centre) + signs @ np.stack([w / 2 * x, h / 2 * y])
    # From each tip back along the side before it, anticlockwise: the tips' order gives both sides' directions.
    back = unit(np.roll(tips, 1, axis=0) - tips)
    starts, ends = tips + corner * back, tips - corner * np.roll(back, -1, axis=0)
    middles = 0.5 * (ends + np.roll(starts, -1, axis=0))
    control = np.stack([starts, tips, ends, middles], axis=1).reshape(-1, 3)
    weights = np.tile([1.0, rho / (1 - rho), 1.0, 1.0], 4)
    knots = np.concatenate([[0.0] * 3, np.repeat(np.arange(1, 8) / 8, 2), [1.0] * 3])
    return Curve(2, knots, np.vstack([control, control[:1]]), np.append(weights, 1.0))
