"""What stands at the ends of a fillet: a face that both others run into is cut back too; the shell stays closed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.trim import Cutter, divide
from pamble.core.fillets.ends import NAMES, Ends, end_edges, end_lines, ended
from pamble.core.fillets.grown import Over, room, standing_across
from pamble.core.fillets.recut import lies_on, roomy, with_corner
from pamble.core.fillets.strip import Strip
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extend import extend_surface

_CUT = 1e-4
_BEYOND = 0.1
"""Share of its size by which a blend is carried on to reach a face that stands across its end."""


def cornered(
    faces: Sequence[Face], strip: Strip, part: Sequence[Face], changed: Mapping[int, Face], ends: Sequence[int],
    mitred: Ends, past: Mapping[int, Sequence[Over]], rolled: bool = True,
) -> tuple[list[Face], dict[int, Face], list[str]]:  # fmt: skip
    """Fillets in a row ended on the faces of the part that stand across their free ends, 0 or -1; those cut back, by
    their number; and what could not be cut. changed: faces that were cut back already. mitred: how the first and the
    last end in mitres. past: contacts that run past the corner, by end. rolled: whether the fillets are the ball's own
    surfaces, and not blends.
    """
    out, now, wrong = list(faces), dict(changed), list[str]()
    numbers = standing_across(strip, part, ends)
    by = {n: max(room(strip, e) for e in numbers if numbers[e] == n) for n in numbers.values()}
    walls = {n: Face(roomy(part[n].surface, by[n])) for n in by}
    for i in {0, len(out) - 1}:
        own = {end: numbers[end] for end in numbers if end % len(out) == i}
        beyond = {n for end, n in own.items() if not _lie_on(walls[n], _end_curves(out[i], strip, end)[1])}
        # A face that stands across both ends cuts both or none.
        stands = {end: walls[n] for end, n in own.items() if n in beyond}
        if stands and rolled:
            known = mitred if len(out) == 1 else (None, None)
            out[i] = _reaching(out[i], strip.rolls[i].ball.surface, stands, known)
        elif stands:
            try:
                out[i] = _carried_on(out[i], strip, stands)
            except GeometryError as error:
                wrong.append(f"The face that stands across an end is not cut back: {error}")
                numbers = {end: n for end, n in numbers.items() if end not in stands}
    for end, number in numbers.items():
        standing, lines = now.get(number, part[number]), _end_curves(out[end], strip, end)[1]
        corner = strip.end(end)[0]
        try:
            now[number] = with_corner(standing, corner, lines, [o.line for o in past.get(end, ())], by[number])
        except GeometryError as error:
            wrong.append(f"The face that stands across an end is not cut back: {error}")
    return out, now, wrong


def _end_curves(face: Face, strip: Strip, end: int) -> tuple[int, list[Curve]]:
    """Which end of a fillet, 0 or -1, lies at the start or the end of the crease, as a blend may run the other way; and
    the lines across it.
    """
    corner = strip.end(end)[0]
    both = [
        (at, [e.space for e in end_edges(face, at)]) for at in ((end, -1 - end) if len(strip.rolls) == 1 else (end,))
    ]
    return min(both, key=lambda b: min(float(to_curve(c, corner[None]).distance[0]) for c in b[1]))


def _reaching(face: Face, surface: Surface, stands: Mapping[int, Face], mitred: Ends) -> Face:
    """A fillet that ends on the faces that stand across its ends. surface: the ball's own, which runs on beyond
    them."""
    if mitred != (None, None):
        (end, across), *_ = stands.items()
        cut = end_lines(_middle(surface, [Cutter(NAMES[end], "what ends the fillet", across, None, True)]), end)
        return ended(surface, None, (cut, mitred[1]) if end == 0 else (mitred[0], cut))
    cutters = []
    for end, name in NAMES.items():
        shapes = [stands[end]] if end in stands else [e.space for e in end_edges(face, end)]
        cutters += [Cutter(name, "what ends the fillet", shape, None, True) for shape in shapes]
    return _middle(surface, cutters)


def _carried_on(face: Face, strip: Strip, stands: Mapping[int, Face]) -> Face:
    """A blend carried on as the polynomial that it is, and ended on the faces that stand across its ends."""
    surface, cutters = face.surface, []
    for end, shape in stands.items():
        at, _ = _end_curves(face, strip, end)
        surface = extend_surface(surface, ("u0", "u1")[at], _BEYOND * surface.diagonal)
        cutters.append(Cutter(NAMES[at], "the face at the end", shape, None, True))
    return _middle(surface, cutters)


def _middle(surface: Surface, cutters: Sequence[Cutter]) -> Face:
    """The part of a long fillet between what cuts it; where one face does so at both ends, it cuts once."""
    once = [c for k, c in enumerate(cutters) if all(c.shape is not other.shape for other in cutters[:k])]
    divided = divide(Face(surface), once, _CUT)
    if len(divided.regions) < 2:
        raise GeometryError("The face at the end does not cut the fillet.")
    domain = np.array(surface.domain)
    middle, size = domain.mean(axis=1), np.ptp(domain, axis=1)
    best = min(divided.regions, key=lambda r: float(np.linalg.norm((r.at - middle) / size)))
    made = divided.holding([best.number])[0]
    return made if len(once) == len(cutters) else _by_place(made)


def _by_place(face: Face) -> Face:
    """A fillet whose ends one face has cut, the edges there called by the end at which they are."""
    across = [e for e in face.edges if e.side is None]
    at = {e: float(curve_points(e.pcurve, [0.5 * sum(e.domain)])[0, 0]) for e in across}
    middle = 0.5 * (min(at.values()) + max(at.values()))
    ends = {end: [e for e in across if (at[e] < middle) == (end == 0)] for end in NAMES}
    called = {
        e: name if len(ends[end]) == 1 else f"{name}.{k}of{len(ends[end])}"
        for end, name in NAMES.items()
        for k, e in enumerate(ends[end], start=1)
    }
    loops = tuple(tuple(replace(e, name=called.get(e, e.name)) for e in loop) for loop in face.loops)
    return Face(face.surface, loops, face.names)


def _lie_on(face: Face, curves: Sequence[Curve]) -> bool:
    """Whether curves lie on a face's surface."""
    return all(lies_on(face.surface, c) for c in curves)
