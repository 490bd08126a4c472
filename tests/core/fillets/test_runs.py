"""Creases that go on where both faces give way to others, as in a part of two halves, against the torus between a plane
and a cylinder in closed form; and loops that begin beside joints."""

import numpy as np
import pytest

from pamble.core.checks.body import body_of
from pamble.core.curves.shapes import circle
from pamble.core.faces.face import Face
from pamble.core.faces.trim import Cutter, divide
from pamble.core.fillets.chain import follow
from pamble.core.fillets.fillet import fillet
from pamble.core.fillets.strip import Ask
from pamble.core.planes import plane_at
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extrude import extrude
from pamble.core.surfaces.revolve import revolve
from tests.shapes import plane

RADIUS, BALL = 40.0, 6.0
MIDDLE = plane_at(np.zeros(3), np.array([0.0, 1.0, 0.0]))


def part_of(surface: Surface, cutters: list[Cutter], at: tuple[float, float]) -> Face:
    """The region of a face in which a place lies, as fractions of its parameters."""
    made = divide(Face(surface), cutters, 1e-6)
    low, high = np.array(surface.domain).T
    spot = low + np.array(at) * (high - low)
    return made.holding([min(made.regions, key=lambda r: float(np.linalg.norm(r.at - spot))).number])[0]


def disc_on_a_tube(lean: float) -> list[Face]:
    """Two halves of a disc, and two of the tube below it that meet in the same two points of the rim, at an angle."""
    th = np.radians(lean)
    apart = plane_at(np.zeros(3), np.array([0.0, np.cos(th), np.sin(th)]))
    profile = Curve.line([RADIUS, 0, -60], [RADIUS, 0, 8])
    discs, tubes = [], []
    for k, start in enumerate((-60.0, 120.0)):
        tube = revolve(profile, np.zeros(3), np.array([0.0, 0.0, 1.0]), start, start + 300)
        flat = plane((-50, -50, 0), (100, 0, 0), (0, 100, 0))
        rim = revolve(profile, np.zeros(3), np.array([0.0, 0.0, 1.0]), 0, 360)
        round_it = [Cutter("m", "the middle", MIDDLE), Cutter("rim", "the tube", Face(rim))]
        discs.append(part_of(flat, round_it, (0.5, 0.7 - 0.4 * k)))
        top = plane_at(np.zeros(3), np.array([0.0, 0.0, 1.0]))
        tubes.append(part_of(tube, [Cutter("m", "the middle", apart), Cutter("rim", "the top", top)], (0.5, 0.4)))
    return [*discs, *tubes]


@pytest.mark.parametrize("lean", [0.0, 25.0])
@pytest.mark.parametrize("section", ["ball", "g2"])
def test_a_rim_runs_on_from_half_to_half(lean, section):
    part = disc_on_a_tube(lean)
    edge = next(e for e in part[0].edges if e.name.startswith("rim"))
    found = follow(part, 0, edge, 1e-3)
    assert found.loop
    assert sorted(r.numbers for r in found.runs) == [(0, 2), (1, 3)]
    made = fillet(part, [Ask(0, edge, (BALL, BALL))], section)
    assert not made.warnings
    assert max(max(row.figures.gap) for row in made.faces) < 0.001
    assert max(max(row.figures.angle) for row in made.faces) < 0.004
    one, two = (row.face for row in made.faces)
    # Upright halves share the section at their joint; leaning ones end aslant, on one line as well.
    assert one.natural == two.natural == (lean == 0)
    for face in (one, two) if section == "ball" else ():
        (a, b), (c, d) = face.surface.domain
        us, vs = np.linspace(0.9 * a + 0.1 * b, 0.1 * a + 0.9 * b, 33), np.linspace(c, d, 9)
        p = surface_grid(face.surface, us, vs)[0, 0]
        off = np.hypot(np.hypot(p[..., 0], p[..., 1]) - (RADIUS - BALL), p[..., 2] + BALL) - BALL
        assert np.abs(off).max() < 0.001
    for edge in (e for e in one.edges if e.side not in ("v0", "v1")):
        places = curve_points(edge.space, np.linspace(*edge.space.domain, 33))
        assert min(to_curve(e.space, places).distance.max() for e in two.edges) < 1e-4
    body = body_of([*made.changed.values(), one, two])
    # Only the tube's foot is open.
    assert sorted(o.edge.name for o in body.open) == ["v0", "v0"]
    assert not body.turned


def test_where_only_one_half_is_given_the_fillet_ends_with_it():
    disc, _, tube, _ = disc_on_a_tube(0.0)
    edge = next(e for e in disc.edges if e.name.startswith("rim"))
    assert not follow([disc, tube], 0, edge, 1e-3).loop
    made = fillet([disc, tube], [Ask(0, edge, (BALL, BALL))])
    ends = np.vstack([e.space.control for e in made.faces[0].face.edges if e.side not in ("v0", "v1")])
    assert np.abs(ends[:, 1]).max() < 1e-4


@pytest.mark.parametrize("lean", [4e-4, 4e-3, 2e-2])
def test_a_loop_begins_where_its_contact_crosses_the_joint_of_a_wall_beside_it(lean):
    # The joint of a leaning tube runs off sideways: the ball that starts at it touches the tube a hair beside it.
    foot = circle(np.zeros(3), np.array([0, 0, 1.0]), 20.0)
    tube = Face(extrude(foot, np.array([0, lean, 1.0]), 0, 40))
    flat = plane((-50, -50, 0), (100, 0, 0), (0, 100, 0))
    floor = part_of(flat, [Cutter("foot", "the tube", foot)], (0.02, 0.02))
    edge = next(e for e in floor.edges if e.name.startswith("foot"))
    made = fillet([floor, tube], [Ask(0, edge, (4.0, 4.0))])
    assert not made.opened([floor, tube])
    (row,) = made.faces
    vertex = next(e for e in made.changed[1].edges if e.name == "u0").space.control[0]
    start = next(e for e in row.face.edges if e.side == "v1").space.control[0]
    assert np.linalg.norm(start - vertex) < 2e-4
    assert max(row.figures.gap) < 0.001
    # Oblique sections of the tube are circles about its leaning axis.
    contact = next(e for e in row.face.edges if e.side == "v1").space
    p = curve_points(contact, np.linspace(*contact.domain, 65))
    assert np.hypot(p[:, 0], p[:, 1] - lean * p[:, 2]) == pytest.approx(20.0, abs=0.001)


@pytest.mark.parametrize("number", [0, 1, 2, 3])
def test_a_crease_is_followed_where_the_faces_on_both_sides_are_parted_in_other_places(number):
    """Their edges lie on each other by parts alone, as those of sheets that were made one by one do."""
    part = [Face(plane((a, 0, 0), (b - a, 0, 0), (0, 40, 0))) for a, b in ((0, 40), (40, 100))]
    part += [Face(plane((a, 0, 0), (b - a, 0, 0), (0, 0, -30))) for a, b in ((0, 60), (60, 100))]
    made = fillet(part, [Ask(number, part[number].edge("v0"), (5.0, 5.0))])
    assert body_of([row.face for row in made.faces], 0.005).area == pytest.approx(0.5 * np.pi * 5 * 100, rel=1e-7)
    assert sorted(made.changed) == [0, 1, 2, 3]
    assert not made.opened(part)
