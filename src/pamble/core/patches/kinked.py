"""Sections with kinks: each parted so that kink meets kink, those without where the others have theirs."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import curve_length, length_parameters
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import kinks, restarted, smooth_parts


def lengths_shared(parts: Sequence[Curve]) -> Array:
    """Where parts of a curve begin and end (n + 1,), as shares of its length."""
    ends = np.cumsum([0.0, *(curve_length(p) for p in parts)])
    return np.asarray(ends / ends[-1])


def parted(sections: Sequence[Curve], shut: bool) -> list[list[Curve]]:
    """The smooth parts of sections that run alike, of each as many; a closed one begins at a kink.

    A section without a kink is parted at the shares of length at which the others have theirs. Raises `GeometryError`
    for sections that have different numbers of kinks.
    """
    found = [kinks(c)[0] for c in sections]
    if shut:
        found = [_with_seam(c, k) for c, k in zip(sections, found, strict=True)]
    most = max(len(k) for k in found)
    if not most:
        return [[c] for c in sections]
    for i, k in enumerate(found):
        if len(k) not in (0, most):
            other = next(j for j, o in enumerate(found) if len(o) == most)
            raise GeometryError(
                f"Section {i + 1} has {_counted(len(k))} and section {other + 1} has {_counted(most)}: each kink needs "
                "one to meet in every section, or a section has none at all."
            )
    if shut:
        sections, found = _begun_alike(sections, found)
        if most == 1:
            return [[c] for c in sections]
    shares = np.mean([_shares(c, k) for c, k in zip(sections, found, strict=True) if len(k)], axis=0)
    return [
        smooth_parts(c, k if len(k) else length_parameters(c, shares)) for c, k in zip(sections, found, strict=True)
    ]


def _counted(n: int) -> str:
    return "one kink" if n == 1 else f"{n} kinks"


def _with_seam(curve: Curve, inner: Array) -> Array:
    """Kinks of a closed curve, its start among them if it turns there."""
    rim = np.concatenate([curve.domain[:1], inner, curve.domain[1:]])
    # Begun anew between two kinks, no knot lies near.
    k = int(np.argmax(np.diff(rim)))
    calm = rim[k] + 0.4871 * (rim[k + 1] - rim[k])
    return np.append(rim[0], inner) if len(kinks(restarted(curve, calm))[0]) > len(inner) else inner


def _begun_alike(sections: Sequence[Curve], found: Sequence[Array]) -> tuple[list[Curve], list[Array]]:
    """Closed sections that all begin at a kink, each at the one that lies as the start of the first does."""
    middle = [curve_points(c, length_parameters(c, np.linspace(0, 1, 65)[:-1])).mean(axis=0) for c in sections]
    model = next(i for i, k in enumerate(found) if len(k))
    first = curve_points(sections[model], found[model]) - middle[model]
    out, inner = [], []
    for c, k, m in zip(sections, found, middle, strict=True):
        if len(k):
            rel = curve_points(c, k) - m
            away = [norm(np.roll(rel, -r, axis=0) - first).sum() for r in range(len(k))]
            begun = restarted(c, float(k[int(np.argmin(away))]))
        else:
            t = length_parameters(c, np.linspace(0, 1, 257)[:-1])
            begun = restarted(c, float(t[int(np.argmin(norm(curve_points(c, t) - m - first[0])))]))
        out.append(begun)
        inner.append(kinks(begun)[0] if len(k) else np.zeros(0))
    return out, inner


def _shares(curve: Curve, at: Array) -> Array:
    return lengths_shared(smooth_parts(curve, at))[1:-1]
