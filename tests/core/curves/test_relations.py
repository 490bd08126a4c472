"""Relations: solvable systems are solved nearby, freedom equals the rank, contradictions are named."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pamble.core.curves.jets import end_jet, joint_figures
from pamble.core.curves.relations import CVS, Relation, check_relations, solve_relations, straight_line
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

POLYGON = np.array([[0.0, 0, 0], [20, 3, 12], [45, -2, 18], [70, 1, 15], [90, 0, 2]])


def curve(control):
    return Curve(4, basis.uniform_knots(4, 1), control)


def residuals(x, r):
    """The meaning of each relation, written down a second time."""
    p = x[list(r.cvs)]
    match r.kind:
        case "fixed":
            return p[0] - r.point
        case "same":
            return p[0][r.axis] - p[1][r.axis]
        case "length":
            return np.linalg.norm(p[1] - p[0]) - r.value
        case "symmetric":
            mirrored = p[0].copy()
            mirrored[r.axis] = 2 * r.value - mirrored[r.axis]
            return mirrored - p[1]
        case "collinear":
            return np.linalg.norm(np.cross(p[1] - p[0], p[2] - p[0])) / np.linalg.norm(p[2] - p[0])
        case "equal":
            return np.linalg.norm(p[1] - p[0]) - np.linalg.norm(p[3] - p[2])
        case "coincident":
            return p[1] - p[0]
        case "incline":
            leg = p[1] - p[0]
            return np.degrees(np.arccos(leg[r.axis] / np.linalg.norm(leg))) - r.value
    u, v = p[1] - p[0], p[3] - p[2]
    return np.degrees(np.arccos(u @ v / np.linalg.norm(u) / np.linalg.norm(v))) - r.value


def kept_by(x, kind, cvs):
    """A relation of the kind that the polygon keeps already, so that a system of them has a solution."""
    p = x[list(cvs)]
    legs = [np.linalg.norm(p[i + 1] - p[i]) for i in range(0, len(p) - 1, 2)]
    if kind == "fixed":
        return Relation(kind, cvs, point=tuple(p[0]))
    if kind == "length":
        return Relation(kind, cvs, value=legs[0])
    u, v = p[1] - p[0], p[3] - p[2]
    return Relation(kind, cvs, value=float(np.degrees(np.arccos(u @ v / legs[0] / legs[1]))))


@settings(max_examples=40)
@given(st.integers(0, 10_000), st.lists(st.sampled_from(["fixed", "length", "angle"]), min_size=1, max_size=6))
def test_random_solvable_systems_are_solved_and_freedom_is_the_rank(seed, kinds):
    rng = np.random.default_rng(seed)
    goal = POLYGON + rng.normal(size=POLYGON.shape) * 2
    relations = tuple(kept_by(goal, k, tuple(int(i) for i in rng.permutation(5)[: CVS[k]])) for k in kinds)
    made = solve_relations(curve(goal + rng.normal(size=goal.shape) * 0.3), relations)
    assert made.broken == ()
    assert all(np.abs(residuals(made.control, r)).max() < 1e-5 for r in relations)

    def all_of(flat):
        return np.concatenate([np.atleast_1d(residuals(flat.reshape(-1, 3), r)) for r in relations])

    x = made.control.ravel()
    steps = 1e-6 * np.eye(len(x))
    jacobian = np.array([(all_of(x + s) - all_of(x - s)) / 2e-6 for s in steps]).T
    assert made.free == len(x) - np.linalg.matrix_rank(jacobian, tol=1e-4 * np.abs(jacobian).max())


@pytest.mark.parametrize(
    "relation",
    [
        Relation("same", (0, 3), axis=2),
        Relation("symmetric", (1, 3), axis=0, value=45),
        Relation("collinear", (0, 1, 2)),
        Relation("equal", (0, 1, 1, 2)),
        Relation("coincident", (0, 1)),
        Relation("incline", (3, 4), axis=0, value=25),
        Relation("angle", (1, 0, 1, 2), value=150),
    ],
)
def test_each_kind_is_kept_by_a_small_move(relation):
    made = solve_relations(curve(POLYGON), (relation,))
    assert np.abs(residuals(made.control, relation)).max() < 1e-6
    assert np.linalg.norm(made.control - POLYGON, axis=1).max() < 12
    assert np.allclose(np.delete(made.control, relation.cvs, axis=0), np.delete(POLYGON, relation.cvs, axis=0))


def test_a_held_cv_stays_under_the_pointer_if_others_can_give_way():
    target = POLYGON.copy()
    target[2] += [0, 0, 30]
    leg = Relation("length", (2, 3), value=25.0)
    made = solve_relations(curve(target), (leg,), np.array([2]))
    assert np.linalg.norm(made.control[2] - target[2]) < 0.05
    assert np.linalg.norm(made.control[3] - target[3]) > 5
    pinned = solve_relations(curve(target), (leg, Relation("fixed", (3,), point=tuple(POLYGON[3]))), np.array([2]))
    assert np.allclose(pinned.control[3], POLYGON[3])
    assert np.linalg.norm(pinned.control[3] - pinned.control[2]) == pytest.approx(25)


def test_contradicting_and_idle_relations_are_named():
    a, b = Relation("length", (0, 1), value=20), Relation("length", (0, 1), value=30)
    made = solve_relations(curve(POLYGON), (a, b))
    assert made.broken == (1,)
    assert np.linalg.norm(made.control[1] - made.control[0]) == pytest.approx(20)
    again = solve_relations(curve(POLYGON), (a, Relation("same", (1, 2)), a))
    assert again.broken == ()
    assert again.idle == (2,)
    assert again.free == 15 - 2


def test_relations_name_cvs_that_are_there():
    for relation, words in (
        (Relation("length", (0, 9)), "names CV 10"),
        (Relation("length", (0,)), "binds 2 CVs"),
        (Relation("square", (0, 1)), "no relation"),
    ):
        with pytest.raises(GeometryError, match=words):
            check_relations((relation,), 5)


NEIGHBOUR = Curve(3, basis.uniform_knots(3, 1), [[-60.0, 0, 20], [-40, 0, 10], [-20, 5, 4], [-3, 1, 1]])


@pytest.mark.parametrize("order", [0, 1, 2, 3])
@pytest.mark.parametrize("end", [0, 1])
def test_a_joint_meets_its_neighbour_with_the_continuity_asked_for(end, order):
    """Judged by the figures of the joint; the leg lengths that are asked for beside it are kept too."""
    long = Curve(5, basis.uniform_knots(5, 2), np.vstack([POLYGON, [[120, 4, -9], [150, 0, -30]]]))
    joint = Relation("joint", end=end, order=order, target=end_jet(NEIGHBOUR, 1))
    leg = Relation("length", (2, 3), value=31)
    made = solve_relations(long, (joint, leg))
    assert made.broken == ()
    assert made.free == 21 - (3 + 2 * order) - 1
    found = joint_figures(end_jet(Curve(5, long.knots, made.control), end), joint.target, 200)
    figures = (found.gap, found.angle, found.curvature_abs, found.rate_abs)
    assert max(figures[: order + 1]) < 1e-8
    assert np.linalg.norm(made.control[3] - made.control[2]) == pytest.approx(31)


def test_a_curve_touches_a_line_at_its_widest():
    line = Curve.line([0, 0, 30], [90, 0, 36])
    point, direction = straight_line(line)
    made = solve_relations(
        curve(POLYGON * [1, 0, 1]), (Relation("touch", point=tuple(point), direction=tuple(direction)),)
    )
    points = curve_points(curve(made.control), np.linspace(0, 1, 4001))
    across = np.cross([0, 1, 0], direction)
    heights = (points - point) @ across
    assert np.abs(heights).min() < 1e-6
    assert (heights > -1e-7).all() or (heights < 1e-7).all()
    with pytest.raises(GeometryError, match="bent"):
        straight_line(NEIGHBOUR)


def test_cvs_of_another_curve_hold_and_do_not_move():
    anchors = np.array([[-20.0, 0, -5], [-8, 1, -2]])
    made = solve_relations(
        curve(POLYGON),
        (Relation("coincident", (0, 6)), Relation("collinear", (5, 6, 1)), Relation("equal", (5, 6, 0, 1))),
        anchors=anchors,
    )
    assert made.broken == ()
    assert np.allclose(made.control[0], anchors[1])
    assert np.allclose(made.control[1], 2 * anchors[1] - anchors[0])
    with pytest.raises(GeometryError, match="names CV 8"):
        solve_relations(curve(POLYGON), (Relation("coincident", (0, 7)),), anchors=anchors)
