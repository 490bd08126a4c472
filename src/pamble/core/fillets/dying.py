"""A feature line that dies out: a crease along a line on a smooth face that fades to nothing at its end.

The strip beside the line becomes a patch of six rows; its rows are lifted along the normals of their columns. Only the
second and third row move, the third so that the third derivative across is least: the line, the far side with its
curvature, and, as the last three columns stay, the end are the face's own. Own method.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.optimize import brentq

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.fillets.beside import fading, in_rows, line_on, without
from pamble.core.fillets.lying import strip_beside
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_derivatives, surface_grid, surface_points
from pamble.core.spline.extremes import largest
from pamble.core.spline.surface import Surface

_CHECKS = 101
_ROUNDS = 6
_STEEPEST = 60.0
"""The largest angle, degrees, that is taken for a height."""


@dataclass(frozen=True)
class FeatureLine:
    """rest: the face without the strip. strip: the lifted patch; v0 lies on the line, u1 is the end that dies out.
    angle: of the crease at its start, degrees; height: the farthest the strip was lifted, mm, from ``foot`` (3,) to
    ``top`` (3,); law: by how much the crease leaves its law, degrees; off: how far the strip lay off the face before it
    was lifted, mm; missed: how many times its aim the worst figure of the seams is; most: the height that the steepest
    crease reaches, mm, where one was asked for by its height.
    """

    rest: Face
    strip: Face
    angle: float
    height: float
    foot: Array
    top: Array
    law: float
    off: float
    missed: float
    most: float | None = None


def feature_line(
    face: Face, line: Curve, angle: float | None, width: float, *, height: float = 0.0, other_side: bool = False,
    turned: bool = False, name: str = "crease", like: FeatureLine | None = None,
) -> FeatureLine:  # fmt: skip
    """A crease of ``angle`` degrees (negative: down) at the start of a line on a face, that has faded at its end.

    angle: found where it is None, so that the strip rises by ``height`` mm (negative: down) where it is lifted
    farthest. width: of the strip that bends, mm. other_side: on the right of the line as seen from the face's normal.
    turned: it dies out at the line's start. name: of the edges that the strip cuts. like: one of the same width on a
    face that was nearly the same: its spans are taken while the face moves. Raises `GeometryError` for a line off the
    face, one that begins inside it, a strip that reaches beyond it, and a height that no crease of 60° reaches.
    """
    laid = line_on(face, line, turned)
    sign = -1.0 if other_side else 1.0
    strip = strip_beside(face, laid, sign * width, None if like is None else like.strip.surface.spans)
    base = strip.surface
    most = None
    if angle is None:
        up = -1.0 if height < 0 else 1.0
        found, most = _angle_of(base, abs(height), sign * up)
        angle = up * found
    lifted, law = _lifted(base, sign * np.radians(angle))
    rest = without(face, base, name, quick=like is not None)
    foot, top = _farthest(base, lifted)
    reached = float(norm(top - foot))
    return FeatureLine(rest, Face(lifted), float(angle), reached, foot, top, law, strip.off, strip.ratio, most)


def _angle_of(base: Surface, height: float, sign: float) -> tuple[float, float]:
    """The angle, degrees, at which the strip is lifted by a height, mm, to the side of ``sign``: the height goes nearly
    with its tangent; and the most that it can be lifted. Raises `GeometryError`.
    """

    def rise(tangent: float) -> float:
        foot, top = _farthest(base, _lifted(base, sign * np.arctan(tangent))[0])
        return float(norm(top - foot))

    steepest = float(np.tan(np.radians(_STEEPEST)))
    most = rise(steepest)
    if height > most:
        raise GeometryError(
            f"No crease of up to {_STEEPEST:.0f}° is {height:.4g} mm high on a strip of this width, only {most:.4g} "
            "mm: make the strip wider."
        )
    if height == 0:
        return 0.0, most
    return float(np.degrees(np.arctan(brentq(lambda t: rise(t) - height, 0.0, steepest, xtol=1e-10)))), most


def _profile() -> Array:
    """How far the six rows of one span go for one unit of the second: the third row such that the third derivative is
    least.
    """
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
    profile, amounts = in_rows(base, _profile()), np.zeros(count)

    def made() -> Surface:
        lift = (amounts[:, None] * normals)[:, None, :] * profile[None, :, None]
        return base.with_control(base.control + lift)

    def law(t: Array) -> Array:
        return angle * fading(t)

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


def _farthest(base: Surface, lifted: Surface) -> tuple[Array, Array]:
    """Where the lifted strip is farthest off: the point below (3,) and its own (3,). All rows rise by one profile: each
    way is closed in on by itself.
    """
    t = np.linspace(0, 1, 41)

    def rise(u: Array, v: Array) -> Array:
        here, there = (surface_points(s, u, v) for s in (base, lifted))
        return norm(there - here)[None]

    rises = norm(surface_grid(lifted, t, t)[0, 0] - surface_grid(base, t, t)[0, 0])
    row = np.unravel_index(np.argmax(rises), rises.shape)[0]
    (v,), _ = largest(lambda v: rise(np.full_like(v, t[row]), v), t, rises[row][None])
    (u,), _ = largest(lambda u: rise(u, np.full_like(u, v)), t, rise(t, np.full_like(t, v)))
    top = surface_points(lifted, [u], [v])
    return to_surface(base, top).point[0], top[0]
