"""Whether faces that closed before a fillet still do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from pamble.core.arrays import Array, boxes_meet
from pamble.core.checks.seams import OpenEdge, find_seams
from pamble.core.faces.face import Face
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points

_APART, _LEAST = 0.005, 0.2
"""How far apart, mm, edges may be that meet, and how long a stretch is that counts."""


def told_open(
    part: Sequence[Face], changed: Mapping[int, Face], gone: frozenset[int], new: Sequence[Face]
) -> list[str]:
    """Words about edges that meet nothing where all of them did before. changed, gone: faces of the part that were cut
    back, and of which nothing is left, by number; new: faces that came.
    """
    touched = [_places(face) for face in (*(part[n] for n in changed), *changed.values(), *new)]
    near = [n for n, face in enumerate(part) if any(boxes_meet(_places(face), t, _APART) for t in touched)]
    after = [changed.get(n, part[n]) for n in near if n not in gone] + list(new)
    left = [o for o in find_seams(after, _APART)[1] if o.length > _LEAST]
    if left:
        known = find_seams([part[n] for n in near], _APART)[1]
        left = [o for o in left if not _at_border(o, known)]
    if not left:
        return []
    longest = max(left, key=lambda o: o.length)
    x, y, z = _middle(longest)
    return [
        f"The shell is open near ({x:.2f}, {y:.2f}, {z:.2f}) mm: edges of {sum(o.length for o in left):.2f} mm in all "
        "meet nothing. Try another radius."
    ]


def _places(face: Face) -> Array:
    return np.concatenate([e.space.control for e in face.edges])


def _middle(opened: OpenEdge) -> Array:
    return np.asarray(curve_points(opened.edge.space, [0.5 * sum(opened.t)])[0])


def _at_border(opened: OpenEdge, known: Sequence[OpenEdge]) -> bool:
    """Whether an edge was open before, or leads from one that was to another."""
    ends = np.stack([opened.start, opened.end])
    return bool(known) and bool(np.min([to_curve(o.edge.space, ends).distance for o in known], axis=0).max() < _APART)
