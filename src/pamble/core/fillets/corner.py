"""What stands at the ends of a fillet: a face that both others run into is cut back too; the shell stays closed."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, unit
from pamble.core.errors import GeometryError, NotMeeting
from pamble.core.faces.face import Face
from pamble.core.faces.trim import Cutter, divide
from pamble.core.fillets.chain import Chain
from pamble.core.fillets.crease import derivatives
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.surface import Surface

_REACH = 1e-3
"""Distance, mm, within which a face runs into the end of a crease, and a curve lies on a face."""

_ACROSS = 0.2
"""Part of a face's normal along the crease from which the face stands across it."""

_CUT = 1e-4


def standing_across(others: Sequence[Face], chain: Chain) -> tuple[int | None, int | None]:
    """Numbers of the faces that stand across the crease at its start and at its end."""
    out: list[int | None] = []
    for at in chain.space.domain:
        p, d = curve_derivatives(chain.space, [at], 1)[:, 0]
        way = d / max(float(np.linalg.norm(d)), 1e-300)
        found = None
        for i, face in enumerate(others):
            if min(float(to_curve(e.space, p[None]).distance[0]) for e in face.edges) > _REACH:
                continue
            foot = to_surface(face.surface, p[None])
            k = derivatives(face.surface, foot.u, foot.v, 1)
            normal = unit(np.cross(k[1, 0], k[0, 1]))[0]
            if foot.distance[0] < _REACH and abs(float(normal @ way)) > _ACROSS:
                found = i
        out.append(found)
    return out[0], out[1]


def lies_on(face: Face, curve: Curve) -> bool:
    """Whether a curve lies on a face's surface."""
    points = curve_points(curve, np.linspace(*curve.domain, 33))
    return float(to_surface(face.surface, points).distance.max()) < _REACH


def between(surface: Surface, ends: Sequence[Face | Curve], middle: Array) -> Face:
    """The part of a long fillet surface between what ends it, which holds a place (2,) of it."""
    cutters = [Cutter(name, name, end, None, True) for name, end in zip(("start", "end"), ends, strict=True)]
    divided = divide(Face(surface), cutters, _CUT)
    (u0, u1), (v0, v1) = surface.domain
    scale = np.array([u1 - u0, v1 - v0])
    best = min(divided.regions, key=lambda r: float(np.linalg.norm((r.at - middle) / scale)))
    if len(divided.regions) < 2:
        raise GeometryError("The face at the end does not cut the fillet.")
    return divided.holding([best.number])[0]


def cut_corner(face: Face, line: Curve, corner: Array) -> Face | None:
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
