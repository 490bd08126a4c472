"""Blend through sections and along guides: what meets both edges, and all it passes, on the one solver of patches."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.errors import BlendError
from pamble.core.faces.face import Edge
from pamble.core.joining.spec import BlendSpec
from pamble.core.patches.guided import LoftEnd
from pamble.core.patches.loft import LoftMade, loft, told_missed
from pamble.core.patches.sections import is_closed
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.surface import Surface

_PLACES = 33


@dataclass(frozen=True)
class Through:
    """surface: v0 lies on the first edge, v1 on the second. ends: gap mm, angle degrees and curvature % (and its
    change, for G3) along each, None where only the place was asked for. sections, guides: how far each lies off, mm.
    arms: middles of both edges with the way the blend leaves, as long as from there to the next section, (2, 2, 3).
    """

    surface: Surface
    ends: tuple[dict[str, float] | None, dict[str, float] | None]
    sections: tuple[float, ...]
    guides: tuple[float, ...]
    arms: Array
    warnings: tuple[str, ...]


def blend_through(
    a: Edge, b: Edge, spec: BlendSpec, diagonal: float, sections: Sequence[Curve] = (), guides: Sequence[Curve] = (),
    quick: bool = False,
) -> Through:  # fmt: skip
    """Blend between two edges that passes sections, which run along between them, in any order, and contains guides,
    which cross from the one to the other.

    Of the spec continuity, fullness (of the way to the next section, 1 where it is None) and flip count. ``diagonal``
    of the part, mm, bounds the curvature reference. quick: see `loft`. Raises `BlendError` for what does not go
    together, and `GeometryError` for sections and guides that cannot be passed.

    >>> from pamble.core.faces.face import Face
    >>> deck = Face(Surface.bezier([[[0, 9, 0], [0, 40, 0]], [[60, 9, 0], [60, 40, 0]]]))
    >>> wall = Face(Surface.bezier([[[0, 0, -9], [0, 0, -30]], [[60, 0, -9], [60, 0, -30]]]))
    >>> low = Curve.line([0, 3, -3], [60, 3, -3])
    >>> made = blend_through(deck.edge("v0"), wall.edge("v0"), BlendSpec((2, 2)), 100.0, [low])
    >>> max(made.sections) < 1e-3, max(end["angle"] for end in made.ends) < 1e-3
    (True, True)
    """
    if spec.level or any(x is not None for x in spec.begins):
        raise BlendError("Sections and guides set the height of a blend: do not hold its crest level beside them.")
    if is_closed(a.space) or is_closed(b.space):
        raise BlendError("Between holes a blend takes no sections and guides: loft through them instead.")
    row = _in_order(a, b, sections)
    one, two = (LoftEnd(order=g, magnitude=_full(spec, k)) for k, g in enumerate(spec.continuity))
    turned = [False, *[None] * len(row), _runs_back(a, b) != spec.flip]
    made = loft([a, *row, b], diagonal, ends=(one, two), guides=guides, turned=turned, quick=quick)
    off = made.sections[1:-1]
    return Through(
        made.surface,
        (made.ends.get("v0"), made.ends.get("v1")),
        off,
        made.guides,
        _arms(made),
        told_missed(off, made.guides),
    )


def _full(spec: BlendSpec, side: int) -> float:
    given = spec.fullness[side]
    return 1.0 if given is None else given


def _in_order(a: Edge, b: Edge, sections: Sequence[Curve]) -> list[Curve]:
    """Sections by how far they stand from the first edge on the way to the second."""

    def share(section: Curve) -> float:
        points = curve_points(section, np.linspace(*section.domain, _PLACES))
        one, two = (float(to_curve(e.space, points).distance.mean()) for e in (a, b))
        return one / max(one + two, 1e-12)

    return sorted(sections, key=share)


def _runs_back(a: Edge, b: Edge) -> bool:
    """Whether the second edge runs against the first."""
    one, two = (curve_points(e.space, e.space.domain) for e in (a, b))
    return bool(norm(one - two).sum() > norm(one - two[::-1]).sum())


def _arms(made: LoftMade) -> Array:
    places = [0.0, made.places[1], made.places[-2], 1.0]
    at, near, far, end = surface_points(made.surface, np.full(4, 0.5), np.array(places))
    return np.array([[at, near - at], [end, far - end]])
