"""Shapes with known properties, shared by the tests."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from scipy.interpolate import BSpline

from pamble.core.arrays import Array
from pamble.core.spline import Curve, Surface, basis


def panel(
    height: Callable[[Array, Array], tuple[Array, Array, Array]],
    counts: tuple[int, int] = (6, 4),
    x: tuple[float, float] = (0, 300),
    y: tuple[float, float] = (0, 100),
) -> Surface:
    """One-span surface whose CVs are ``height(x, y)`` over an even grid."""
    grid = np.meshgrid(np.linspace(*x, counts[0]), np.linspace(*y, counts[1]), indexing="ij")
    return Surface.bezier(np.stack(height(*grid), axis=-1))


def plane(origin: tuple[float, float, float], u: tuple[float, float, float], v: tuple[float, float, float]) -> Surface:
    """A flat four-sided face spanned by two vectors."""
    o, a, b = (np.array(w, dtype=float) for w in (origin, u, v))
    return Surface.bezier([[o, o + b], [o + a, o + a + b]])


def arc_curve(radius: float, degrees: float) -> Curve:
    """Rational quadratic arc in the xy plane from the x axis (The NURBS Book, section 7.3)."""
    half = np.radians(degrees) / 2
    corner = radius / np.cos(half)
    control = [
        [radius, 0.0, 0.0],
        [corner * np.cos(half), corner * np.sin(half), 0.0],
        [radius * np.cos(2 * half), radius * np.sin(2 * half), 0.0],
    ]
    return Curve(2, basis.uniform_knots(2, 1), control, [1.0, np.cos(half), 1.0])


def revolved(profile: Curve, degrees: float) -> Surface:
    """Rational surface of revolution of a profile in the xz plane about z; u turns, v runs along the profile."""
    half = np.radians(degrees) / 2
    turns = [(1.0, 0.0, 1.0), (1.0, np.tan(half), np.cos(half)), (np.cos(2 * half), np.sin(2 * half), 1.0)]
    own = np.ones(len(profile.control)) if profile.weights is None else profile.weights
    control, weights = [], []
    for c, s, w in turns:
        r, z = profile.control[:, 0], profile.control[:, 2]
        control.append(np.column_stack([r * c, r * s, z]))
        weights.append(w * own)
    return Surface(2, profile.degree, basis.uniform_knots(2, 1), profile.knots, control, weights)


def cylinder(radius: float, length: float, degrees: float = 90) -> Surface:
    """Exact cylinder about z, u round it and v along it."""
    return revolved(Curve.line([radius, 0, 0], [radius, 0, length]), degrees)


def torus(large: float, small: float) -> Surface:
    """A quarter of a quarter tube: profile arc from the outer equator to the top."""
    arc = arc_curve(small, 90)
    profile = np.column_stack([arc.control[:, 0] + large, np.zeros(3), arc.control[:, 1]])
    return revolved(Curve(2, arc.knots, profile, arc.weights), 90)


def random_curve(rng: np.random.Generator, degree: int, spans: int, rational: bool = False) -> Curve:
    """A curve with uneven knots and random CVs."""
    inner = np.sort(rng.uniform(0.05, 0.95, spans - 1))
    knots = basis.knots_from_breaks(np.concatenate([[0.0], inner, [1.0]]), degree)
    n = degree + spans
    return Curve(degree, knots, rng.normal(size=(n, 3)), rng.uniform(0.5, 2, n) if rational else None)


def random_surface(rng: np.random.Generator, degrees: tuple[int, int], rational: bool = False) -> Surface:
    """A surface with two by three uneven spans and random CVs."""
    a, b = random_curve(rng, degrees[0], 2), random_curve(rng, degrees[1], 3)
    size = (len(a.control), len(b.control))
    weights = rng.uniform(0.5, 2, size) if rational else None
    return Surface(*degrees, a.knots, b.knots, rng.normal(size=(*size, 3)), weights)


def bezier_of(control: np.ndarray) -> BSpline:
    """A single span through its CVs as scipy has it: called with a parameter and the order of a derivative."""
    degree = len(control) - 1
    return BSpline(np.repeat([0.0, 1.0], degree + 1), control, degree)
