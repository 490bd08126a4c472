"""Fillets and balls with their outside where the faces beside them have theirs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pamble.core.arrays import Array
from pamble.core.faces.face import Face
from pamble.core.faces.twins import run_back
from pamble.core.fillets.figured import FilletFace
from pamble.core.fillets.rolled import Rolled
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.surface import Surface


def sided(face: Face, beside: Surface, place: Array) -> Face:
    """The face with its normal on the side of that of a surface which it touches tangentially about a place (3,)."""
    one, two = (_normal(s, place) for s in (face.surface, beside))
    return face if float(one @ two) >= 0 else run_back(face)


def sided_fillet(row: FilletFace, roll: Rolled, part: Sequence[Face]) -> FilletFace:
    """The fillet with its outside where the face on its first side has it."""
    contact = roll.lines[0]
    place = curve_points(contact, [0.5 * sum(contact.domain)])[0]
    return replace(row, face=sided(row.face, part[row.beside[0]].surface, place))


def sided_ball(ball: Face, rows: Sequence[FilletFace]) -> Face:
    """The ball with its outside where the fillet that ends on its first edge has it."""
    edge = ball.edges[0].space
    place = curve_points(edge, [0.5 * sum(edge.domain)])
    near = min(rows, key=lambda row: float(to_surface(row.face.surface, place).distance[0]))
    return sided(ball, near.face.surface, place[0])


def _normal(surface: Surface, place: Array) -> Array:
    foot = to_surface(surface, place[None])
    d = surface_derivatives(surface, foot.u, foot.v, 1)[:, :, 0]
    return np.asarray(np.cross(d[1, 0], d[0, 1]))
