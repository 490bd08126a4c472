"""The trace finds what was planted, at its place, and says nothing of sound parts."""

import numpy as np
import pytest

from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.frames import frames
from pamble.core.joining.blend import build_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.trace.cause import find_cause
from pamble.core.trace.signals import Line
from pamble.core.trace.why import Trace, trace
from pamble.core.trace.words import told
from tests.core.trace.panels import WAYS, interpolated, panels, rings


def why(faces: list[Face], edge: str) -> Trace:
    return trace(faces, 0, faces[0].edge(edge), part_diagonal(faces))


def blended(faces: list[Face], names: tuple[str, str], spans: int | None) -> list[Face]:
    a, b = (f.edge(n) for f, n in zip(faces, names, strict=True))
    return [*faces, Face(build_blend(a, b, BlendSpec(spans=spans), part_diagonal(faces)).surface)]


@pytest.mark.parametrize("seed", range(4))
@pytest.mark.parametrize("way", WAYS)
def test_the_planted_cause_is_found_over_a_gap_and_behind_a_blend_that_cannot_follow(way, seed):
    faces, names, who = panels(np.random.default_rng(100 + seed), way)
    over_gap = why(faces, names[0])
    behind = why(blended(faces, names, 2), names[0])
    assert (over_gap.between, behind.between) == (None, 2)
    for found in (over_gap, behind):
        if way == "none":
            assert found.sound
            assert found.spans[0] <= 2
            continue
        assert (found.cause.kind, found.cause.side, found.cause.also) == (way, who, None)
        assert found.cause.needs > 3 * found.cause.healed
        assert found.faces == (0, 1)
        if way == "corner":
            assert min(abs(found.cause.place[0] - x) for x in (0, 500)) < 70


@pytest.mark.parametrize("seed", range(2))
@pytest.mark.parametrize("way", ["none", "primary", "crease"])
def test_the_planted_cause_is_found_beside_a_trimmed_edge_and_round_a_loop(way, seed):
    rng = np.random.default_rng(40 + seed)
    # A round blend of four spans is too coarse for a circle itself.
    for spans, (faces, names, who) in (
        (2, panels(rng, way, trimmed=True)),
        (9 if way == "none" else 4, rings(rng, way)),
    ):
        for found in (why(faces, names[0]), why(blended(faces, names, spans), names[0])):
            if way == "none":
                assert found.sound
            else:
                assert (found.cause.kind, found.cause.side, found.cause.also) == (way, who, None)
        assert why(blended(faces, names, None), names[0]).sound


@pytest.mark.parametrize("way", ["none", "primary", "crease", "corner"])
def test_of_two_faces_that_run_on_into_each_other_the_spoiled_one_is_named(way):
    for seed in range(3):
        whole, (first, second), who = panels(np.random.default_rng(seed), way, smooth=True)
        for edge in ((0, first), (1, second)):
            found = trace(whole, edge[0], whole[edge[0]].edge(edge[1]), part_diagonal(whole))
            if way == "none":
                assert found.sound
            else:
                assert (found.cause.kind, found.faces[found.cause.side], found.cause.also) == (way, who, None)


def test_what_lies_ahead_of_an_edge_is_not_across_a_gap():
    def flat(x):
        return Face(interpolated(lambda u, v: np.stack([x + 90 * u, 40 * v, 0 * u], -1)))

    with pytest.raises(GeometryError, match="no seam and no gap"):
        why([flat(0), flat(95)], "v1")


@pytest.mark.parametrize("other", ["primary", "crease", "edge"])
@pytest.mark.parametrize("way", ["primary", "crease", "edge"])
def test_two_causes_at_once_are_both_named_each_on_its_side(way, other):
    faces, names, who = panels(np.random.default_rng(310), way, other=other)
    for found in (why(faces, names[0]), why(blended(faces, names, 2), names[0])):
        cause = found.cause
        assert {cause.side: cause.kind, cause.also.side: cause.also.kind} == {who: way, 1 - who: other}
        assert cause.needs > 3 * cause.healed
        words = told(found, ("Hood", "Wing", "Blend"))
        assert "And: " in words
        assert f"With both mended {cause.healed} span" in words


