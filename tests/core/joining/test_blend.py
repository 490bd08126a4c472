"""Edge blends: closed forms, read-back of the exported file by OpenCASCADE alone, laws, and errors in words."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pamble.core.errors import BlendError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face, natural_edge
from pamble.core.joining.blend import build_blend, preview_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.spline import Curve, Surface, basis, knots
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.demo.mirror_cap import crown, flank
from tests import readback
from tests.core.trace.panels import panels
from tests.shapes import arc_curve, cylinder, panel, plane

FLAT = plane((0, 0, 0), (200, 0, 0), (0, 80, 0))
STEEP = plane((0, 110, -30), (200, 0, 0), (0, 20, -90))


def turning_panels(amplitude: float = 8.0, seed: int = 4) -> tuple[Surface, Surface]:
    """Two panels whose cross directions and crease angle turn along the length."""
    rng = np.random.default_rng(seed)
    a = panel(lambda x, y: (x, y - 8 * (x / 150 - 1) ** 2, -1.5e-3 * (y - 100) ** 2 - 20 * (x / 150 - 1) ** 2))
    b = panel(lambda x, y: (x * 1.02, 127 + 0.3 * y + 5 * (x / 150 - 1), -14 - y - 18 * (x / 150 - 1) ** 2))
    noise = rng.normal(size=a.control.shape) * [1, 1, amplitude]
    return a.with_control(a.control + noise), b.with_control(b.control + noise[::-1])


def edges(a: Surface, b: Surface):
    return natural_edge(a, "v1"), natural_edge(b, "v0")


def test_symmetric_blend_of_two_planes_is_the_closed_form():
    """Two planes at 90 degrees: the quintic Bezier section with rows at 0, f/5, 2f/5 of the chord along each plane."""
    a, b = plane((0, 0, 0), (100, 0, 0), (0, 50, 0)), plane((0, 70, -20), (100, 0, 0), (0, 0, -50))
    s = build_blend(*edges(a, b), BlendSpec(fullness=(0.8, 0.8), ends="straight")).surface
    chord = np.hypot(20, 20)
    reach = 0.8 * chord / 5
    section = [[50, 0], [50 + reach, 0], [50 + 2 * reach, 0], [70, -20 + 2 * reach], [70, -20 + reach], [70, -20]]
    w = np.linspace(0, 1, 21)
    for u in (0.0, 0.4, 1.0):
        expected = curve_points(Curve.bezier(section), w)
        assert np.allclose(surface_points(s, np.full(21, u), w)[:, 1:], expected, atol=1e-9)
    assert s.control.shape == (6, 6, 3)


@pytest.mark.parametrize("continuity", [(1, 1), (2, 2), (3, 3), (2, 1), (0, 3)])
def test_cylinder_meets_plane(continuity):
    round_face = cylinder(50, 120)
    flat = plane((80, -60, 0), (0, 0, 120), (90, 0, 0))
    made = build_blend(natural_edge(round_face, "u0"), natural_edge(flat, "v0"), BlendSpec(continuity))
    for residual, order in zip(made.residuals, continuity, strict=True):
        assert residual.gap < 1e-6
        assert order < 1 or residual.angle < 1e-6
        assert order < 2 or residual.curvature_abs < 1e-9
        assert order < 3 or residual.rate < 1e-9


@pytest.mark.parametrize("case", ["planes", "cylinder", "turning", "demo", "rough"])
def test_seams_read_back_from_step_by_opencascade(case, tmp_path):
    """The figures asked of a G2 blend: gap .005 mm, angle .01 degrees, curvature 1 % of the neighbour's."""
    a, b = {
        "planes": (FLAT, STEEP),
        "cylinder": (cylinder(60, 150), plane((75, -75, 0), (0, 0, 150), (90, -20, 0))),
        "turning": turning_panels(),
        "demo": (crown(), flank()),
        "rough": turning_panels(15.0, 9),
    }[case]
    first, second = (natural_edge(a, "u0"), natural_edge(b, "v0")) if case == "cylinder" else edges(a, b)
    made = build_blend(first, second, BlendSpec())
    path = tmp_path / "out.step"
    write_step([("A", Face(a)), ("B", Face(b)), ("Blend", Face(made.surface))], path)
    in_file = readback.faces(path)
    diagonal = 400.0
    for neighbour in in_file[:2]:
        f = readback.nearest_seam(in_file[2], neighbour, 1 / diagonal)
        assert f.gap < 0.005
        assert f.angle < 0.01
        assert f.curvature < 1.0
    if case == "demo":
        assert made.spans <= 3
        assert made.surface.degree_u == 5


