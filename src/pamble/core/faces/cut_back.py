"""Faces cut back: strips between edges of them and lines that cut them go, the rest stays."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.faces.frames import frames
from pamble.core.faces.trim import Cutter, Divided, divide
from pamble.core.spline.closest import boxed, to_curve, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

_CUT = 2e-5
_TOUCHES = 1e-6
_ALONG = 5e-3


class NotParted(GeometryError):
    """A line that ends inside a face."""


@dataclass(frozen=True)
class Cut:
    """What is taken from a face: the strip between edges of it and lines on it. name: of the edges it makes.
    away: where the edges lie off the face, places on the line (m, 3) and directions (m, 3) into what is to stay.
    """

    name: str
    edges: tuple[Edge, ...]
    lines: tuple[Curve, ...]
    away: tuple[Array, Array] | None = None


def cut_back(
    face: Face,
    cuts: Sequence[Cut],
    corners: Sequence[Array] = (),
    label: str = "contact of the ball",
    helps: str = "a smaller radius, or a larger face, is needed.",
) -> Face:
    """The face without what is taken from it; in several pieces, still one face, where a neck of it goes.

    corners: points (3,) of the face that go, too. label: the lines in words; helps: what helps where they do not part
    the face. Raises `GeometryError` in these words.
    """
    divided = divide(face, [Cutter(c.name, f"the {label}", line) for c in cuts for line in c.lines], _CUT)
    middles = [curve_points(e.space, [0.5 * sum(e.space.domain)])[0] for c in cuts for e in c.edges]
    gone = np.array([*middles, *corners]).reshape(-1, 3)
    names = {c.name for c in cuts}
    touched = {r.group for r in divided.regions if len(gone) and _touches(divided, r.number, gone, names)}
    keep = [r.number for r in divided.regions if r.group not in touched and not _beyond(divided, r.number, cuts)]
    if not keep or len(divided.regions) < 2:
        if any(c.away is not None for c in cuts):
            raise GeometryError(
                "The ball touches a face where it does not reach from border to border: another radius, or a larger "
                "face, is needed."
            )
        # What helps a cutter helps no line that follows from a radius.
        faults = "".join(f"{w.words.split(': ')[0]}; " for w in divided.complaints)
        raise NotParted(f"The {label} does not part its face from border to border: {faults}{helps}")
    if len(cuts) > 1:
        keep = _without_corners(divided, keep, cuts) or keep[:1]
    return divided.together(keep)


def _without_corners(divided: Divided, keep: Sequence[int], cuts: Sequence[Cut]) -> list[int]:
    """Regions without those in which something is left of an edge whose strip goes: beyond the place where two lines
    cross, a piece goes with the corner.
    """
    edges = [e.space for c in cuts for e in c.edges]
    names = {c.name for c in cuts}

    def by_an_edge(number: int) -> bool:
        own = [e.space for e in divided.holding([number])[0].edges if base_name(e.name) not in names]
        middles = np.concatenate([curve_points(c, [0.5 * sum(c.domain)]) for c in own]) if own else np.zeros((0, 3))
        near = [(c, middles[boxed(c, middles, _TOUCHES)]) for c in edges]
        return any(float(to_curve(c, at).distance.min()) < _TOUCHES for c, at in near if len(at))

    return [k for k in keep if not by_an_edge(k)]


def _beyond(divided: Divided, number: int, cuts: Sequence[Cut]) -> bool:
    """Whether a region of a face lies along a line on the side that goes."""
    for cut in cuts:
        if cut.away is None:
            continue
        places, ways = cut.away
        for e in divided.holding([number])[0].edges:
            middle = np.array([0.5 * sum(e.domain)])
            at = frames(e, middle, remember=False)
            if base_name(e.name) == cut.name and within(cut.lines[0], at.position, _ALONG):
                nearest = int(np.argmin(((places - at.position) ** 2).sum(axis=1)))
                if float(at.outward[0] @ ways[nearest]) > 0:
                    return True
    return False


def _touches(divided: Divided, number: int, points: Array, names: set[str]) -> bool:
    made = divided.holding([number])[0]
    own = [e.space for e in made.edges if base_name(e.name) not in names]
    near = [(c, points[boxed(c, points, _TOUCHES)]) for c in own]
    return any(float(to_curve(c, at).distance.min()) < _TOUCHES for c, at in near if len(at))
