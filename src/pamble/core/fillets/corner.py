"""What stands at the ends of a fillet: a face that both others run into is cut back too; the shell stays closed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, unit
from pamble.core.errors import GeometryError, NotMeeting
from pamble.core.faces.face import Face
from pamble.core.faces.trim import Cutter, divide
from pamble.core.fillets.crease import derivatives
from pamble.core.fillets.ends import end_edge
from pamble.core.fillets.rolled import Rolled
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.surface import Surface

_REACH = 1e-3
"""Distance, mm, within which a face runs into the end of a crease, and a curve lies on a face."""

_ACROSS = 0.2
"""Part of a face's normal along the crease from which the face stands across it."""

_CUT = 1e-4


def cornered(
    faces: Sequence[Face], rolls: Sequence[Rolled], part: Sequence[Face], taken: set[int]
) -> tuple[list[Face], dict[int, Face], list[str]]:
    """Fillets in a row ended on the faces of the part that stand across both ends; those cut back, by their number; and
    what could not be cut. taken: numbers of the faces beside the fillets.
    """
    out, changed, wrong = list(faces), dict[int, Face](), list[str]()
    for end in (0, -1):
        space = rolls[end].run.first.space
        number = _standing_across(part, taken, space, space.domain[end])
        if number is None:
            continue
        stands, surface = changed.get(number, part[number]), rolls[end].ball.surface
        line = end_edge(out[end], end).space
        if not _lies_on(stands, line):
            (u0, u1), (v0, v1) = surface.domain
            other = end_edge(out[end], -1 - end).space
            ends: list[Face | Curve] = [stands, other] if end == 0 else [other, stands]
            out[end] = _between(surface, ends, np.array([0.5 * (u0 + u1), 0.5 * (v0 + v1)]))
            line = end_edge(out[end], end).space
        try:
            made = _cut_corner(stands, line, curve_points(space, [space.domain[end]])[0])
        except GeometryError as error:
            wrong.append(f"The face that stands across an end is not cut back: {error}")
        else:
            changed |= {} if made is None else {number: made}
    return out, changed, wrong


def _standing_across(part: Sequence[Face], taken: set[int], space: Curve, at: float) -> int | None:
    """Number of the face that stands across the end of a crease."""
    p, d = curve_derivatives(space, [at], 1)[:, 0]
    way = d / max(float(np.linalg.norm(d)), 1e-300)
    found = None
    for i, face in enumerate(part):
        if i in taken or min(float(to_curve(e.space, p[None]).distance[0]) for e in face.edges) > _REACH:
            continue
        foot = to_surface(face.surface, p[None])
        k = derivatives(face.surface, foot.u, foot.v, 1)
        normal = unit(np.cross(k[1, 0], k[0, 1]))[0]
        if foot.distance[0] < _REACH and abs(float(normal @ way)) > _ACROSS:
            found = i
    return found


def _lies_on(face: Face, curve: Curve) -> bool:
    """Whether a curve lies on a face's surface."""
    points = curve_points(curve, np.linspace(*curve.domain, 33))
    return float(to_surface(face.surface, points).distance.max()) < _REACH


def _between(surface: Surface, ends: Sequence[Face | Curve], middle: Array) -> Face:
    """The part of a long fillet surface between what ends it, which holds a place (2,) of it."""
    cutters = [Cutter(name, name, end, None, True) for name, end in zip(("start", "end"), ends, strict=True)]
    divided = divide(Face(surface), cutters, _CUT)
    (u0, u1), (v0, v1) = surface.domain
    scale = np.array([u1 - u0, v1 - v0])
    best = min(divided.regions, key=lambda r: float(np.linalg.norm((r.at - middle) / scale)))
    if len(divided.regions) < 2:
        raise GeometryError("The face at the end does not cut the fillet.")
    return divided.holding([best.number])[0]


def _cut_corner(face: Face, line: Curve, corner: Array) -> Face | None:
    """The face without the corner (3,) that a fillet's end takes from it; None where the line takes none."""
    try:
        divided = divide(face, [Cutter("fillet", "the fillet", line)], _CUT)
    except NotMeeting:
        return None
    if len(divided.regions) < 2:
        return None
    keep = []
    for r in divided.regions:
        made = divided.holding([r.number])[0]
        near = min(float(to_curve(e.space, corner[None]).distance[0]) for e in made.edges)
        if near > _REACH:
            keep.append(r.number)
    return divided.holding(keep)[0] if keep else None
