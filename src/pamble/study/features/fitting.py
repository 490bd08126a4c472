"""What tools share whose result has no exact form and is fitted."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from pamble.core.arrays import Array
from pamble.core.curves.least_squares import Fit
from pamble.study.features.base import Context, Made, made_curves
from pamble.study.features.fields import FitParams


def hurried(params: FitParams, context: Context) -> dict[str, Any]:
    """How a result is fitted: as asked, or, while the pointer is down, quickly on the knots that were kept last."""
    spans: int | Array | None = params.spans
    kept = context.kept.shape if context.kept is not None else None
    if context.preview and spans is None and kept is not None and len(kept.curves) == 1:
        spans = kept.curves[0].knots
    how = {"degree": params.degree, "tolerance": params.tolerance, "spans": spans}
    return how | {"hurry": context.quick}


def fitted_curves(
    fits: Sequence[Fit],
    params: FitParams,
    context: Context,
    warnings: Sequence[str] = (),
    names: tuple[str, ...] = (),
    **facts: Any,
) -> Made:
    """A result of fitted curves and how far they deviate; words if that is more than wanted with spans left open."""
    worst = max(fits, key=lambda f: f.deviation)
    if not all(f.reached for f in fits) and params.spans is None and not context.quick:
        x, y, z = worst.place
        left = f"The tolerance was not reached: {worst.deviation:.4f} mm is left near ({x:.2f}, {y:.2f}, {z:.2f}) mm."
        warnings = [*warnings, left]
    curves = [f.curve for f in fits]
    return made_curves(*curves, names=names, warnings=tuple(warnings), deviation=worst.deviation, **facts)


def numbered(name: str, count: int) -> list[str]:
    """Names of lines that come from one source: its own where there is one, else with "1of2" and so on behind it."""
    return [name] if count == 1 else [f"{name}.{i}of{count}" for i in range(1, count + 1)]
