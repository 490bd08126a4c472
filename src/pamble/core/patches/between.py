"""A patch between sides, in the layout that they ask for."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import replace
from typing import Literal

from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.boundary import MOST_SPANS, Folds, boundary_patch
from pamble.core.patches.closed import closed
from pamble.core.patches.inside import Through
from pamble.core.patches.lent import uneven
from pamble.core.patches.loop import Asked, chain
from pamble.core.patches.told import PatchMade, contradictions, worst_of
from pamble.core.patches.trimmed import trimmed_patch

LaidOut = Literal["auto", "four", "trimmed"]
"""How a patch is laid out between four sides: as fits best, with a side along each, or trimmed along them."""

_FEW_SPANS = 4
"""Spans of a four-sided patch up to which it comes before one that is trimmed, which then has fewer CVs."""

_BETTER = 0.5
"""Share of the worst figure of a four-sided patch from which one that is trimmed does better."""

_UNUSED = (
    "The patch is trimmed along its sides: it has no arms across them, and the influence counts for nothing. Pick four "
    "sides, or two that face each other."
)


def patch_between(
    asked: Sequence[Asked],
    diagonal: float,
    degree: int = 5,
    spans: tuple[int, int] | None = None,
    through: Through = (),
    before: Face | None = None,
    layout: LaidOut = "auto",
) -> PatchMade:
    """Sides that close are filled as `one_patch` does it, all others by a four-sided one; so are four for which spans
    along u and v, or an influence, are given, or where it is the layout, unless it folds. through: curves and points
    that it passes. before: see `_again`. Raises `GeometryError`.
    """
    if before is not None and spans is None and (made := _again(asked, diagonal, degree, before, through)):
        return made
    whole = all(chain(asked).joined)
    arms = any(a.influence is not None for a in asked)
    fixed = len(asked) == 4 and (arms or spans is not None or layout == "four")
    if layout != "trimmed" and (fixed or not whole):
        try:
            return boundary_patch(asked, diagonal, degree, spans, through)
        except Folds:
            if not whole:
                raise
    build = trimmed_patch if layout == "trimmed" else one_patch
    made = build(asked, diagonal, degree, None if spans is None else max(spans), through)
    return replace(made, warnings=(*made.warnings, _UNUSED)) if arms and not made.face.natural else made


def one_patch(
    asked: Sequence[Asked],
    diagonal: float,
    degree: int = 5,
    spans: int | None = None,
    through: Through = (),
    before: Face | None = None,
) -> PatchMade:
    """One patch over a closed loop of sides: between four, a four-sided one where it holds or a trimmed one does little
    better; else trimmed along them. before: see `_again`. Raises `GeometryError`.
    """
    if before is not None and spans is None and (made := _again(asked, diagonal, degree, before, through)):
        return made
    closed(asked)
    both = None if spans is None else (spans, spans)

    def four_sided(most: int) -> PatchMade | None:
        with suppress(GeometryError):
            return boundary_patch(asked, diagonal, degree, both, through, most=most)
        return None

    four = four_sided(_FEW_SPANS) if len(asked) == 4 else None
    if four is not None and _holds(four):
        return four
    if four is not None and contradictions(four.corners, {i: a.order for i, a in enumerate(asked)}):
        # What the neighbours contradict each other in no layout heals.
        return four_sided(MOST_SPANS) or four
    wrong: GeometryError | None = None
    try:
        trimmed = trimmed_patch(asked, diagonal, degree, spans, through)
        if len(asked) != 4 or _holds(trimmed):
            return trimmed
    except GeometryError as error:
        trimmed, wrong = None, error
    if len(asked) == 4 and spans is None:
        four = four_sided(MOST_SPANS)
    made = trimmed if four is None or (trimmed is not None and _does_better(trimmed, four)) else four
    if made is None:
        assert wrong is not None
        raise wrong
    return made


def _holds(made: PatchMade) -> bool:
    return _worst(made, 3) <= 1.0


def _worst(made: PatchMade, most: int) -> float:
    return worst_of([replace(s, order=min(s.order, most)) for s in made.sides], made.corners)


def _does_better(trimmed: PatchMade, four: PatchMade) -> bool:
    """By the figures up to the curvature first: how this changes may jump in a neighbour itself."""
    most = 2 if max(_worst(trimmed, 2), _worst(four, 2)) > 1.0 else 3
    return _worst(trimmed, most) <= max(1.0, _BETTER * _worst(four, most))


def _again(asked: Sequence[Asked], diagonal: float, degree: int, before: Face, through: Through) -> PatchMade | None:
    """The same kind of patch as ``before`` on as many spans, without the search, for sides that are being dragged; None
    where that does not go.
    """
    spans = before.surface.spans
    with suppress(GeometryError):
        if not before.natural:
            lent = uneven(before.surface)
            return trimmed_patch(asked, diagonal, degree, max(spans), through, exact=False, lends=lent)
        if len(asked) <= 4:
            return boundary_patch(asked, diagonal, degree, spans, through, uneven(before.surface))
    return None
