"""What stands at the ends of a fillet: a face that both others run into is cut back too; the shell stays closed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import nullcontext, suppress

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.regions.arrange import arrange
from pamble.core.faces.regions.choose import regions
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.trim import CutCurve, Cutter, cut_curves
from pamble.core.fillets.ends import NAMES, Ends, end_edges, end_lines, ended
from pamble.core.fillets.grown import Over, room
from pamble.core.fillets.recut import lies_on, roomy, with_corner
from pamble.core.fillets.strip import Strip
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import Surface

_BESIDE = 0.25, 0.5, 1.0
"""Shares of a fillet in which its end is looked for."""

_SIDE = 1e-6
"""Share of a fillet's width within which a cut ends on its side."""

_CUT = 1e-6


def cornered(
    faces: Sequence[Face], strip: Strip, part: Sequence[Face], changed: Mapping[int, Face], across: Mapping[int, int],
    past: Mapping[int, Sequence[Over]], mitred: Ends,
) -> tuple[list[Face], dict[int, Face], list[str]]:  # fmt: skip
    """Fillets in a row ended on the faces of the part that stand across their free ends, 0 or -1; those cut back, by
    their number; and what could not be cut. changed: faces that were cut back already. mitred: how the first and the
    last end in mitres. past: contacts that run past the corner, by end.
    """
    out, now, wrong = list(faces), dict(changed), list[str]()
    numbers = dict(across)
    by = {n: max(room(strip, e) for e in numbers if numbers[e] == n) for n in numbers.values()}
    walls = {n: Face(roomy(part[n].surface, by[n])) for n in by}
    for i in {0, len(out) - 1}:
        own = {end: numbers[end] for end in numbers if end % len(out) == i}
        beyond = {n for end, n in own.items() if not _lie_on(walls[n], _end_curves(out[i], end))}
        # A face that stands across both ends cuts both or none.
        stands = {end: walls[n] for end, n in own.items() if n in beyond}
        if stands:
            known = mitred if len(out) == 1 else (None, None)
            out[i] = _reaching(out[i], strip.rolls[i].made.surface, stands, known)
    for end, number in numbers.items():
        standing, lines = now.get(number, part[number]), _end_curves(out[end], end)
        corner = strip.end(end)[0]
        try:
            now[number] = with_corner(standing, corner, lines, [o.line for o in past.get(end, ())], by[number])
        except GeometryError as error:
            wrong.append(f"The face that stands across an end is not cut back: {error}")
    return out, now, wrong


def _end_curves(face: Face, end: int) -> list[Curve]:
    """The lines across an end of a fillet, 0 or -1."""
    return [e.space for e in end_edges(face, end)]


def _reaching(face: Face, surface: Surface, stands: Mapping[int, Face], mitred: Ends) -> Face:
    """A fillet that ends on the faces that stand across its ends. surface: all of it, which runs on beyond
    them."""
    if mitred != (None, None):
        (end, across), *_ = stands.items()
        cut = end_lines(_middle(surface, {end: _crossing(surface, across, end)}), end)
        return ended(surface, None, (cut, mitred[1]) if end == 0 else (mitred[0], cut))
    ends = {
        end: _crossing(surface, stands[end], end)
        if end in stands
        else [CutCurve(e.pcurve, e.space) for e in end_edges(face, end)]
        for end in NAMES
    }
    return _middle(surface, ends)


def _crossing(surface: Surface, across: Face, end: int) -> list[CutCurve]:
    """Where a face across the start (0) or end (-1) of a fillet cuts it: in the part beside that end, farther on only
    where it does not cut that from side to side; of several places the one in that half.
    """
    low, high = surface.domain[0]
    found: list[CutCurve] = []
    for share in _BESIDE:
        reach = share * (high - low)
        part = surface_part(surface, (low, low + reach) if end == 0 else (high - reach, high), None)
        with suppress(GeometryError) if share < 1.0 else nullcontext():
            found = cut_curves(Face(part), Cutter(NAMES[end], "the face at the end", across, None, True), _CUT)
            if whole := [c for c in found if _from_side_to_side([c], surface)]:
                # What else there is of the face across, beyond its border, does not end the fillet.
                found = whole
            if share < 1.0 and _from_side_to_side(found, surface):
                return found
    middle = 0.5 * (low + high)
    at = [curve_points(c.on_face, np.linspace(*c.on_face.domain, 9))[:, 0].mean() for c in found]
    own = [c for c, u in zip(found, at, strict=True) if (u < middle) == (end == 0)]
    if not (own or found):
        raise GeometryError("The face at the end does not cut the fillet.")
    return own or found


def _from_side_to_side(cuts: Sequence[CutCurve], surface: Surface) -> bool:
    """Whether cuts begin and end on both long sides of a fillet."""
    low, high = surface.domain[1]
    ends = [curve_points(c.on_face, c.on_face.domain)[:, 1] for c in cuts]
    near = _SIDE * (high - low)
    return bool(ends) and all(np.abs(np.concatenate(ends) - v).min() < near for v in (low, high))


def _middle(surface: Surface, ends: Mapping[int, Sequence[CutCurve]]) -> Face:
    """The part of a long fillet between what cuts it at its ends."""
    whole = Face(surface)
    cuts = [Source(NAMES[end], c.on_face, c.space, cutter=NAMES[end]) for end, own in ends.items() for c in own]
    made = arrange([*border_sources(whole), *cuts], plane_scale(surface))
    found = regions(made, surface)
    if len(found) < 2:
        raise GeometryError("The face at the end does not cut the fillet.")
    domain = np.array(surface.domain)
    middle, size = domain.mean(axis=1), np.ptp(domain, axis=1)
    best = min(found, key=lambda r: float(np.linalg.norm((r.at - middle) / size)))
    return faces_of(surface, made, [best.number])[0]


def _lie_on(face: Face, curves: Sequence[Curve]) -> bool:
    """Whether curves lie on a face's surface."""
    return all(lies_on(face.surface, c) for c in curves)
