"""Sweeps against closed forms: tubes are as far from their rails as they are thick, lines and arcs make cylinders and
tori, and what keeps its direction is the sum of two curves."""

import numpy as np
import pytest

from pamble.core.arrays import cross, unit
from pamble.core.curves.interpolate import through_points
from pamble.core.curves.shapes import circle, ellipse
from pamble.core.errors import GeometryError
from pamble.core.patches.around import loft_around
from pamble.core.patches.frames import along, between
from pamble.core.patches.sweep import sweep
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.kinks import chain

RADIUS = 5.0


def line_arc_line(radius=20.0) -> Curve:
    arc = ellipse(np.array([50, radius, 0]), np.array([0, 0, 1]), (radius, radius), np.array([0, -radius, 0]), 90.0)
    last = Curve.line([50 + radius, radius, 0], [50 + radius, radius + 40, 0])
    return chain([Curve.line([0, 0, 0], [50, 0, 0]), arc, last], [0.0, 0.4, 0.7, 1.0])


def wave(degree: int) -> Curve:
    x = np.arange(8)
    return through_points(np.column_stack([30 * x, 14 * np.sin(1.3 * x), 9 * np.cos(0.9 * x)]), degree)


def ring(stir: float) -> Curve:
    t = np.linspace(0, 2 * np.pi, 8, endpoint=False)
    points = np.column_stack([60 * np.cos(t), 45 * np.sin(t), stir * np.sin(2 * t) + 0.6 * stir * np.cos(3 * t)])
    return through_points(points, 3, closed=True)


def tube_section(rail: Curve, share=0.0, radius=RADIUS) -> Curve:
    """A circle round a rail at a share of its parameters."""
    start, end = rail.domain
    d = curve_derivatives(rail, [start + share * (end - start)], 1)[:, 0]
    return circle(d[0], d[1], radius)


def over(surface, n=41):
    (a, b), (c, d) = surface.domain
    return surface_grid(surface, np.linspace(a, b, 17), np.linspace(c, d, n))[0, 0].reshape(-1, 3)


@pytest.mark.parametrize("share", [0.0, 0.55, 0.9])
def test_along_lines_and_arcs_a_tube_is_exact_on_the_rails_own_rows(share):
    rail = line_arc_line()
    made = sweep([tube_section(rail, share)], along(rail))
    assert (made.surface.degree_v, made.surface.control.shape[1], made.deviation) == (2, 7, 0.0)
    p = over(made.surface, 121)
    x, y, z = (p - [50, 20, 0]).T
    # Two cylinders about the lines, and between them a torus about the arc's axis.
    off = np.where(x < 0, np.hypot(y + 20, z), np.where(y > 0, np.hypot(x - 20, z), np.hypot(np.hypot(x, y) - 20, z)))
    assert off == pytest.approx(RADIUS, abs=1e-9)


def test_what_keeps_its_direction_is_the_sum_of_section_and_rail():
    rail, arch = wave(3), Curve.bezier([[0, 0, 0], [0, 3, 8], [0, 8, 0]])
    arch = Curve(2, arch.knots, arch.control + rail.control[0])
    made = sweep([arch], along(rail, "fixed"))
    u, v = (np.linspace(*d, 9) for d in made.surface.domain)
    wanted = curve_points(arch, u)[:, None] + curve_points(rail, v) - rail.control[0]
    assert np.abs(surface_grid(made.surface, u, v)[0, 0] - wanted).max() < 1e-12
    assert made.surface.control.shape[1] == len(rail.control)


@pytest.mark.parametrize("degree", [3, 5])
def test_a_tube_is_as_far_from_a_freeform_rail_as_it_is_thick(degree):
    rail = wave(degree)
    made = sweep([tube_section(rail)], along(rail))
    assert made.deviation <= 0.002
    assert made.surface.control.shape[1] <= 36
    assert to_curve(rail, over(made.surface, 301)).distance == pytest.approx(RADIUS, abs=0.003)


@pytest.mark.parametrize(("stir", "way"), [(0.0, "turning"), (8.0, "turning"), (8.0, "held")])
def test_round_a_closed_rail_a_tube_closes_without_a_seam(stir, way):
    rail = ring(stir)
    made = sweep([tube_section(rail)], along(rail, way))
    assert made.surface.closed == (True, True)
    assert made.deviation <= 0.002
    assert to_curve(rail, over(made.surface, 301)).distance == pytest.approx(RADIUS, abs=0.003)
    u = np.linspace(*made.surface.domain[0], 41)
    one, two = (surface_derivatives(made.surface, u, np.full(41, v), 2) for v in made.surface.domain[1])
    n, m = (unit(cross(d[1, 0], d[0, 1])) for d in (one, two))
    assert np.abs(one[0, 0] - two[0, 0]).max() < 1e-12
    assert np.degrees(np.linalg.norm(cross(n, m), axis=1)).max() < 1e-4
    # Normal curvature along the rail is alike on both sides, too.
    bends = [
        np.einsum("mi,mi->m", d[0, 2], k) / np.einsum("mi,mi->m", d[0, 1], d[0, 1]) for d, k in ((one, n), (two, n))
    ]
    assert np.abs(bends[0] - bends[1]).max() < 1e-4 * np.abs(bends[0]).max()


