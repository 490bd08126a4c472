"""Display meshes of trimmed faces: every loop point kept, every side an edge, the area filled just once."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pamble.core.faces.display import display_mesh
from pamble.core.faces.face import Face
from pamble.core.faces.meshing.constrain import edge_keys, sides_of, twice_area
from pamble.core.faces.meshing.trimmed import mesh_loops
from pamble.core.faces.trim import Cutter, Pick, divide
from pamble.core.planes import plane_at
from tests.shapes import panel

SCALE = np.array([300.0, 200.0])


def area(ring):
    x, y = ring.T
    return 0.5 * float(x @ np.roll(y, -1) - y @ np.roll(x, -1))


def ring(centre, radius, count, turn=1.0, waves=0):
    a = turn * np.arange(count) / count * 2 * np.pi
    r = radius * (1 + (0.3 * np.cos(waves * a) if waves else 0.0))
    return np.array(centre) + np.column_stack([r * np.cos(a), r * np.sin(a)])


def check(us, vs, loops):
    mesh = mesh_loops(us, vs, loops, SCALE)
    p = mesh.uv * SCALE
    doubled = twice_area(p, *mesh.triangles.T)
    wanted = sum(area(l * SCALE) for l in loops)
    assert doubled.sum() / 2 == pytest.approx(wanted, rel=1e-9)
    assert doubled.min() > -1e-9 * wanted
    n = sum(len(l) for l in loops)
    assert np.array_equal(mesh.uv[:n], np.vstack(loops))
    keys, count = np.unique(edge_keys(sides_of(mesh.triangles), len(p)), return_counts=True)
    assert count.max() <= 2
    after = np.concatenate([np.roll(np.arange(len(l)), -1) for l in loops])
    start = np.repeat(np.cumsum([0, *(len(l) for l in loops)])[:-1], [len(l) for l in loops])
    border = edge_keys(np.column_stack([np.arange(n), start + after]), len(p))
    assert np.array_equal(np.sort(keys[count == 1]), np.sort(border))


@settings(max_examples=60)
@given(
    st.integers(8, 90), st.integers(0, 9), st.floats(0.1, 0.35), st.integers(3, 40), st.floats(0.02, 0.09),
    st.integers(2, 40),
)  # fmt: skip
def test_random_loops_with_holes_are_filled_once(count, waves, radius, few, small, steps):
    outer = ring((0.5, 0.5), radius, count, waves=waves if count > 4 * waves else 0)
    hole = ring((0.5, 0.5), small * radius / 0.35, few, turn=-1.0)
    lines = np.linspace(0, 1, steps + 1)
    check(lines, lines, [outer, hole])


def test_a_strip_thinner_than_a_cell_and_loops_that_nearly_touch():
    lines = np.linspace(0, 1, 25)
    x = np.linspace(0.1, 0.9, 40)
    strip = np.vstack([np.column_stack([x, 0 * x + 0.5]), np.column_stack([x[::-1], 0 * x + 0.5 + 1 / 300])])
    check(lines, lines, [strip])
    square = np.array([(0.0, 0.0), (1, 0), (1, 1), (0, 1)])
    check(lines, lines, [square, ring((0.5, 0.200001), 0.2, 80, -1.0)])


def test_two_faces_that_cut_each_other_show_the_same_points_along_their_edge():
    a = Face(panel(lambda x, y: (x, y, 10 * np.sin(x / 60)), (6, 4)))
    b = Face(panel(lambda x, y: (x, 50 + 0.05 * x + 0 * y, y - 50), (6, 4)))
    lines = []
    for face, other, name in ((a, b, "t:b"), (b, a, "t:a")):
        cut = divide(face, [Cutter(name, "other", other)], 1e-4)
        kept = cut.keeping([Pick(cut.regions[0].at, cut.regions[0].sides)])[0]
        lines.append(dict(display_mesh(kept, 24, 256.0).lines)[name])
    assert len(lines[0]) == len(lines[1])
    assert min(np.abs(lines[0] - lines[1]).max(), np.abs(lines[0] - lines[1][::-1]).max()) < 1e-6


def test_normals_of_a_trimmed_face_are_those_of_its_surface():
    face = Face(panel(lambda x, y: (x, y, 0.002 * x * y), (3, 3)))
    plane = plane_at(np.array([150.0, 50, 0]), np.array([1.0, 0.5, 0]))
    cut = divide(face, [Cutter("t:p", "plane", plane)], 1e-4)
    mesh = display_mesh(cut.keeping([Pick(cut.regions[0].at, cut.regions[0].sides)])[0], 24)
    x, y = mesh.vertices[:, 0], mesh.vertices[:, 1]
    wanted = np.column_stack([-0.002 * y, -0.002 * x, np.ones(len(x))])
    wanted /= np.linalg.norm(wanted, axis=1)[:, None]
    assert np.abs(mesh.vertices[:, 3:6] - wanted).max() < 1e-6
