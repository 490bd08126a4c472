"""The fillet of a crease: checked before anything is built, its surfaces, their ends on the faces' borders, and all
faces beside it trimmed back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut, NotParted, cut_back
from pamble.core.faces.face import Face
from pamble.core.faces.pieces import pieces_of
from pamble.core.faces.sound import told_unsound
from pamble.core.fillets.corner import cornered
from pamble.core.fillets.ends import onto_borders
from pamble.core.fillets.figured import FilletFace, figured
from pamble.core.fillets.grown import Over, cuts_past, overs, shortened, standing_across
from pamble.core.fillets.joints import bent_joints
from pamble.core.fillets.kinked import kinks
from pamble.core.fillets.meeting import Meeting, ball_corner, meetings
from pamble.core.fillets.mitre import Mitre, mitre, too_short
from pamble.core.fillets.opened import told_open
from pamble.core.fillets.pierced import Gap, gaps, pierced
from pamble.core.fillets.rolled import MISSED
from pamble.core.fillets.row_ends import NotJoined
from pamble.core.fillets.shape import ROUND, Section, Shape
from pamble.core.fillets.sided import sided_ball, sided_fillet
from pamble.core.fillets.strip import Ask, Strip, strip
from pamble.core.joining.verify import shape_warnings
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.ticking import tick
from pamble.core.tolerances import SEAM_SEARCH

_ONE = 1e-9
"""Difference of radii, mm, that is none."""

_FARTHER, _JOINED, _FARTHEST = (0.0, 2.0, 5.0), (0.5, 2.0, 5.0), (2.0, 5.0, 12.0)
"""Times the radius by which the ball rolls on, one after the other: where two fillets meet outside a corner, or a face
leans; where those in a row do not reach each other; and where no face across an end is reached.
"""

_HARDLY = 0.1
"""Angle, degrees, from which a kink of a crease is why fillets bend there."""


@dataclass(frozen=True)
class Fillet:
    """faces: the fillets, those of a crease in a row. corners: pieces of balls where three of them meet; left: corners
    (3,) that are left open. changed: faces of the part that were cut back, by their number: those beside the creases,
    and those that stand across their ends; gone: numbers of those of which nothing is left. radii: least and largest,
    mm. pieces: what else is left of faces of which a neck went, with their numbers.
    """

    faces: tuple[FilletFace, ...]
    corners: tuple[Face, ...]
    left: tuple[Array, ...]
    changed: Mapping[int, Face]
    radii: tuple[float, float]
    warnings: tuple[str, ...]
    gone: frozenset[int] = frozenset()
    pieces: tuple[tuple[int, Face], ...] = ()

    def unsound(self) -> list[str]:
        """Words about faces, new or cut, that other programs may not take."""
        return told_unsound([*self._new(), *self._cut().values()])

    def opened(self, part: Sequence[Face]) -> list[str]:
        """Words about edges that meet nothing where the part closed before."""
        return [] if self.left or not self.faces else told_open(part, self._cut(), self.gone, self._new())

    def _cut(self) -> dict[int, Face]:
        return {n: face for n, face in self.changed.items() if n not in self.gone}

    def _new(self) -> list[Face]:
        return [*(f.face for f in self.faces), *self.corners, *(f for _, f in self.pieces)]


def fillet(
    part: Sequence[Face], asked: Sequence[Ask], section: Section = "ball", chord: float | None = None,
    diagonal: float = 0.0, rho: float = 0.5, gap: bool = False,
) -> Fillet:  # fmt: skip
    """The fillets of creases of a part, each with all edges that run on from it, and corners in which three meet.

    chord: distance of both contacts, mm, for a section of that kind; rho: of the conic, for one of that kind. gap: only
    cut the faces back, and leave what is between them open. Raises `GeometryError`, before anything
    is built, with what is wrong, where, and the largest radius that works.

    >>> from pamble.core.spline.surface import Surface
    >>> deck = Face(Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]]))
    >>> wall = Face(Surface.bezier([[[0, 0, 0], [0, 0, -30]], [[60, 0, 0], [60, 0, -30]]]))
    >>> made = fillet([deck, wall], [Ask(0, deck.edge("v0"), (6.0, 6.0))])
    >>> made.faces[0].face.surface.control.shape[:2], made.faces[0].figures.radius < 1e-6
    ((6, 6), True)
    """
    radii = [r for a in asked for r in (*a.radius, *(r for _, r in a.between))]
    if min(radii) <= 0 or (section == "chord" and (chord is None or chord <= 0)):
        raise GeometryError("The radius of a fillet, and the width of one by its chord, are above zero.")
    # A gap lies between the ball's contacts, whatever is to fill it.
    asked_for: Section = "ball" if gap and section not in ROUND else section
    shape = Shape(asked_for, chord, rho, diagonal or max(face.surface.diagonal for face in part))
    laid = _laid_out(part, asked, shape, gap)
    if gap:
        for lost in (g for own in laid.left.values() for g in own):
            raise lost.error
        points = tuple(c.point for c in laid.corners)
        return Fillet((), (), points, laid.changed, _limits(laid.strips), tuple(_told(laid.strips)))
    out = _ended(part, laid, section)
    for farther in _FARTHEST if out.short else ():
        with suppress(GeometryError):
            again = _laid(part, asked, shape, gap, (farther, 0.0))
            there = _ended(part, again, section)
            if not there.short:
                laid, out = again, there
                break
    strips, corners, ended, changed = laid.strips, laid.corners, out.faces, out.changed
    rolls = [r for s in strips for r in s.rolls]
    least, most = _limits(strips)
    warnings = [*_told(strips), *out.words]
    each = [(s, k, face) for s, own in zip(strips, ended, strict=True) for k, face in enumerate(own)]
    made = [
        sided_fillet(row, s.rolls[k], part)
        for (s, k, _), row in zip(each, figured(each, changed, shape.diagonal), strict=True)
    ]
    if not shape.round:
        warnings += dict.fromkeys(words for r in rolls for words in shape_warnings(r.own, shape.spec))
    one = section == "ball" and most - least < _ONE
    for s, own in zip(strips, ended, strict=True):
        warnings += bent_joints(own, s.loop, one, kinks([r.run for r in s.rolls], s.loop, _HARDLY))
    balls = [ball_corner(c, strips, ended) if c.ball and section == "ball" else None for c in corners]
    left = tuple(c.point for c, ball in zip(corners, balls, strict=True) if ball is None and not c.mitre)
    warnings += ["Near ({:.2f}, {:.2f}, {:.2f}) mm fillets meet round a hole: fill it.".format(*p) for p in left]
    closed = tuple(sided_ball(ball, made) for ball in balls if ball is not None)
    parts = {n: pieces_of(face) for n, face in changed.items()}
    more = tuple((n, piece) for n, own in parts.items() for piece in own[1:])
    whole = {n: own[0] for n, own in parts.items()}
    return Fillet(tuple(made), closed, left, whole, (least, most), tuple(warnings), frozenset(out.gone), more)


@dataclass(frozen=True)
class _Ended:
    """Fillets between the faces that were cut back, by strip, ended on what stands across their ends; all faces that
    are cut back by then, the numbers of those that go whole, and words. short: whether one does not end on a face
    across.
    """

    faces: list[list[Face]]
    changed: dict[int, Face]
    gone: set[int]
    words: list[str]
    short: bool


def _ended(part: Sequence[Face], laid: _Laid, section: Section) -> _Ended:
    """What was laid out, trimmed and ended, one strip after the other."""
    out = _Ended([], dict(laid.changed), set(), [], False)
    for i, s in enumerate(laid.strips):
        met = [next((c for c in laid.corners if (i, at) in c.ends), None) for at in (0, -1)]
        first, last = (next((m.ends[i, at] for m in laid.mitres if (i, at) in m.ends), None) for at in (0, -1))
        on_balls = tuple(section == "ball" and c is not None and c.ball for c in met)
        faces, changed = s.trimmed(out.changed, (on_balls[0], on_balls[1]), (first, last)), out.changed
        if not s.closed:
            faces, changed, consumed, wrong = cornered(faces, s, part, changed, laid.across[i], laid.past[i])
            out.gone.update(consumed)
            out.words.extend(wrong)
            out = replace(out, short=out.short or bool(wrong))
        faces, changed, wrong = pierced(faces, s, part, changed, laid.left.get(s.name, []))
        out.words.extend(wrong)
        out.faces.append(faces)
        out = replace(out, changed=changed)
    return out


@dataclass(frozen=True)
class _Laid:
    """across, past: of each strip the numbers of the faces across its free ends, and the contacts that run past its
    corners, by end.
    """

    strips: list[Strip]
    corners: list[Meeting]
    mitres: list[Mitre]
    across: list[dict[int, int]]
    past: list[dict[int, tuple[Over, ...]]]
    changed: dict[int, Face]
    left: dict[str, list[Gap]]


def _laid_out(part: Sequence[Face], asked: Sequence[Ask], shape: Shape, gap: bool) -> _Laid:
    """The same as `_laid`, its balls rolled on as far as it takes to part the faces. Raises the first error."""
    short: GeometryError | None = None
    ways = [(farther, 0.0) for farther in _FARTHER]
    while ways:
        way = ways.pop(0)
        try:
            return _laid(part, asked, shape, gap, way)
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


def _laid(part: Sequence[Face], asked: Sequence[Ask], shape: Shape, gap: bool, farther: tuple[float, float]) -> _Laid:
    """The balls along all creases, the corners in which they meet, and all faces beside them, cut back. farther: see
    `_strips`.
    """
    strips = _strips(part, asked, shape, farther)
    corners = meetings(strips)
    mitres = list[Mitre]()
    if any(c.mitre for c in corners) and not gap:
        if not farther[0] and any(c.mitre and too_short(c, strips, part) for c in corners):
            return _laid(part, asked, shape, gap, (_FARTHER[1], 0.0))
        mitres = [mitre(c, strips, part) for c in corners if c.mitre]
    across = [standing_across(s, part, _free(s, i, corners)) for i, s in enumerate(strips)]
    past = [{} if s.apart else overs(s, part, own) for s, own in zip(strips, across, strict=True)]
    over = [m.cut for m in mitres if m.cut is not None] + [c for own in past for c in cuts_past(own, part)]
    strips = [shortened(s, own) for s, own in zip(strips, past, strict=True)]
    return _Laid(strips, corners, mitres, across, past, *_cut(part, strips, corners, over))


def _free(s: Strip, number: int, corners: Sequence[Meeting]) -> list[int]:
    """The ends of a strip, 0 or -1, at which it meets no other."""
    return [] if s.closed else [end for end in (0, -1) if not any((number, end) in c.ends for c in corners)]


def _strips(part: Sequence[Face], asked: Sequence[Ask], shape: Shape, farther: tuple[float, float]) -> list[Strip]:
    """The ball along every crease; an edge that lies along one that was asked for before is not followed again.

    farther: by how many radii it rolls on beyond the ends, as a mitre, or a face that leans, may ask for; and beyond
    the joints of a row.
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
        out.append(strip(part, ask, shape, (farther[0] * most, farther[1] * most)))
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


def _limits(strips: Sequence[Strip]) -> tuple[float, float]:
    """The least and the largest radius, mm."""
    least, most = zip(*(r.radii for s in strips for r in s.rolls), strict=True)
    return min(least), max(most)


def _told(strips: Sequence[Strip]) -> list[str]:
    rolls, out = [r for s in strips for r in s.rolls], [words for s in strips for words in s.words]
    if any(r.hardly for r in rolls):
        out.append("The ball only just fits into a face: its trim may run close to a hollow.")
    worst = max((r.made for r in rolls), key=lambda made: made.ratio)
    if worst.ratio > MISSED:
        out.append(
            f"The fillet is {worst.ratio:.1f} times what is aimed at, with up to {max(n for n, _ in worst.tried)} "
            "spans: the crease is not calm."
        )
    return out
