"""A patch between sides, in the layout that they ask for."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.patches.boundary import Folds, boundary_patch
from pamble.core.patches.inside import Through
from pamble.core.patches.loop import Asked, chain
from pamble.core.patches.told import PatchMade, worst_of
from pamble.core.patches.trimmed import trimmed_patch


def patch_between(
    asked: Sequence[Asked],
    diagonal: float,
    degree: int = 5,
    spans: tuple[int, int] | None = None,
    through: Through = (),
    lends: bool = False,
) -> PatchMade:
    """Two or three sides that close are filled by a trimmed patch, all others by a four-sided one; four that turn too
    sharply for that, or run on into each other at a corner, by a trimmed one too. through: curves and points that it
    passes. lends: see `boundary_patch`. Raises `GeometryError`.
    """
    most = None if spans is None else max(spans)
    closed = all(chain(asked).joined)
    if len(asked) < 4 and closed:
        return _trimmed(asked, diagonal, degree, most, through)
    try:
        return boundary_patch(asked, diagonal, degree, spans, through, lends)
    except Folds:
        if not closed:
            raise
        return _trimmed(asked, diagonal, degree, most, through)


def one_patch(
    asked: Sequence[Asked], diagonal: float, degree: int = 5, spans: int | None = None, through: Through = ()
) -> PatchMade:
    """One patch over a closed loop of sides: trimmed along them; where four sides are missed by that, or it folds over
    them, a four-sided one if it does better. Raises `GeometryError`.
    """
    made: PatchMade | None = None
    wrong: GeometryError | None = None
    try:
        made = trimmed_patch(asked, diagonal, degree, spans, through)
        worst = worst_of(made.sides, made.corners)
    except GeometryError as error:
        wrong, worst = error, np.inf
    if len(asked) == 4 and worst > 1.0:
        both = None if spans is None else (spans, spans)
        with suppress(GeometryError):
            four = boundary_patch(asked, diagonal, degree, both, through)
            if worst_of(four.sides, four.corners) < worst:
                return four
    if made is None:
        assert wrong is not None
        raise wrong
    return made


def _trimmed(asked: Sequence[Asked], diagonal: float, degree: int, spans: int | None, through: Through) -> PatchMade:
    high = [i + 1 for i, a in enumerate(asked) if a.order > 2]
    if high:
        named = ", ".join(map(str, high))
        raise GeometryError(f"Sides {named} ask for G3: a loop that takes a trimmed patch is met with G2 at most.")
    return trimmed_patch(asked, diagonal, degree, spans, through)
