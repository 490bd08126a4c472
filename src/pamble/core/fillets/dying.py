"""A feature line that dies out: a crease along a line on a smooth face that fades to nothing at its end.

The strip beside the line becomes a patch of six rows; its rows are lifted along the normals of their columns. Only the
second and third row move, the third so that the third derivative across is least: the line, the far side with its
curvature, and, as the last three columns stay, the end are the face's own. Own method.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import Face, side_curve
from pamble.core.faces.trim import Cutter, divide
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.extremes import largest
from pamble.core.spline.knots import reverse_curve
from pamble.core.spline.surface import Surface

_CUT = 1e-4
_ON = 1e-2
"""Distance, mm, within which a line lies on the face, and begins at its border."""

_SLANT = 0.3
"""Sine of the least angle between the line and the border at which it begins."""

_AIM = 3e-4
"""How far, mm, the strip may lie off the face before it is lifted."""

_SPANS = (1, 2, 3, 4, 6, 8, 12)
_CHECKS = 101
_ROUNDS = 6


@dataclass(frozen=True)
class FeatureLine:
    """rest: the face without the strip. strip: the lifted patch; v0 lies on the line, u1 is the end that dies out.
    height: the farthest it was lifted, mm; law: by how much the crease leaves its law, degrees; off: how far the strip
    lay off the face before it was lifted, mm.
    """

    rest: Face
    strip: Face
    height: float
    law: float
    off: float


def feature_line(
    face: Face, line: Curve, angle: float, width: float, *, other_side: bool = False, turned: bool = False,
    name: str = "crease",
) -> FeatureLine:  # fmt: skip
    """A crease of ``angle`` degrees (negative: down) at the start of a line on a face, that has faded at its end.

    width: of the strip that bends, mm. other_side: on the right of the line as seen from the face's normal. turned: it
    dies out at the line's start. name: of the edges that the strip cuts. Raises `GeometryError` for a line off the
    face, one that begins inside it, and a strip that reaches beyond it.
    """
    fits = curve_onto(face.surface, reverse_curve(line) if turned else line, None, _CUT)
    if len(fits) != 1:
        raise GeometryError("The line has a kink, or leaves the face: a feature line is one smooth line on it.")
    fit = fits[0]
    off = float(to_surface(face.surface, curve_points(line, np.linspace(*line.domain, 33))).distance.max())
    if off > _ON:
        raise GeometryError(f"The line lies {off:.3f} mm off the face: project it first.")
    start = curve_points(fit.space, [0.0])
    away = min(float(to_curve(e.space, start).distance[0]) for e in face.edges)
    if away > _ON:
        raise GeometryError(
            f"The crease begins {away:.2f} mm inside the face: it would end there in a step. Begin the line at a "
            "border."
        )
    sign = -1.0 if other_side else 1.0
    base, loose = _strip(face, fit.on_a, sign * width)
    lifted, law = _lifted(base, sign * np.radians(angle))
    return FeatureLine(_without(face, base, name), Face(lifted), _height(base, lifted), law, loose)


def _strip(face: Face, line: Curve, width: float) -> tuple[Surface, float]:
    """The strip of a face beside a line in its parameters, as a patch, and how far off it lies, mm. It begins along the
    face's border, and ends square to the line.
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
        turn = np.tan(lean * (1 - t) ** 2)[:, None]
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
    best: tuple[float, Surface] | None = None
    for spans in _SPANS:
        patch = Patch(Space.even(5, spans), Space.even(5, 1))

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


def _profile() -> Array:
    """How far the six rows go for one unit of the second: the third row such that the third derivative is least."""
    x, w = np.polynomial.legendre.leggauss(6)
    third = basis.matrix(basis.uniform_knots(5, 1), 5, 0.5 + 0.5 * x, 3)[3] * np.sqrt(0.5 * w)[:, None]
    out = np.array([0.0, 1.0, 0.0, 0.0, 0.0, 0.0])
    out[2] = -float(third[:, 2] @ (third @ out)) / float(third[:, 2] @ third[:, 2])
    return out


