"""The true residual of a blend, measured on the finished surface, and warnings about its shape."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, dot, norm
from pamble.core.checks.figures import seam_figures
from pamble.core.faces.face import Edge, natural_edge
from pamble.core.faces.frames import frames
from pamble.core.joining.pairing import Side
from pamble.core.joining.spec import BlendSpec
from pamble.core.joining.tip import Tip
from pamble.core.spline import basis
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.extremes import both_sides, largest
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import BLEND_AIMS

_SAMPLES = 200
"""Places along a seam at which a blend is measured while its spans are sought."""

_IN_SPAN, _BESIDE = 9, 1e-6
"""Places in a span where they are sought span by span, and the share of it by which the outer ones stand inside."""

_BEFORE_POLE = 0.995
"""Share of a section that is looked at where it ends in a point, in which there is no normal."""

COUNTED = [0, 1, 2, 5]
AIMS = np.array(BLEND_AIMS)
"""Which figures count for G0 to G3, and their aims."""


@dataclass(frozen=True)
class Residual:
    """Largest figures along one seam: gap mm, angle degrees, curvature %, curvature 1/mm, rate 1/mm^2 and %."""

    gap: float
    angle: float
    curvature: float
    curvature_abs: float
    rate: float
    rate_percent: float

    def ratio(self, continuity: int) -> float:
        """Largest figure over its aim, of those the continuity asks for; 1 or less holds."""
        parts = np.array([self.gap, self.angle, self.curvature, self.rate_percent]) / AIMS
        return float(parts[: continuity + 1].max())


def residual(
    surface: Surface, side: Side | Tip, which: int, diagonal: float, order: int = 2, closed_in: bool = False
) -> Residual:
    """Measure the seam between a blend and its neighbour; ``which`` is 0 for the first edge, 1 for the second.

    closed_in: the worst are sought between the samples too, and on both sides of every break.
    """
    figures = _figures(surface, side, which, diagonal, order)
    s = np.linspace(0.0, 1.0, _SAMPLES)
    if not closed_in:
        return Residual(*figures(s).max(axis=1).tolist())
    s = np.unique(np.concatenate([s, both_sides(_seam(surface, which).space), _in_spans(surface).ravel()]))
    return Residual(*largest(figures, s, figures(s))[1].tolist())


def span_ratios(surface: Surface, side: Side | Tip, which: int, diagonal: float, continuity: int) -> Array:
    """The worst figure over its aim in every span of a blend along one seam, (spans,)."""
    s = _in_spans(surface)
    figures = _figures(surface, side, which, diagonal, 3 if continuity > 2 else 2)(s.ravel())
    return np.asarray(
        (figures[COUNTED[: continuity + 1]] / AIMS[: continuity + 1, None]).max(axis=0).reshape(s.shape).max(axis=1)
    )


def _seam(surface: Surface, which: int) -> Edge:
    return natural_edge(surface, "v0" if which == 0 else "v1")


def _in_spans(surface: Surface) -> Array:
    """Shares in every span along a blend, (spans, k): where spans lie close, even samples may pass one over."""
    at = basis.breaks(surface.knots_u, surface.degree_u)
    return np.asarray(at[:-1, None] + np.diff(at)[:, None] * np.linspace(_BESIDE, 1.0 - _BESIDE, _IN_SPAN))


def _figures(surface: Surface, side: Side | Tip, which: int, diagonal: float, order: int) -> Callable[[Array], Array]:
    """The figures of `Residual` at shares (m,) of a seam, (6, m)."""
    edge = _seam(surface, which)

    def figures(s: Array) -> Array:
        if isinstance(side, Tip):
            return side.figures(surface, s, order, diagonal)
        mine = frames(edge, s, order)
        t = side.parameters(s)
        theirs = frames(side.edge, t, order)
        for _ in range(2):
            slip = dot(mine.position - theirs.position, theirs.tangent)
            if np.abs(slip).max() < 1e-7:
                break
            t = side.within(t + slip / np.maximum(norm(theirs.velocity), TINY))
            theirs = frames(side.edge, t, order)
        f = seam_figures(mine, theirs, diagonal)
        return np.array([f.gap, f.angle, f.curvature, f.curvature_abs, f.rate, f.rate_percent])

    return figures


def shape_warnings(surface: Surface, spec: BlendSpec) -> list[str]:
    """Words about sections with more inflections than the shape asks for, and about folds."""
    us, vs = np.linspace(*surface.domain[0], max(25, 4 * surface.spans[0] + 1)), np.linspace(0, 1, 41)
    to_point = "v1" in surface.poles
    if to_point:
        vs = vs * _BEFORE_POLE
    d = surface_grid(surface, us, vs, 2)
    n = normals(d)
    warnings = []
    middle = n[:, [n.shape[1] // 2]]
    turning = np.sum(n[:, 1:] * n[:, :-1], axis=2)
    along = np.sum(n[1:] * n[:-1], axis=2)
    if turning.min() < 0 or along.min() < 0 or not np.isfinite(n).all() or not np.any(middle):
        other = "move the point" if to_point else "flip one edge"
        warnings.append(f"The blend folds over itself: lower the fullness, or {other}.")
        return warnings
    bend = dot(n, d[0, 2]) / np.maximum(dot(d[0, 1], d[0, 1]), TINY)
    chord = d[0, 0][:, -1] - d[0, 0][:, 0]
    level = 0.05 * np.abs(bend).mean(axis=1, keepdims=True)
    if float((level[:, 0] * norm(chord)).max()) < 1e-4:
        return warnings
    rise = dot(chord, n[:, 0])
    expected = np.where(rise * dot(-chord, n[:, -1]) < 0, 1, 0)
    flips = _sign_changes(bend, level)
    worst = int(np.argmax(flips - expected))
    if flips[worst] > expected[worst]:
        high = max(spec.full(0), spec.full(1))
        advice = "lower the fullness" if high > 1.2 else "change the fullness or the continuity of one side"
        share = 100 * (us[worst] - us[0]) / (us[-1] - us[0])
        warnings.append(f"Sections have an inflection at {share:.0f} % of the length: {advice}.")
    elif np.any((expected == 0) & ((bend * np.sign(rise)[:, None]).sum(axis=1) < 0)):
        warnings.append("Sections turn the long way round and loop: lower the fullness.")
    return warnings


def _sign_changes(values: Array, level: Array) -> Array:
    """Sign changes along the last axis, values within ``level`` of zero passed over."""
    sign = np.where(values > level, 1.0, np.where(values < -level, -1.0, 0.0))
    held = np.maximum.accumulate(np.where(sign != 0, np.arange(values.shape[1]), 0), axis=1)
    filled = np.take_along_axis(sign, held, axis=1)
    return np.asarray(np.sum(filled[:, 1:] * filled[:, :-1] < 0, axis=1))
