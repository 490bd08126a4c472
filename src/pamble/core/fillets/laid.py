"""Fillets laid out: the balls along all creases, the corners in which they meet, and the faces beside them cut back."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut, NotParted, cut_back
from pamble.core.faces.face import Face
from pamble.core.fillets.ends import onto_borders
from pamble.core.fillets.grown import Over, cuts_past, overs, shortened, standing_across
from pamble.core.fillets.kinked import kinks
from pamble.core.fillets.meeting import Meeting, meetings
from pamble.core.fillets.mitre import Mitre, mitre, too_short
from pamble.core.fillets.pierced import Gap, gaps
from pamble.core.fillets.row_ends import NotJoined
from pamble.core.fillets.shape import Shape
from pamble.core.fillets.strip import Ask, Strip, followed, strips
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.ticking import tick
from pamble.core.tolerances import SEAM_SEARCH

_FARTHER, _JOINED, _TO_MITRE = (0.0, 2.0, 5.0), (0.5, 2.0, 5.0), (2.0, 6.0)
"""Times the radius by which the ball rolls on, one after the other: where a face leans; where those in a row do not
reach each other; and where two fillets meet outside a corner.
"""


@dataclass(frozen=True)
class Laid:
    """across, past: of each strip the numbers of the faces across its free ends, and the contacts that run past its
    corners, by end. stops: whether fillets end at kinks.
    """

    strips: list[Strip]
    corners: list[Meeting]
    mitres: list[Mitre]
    across: list[dict[int, int]]
    past: list[dict[int, tuple[Over, ...]]]
    changed: dict[int, Face]
    left: dict[str, list[Gap]]
    stops: bool


def lay_out(part: Sequence[Face], asked: Sequence[Ask], shape: Shape, gap: bool) -> Laid:
    """The same as `lay`, its balls rolled on as far as it takes to part the faces; where creases kink and fillets do
    not meet behind, they end there. Raises the first error.
    """
    try:
        return _rolled_on(part, asked, shape, gap, False)
    except GeometryError as error:
        with suppress(GeometryError):
            found = [followed(part, ask) for ask in asked if ask.edge is not None]
            if any(kinks(f.runs, f.loop) for f in found):
                return _rolled_on(part, asked, shape, gap, True)
        raise error from None


def _rolled_on(part: Sequence[Face], asked: Sequence[Ask], shape: Shape, gap: bool, stops: bool) -> Laid:
    """The same as `lay`, its balls rolled on as far as it takes to part the faces. Raises the first error."""
    short: GeometryError | None = None
    ways = [(farther, 0.0) for farther in _FARTHER]
    while ways:
        way = ways.pop(0)
        try:
            return lay(part, asked, shape, gap, way, stops)
        except NotParted as error:
            if isinstance(error, NotJoined) and not way[1]:
                ways = [(farther, farther) for farther in _JOINED]
            short = short or error
        except GeometryError as error:
            raise (short or error) from None
    assert short is not None
    if isinstance(short, NotJoined):
        raise GeometryError(f"{short} Where faces give way to others on its way a smaller radius may be needed.")
    raise short


def lay(
    part: Sequence[Face], asked: Sequence[Ask], shape: Shape, gap: bool, farther: tuple[float, float],
    stops: bool = False,
) -> Laid:  # fmt: skip
    """The balls along all creases, the corners in which they meet, and all faces beside them, cut back. farther, stops:
    see `_strips`.
    """
    strips = _strips(part, asked, shape, farther, stops)
    corners = meetings(strips)
    mitres = list[Mitre]()
    if any(c.mitre for c in corners) and not gap:
        more = [f for f in _TO_MITRE if f > farther[0]]
        if more and any(c.mitre and too_short(c, strips, part) for c in corners):
            return lay(part, asked, shape, gap, (more[0], farther[1]), stops)
        mitres = [_mitre(c, strips, part) for c in corners if c.mitre]
    across = [standing_across(s, part, _free(s, i, corners)) for i, s in enumerate(strips)]
    past = [{} if s.apart else overs(s, part, own) for s, own in zip(strips, across, strict=True)]
    over = [m.cut for m in mitres if m.cut is not None] + [c for own in past for c in cuts_past(own, part)]
    strips = [shortened(s, own) for s, own in zip(strips, past, strict=True)]
    changed, left = _cut(part, strips, corners, over)
    for own in (m.growth for m in mitres if m.growth is not None):
        changed[own.number] = own.of(changed[own.number])
    return Laid(strips, corners, mitres, across, past, changed, left, stops)


def _mitre(corner: Meeting, strips: Sequence[Strip], part: Sequence[Face]) -> Mitre:
    """The mitre of a corner. Raises `GeometryError`: what parted the crease there where that did."""
    try:
        return mitre(corner, strips, part)
    except GeometryError as error:
        parted = [why for i, _ in corner.ends if (why := strips[i].parted) is not None]
        raise (parted[0] if parted else error) from None


def _free(s: Strip, number: int, corners: Sequence[Meeting]) -> list[int]:
    """The ends of a strip, 0 or -1, at which it meets no other."""
    return [] if s.closed else [end for end in (0, -1) if not any((number, end) in c.ends for c in corners)]


def _strips(
    part: Sequence[Face], asked: Sequence[Ask], shape: Shape, farther: tuple[float, float], stops: bool
) -> list[Strip]:
    """The ball along every crease; an edge that lies along one that was asked for before is not followed again.

    farther: by how many radii it rolls on beyond the ends, as a mitre, or a face that leans, may ask for; and beyond
    the joints of a row. stops: see `strips`.
    """
    out: list[Strip] = []
    for ask in asked:
        tick()
        lines = [r.run.first.space for s in out for r in s.rolls]
        if ask.edge is not None:
            middle = curve_points(ask.edge.space, [0.5 * sum(ask.edge.space.domain)])
            if any(to_curve(line, middle).distance[0] < SEAM_SEARCH for line in lines):
                continue
        most = 0.0 if ask.edge is None else max(ask.radius)
        out += strips(part, ask, shape, (farther[0] * most, farther[1] * most), stops)
    return out


def _cut(
    part: Sequence[Face], strips: Sequence[Strip], corners: Sequence[Meeting], over: Sequence[tuple[int, Cut]]
) -> tuple[dict[int, Face], dict[str, list[Gap]]]:
    """All faces beside the creases, each cut back once by all its contacts; and where these leave them and come back,
    by name. over: what fillets take over an edge that stays sharp, by the face's number.
    """
    out: dict[int, Face] = {}
    left: dict[str, list[Gap]] = {}
    for n in dict.fromkeys(n for s in strips for n in s.faces):
        tick()
        own = [cut for s in strips if (cut := s.cut(n)) is not None]
        cuts = [replace(cut, lines=tuple(onto_borders(line, part[n]) for line in cut.lines)) for cut in own]
        cuts += [cut for k, cut in over if k == n]
        out[n] = cut_back(
            part[n], cuts, [c.point for c in corners if any(n in strips[i].end(at)[1] for i, at in c.ends)]
        )
        for cut in cuts:
            left.setdefault(cut.name, []).extend(gaps(out[n], n, cut))
    return out, left
