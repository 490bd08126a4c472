"""A patch between sides, in the layout that they ask for."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress

import numpy as np

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.boundary import Folds, boundary_patch
from pamble.core.patches.closed import closed, refuse_touching
from pamble.core.patches.inside import Through
from pamble.core.patches.lent import uneven
from pamble.core.patches.loop import Asked, chain
from pamble.core.patches.told import PatchMade, worst_of
from pamble.core.patches.trimmed import trimmed_patch


def patch_between(
    asked: Sequence[Asked],
    diagonal: float,
    degree: int = 5,
    spans: tuple[int, int] | None = None,
    through: Through = (),
    before: Face | None = None,
) -> PatchMade:
    """Two or three sides that close are filled by a trimmed patch, all others by a four-sided one; four that turn too
    sharply for that, or run on into each other at a corner, by a trimmed one too. through: curves and points that it
    passes. before: see `_again`. Raises `GeometryError`.
    """
    if before is not None and spans is None and (made := _again(asked, diagonal, degree, before, through)):
        return made
    most = None if spans is None else max(spans)
    c = chain(asked)
    whole = all(c.joined)
    if whole:
        refuse_touching(c)
    if len(asked) < 4 and whole:
        return _trimmed(asked, diagonal, degree, most, through)
    try:
        return boundary_patch(asked, diagonal, degree, spans, through)
    except Folds:
        if not whole:
            raise
        return _trimmed(asked, diagonal, degree, most, through)


def one_patch(
    asked: Sequence[Asked],
    diagonal: float,
    degree: int = 5,
    spans: int | None = None,
    through: Through = (),
    before: Face | None = None,
) -> PatchMade:
    """One patch over a closed loop of sides: between four, a four-sided one where it holds; else trimmed along them, or
    of the two what does better. before: see `_again`. Raises `GeometryError`.
    """
    if before is not None and spans is None and (made := _again(asked, diagonal, degree, before, through)):
        return made
    closed(asked)
    four: PatchMade | None = None
    if len(asked) == 4:
        both = None if spans is None else (spans, spans)
        with suppress(GeometryError):
            four = boundary_patch(asked, diagonal, degree, both, through)
    best = np.inf if four is None else worst_of(four.sides, four.corners)
    if four is not None and best <= 1.0:
        return four
    try:
        trimmed = trimmed_patch(asked, diagonal, degree, spans, through)
    except GeometryError:
        if four is None:
            raise
        return four
    return trimmed if four is None or worst_of(trimmed.sides, trimmed.corners) <= best else four


def _again(asked: Sequence[Asked], diagonal: float, degree: int, before: Face, through: Through) -> PatchMade | None:
    """The same kind of patch as ``before`` on as many spans, without the search, for sides that are being dragged; None
    where that does not go.
    """
    spans = before.surface.spans
    with suppress(GeometryError):
        if not before.natural:
            return trimmed_patch(asked, diagonal, degree, max(spans), through, exact=False)
        if len(asked) <= 4:
            return boundary_patch(asked, diagonal, degree, spans, through, uneven(before.surface))
    return None


def _trimmed(asked: Sequence[Asked], diagonal: float, degree: int, spans: int | None, through: Through) -> PatchMade:
    high = [i + 1 for i, a in enumerate(asked) if a.order > 2]
    if high:
        named = ", ".join(map(str, high))
        raise GeometryError(f"Sides {named} ask for G3: a loop that takes a trimmed patch is met with G2 at most.")
    return trimmed_patch(asked, diagonal, degree, spans, through)
