"""Handles of a blend: its fullness at both ends, where loops begin, the point that it runs to."""

from __future__ import annotations

from functools import partial

from pamble.core.arrays import Array
from pamble.core.curves.measure import length_parameters
from pamble.core.faces.face import Edge
from pamble.core.joining.blend import Blend
from pamble.core.joining.spec import FULLNESS_LIMITS, BlendSpec
from pamble.core.joining.tip import Tip
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.features.base import PartHandle
from pamble.study.features.handles import move, slide

SIDES = ("first", "second")
"""The fields that name what the two numbers of a pair belong to."""


def blend_handles(made: Blend, spec: BlendSpec, ends: tuple[Edge, Edge | Tip], loose: bool) -> tuple[PartHandle, ...]:
    """All handles. loose: whether the point that it runs to hangs on nothing, and may be moved in its tangent plane."""
    tip = ends[1] if loose and isinstance(ends[1], Tip) else None
    point = (move("point", "Point", tip.point, tip.jet.normal[0]),) if tip else ()
    return (*_fullness(made, spec), *_starts(made, ends), *point)


def _fullness(made: Blend, spec: BlendSpec) -> tuple[PartHandle, ...]:
    return tuple(
        PartHandle(
            "pull",
            "fullness",
            i,
            "Fullness",
            h.point,
            h.direction,
            made.spec.full(i),
            *FULLNESS_LIMITS,
            per_mm=h.per_mm,
            side=SIDES[i],
        )
        for i, h in enumerate(made.handles)
        if spec.continuity[i] > 0
    )


def _starts(made: Blend, edges: tuple[Edge, Edge | Tip]) -> tuple[PartHandle, ...]:
    """Where two loops begin, each to be slid along its rim."""
    return tuple(
        slide("begins", "Start", share, partial(_at_shares, edge.space), index=i, side=SIDES[i])
        for i, (share, edge) in enumerate(zip(made.starts or (), edges, strict=False))
        if isinstance(edge, Edge)
    )


def _at_shares(curve: Curve, shares: Array) -> Array:
    return curve_points(curve, length_parameters(curve, shares))