def test_reported_residual_is_what_opencascade_measures(tmp_path):
    a, b = turning_panels()
    made = build_blend(*edges(a, b), BlendSpec((1, 2), spans=1))
    path = tmp_path / "out.step"
    write_step([("A", Face(a)), ("B", Face(b)), ("Blend", Face(made.surface))], path)
    in_file = readback.faces(path)
    for neighbour, residual in zip(in_file[:2], made.residuals, strict=True):
        f = readback.nearest_seam(in_file[2], neighbour, 1e-9)
        assert f.angle == pytest.approx(residual.angle, rel=0.05, abs=1e-5)
        assert f.curvature_abs == pytest.approx(residual.curvature_abs, rel=0.05, abs=1e-8)


@settings(max_examples=12)
@given(
    st.integers(0, 10_000),
    st.sampled_from([(1, 1), (2, 2), (3, 2)]),
    st.sampled_from(["neighbours", "straight", "iso"]),
)
def test_random_panels_reach_the_aim_or_say_that_they_do_not(seed, continuity, ends):
    made = build_blend(*edges(*turning_panels(5.0, seed)), BlendSpec(continuity, ends=ends))
    reached = all(r.ratio(min(g, 2)) <= 1 for r, g in zip(made.residuals, continuity, strict=True))
    assert reached or any("did not reach the aim" in w for w in made.warnings)
    assert np.isfinite(made.surface.control).all()


@pytest.mark.parametrize("turn", ["u", "v", "both"])
def test_blend_does_not_depend_on_how_the_faces_are_parametrised(turn):
    a, b = turning_panels()
    shape = build_blend(*edges(a, b), BlendSpec()).surface
    c = b
    if turn in ("u", "both"):
        c = knots.reverse_surface(c, "u")
    name = "v0"
    if turn in ("v", "both"):
        c, name = knots.reverse_surface(c, "v"), "v1"
    other = build_blend(natural_edge(a, "v1"), natural_edge(c, name), BlendSpec()).surface
    grid = np.linspace(0, 1, 9)
    u, v = (g.ravel() for g in np.meshgrid(grid, grid))
    assert np.allclose(surface_points(shape, u, v), surface_points(other, u, v), atol=1e-6)


def test_exact_edges_stay_exactly_where_they_are():
    a, b = crown(), flank()
    s = build_blend(*edges(a, b), BlendSpec()).surface
    t = np.linspace(0, 1, 50)
    for mine, theirs in (("v0", knots.edge_curve(a, "v1")), ("v1", knots.edge_curve(b, "v0"))):
        mine_points = curve_points(knots.edge_curve(s, mine), t)
        theirs_points = curve_points(theirs, t)
        direct = np.linalg.norm(mine_points - theirs_points, axis=1).max()
        turned = np.linalg.norm(mine_points - theirs_points[::-1], axis=1).max()
        assert min(direct, turned) < 1e-9


def test_edges_of_many_spans_keep_their_own_knots():
    rng = np.random.default_rng(2)
    inner = basis.uniform_knots(3, 5)
    x, y = np.meshgrid(basis.greville(inner, 3) * 300, np.linspace(0, 100, 4), indexing="ij")

    def wavy(offset: float, fall: float) -> Surface:
        z = rng.normal(size=x.shape) * 0.5 - fall * y
        return Surface(3, 3, inner, basis.uniform_knots(3, 1), np.stack([x, y + offset, z], axis=-1))

    made = build_blend(*edges(wavy(0, 0), wavy(130, 1)), BlendSpec())
    assert made.spans == 5
    assert max(r.gap for r in made.residuals) < 1e-9


def test_an_edge_that_bends_sharply_in_one_place_gets_closer_spans_there():
    """A face of a hundred spans, made by another method, whose edge rises by 4 mm within 20 of its 300 mm."""
    along = np.linspace(0, 300, 104)
    bump = 4 * np.exp(-(((along - 90) / 12) ** 2))
    net = np.stack(
        [np.stack([along, np.full(104, y), bump * (1 - y / 120)], axis=-1) for y in (0, -30, -60, -90)], axis=1
    )
    bumpy = Surface(3, 3, basis.uniform_knots(3, 101), basis.uniform_knots(3, 1), net)
    calm = panel(lambda x, y: (x, 30 + y, -20 - y))
    pair = natural_edge(bumpy, "v0"), natural_edge(calm, "v0")
    made = build_blend(*pair, BlendSpec())
    assert all(r.ratio(2) <= 1 for r in made.residuals)
    preview = preview_blend(*pair, BlendSpec(), made.surface.knots_u).surface
    assert np.allclose(preview.control, made.surface.control, atol=1e-9)
    wide = np.diff(basis.breaks(made.surface.knots_u, 5))
    assert wide.max() > 3 * wide.min()


