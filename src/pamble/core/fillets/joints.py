"""How fillets in a row run on into each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.faces.face import Face
from pamble.core.fillets.ends import end_edges
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.extremes import largest
from pamble.core.spline.surface import Surface

_BENDS, _BENT, _ACROSS = 0.02, 0.05, 17
"""Angles, degrees, from which fillets in a row are told to bend where they meet, and those of a ball of one radius; and
places looked at there.
"""

_BALL = "the fillets meet at {angle:.2f}°, where the ball hardly fits: a smaller radius runs on."
_OTHERS = (
    "the curvature of the faces beside the crease jumps: the fillets meet there at {angle:.2f}°. A rolling ball's of "
    "one radius run on."
)

_KINKS = "the crease kinks by {kink:.2f}°, as the faces beside it meet at an angle: the fillets meet at {angle:.2f}°."

_SHARED_ROWS, _NEAR = 3, 5e-4
"""Rows that follow the last one where it moves, so that the fillet keeps its bend there; distance, mm, of ends of two
fillets that are one: half of it, by which both move, is a quarter of what their radius is held to.
"""


def with_shared_ends(faces: Sequence[Face], loop: bool) -> list[Face]:
    """Fillets in a row whose natural ends at a joint are the very same curve: the ends of two fits lie a fraction of
    their tolerance apart. loop: whether the last runs on in the first.
    """
    out = list(faces)
    for i in range(len(out) if loop and len(out) > 1 else len(out) - 1):
        k = (i + 1) % len(out)
        one, two = out[i].surface, out[k].surface
        alike = one.degree_v == two.degree_v and np.array_equal(one.knots_v, two.knots_v)
        polynomial = one.weights is None and two.weights is None
        if not (out[i].natural and out[k].natural and alike and polynomial):
            continue
        if norm(two.control[0] - one.control[-1]).max() < _NEAR:
            row = 0.5 * (one.control[-1] + two.control[0])
            out[i], out[k] = _ending(one, -1, row), _ending(two, 0, row)
    return out


def _ending(surface: Surface, at: int, row: Array) -> Face:
    control = surface.control.copy()
    control[slice(-_SHARED_ROWS, None) if at else slice(_SHARED_ROWS)] += row - control[at]
    control[at] = row
    return Face(surface.with_control(control))


def bent_joints(faces: Sequence[Face], loop: bool, ball: bool, kinks: Mapping[int, float]) -> list[str]:
    """Words on joints at which fillets in a row do not run on into each other tangentially. A rolling ball's of one
    radius do but where the crease kinks or it hardly fits; others turn where the curvature of the faces beside them
    jumps. loop: whether the last runs on in the first; ball: whether they are a ball's of one radius. kinks: of the
    crease, by the number of the fillet behind which it does, degrees.
    """
    out = []
    for k, (one, two) in enumerate(zip(faces if loop else faces[:-1], [*faces[1:], faces[0]], strict=False)):
        line = end_edges(one, -1)[0].space

        def angle(t: Array, line: Curve = line, pair: tuple[Face, Face] = (one, two)) -> Array:
            n1, n2 = (_normals(f.surface, curve_points(line, t)) for f in pair)
            return np.degrees(np.arctan2(norm(cross(n1, n2)), np.abs(dot(n1, n2))))[None]

        t = np.linspace(*line.domain, _ACROSS)
        at, most = largest(angle, t, angle(t))
        if most[0] > (_BENT if ball else _BENDS):
            x, y, z = curve_points(line, at)[0]
            words = _KINKS if k in kinks else _BALL if ball else _OTHERS
            out.append(f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm {words.format(angle=most[0], kink=kinks.get(k))}")
    return out


def _normals(surface: Surface, points: Array) -> Array:
    foot = to_surface(surface, points)
    d = surface_derivatives(surface, foot.u, foot.v, 1)
    return unit(cross(d[1, 0], d[0, 1]))
