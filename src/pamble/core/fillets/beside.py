"""The strip of a face beside a line that lies on it, and the face without the strip."""

from __future__ import annotations

import numpy as np
import shapely

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import Face, side_curve
from pamble.core.faces.trim import Cutter, divide
from pamble.core.patches.space import Patch, Space
from pamble.core.spline.closest import boxed, to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.knots import reverse_curve
from pamble.core.spline.surface import Surface

_CUT = 1e-4
_ON = 1e-2
"""Distance, mm, within which a line lies on the face, and begins at its border."""

_SLANT = 0.3
"""Sine of the least angle between the line and the border at which it begins."""

_AIM = 3e-4
"""How far, mm, the strip may lie off the face."""

_SPANS = (1, 2, 3, 4, 6, 8, 12)


def fading(t: Array) -> Array:
    """What is left of a crease or step at shares (m,) of its line: 1 at the start, 0 at the end to the third order."""
    return (1 - t) ** 3 * (1 + 3 * t)


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


def strip_beside(face: Face, line: Curve, width: float, spans: int | None = None) -> tuple[Surface, float]:
    """The strip of a face beside a line in its parameters, as a patch, and how far off it lies, mm. It begins along the
    face's border, and ends square to the line. width: mm, on the right of the line if negative, seen from the normal.
    spans: along it, found if None. Raises `GeometryError` for a strip that reaches beyond the face.
    """
    surface = face.surface
    (u0, u1), (v0, v1) = surface.domain
    bounds = np.array([[u0, v0], [u1, v1]])

    def frame(t: Array) -> tuple[Array, Array, Array, Array]:
        """Parameters and points of the line, its direction, and the way into the strip, square to it."""
        p = curve_derivatives(line, t, 1)
        d = surface_derivatives(surface, p[0, :, 0], p[0, :, 1], 1)
        run = unit(d[1, 0] * p[1, :, :1] + d[0, 1] * p[1, :, 1:])
        return p[0], d[0, 0], run, np.sign(width) * cross(unit(cross(d[1, 0], d[0, 1])), run)

    lean = _lean(face, *(x[0] for x in frame(np.zeros(1))[1:]))

    def far(t: Array) -> tuple[Array, Array]:
        uv, point, run, side = frame(t)
        turn = (np.tan(lean) * (1 - t) ** 2)[:, None]
        foot = to_surface(surface, point + abs(width) * (side + turn * run), (uv[:, 0], uv[:, 1]))
        return uv, np.stack([foot.u, foot.v], axis=1)

    near, beyond = far(np.linspace(0, 1, 41))
    rows = [surface_derivatives(surface, uv[:, 0], uv[:, 1], 0)[0, 0] for uv in (near, beyond)]
    reach = norm(rows[1] - rows[0])
    inner = beyond[4:]
    if reach.min() < 0.7 * abs(width) or ((inner <= bounds[0]) | (inner >= bounds[1])).any():
        raise GeometryError(
            "The strip beside the line reaches beyond the face: make it narrower, or take the other side."
        )
    if (dot(np.diff(rows[1], axis=0), np.diff(rows[0], axis=0)) <= 0).any():
        raise GeometryError(
            "The strip beside the line turns back on itself: begin the line more squarely to the border, or make the "
            "strip narrower."
        )
    best: tuple[float, Surface] | None = None
    for count in _SPANS if spans is None else (spans,):
        patch = Patch(Space.even(5, count), Space.even(5, 1))

        def points(s: Array, v: Array) -> Array:
            a, b = far(s)
            uv = a[:, None] + v[None, :, None] * (b - a)[:, None]
            flat = surface_derivatives(surface, uv[..., 0].ravel(), uv[..., 1].ravel(), 0)[0, 0]
            return np.asarray(flat.reshape(len(s), len(v), 3))

        made = patch.surface(patch.interpolate(points))
        grid = surface_grid(made, np.linspace(0, 1, 61), np.linspace(0, 1, 13))[0, 0].reshape(-1, 3)
        off = float(to_surface(surface, grid).distance.max())
        if best is None or off < best[0]:
            best = (off, made)
        if off < _AIM:
            break
    assert best is not None
    return best[1], best[0]


def _lean(face: Face, start: Array, run: Array, side: Array) -> float:
    """The angle, radians, by which the border at the start (3,) of a line leans along it, from the way square to it."""
    feet = [(to_curve(e.space, start[None]), e.space) for e in face.edges]
    foot, border = min(feet, key=lambda f: float(f[0].distance[0]))
    way = unit(curve_derivatives(border, foot.t, 1)[1])[0]
    way = way if way @ side > 0 else -way
    if way @ side < _SLANT:
        raise GeometryError("The line runs along the border where it begins: lead it away from there.")
    return float(np.arctan2(way @ run, way @ side))


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
