"""What stands at the ends of a fillet: a face that both others run into is cut back too; the shell stays closed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import nullcontext, suppress

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_ends import CutCurve
from pamble.core.faces.face import Face
from pamble.core.faces.regions.arrange import arrange
from pamble.core.faces.regions.choose import regions
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.trim import Cutter, cut_curves
from pamble.core.fillets.ends import NAMES, REACH, End, contact_ends, end_lines, ended, tipped
from pamble.core.fillets.grown import Over, room
from pamble.core.fillets.hollow import over_hollow
from pamble.core.fillets.recut import bordered, lies_on, roomy, with_corner
from pamble.core.fillets.several import by_several
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part, surface_part
from pamble.core.spline.surface import Surface

_BESIDE = 0.25, 0.5, 1.0
"""Shares of a fillet in which its end is looked for."""

_SIDE = 1e-6
"""Share of a fillet's width within which a cut ends on its side."""

_CUT = 1e-6


def cornered(
    faces: Sequence[Face], strip: Strip, part: Sequence[Face], changed: Mapping[int, Face], across: Mapping[int, int],
    past: Mapping[int, Sequence[Over]],
) -> tuple[list[Face], dict[int, Face], set[int], list[str]]:  # fmt: skip
    """Fillets in a row ended on the faces of the part that stand across their free ends, 0 or -1; those cut back, by
    their number; the numbers of those that go whole; and what could not be cut. changed: faces that were cut back
    already. past: contacts that run past the corner, by end.
    """
    out, now, gone, wrong = list(faces), dict(changed), set[int](), list[str]()
    known: dict[int, End] = {}
    for end, number in across.items():
        by = max(room(strip, e) for e in across if across[e] == number)
        corner, (one, two) = strip.end(end)
        vertices = contact_ends(out[end], end, (changed[one], changed[two]), strip.name)
        beyond = [o.line for o in past.get(end, ())]
        edges = _along(part[one], corner, vertices[0]), _along(part[two], corner, vertices[1])
        try:
            own, cut = _by_one(out[end], strip, end, vertices, now.get(number, part[number]), (beyond, edges), by)
            now[number] = cut
        except GeometryError as error:
            try:
                own, cuts, consumed = _by_more(out[end], strip, end, vertices, part, now)
                now |= cuts
                gone |= consumed
            except GeometryError:
                wrong.append(f"The face that stands across an end is not cut back: {error}")
                continue
        if own is not None:
            known[end] = own
    for i in {end % len(out) for end in known}:
        ends = [known.get(e) if e % len(out) == i else None for e in (0, -1)]
        start, last = (end_lines(out[i], e) if k is None else k for e, k in zip((0, -1), ends, strict=True))
        out[i] = ended(strip.rolls[i].made.surface, None, (start, last))
    return out, now, gone, wrong


def _by_more(
    face: Face, strip: Strip, end: int, vertices: Array, part: Sequence[Face], now: Mapping[int, Face]
) -> tuple[End, dict[int, Face], set[int]]:
    """The same on several faces that are cut back, or else on two that grow."""
    with suppress(GeometryError):
        return by_several(face, strip, end, vertices, part, now)
    return *over_hollow(face, strip, end, vertices, part, now), set()


def _by_one(
    face: Face, strip: Strip, end: int, vertices: Array, standing: Face,
    past: tuple[Sequence[Curve], Sequence[Curve | None]], by: float,
) -> tuple[End | None, Face]:  # fmt: skip
    """How a fillet ends on the one face that stands across an end, None as it does already; and that face. vertices:
    see `contact_ends`; past: contacts that run past the corner, and the stretches of edges from there to the vertices;
    by: see `roomy`.
    """
    wall = Face(roomy(standing.surface, by))
    lines: End | None = None
    spaces = end_lines(face, end).spaces
    if not all(lies_on(wall.surface, c) for c in spaces):
        surface = strip.rolls[end].made.surface
        found = end_lines(_middle(surface, end, _crossing(surface, wall, end)), end)
        lines = found.tipped(surface, end_lines(face, end))
        spaces = lines.spaces
    row = tipped(spaces, vertices)
    # Where an edge runs on beside the face across, that face grows along it.
    ends = np.array([row[0].control[0], row[-1].control[-1]]) == vertices
    grows = [line for line, met in zip(past[1], ends.all(axis=1), strict=True) if line is not None and met]
    apart = [line for line in grows if not _borders(standing, line)]
    return lines, bordered(with_corner(standing, strip.end(end)[0], row, [*past[0], *apart], by), row)


def _along(face: Face, corner: Array, vertex: Array) -> Curve | None:
    """The stretch of an edge of a face beside a crease from the crease's end to where a contact ends on that edge."""
    for e in face.edges:
        feet = to_curve(e.space, np.stack([corner, vertex]))
        if feet.distance.max() < REACH and feet.t[0] in e.space.domain and feet.t[0] != feet.t[1]:
            return curve_part(e.space, *sorted(feet.t.tolist()))
    return None


def _borders(face: Face, line: Curve) -> bool:
    """Whether a line lies along an edge of a face."""
    places = curve_points(line, np.linspace(*line.domain, 5))
    return any(within(e.space, places, REACH) for e in face.edges)


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


def _middle(surface: Surface, end: int, cuts: Sequence[CutCurve]) -> Face:
    """The part of a long fillet that is left by what cuts it at an end."""
    whole = Face(surface)
    sources = [Source(NAMES[end], c.on_face, c.space, cutter=NAMES[end]) for c in cuts]
    made = arrange([*border_sources(whole), *sources], plane_scale(surface))
    found = regions(made, surface)
    if len(found) < 2:
        raise GeometryError("The face at the end does not cut the fillet.")
    domain = np.array(surface.domain)
    middle, size = domain.mean(axis=1), np.ptp(domain, axis=1)
    best = min(found, key=lambda r: float(np.linalg.norm((r.at - middle) / size)))
    return faces_of(surface, made, [best.number])[0]
