"""Pairs of panels with a crease between them, calm or spoiled in one known way."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.faces.face import Face
from pamble.core.faces.regions.choose import Pick
from pamble.core.faces.trim import Cutter, divide
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.surface import Surface

WAYS = ("none", "primary", "crease", "edge", "corner")
"""What may be spoiled."""

_LENGTH, _WIDTH = 500.0, 200.0


def interpolated(f: Callable[..., np.ndarray], spans_u: int = 1, spans_v: int = 1) -> Surface:
    """A surface of degree 5 by 5 through a function of u and v."""
    ku, kv = basis.uniform_knots(5, spans_u), basis.uniform_knots(5, spans_v)
    u, v = basis.greville(ku, 5), basis.greville(kv, 5)
    grid = f(*np.meshgrid(u, v, indexing="ij"))
    inverse = [np.linalg.inv(basis.matrix(k, 5, x)[0]) for k, x in ((ku, u), (kv, v))]
    return Surface(5, 5, ku, kv, np.einsum("iu,uvx,jv->ijx", inverse[0], grid, inverse[1]))


def panels(
    rng: np.random.Generator,
    way: str,
    gap: float | None = None,
    other: str = "none",
    *,
    trimmed: bool = False,
    smooth: bool = False,
) -> tuple[list[Face], tuple[str, str], int]:
    """Two panels 500 by 200 mm, the names of the edges that face each other, and which of them was spoiled; ``other``:
    how the other one was.

    The first faces the second with its side v1, that with v0. gap in mm; 25 to 50 at random if None. trimmed: whether
    the one that is spoiled spreads and ends at a calm line inside its surface. smooth: whether the second runs on where
    the first ends.
    """
    gap = float(rng.uniform(25, 50)) if gap is None else gap
    tilt, phase, high = np.radians(rng.uniform(25, 60)), rng.uniform(0, 3, 8), rng.uniform(8, 20, 2)
    waves, who, turn = rng.uniform(2.5, 6), int(rng.integers(2)), rng.uniform(0, 6)

    def bow(u):
        return 10 * np.sin(1.5 * u + phase[6])

    def first(u, v):
        rise = high[0] * np.sin(1.4 * u + phase[0]) * np.cos(1.2 * v + phase[1]) + 6 * v * u
        return np.stack([_LENGTH * u, _WIDTH * (v - 1) + bow(u), rise], -1)

    def second(u, v):
        if gap:
            y, z = gap + _WIDTH * v * np.cos(tilt), -_WIDTH * v * np.sin(tilt) - 0.25 * gap
            rise = high[1] * np.sin(1.3 * u + phase[2]) * np.cos(1.1 * v + phase[3])
            return np.stack([_LENGTH * u, y + bow(u), z + rise], -1)
        return first(u, 1.0 + 0 * v) + np.stack(
            [0 * u, _WIDTH * v * np.cos(tilt), -_WIDTH * v * np.sin(tilt) + high[1] * v * np.sin(1.3 * u + phase[2])],
            -1,
        )

    def onward(u, v):
        return first(u, 1.0 + v)

    made, spans, away = [first, onward if smooth else second], [(1, 1), (1, 1)], (lambda v: 1 - v, lambda v: v)
    for which, how in ((who, way), (1 - who, other)):
        spoil = _spoiling(rng, how, away[which], waves, turn)
        if spoil is not None:
            height, spans[which] = spoil
            made[which] = _heightened(made[which], height)
    if trimmed:
        made[who] = _spread(made[who], away[who])
    surfaces = [interpolated(f, *n) for f, n in zip(made, spans, strict=True)]
    faces, names = [Face(s) for s in surfaces], ["v1", "v0"]
    for which, how in ((who, way), (1 - who, other)):
        if how == "edge" or (trimmed and which == who):
            size = rng.uniform(0.4, 1.5) / _WIDTH if how == "edge" else 0.0
            faces[which] = _cut(surfaces[which], 0.96 if which == 0 else 0.04, size, waves, turn)
            names[which] = "k1"
    return faces, (names[0], names[1]), who


def _heightened(base, height):
    return lambda u, v: base(u, v) + np.stack([0 * u, 0 * u, height(u, v)], -1)


def _spread(base, far):
    """A panel that is wider at its far side, so that a way in from its edge is no way along its sides."""
    return lambda u, v: base(u, v) - 60 * ((u - 0.5) * (1 - far(v)))[..., None] * [1.0, 0.0, 0.0]


def _spoiling(rng, way, far, waves, turn):
    """What is added to a panel's height, and the spans that follow it; far: how far from the edge a place is."""
    if way == "primary":
        size = rng.uniform(0.15, 0.5)
        return lambda u, v: size * np.sin(2 * np.pi * waves * u + turn) * (1 + 0.3 * np.cos(2 * v)), (30, 2)
    if way == "crease":
        size = np.radians(rng.uniform(0.2, 1.0)) * _WIDTH
        return (
            lambda u, v: size * np.sin(2 * np.pi * waves * u + turn) * far(v) * np.clip(1 - far(v) / 0.09, 0, 1) ** 4,
            (30, 40),
        )
    if way == "corner":
        size, end = np.radians(rng.uniform(0.5, 2.0)) * _WIDTH, int(rng.integers(2))
        return (
            lambda u, v: size * np.exp(-(((u - end) / 0.05) ** 2)) * far(v) * np.clip(1 - far(v) / 0.25, 0, 1) ** 3,
            (40, 12),
        )
    return None


def _cut(surface: Surface, at: float, size: float, waves: float, turn: float) -> Face:
    """The panel cut along a wavy line beside its edge, which reaches from side to side."""
    g = np.linspace(0, 1, 400)
    points = surface_points(surface, g, at + size * np.sin(2 * np.pi * waves * g + turn))
    finer = basis.uniform_knots(5, 60)
    line = Curve(5, finer, np.linalg.lstsq(basis.matrix(finer, 5, g)[0], points, rcond=None)[0])
    face = Face(surface)
    divided = divide(face, [Cutter("k1", "Line", line)], 1e-4)
    (kept,) = divided.keeping([Pick(np.array([0.5, 1.0 - at]), {})])
    return kept


def rings(rng: np.random.Generator, way: str) -> tuple[list[Face], tuple[str, str], int]:
    """Two round tubes over each other with a gap between them, one of them spoiled, and the names as of `panels`."""
    who, waves, turn = int(rng.integers(2)), int(rng.integers(8, 12)), rng.uniform(0, 6)
    size, flat, radii = np.radians(rng.uniform(0.4, 1.0)), rng.uniform(0.85, 1.15), (60.0, 40.0)

    def tube(which: int) -> Surface:
        def place(u, v):
            a, far = 2 * np.pi * u, v if which else 1 - v
            radius = radii[which] * (1 + 0.2 * far)
            if which == who and way == "primary":
                radius = radius + size * radii[which] / waves * np.sin(waves * a + turn)
            if which == who and way == "crease":
                radius = radius + 50 * size * np.sin(waves * a + turn) * far * np.clip(1 - far / 0.2, 0, 1) ** 3
            return np.stack([radius * np.cos(a), flat * radius * np.sin(a), 12 * which + 50 * (v - 1 + which)], -1)

        return interpolated(place, 48, 24)

    return [Face(tube(0)), Face(tube(1))], ("v1", "v0"), who
