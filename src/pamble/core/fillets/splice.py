"""A row of lines spliced into a loop of a face, in place of what the end of a fillet cuts off."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import count

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.faces.regions.sources import Source, border_sources
from pamble.core.fillets.ends import REACH
from pamble.core.spline.closest import to_curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface

OPEN = "the fillet's end does not close with its border."

_AROUND = 65
_BESIDE = np.array([0.02, 0.1, 0.3])
"""Shares of a stretch of a border at which it is asked, from both its ends, whether it goes."""


@dataclass(frozen=True)
class Piece:
    """A stretch of a source, run from its start to its end if way is above 0, and else back."""

    source: Source
    start: float
    end: float
    way: float

    @staticmethod
    def whole(source: Source, way: float) -> Piece:
        return Piece(source, *source.curve.domain, way)

    @property
    def tips(self) -> Array:
        """Parameters (2, 2) where it begins and ends as it is run."""
        return curve_points(self.source.curve, [self.start, self.end])[:: 1 if self.way > 0 else -1]

    def up_to(self, t: float) -> Piece:
        return replace(self, end=t) if self.way > 0 else replace(self, start=t)

    def up_from(self, t: float) -> Piece:
        return replace(self, start=t) if self.way > 0 else replace(self, end=t)


def near(a: Array, b: Array, scale: Array) -> bool:
    """Whether two places in the parameters are one. scale: millimetres for a unit of both."""
    return float(np.linalg.norm((a - b) * scale)) < REACH


def in_a_row(pieces: Sequence[Piece], scale: Array) -> list[Piece] | None:
    """Pieces as they follow each other, each run onward; None if one lies apart, as beyond a joint."""
    left, out = list(pieces[1:]), [pieces[0]]
    while left:
        found = None
        for i, p in enumerate(left):
            for turned in (p, replace(p, way=-p.way)):
                if near(turned.tips[0], out[-1].tips[1], scale):
                    found = i, [*out, turned]
                elif near(turned.tips[1], out[0].tips[0], scale):
                    found = i, [turned, *out]
        if found is None:
            return None
        left.pop(found[0])
        out = found[1]
    return out


def spliced_at(surface: Surface, border: Sequence[Source], chain: Sequence[Piece], corner: Array, scale: Array) -> Face:
    """The row put into the loop of a corner, (2,), in place of what lies between its ends there: whole edges too, where
    the fillet consumes them. Raises `GeometryError` where it does not end on that loop.
    """
    loops = _loops(border)
    for n, loop in enumerate(loops):
        for k, before in enumerate(loop):
            after = loop[(k + 1) % len(loop)]
            if not (near(before.tips[1], corner, scale) and near(after.tips[0], corner, scale)):
                continue
            ring = [loop[(k + 1 + i) % len(loop)] for i in range(len(loop))]
            found = [_around(ring, new, scale) for new in (chain, _back(chain))]
            fits = [f for f in found if f is not None]
            if fits:
                loops[n] = _joined(surface, min(fits, key=lambda f: f[0])[1], scale)
                return _face(surface, loops)
    raise GeometryError(OPEN)


def spliced_off(
    surface: Surface, border: Sequence[Source], chain: Sequence[Piece], goes: Callable[[Array], Array], scale: Array
) -> Face:
    """The row put into the loop on which it ends, in place of that side of it which goes. goes: how far places (m, 3)
    lie beyond what cuts, above 0 for what goes. Raises `GeometryError` where it ends on no loop, or on two.
    """
    loops = _loops(border)
    for n, loop in enumerate(loops):
        begins, ends = (_on_loop(loop, tip, scale) for tip in (chain[0].tips[0], chain[-1].tips[1]))
        if begins is None or ends is None:
            continue
        forth, back = _stretch(loop, begins, ends), _stretch(loop, ends, begins)
        ring = [*back, *chain] if _mean(forth, goes) > _mean(back, goes) else [*forth, *_back(chain)]
        loops[n] = _joined(surface, ring, scale)
        return _face(surface, loops)
    raise GeometryError(OPEN)


def with_loop(face: Face, row: Sequence[Source]) -> Face:
    """A face with a hole round which a closed row of lines leads."""
    places = np.concatenate([curve_points(s.curve, np.linspace(*s.curve.domain, _AROUND))[:-1] for s in row])
    x, y = (places - places.mean(axis=0)).T
    turn = float((x * np.roll(y, -1) - np.roll(x, -1) * y).sum())
    ring = [Piece.whole(s, 1.0) for s in row]
    # The face lies on the left of what bounds it: a hole is run the other way round.
    return _face(face.surface, [*_loops(border_sources(face)), ring if turn < 0 else _back(ring)])


def _loops(border: Sequence[Source]) -> list[list[Piece]]:
    return [[Piece.whole(s, s.inward) for s in border if s.loop == n] for n in dict.fromkeys(s.loop for s in border)]


def _joined(surface: Surface, ring: Sequence[Piece], scale: Array) -> list[Piece]:
    """A loop whose rows end where what they run on into begins: beside a vertex they may end a little before it."""
    out = list(ring)
    for k in range(len(out)):
        n = (k + 1) % len(out)
        one, two = out[k].tips[1], out[n].tips[0]
        if np.array_equal(one, two) or not near(one, two, scale):
            continue
        if out[k].source.cuts:
            out[k] = _moved(surface, out[k], -1 if out[k].way > 0 else 0, two)
        elif out[n].source.cuts:
            out[n] = _moved(surface, out[n], 0 if out[n].way > 0 else -1, one)
    return out


def _moved(surface: Surface, piece: Piece, end: int, place: Array) -> Piece:
    """A whole row with its start (0) or its end (-1) at a place (2,)."""
    s = piece.source
    if (piece.start, piece.end) != s.curve.domain or s.space is None:
        return piece
    point = surface_points(surface, place[:1], place[1:])[0]
    return replace(piece, source=replace(s, curve=with_end(s.curve, end, place), space=with_end(s.space, end, point)))


def _back(chain: Sequence[Piece]) -> list[Piece]:
    return [replace(p, way=-p.way) for p in chain[::-1]]


def _around(ring: Sequence[Piece], new: Sequence[Piece], scale: Array) -> tuple[int, list[Piece]] | None:
    """A loop that begins and ends at its corner with a row in place of that corner; and how many edges go whole."""
    last = len(ring) - 1
    behind = next(((last - k, t) for k in range(len(ring)) if (t := _on(ring[last - k], new[0], 0, scale))), None)
    ahead = next(((k, t) for k in range(len(ring)) if (t := _on(ring[k], new[-1], 1, scale))), None)
    if behind is None or ahead is None or behind[0] < ahead[0]:
        return None
    (i, begins), (k, ends) = behind, ahead
    gone = k + last - i
    if i == k:
        return gone, [ring[i].up_to(begins[0]).up_from(ends[0]), *new]
    return gone, [ring[k].up_from(ends[0]), *ring[k + 1 : i], ring[i].up_to(begins[0]), *new]


def _on(piece: Piece, row: Piece, tip: int, scale: Array) -> tuple[float] | None:
    t = _place_on(piece.source, row.tips[tip], scale)
    return None if t is None else (t,)


def _on_loop(loop: Sequence[Piece], tip: Array, scale: Array) -> tuple[int, float] | None:
    """The piece of a loop that passes a place, and its parameter there."""
    return next(((k, t) for k, p in enumerate(loop) if (t := _place_on(p.source, tip, scale)) is not None), None)


def _stretch(loop: Sequence[Piece], begins: tuple[int, float], ends: tuple[int, float]) -> list[Piece]:
    """A loop from one place on it to another."""
    (i, s), (k, t) = begins, ends
    if i == k and (t - s) * loop[i].way > 0:
        return [loop[i].up_from(s).up_to(t)]
    count = (k - i - 1) % len(loop) if i != k else len(loop) - 1
    return [loop[i].up_from(s), *(loop[(i + 1 + m) % len(loop)] for m in range(count)), loop[k].up_to(t)]


def _mean(stretch: Sequence[Piece], goes: Callable[[Array], Array]) -> float:
    """How far a stretch of a border lies beyond what cuts, by its places beside both its ends."""
    real = [p for p in stretch if p.source.space is not None and p.end > p.start]
    if not real:
        return 0.0
    places = []
    for p, first in ((real[0], True), (real[-1], False)):
        share = _BESIDE if (p.way > 0) == first else 1.0 - _BESIDE
        assert p.source.space is not None
        places.append(curve_points(p.source.space, p.start + share * (p.end - p.start)))
    return float(goes(np.concatenate(places)).mean())


def _place_on(source: Source, tip: Array, scale: Array) -> float | None:
    """Parameter at which a source passes a place."""
    for t in source.curve.domain:
        if near(curve_points(source.curve, [t])[0], tip, scale):
            return float(t)
    t = float(to_curve(source.curve, tip[None]).t[0])
    return t if near(curve_points(source.curve, [t])[0], tip, scale) else None


def _face(surface: Surface, loops: Sequence[Sequence[Piece]]) -> Face:
    """The face in loops. A row has a name of its own: where several end on a face, "fillet", "fillet-2" and so on, but
    for what runs on from an edge, which has the name of that as its label.
    """
    real = [[p for p in loop if p.source.space is not None and p.end > p.start] for loop in loops]
    taken = {base_name(p.source.name) for loop in real for p in loop if not p.source.cuts}
    rows = {p.source.name for loop in real for p in loop if p.source.cuts and not p.source.label}
    own = {name: _free_name(name, taken) for name in rows}
    named = [[(_called(p.source, own), p) for p in loop] for loop in real]
    many = Counter(name for loop in named for name, _ in loop)
    seen = Counter[str]()
    made = []
    for loop in named:
        edges = []
        for name, p in loop:
            seen[name] += 1
            called = name if many[name] == 1 else f"{name}.{seen[name]}of{many[name]}"
            flat = p.source.curve
            part = flat if (p.start, p.end) == flat.domain else curve_part(flat, p.start, p.end)
            edges.append(Edge(surface, called, part, p.way, None, p.source.at, p.source.space))
        made.append(tuple(edges))
    return Face(surface, tuple(made))


def _called(source: Source, rows: Mapping[str, str]) -> str:
    """The name of an edge. rows: names of what was put into a border, by that of its source."""
    return (source.label or rows[source.name]) if source.cuts else source.name


def _free_name(name: str, taken: Collection[str]) -> str:
    """The name, or with the least number behind it that no other has."""
    return name if name not in taken else next(n for k in count(2) if (n := f"{name}-{k}") not in taken)