def _lifted(base: Surface, angle: float) -> tuple[Surface, float]:
    """The strip with its rows lifted until the crease follows its law, and by how much it does not, degrees."""
    count = len(base.control)
    if count < 5:
        raise GeometryError("The strip has too few columns to fade in: take a longer line.")
    knots = basis.greville(base.knots_u, base.degree_u)
    d = surface_derivatives(base, knots, np.zeros(count), 1)
    normals = unit(cross(d[1, 0], d[0, 1]))
    t = np.linspace(0, 1, _CHECKS)
    before = surface_derivatives(base, t, np.zeros(_CHECKS), 1)
    span = norm(cross(before[1, 0], before[0, 1])) / norm(before[1, 0])
    values = basis.matrix(base.knots_u, base.degree_u, t)[0][:, : count - 3]
    profile, amounts = _profile(), np.zeros(count)

    def made() -> Surface:
        lift = (amounts[:, None] * normals)[:, None, :] * profile[None, :, None]
        return base.with_control(base.control + lift)

    def law(t: Array) -> Array:
        return angle * (1 - t) ** 3 * (1 + 3 * t)

    def left(t: Array) -> Array:
        """What the crease still lacks to its law, radians."""
        was, now = (surface_derivatives(s, t, np.zeros_like(t), 1) for s in (base, made()))
        m, n = (unit(cross(x[1, 0], x[0, 1])) for x in (was, now))
        return np.asarray(law(t) - np.arctan2(dot(cross(m, n), unit(was[1, 0])), dot(m, n)))

    for _ in range(_ROUNDS):
        slope = 5 * values / span[:, None] * (np.cos(law(t)) ** 2)[:, None]
        step = np.linalg.lstsq(slope, left(t), rcond=None)[0]
        amounts[: count - 3] += step
        if np.abs(step).max() < 1e-9:
            break
    _, most = largest(lambda t: np.abs(left(t))[None], t, np.abs(left(t))[None])
    return made(), float(np.degrees(most[0]))


def _height(base: Surface, lifted: Surface) -> float:
    """The farthest that the strip was lifted, mm. All rows rise by one profile: each way is closed in on by itself."""
    t = np.linspace(0, 1, 41)

    def rise(u: Array, v: Array) -> Array:
        here, there = (surface_derivatives(s, u, v, 0)[0, 0] for s in (base, lifted))
        return norm(there - here)[None]

    rises = norm(surface_grid(lifted, t, t)[0, 0] - surface_grid(base, t, t)[0, 0])
    row = np.unravel_index(np.argmax(rises), rises.shape)[0]
    (v,), _ = largest(lambda v: rise(np.full_like(v, t[row]), v), t, rises[row][None])
    _, (most,) = largest(lambda u: rise(u, np.full_like(u, v)), t, rise(t, np.full_like(t, v)))
    return float(most)


def _without(face: Face, strip: Surface, name: str) -> Face:
    """The face without the strip."""
    lines = [side_curve(strip, side)[2] for side in ("v0", "v1", "u1")]
    divided = divide(face, [Cutter(f"{name}{k}", "the strip", c, None, k < 2) for k, c in enumerate(lines)], _CUT)
    middle = to_surface(face.surface, surface_grid(strip, np.array([0.5]), np.array([0.5]))[0, 0, 0])
    place = shapely.Point(np.array([middle.u[0], middle.v[0]]) * divided.arrangement.scale)
    keep = [r.number for r in divided.regions if not divided.arrangement.polygon(r.number).contains(place)]
    if len(divided.regions) < 2 or not keep:
        raise GeometryError(
            "The strip does not part the face: "
            + (" ".join(w.words for w in divided.complaints) or "make it narrower.")
        )
    return divided.holding(keep)[0]
