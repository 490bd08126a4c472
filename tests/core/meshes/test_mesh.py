"""Reference meshes: read as trimesh writes them, exact, lighter on the screen, refused in words."""

import numpy as np
import pytest
import trimesh

from pamble.core.errors import ExchangeError, GeometryError
from pamble.core.exchange.mesh import read_mesh
from pamble.core.meshes.mesh import lighter, open_edge_count, pack, unpack, vertex_normals

BALL = trimesh.creation.icosphere(subdivisions=4, radius=40.0)


def file(form: str) -> bytes:
    data = BALL.export(file_type=form)
    return data.encode() if isinstance(data, str) else data


@pytest.mark.parametrize("form", ["stl", "stl_ascii", "obj", "ply"])
def test_a_ball_comes_back_whole_from_every_form(form):
    mesh = read_mesh(file(form), f"ball.{form.split('_')[0]}")
    assert len(mesh.triangles) == len(BALL.faces)
    assert len(mesh.vertices) == len(BALL.vertices)
    assert open_edge_count(mesh) == 0
    assert np.allclose(np.linalg.norm(mesh.vertices, axis=1), 40, atol=1e-4)
    outward = np.einsum("ij,ij->i", vertex_normals(mesh), mesh.vertices / 40)
    assert outward.min() > 0.999


def test_a_hole_is_counted_by_its_rim():
    corners = trimesh.Trimesh(BALL.vertices, BALL.faces[BALL.triangles_center[:, 2] < 25], process=False)
    mesh = read_mesh(corners.export(file_type="ply"), "cut.ply")
    rim = trimesh.grouping.group_rows(corners.edges_sorted, require_count=1)
    assert open_edge_count(mesh) == len(rim) > 20


def test_a_lighter_mesh_keeps_its_place_and_a_light_one_is_left_alone():
    mesh = read_mesh(file("stl"), "ball.stl")
    light = lighter(mesh, 1500)
    assert 400 < len(light.triangles) <= 1500
    assert np.abs(np.linalg.norm(light.vertices, axis=1) - 40).max() < 1.5
    assert lighter(mesh, 10**6) is mesh


def test_packing_is_exact():
    mesh = read_mesh(file("obj"), "ball.obj")
    again = unpack(pack(mesh))
    assert np.array_equal(again.vertices, mesh.vertices)
    assert np.array_equal(again.triangles, mesh.triangles)
    with pytest.raises(GeometryError, match="damaged"):
        unpack(pack(mesh)[:100])


@pytest.mark.parametrize(
    ("data", "name", "words"),
    [
        (b"hello", "scan.txt", "STL, OBJ and PLY"),
        (file("stl")[:5000], "scan.stl", "cut short"),
        (b"ply\nformat nonsense\n", "scan.ply", "the head of a PLY file has no end"),
        (b"# nothing\nv 0 0 0\n", "scan.obj", "no triangle|cannot be read"),
        (b"\x89PNG\r\n", "scan.obj", "no triangle|cannot be read"),
    ],
)
def test_what_is_no_mesh_is_refused_in_words(data, name, words):
    with pytest.raises(ExchangeError, match=words):
        read_mesh(data, name)
