"""Lines drawn on a known freeform surface, each at a pace of its own: what nets and guided lofts are made of."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.knots import reverse_curve
from pamble.core.spline.surface import Surface

_SIZE = 150.0, 100.0


def freeform(rng: np.random.Generator) -> Surface:
    """A bent panel of degree 5 in both directions with some mm of noise in its six to eight by six to eight CVs."""
    counts = rng.integers(6, 9, 2)
    x, y = np.meshgrid(*(np.linspace(0, s, n) for s, n in zip(_SIZE, counts, strict=True)), indexing="ij")
    z = 20 * np.sin(2 * x / _SIZE[0] + rng.normal()) + 15 * np.cos(2 * y / _SIZE[1] + rng.normal())
    net = np.dstack([x, y, z]) + rng.uniform(1, 6) * rng.normal(size=(*counts, 3)) * [0.5, 0.5, 1]
    return Surface(5, 5, *(basis.uniform_knots(5, n - 5) for n in counts), net)


def drawn(surface: Surface, rng: np.random.Generator, which: int, level: float, wave: float = 0.0) -> Curve:
    """A curve near the line on which u (0) or v (1) keeps a level, through 60 of its points; now and then turned."""
    t = np.linspace(0, 1, 60)
    bow = np.sin(np.pi * t)
    uv = [t + 0.08 * rng.normal() * bow] * 2
    uv[which] = level + wave * rng.normal() * bow * (0 < level < 1)
    spline = make_interp_spline(t, surface_points(surface, *uv), k=int(rng.choice([3, 5])))
    curve = Curve(spline.k, spline.t, spline.c)
    return reverse_curve(curve) if rng.random() < 0.3 else curve


def levels(rng: np.random.Generator, count: int, room: float = 0.5) -> list[float]:
    """So many levels from 0 to 1, no closer to each other than a share of what is even."""
    while True:
        row = np.sort(np.concatenate([[0, 1], rng.uniform(0, 1, count - 2)]))
        if np.diff(row).min() > room / count:
            return [float(x) for x in row]


def random_net(seed: int) -> list[Curve]:
    """Two to five curves in each of two directions, shuffled."""
    rng = np.random.default_rng(seed)
    surface = freeform(rng)
    curves = [
        drawn(surface, rng, which, level, 0.02) for which in (0, 1) for level in levels(rng, int(rng.integers(2, 6)))
    ]
    return [curves[i] for i in rng.permutation(len(curves))]


def random_loft(seed: int) -> tuple[list[Curve], list[Curve]]:
    """Three to eight sections in order, and one to four guides."""
    rng = np.random.default_rng(seed)
    surface = freeform(rng)
    sections = [drawn(surface, rng, 1, v) for v in levels(rng, int(rng.integers(3, 9)))]
    across = rng.choice([0, 0.2, 0.4, 0.6, 0.8, 1], int(rng.integers(1, 5)), replace=False)
    return sections, [drawn(surface, rng, 0, float(u), 0.02) for u in across]
