"""A patch between sides, in the layout that they ask for."""

from __future__ import annotations

from collections.abc import Sequence

from pamble.core.patches.boundary import Folds, PatchMade, boundary_patch
from pamble.core.patches.loop import Asked, chain
from pamble.core.patches.trimmed import trimmed_patch


def patch_between(
    asked: Sequence[Asked], diagonal: float, degree: int = 5, spans: tuple[int, int] | None = None
) -> PatchMade:
    """Two or three sides that close are filled by a trimmed patch, all others by a four-sided one; four that turn too
    sharply for that, or run on into each other at a corner, by a trimmed one too. Raises `GeometryError`.
    """
    most = None if spans is None else max(spans)
    closed = all(chain(asked).joined)
    if len(asked) < 4 and closed:
        return trimmed_patch(asked, diagonal, degree, most)
    try:
        return boundary_patch(asked, diagonal, degree, spans)
    except Folds:
        if not closed:
            raise
        return trimmed_patch(asked, diagonal, degree, most)