@pytest.mark.parametrize("way", ["primary", "crease", "edge"])
def test_nothing_is_said_where_the_blend_follows_what_is_spoiled(way):
    faces, names, _ = panels(np.random.default_rng(7), way)
    found = why(blended(faces, names, None), names[0])
    assert found.sound
    assert found.spans[1] > 8


def test_an_uneven_crease_of_two_faces_that_touch_is_told_with_its_angle():
    rng = np.random.default_rng(3)
    calm, names, _ = panels(rng, "none", gap=0)
    assert why(calm, names[0]).sound
    faces, names, who = panels(rng, "crease", gap=0)
    found = why(faces, names[0])
    assert (found.cause.kind, found.faces[found.cause.side], found.between) == ("crease", who, None)
    assert found.cause.figure == found.crease[2] > 0.1
    assert found.seam.worst["gap"].value < 0.001


def test_too_few_spans_a_blend_that_was_pulled_and_a_skew_pairing_are_told_apart():
    def rolling(y, z, turn):
        return interpolated(
            lambda u, v: np.stack([400 * u, y + 150 * v, z * v + 14 * np.sin(6 * u + turn) * np.cos(0.8 * v)], -1), 4
        )

    faces = [Face(rolling(-150, 0, 0.3)), Face(rolling(40, -90, 0.9))]
    tight = why(blended(faces, ("v1", "v0"), 1), "v1")
    assert tight.cause.kind == "spans"
    assert tight.cause.figure == 1 < tight.cause.needs <= 8
    good = blended(faces, ("v1", "v0"), None)
    assert why(good, "v1").sound
    control = good[2].surface.control.copy()
    control[2, 1] += [0, 0, 1.5]
    pulled = why([*faces, Face(good[2].surface.with_control(control))], "v1")
    assert (pulled.cause.kind, pulled.cause.unit) == ("made", "degree")
    # A blend that asks for less than the seam is judged by.
    a, b = (f.edge(n) for f, n in zip(faces, ("v1", "v0"), strict=True))
    less = Face(build_blend(a, b, BlendSpec((1, 1)), 500.0).surface)
    asked = trace([*faces, less], 0, a, 500.0, target=2)
    assert (asked.cause.kind, asked.cause.unit, asked.target) == ("made", "%", 2)
    # Skew: shares of one edge run ahead and behind by up to two millimetres and a little.
    even = Line(faces[0].edge("v1"), lambda s: s)
    skew = Line(faces[1].edge("v0"), lambda s: s + 0.005 * np.sin(8 * np.pi * s))
    _, cause = find_cause(even, skew, 40.0, 500.0, paired=True)
    assert cause.kind == "pairing"
    assert 1.5 < cause.figure < 3


def test_an_edge_beside_which_nothing_runs_is_said():
    with pytest.raises(GeometryError, match="no seam and no gap"):
        why(panels(np.random.default_rng(1), "none")[0][:1], "v1")


def test_turned_and_scaled_parts_have_the_same_cause():
    faces, names, who = panels(np.random.default_rng(12), "crease")
    q, _ = np.linalg.qr(np.random.default_rng(5).normal(size=(3, 3)))
    turned = [Face(f.surface.with_control(0.5 * f.surface.control @ q.T + [30, -8, 5])) for f in faces]
    a, b = why(faces, names[0]), why(turned, names[0])
    assert (a.cause.kind, a.cause.side) == (b.cause.kind, b.cause.side) == ("crease", who)
    assert b.crease == pytest.approx(a.crease, abs=1e-6)
    assert b.cause.place == pytest.approx(0.5 * a.cause.place @ q.T + [30, -8, 5], abs=0.5)


def test_the_figures_of_a_crease_are_those_between_the_samples():
    faces, names, _ = panels(np.random.default_rng(3), "crease")
    found = why(faces, names[0])
    s = np.linspace(0, 1, 20_001)
    a, b = (frames(f.edge(n), s, 2, remember=False).normal for f, n in zip(faces, names, strict=True))
    angle = np.degrees(np.arctan2(np.linalg.norm(np.cross(a, b), axis=1), np.abs((a * b).sum(axis=1))))
    assert found.crease[:2] == pytest.approx((angle.min(), angle.max()), abs=1e-3)
