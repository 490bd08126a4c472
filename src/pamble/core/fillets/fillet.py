"""The fillet of a crease: checked before anything is built, its surfaces, their ends on the faces' borders, and all
faces beside it trimmed back.
"""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.pieces import pieces_of
from pamble.core.fillets.corner import cornered
from pamble.core.fillets.figured import figured
from pamble.core.fillets.filleted import Fillet
from pamble.core.fillets.joints import bent_joints
from pamble.core.fillets.kinked import kinks
from pamble.core.fillets.laid import Laid, lay, lay_out
from pamble.core.fillets.meeting import ball_corner
from pamble.core.fillets.passed_over import PassedOver, going_on, passed_over
from pamble.core.fillets.pierced import pierced
from pamble.core.fillets.rolled import MISSED
from pamble.core.fillets.shape import ROUND, Section, Shape
from pamble.core.fillets.sided import sided_ball, sided_fillet
from pamble.core.fillets.strip import Ask, Strip
from pamble.core.joining.verify import shape_warnings

_ONE = 1e-9
"""Difference of radii, mm, that is none."""

_FARTHEST = (2.0, 5.0, 12.0)
"""Times the radius by which the ball rolls on, one after the other, where no face across an end is reached."""

_HARDLY = 0.1
"""Angle, degrees, from which a kink of a crease is why fillets bend there."""


_served: OrderedDict[tuple[Face, ...], PassedOver] = OrderedDict()
"""What the last few parts were taken as where faces had to be passed over: tried first while a radius is dragged."""

_PARTS = 4
"""How many are kept."""


def fillet(
    part: Sequence[Face], asked: Sequence[Ask], section: Section = "ball", chord: float | None = None,
    diagonal: float = 0.0, rho: float = 0.5, gap: bool = False, quick: bool = False,
) -> Fillet:  # fmt: skip
    """The fillets of creases of a part, each with all edges that run on from it, and corners in which three meet.

    chord: distance of both contacts, mm, for a section of that kind; rho: of the conic, for one of that kind. gap: only
    cut the faces back, and leave what is between them open. quick: not to look whether the shell closes, and would do
    so with faces that go on in each other taken as one, which else is done where the fillet fails alone. Raises
    `GeometryError`, before anything is built, with what is wrong, where, and the largest radius that works.

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

    def over_joints(over: PassedOver) -> Fillet:
        return over.back(_built(over.part, over.asked(asked), shape, section, gap))

    row = tuple(part)
    if quick and row in _served:
        with suppress(GeometryError):
            return over_joints(_served[row])
    try:
        made = _built(part, asked, shape, section, gap)
    except GeometryError:
        over = passed_over(part, asked)
        if over is None:
            raise
        made = over_joints(over)
        _served[row] = over
        if len(_served) > _PARTS:
            _served.popitem(last=False)
        return made
    open_now = not quick and not gap and going_on(part, asked) and made.opened(part)
    over = passed_over(part, asked) if open_now else None
    if over is not None:
        with suppress(GeometryError):
            again = over_joints(over)
            return made if again.opened(part) else again
    return made


def _built(part: Sequence[Face], asked: Sequence[Ask], shape: Shape, section: Section, gap: bool) -> Fillet:
    """The fillets of a part as it is. section: that of the fillets, where a gap has none of its own."""
    laid = lay_out(part, asked, shape, gap)
    if gap:
        for lost in (g for own in laid.left.values() for g in own):
            raise lost.error
        points = tuple(c.point for c in laid.corners)
        return Fillet((), (), points, laid.changed, _limits(laid.strips), tuple(_told(laid.strips)))
    out = _ended(part, laid, section)
    for farther in _FARTHEST if out.short else ():
        with suppress(GeometryError):
            again = lay(part, asked, shape, gap, (farther, 0.0), laid.stops)
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
    first = np.cumsum([0, *(len(own) for own in ended)])
    mitres = tuple(tuple((int(first[i - at]) + at, at) for i, at in c.ends) for c in corners if c.mitre)
    return Fillet(
        tuple(made), closed, left, whole, (least, most), tuple(warnings), frozenset(out.gone), more, mitres=mitres
    )


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


def _ended(part: Sequence[Face], laid: Laid, section: Section) -> _Ended:
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