def test_sections_round_a_closed_rail_pass_into_each_other_and_back():
    rail = circle(np.zeros(3), np.array([0, 0, 1.0]), 60.0)
    sections = [tube_section(rail, k / 3, r) for k, r in enumerate((4.0, 7.0, 5.0))]
    made = sweep(sections, along(rail))
    assert made.surface.closed[1]
    for section in sections:
        points = curve_points(section, np.linspace(*section.domain, 33))
        assert to_surface(made.surface, points).distance.max() < 0.003
    thick = to_curve(rail, over(made.surface, 121)).distance
    assert (thick.min(), thick.max()) == pytest.approx((4, 7), abs=0.5)


def test_between_two_closed_rails_a_rim_closes():
    inner, outer = (circle(np.zeros(3), np.array([0, 0, 1.0]), r) for r in (40.0, 50.0))
    start = curve_points(inner, [0.0])[0]
    out = start / 40.0
    up = np.array([0, 0, 5.0])
    arch = Curve.bezier([start, start + up, start + 10 * out + up, start + 10 * out])
    made = sweep([arch], between(inner, outer))
    assert made.surface.closed[1]
    p = over(made.surface)
    t = np.linspace(0, 1, 400)
    r, z = (curve_points(arch, t) @ out, curve_points(arch, t)[:, 2])
    away = np.hypot(np.hypot(p[:, 0], p[:, 1])[:, None] - r, p[:, 2][:, None] - z).min(axis=1)
    assert away.max() < 0.02


def test_a_rail_passes_through_a_closed_section_or_touches_it():
    rail = Curve.line([0, 0, 0], [80, 0, 0])
    tube = sweep([circle(np.array([30.0, 2, 1]), np.array([1.0, 0, 0]), RADIUS)], along(rail)).surface
    p = over(tube)
    assert np.hypot(p[:, 1] - 2, p[:, 2] - 1) == pytest.approx(RADIUS, abs=1e-12)
    assert (p[:, 0].min(), p[:, 0].max()) == pytest.approx((0, 80))
    with pytest.raises(GeometryError, match=r"misses section 1 by 5\.00 mm"):
        sweep([circle(np.array([30.0, 10, 0]), np.array([1.0, 0, 0]), RADIUS)], along(rail))
    with pytest.raises(GeometryError, match="misses section 1"):
        sweep([Curve.bezier([[30, -5, 3], [30, 0, 5], [30, 5, 3]])], along(rail))


@pytest.mark.parametrize("straight", [False, True])
def test_a_loft_round_an_axis_closes_and_kinks_only_at_straight_sections(straight):
    sizes, sections = (30.0, 34.0, 27.0, 32.0), []
    for k, r in enumerate(sizes):
        way = np.array([np.cos(0.5 * np.pi * k), np.sin(0.5 * np.pi * k), 0.0])
        sections.append(Curve.bezier([r * way, (r + 3) * way + [0, 0, 10], r * way + [0, 0, 20]]))
    made = loft_around(sections, np.zeros(3), np.array([0, 0, 1.0]), closed=True, straight=straight)
    assert made.deviation <= 0.002
    assert made.surface.control.shape[1] <= 26
    u = np.linspace(*made.surface.domain[0], 9)
    one, two = (surface_derivatives(made.surface, u, np.full(9, v), 1) for v in made.surface.domain[1])
    n, m = (unit(cross(d[1, 0], d[0, 1])) for d in (one, two))
    turn = np.degrees(np.linalg.norm(cross(n, m), axis=1)).max()
    assert np.abs(one[0, 0] - two[0, 0]).max() < 1e-12
    assert turn > 1 if straight else turn < 1e-6
    # The foot passes straight from radius to radius over the angle, or smoothly through all.
    foot = surface_grid(made.surface, u[:1], np.linspace(*made.surface.domain[1], 401))[0, 0, 0]
    r, at = np.hypot(foot[:, 0], foot[:, 1]), np.arctan2(foot[:, 1], foot[:, 0]) % (2 * np.pi) / (0.5 * np.pi)
    if straight:
        assert np.abs(r - np.interp(at, range(5), [*sizes, sizes[0]])).max() < 0.003
    else:
        assert np.interp(range(4), at, r, period=4) == pytest.approx(sizes, abs=0.003)