@pytest.mark.parametrize("spans", [1, 2, 4, 8])
def test_with_too_few_spans_a_blend_misses_by_the_unevenness_and_stays_calm(spans):
    """A crease that is uneven by .8° is missed by about that; sides that turned back missed it by 180°."""
    (a, b), (one, two), _ = panels(np.random.default_rng(102), "crease")
    made = build_blend(a.edge(one), b.edge(two), BlendSpec(spans=spans))
    assert 0.1 < max(r.angle for r in made.residuals) < 1.5
    across = np.diff(made.surface.control, axis=1)
    wide = np.linalg.norm(made.surface.control[:, -1] - made.surface.control[:, 0], axis=1)
    assert (np.linalg.norm(across, axis=2).max(axis=1) < 1.5 * wide).all()


def test_trimmed_and_rational_edges_are_met_within_the_aim():
    arc = arc_curve(80.0, 90)
    wall = Surface(
        2, 1, arc.knots, basis.uniform_knots(1, 1), np.stack([arc.control, arc.control + np.array([0, 0, 60])], axis=1),
        np.stack([arc.weights, arc.weights], axis=1),
    )  # fmt: skip
    outer = arc_curve(105.0, 90)
    floor = Surface(
        2, 1, arc.knots, basis.uniform_knots(1, 1),
        np.stack([outer.control + np.array([0, 0, -20]), 1.5 * outer.control + np.array([0, 0, -30])], axis=1),
        np.stack([arc.weights, arc.weights], axis=1),
    )  # fmt: skip
    made = build_blend(natural_edge(wall, "v0"), natural_edge(floor, "v0"), BlendSpec())
    assert all(r.ratio(2) <= 1 for r in made.residuals)
    assert made.spans <= 4


def test_preview_on_the_kept_knots_is_the_kept_blend():
    pair = edges(crown(), flank())
    kept = build_blend(*pair, BlendSpec()).surface
    preview = preview_blend(*pair, BlendSpec(), kept.knots_u).surface
    assert np.allclose(preview.control, kept.control, atol=1e-9)


def test_inflection_is_told_and_calm_sections_are_not():
    calm = build_blend(*edges(FLAT, STEEP), BlendSpec())
    assert calm.warnings == ()
    full = build_blend(*edges(FLAT, STEEP), BlendSpec(fullness=(1.7, 1.7)))
    assert any("inflection" in w for w in full.warnings)
    even = plane((0, 110, -30), (200, 0, 0), (0, 0, -90))
    looped = build_blend(*edges(FLAT, even), BlendSpec(fullness=(2.6, 2.6)))
    assert any("loop" in w or "folds" in w or "inflection" in w for w in looped.warnings)


def test_flip_twists_the_pairing():
    straight = build_blend(*edges(FLAT, STEEP), BlendSpec()).surface
    flipped = build_blend(*edges(FLAT, STEEP), BlendSpec(flip=True))
    assert any("folds" in w for w in flipped.warnings) or not np.allclose(
        straight.control[0, -1], flipped.surface.control[0, -1]
    )


@pytest.mark.parametrize(
    ("build", "words"),
    [
        (lambda: BlendSpec(fullness=(0.0, 1.0)), "Fullness 0 is out of range"),
        (lambda: BlendSpec((2, 4)), "G4 is not known"),
        (lambda: BlendSpec(degree=12), "Degree 12"),
        (lambda: BlendSpec(spans=0), "0 spans"),
        (lambda: build_blend(natural_edge(FLAT, "v1"), natural_edge(FLAT, "v1"), BlendSpec()), "picked twice"),
        (
            lambda: build_blend(natural_edge(FLAT, "u0"), natural_edge(FLAT, "v0"), BlendSpec()),
            "edges touch at",
        ),
        (
            lambda: build_blend(
                natural_edge(FLAT, "v1"), natural_edge(Surface.bezier(np.zeros((2, 2, 3))), "v0"), BlendSpec()
            ),
            "no length",
        ),
        (
            lambda: build_blend(
                natural_edge(FLAT, "v1"),
                natural_edge(
                    Surface(1, 1, [0, 0, 1, 2, 2], [0, 0, 1, 1],
                            [[[0, 120, 0], [0, 160, 0]], [[90, 130, 0], [90, 160, 0]], [[200, 120, 0], [200, 160, 0]]]),
                    "v0",
                ),
                BlendSpec(),
            ),
            "kink of",
        ),
    ],
)  # fmt: skip
def test_what_cannot_be_blended_is_said_in_words(build, words):
    with pytest.raises(BlendError, match=words):
        build()
