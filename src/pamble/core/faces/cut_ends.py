"""Ends of cuts that miss what they were to meet by a hair, brought there: ends of other cuts, corners, the border."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.faces.regions.sources import Source
from pamble.core.spline.closest import boxed, to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_points

BESIDE = 1e-3
"""Distance, mm, from the border within which a cut that ends there ends on it: a file may be no more exact."""

Place = tuple[Array, Array]
"""A place on a face: parameters (2,) and point (3,)."""


@dataclass(frozen=True)
class CutCurve:
    """A curve that cuts a face: in its parameters, and in space over the same ones."""

    on_face: Curve
    space: Curve


def meeting_ends(cuts: Sequence[CutCurve], scale: Array, near: float) -> list[CutCurve]:
    """Cuts of which each end lies on that of one before them on the face within ``near`` mm."""
    out: list[CutCurve] = []
    ends: list[Place] = []
    for cut in cuts:
        for end in (0, -1):
            cut = _ended(cut, end, _nearest(ends, cut.on_face.control[end], scale, near))
        out.append(cut)
        ends += _ends(cut.on_face, cut.space)
    return out


def ending_on(cuts: Sequence[CutCurve], border: Sequence[Source], scale: Array) -> list[CutCurve] | None:
    """Cuts that end in a corner of the border, or else on the border, where they end within `BESIDE` of it; None where
    that moves none.
    """
    corners = [place for source in border for place in _ends(source.curve, source.space)]
    out: list[CutCurve] = []
    for cut in cuts:
        for end in (0, -1):
            here = cut.on_face.control[end]
            place = _nearest(corners, here, scale, BESIDE) or _on_border(border, here, scale)
            cut = _ended(cut, end, place)
        out.append(cut)
    return out if any(one is not other for one, other in zip(out, cuts, strict=True)) else None


def _ends(flat: Curve, space: Curve | None) -> list[Place]:
    if space is None:
        return []
    return list(zip(curve_points(flat, flat.domain), curve_points(space, space.domain), strict=True))


def _nearest(places: Sequence[Place], here: Array, scale: Array, near: float) -> Place | None:
    if not places:
        return None
    away = norm((np.array([flat for flat, _ in places]) - here) * scale)
    best = int(np.argmin(away))
    return places[best] if away[best] < near else None


def _on_border(border: Sequence[Source], here: Array, scale: Array) -> Place | None:
    """The place of the border nearest to one of the face, within `BESIDE`."""
    best: tuple[float, Place] | None = None
    for source in border:
        drawn = replace(source.curve, control=source.curve.control * scale)
        target = (here * scale)[None]
        if source.space is None or not boxed(drawn, target, BESIDE)[0]:
            continue
        foot = to_curve(drawn, target)
        if foot.distance[0] < (BESIDE if best is None else best[0]):
            best = float(foot.distance[0]), (foot.point[0] / scale, curve_points(source.space, foot.t)[0])
    return None if best is None else best[1]


def _ended(cut: CutCurve, end: int, place: Place | None) -> CutCurve:
    if place is None or (place[0] == cut.on_face.control[end]).all():
        return cut
    return CutCurve(*(with_end(c, end, p) for c, p in zip((cut.on_face, cut.space), place, strict=True)))
