"""A rim that is filleted over a feature line or a step on its deck: the part closes."""

import numpy as np
import pytest

from pamble.core.checks.body import body_of
from pamble.core.exchange.step import write_step
from pamble.core.faces.inside import inside
from pamble.core.spline.evaluate import surface_points
from pamble.study.frame import read_frame
from pamble.study.stored import SurfaceData
from tests.cli.test_fillet_shells import shell
from tests.core.fillets.test_dying import SLANTED, line_on
from tests.core.patches.grounds import ground
from tests.study.bench import add, face, line

MIDDLE, LONG, WIDE = np.array([220.0, 140.0]), 120.0, 90.0


def places(face):
    """Fractions of a face's parameters at places that lie on it, well inside the outline of the walls."""
    shares = np.stack(np.meshgrid(*[np.linspace(0.01, 0.99, 60)] * 2), axis=2).reshape(-1, 2)
    low, high = np.transpose(face.surface.domain)
    u, v = (low + shares * (high - low)).T
    x, y = ((surface_points(face.surface, u, v)[:, :2] - MIDDLE) / (LONG, WIDE)).T
    return shares[inside(face, u, v) & (np.hypot(x, y) < 0.9)].tolist()


@pytest.mark.parametrize(
    ("kind", "numbers"),
    [
        ("feature_line", {"angle": 9, "width": 30}),
        ("feature_line", {"angle": -12, "width": 25, "other_side": True}),
        ("drafted_step", {"height": 4, "angle": 20, "back": 30}),
    ],
)
def test_a_rim_is_filleted_over_a_line_that_dies_out_on_its_deck(kind, numbers, kernel, tmp_path):
    panel = ground(3, 20.0)
    drawn = line_on(panel, *SLANTED)
    add(kernel, "panel", "face", face={"surface": SurfaceData.of(panel).model_dump()})
    curve = {"degree": 5, "knots": drawn.knots.tolist(), "control": drawn.control.tolist()}
    add(kernel, "line", "cv_curve", curve=curve)
    assert add(kernel, "crease", kind, face={"feature": "panel"}, line=line("line"), **numbers).problem is None
    flat = {"centre": [*MIDDLE, -100], "normal": [0, 0, 1.0]}
    add(kernel, "rim", "ellipse", **flat, radius=LONG, second=WIDE)
    add(kernel, "wall", "extrude", curve=line("rim"), forward=250)
    decks = [id for id in kernel.now.world if id.split("/")[0] in ("panel", "crease")]
    keep = [{"feature": id, "at": at} for id in decks for at in places(face(kernel, id))[::40]]
    keep.append({"feature": "wall", "at": [0.37, 0.05]})
    wall = [{"feature": "wall"}]
    state = add(
        kernel, "cut", "trim_faces", faces=[{"feature": id} for id in decks], by_faces=wall, each_other=True, keep=keep
    )  # fmt: skip
    assert state.problem is None
    add(kernel, "floor", "cap", edges=[line("wall", "v0")])
    edges = [line(id, e.name) for id in decks for e in face(kernel, id).edges if "cut" in e.name]
    for section in ("ball", "g2"):
        state = add(kernel, section, "fillet", edges=edges, faces=wall, radius=6, section=section)
        assert state.problem is None
        faces = [(id, s.shape.face) for id, s in kernel.now.world.items() if s.shape.face is not None]
        assert body_of([f for _, f in faces]).closed
        write_step(faces, tmp_path / "part.step")
        assert shell(tmp_path / "part.step")[0] == 0
        # Fillets that end in each other on the line promise no more than that they meet.
        rows = [r for r in read_frame(kernel.frame())[0]["seams"] if section in (r["a"]["feature"], r["b"]["feature"])]
        assert {r["state"] for r in rows} == {"holds"}
        kernel.commit({"op": "remove_features", "ids": [section]})


def test_fillets_of_unlike_radii_promise_the_mitres_in_which_they_meet(kernel):
    """A prism with a corner inward: there a wall grows, elsewhere a fillet goes on over the edge that stays sharp."""
    ring = [[55, 0, 0], [-25, 45, 0], [-8, 0, 0], [-25, -45, 0], [55, 0, 0]]
    add(kernel, "rim", "cv_curve", curve={"degree": 1, "control": ring})
    add(kernel, "wall", "extrude", curve=line("rim"), forward=30)
    walls = [id for id in kernel.now.world if id.split("/")[0] == "wall"]
    add(kernel, "lid", "cap", edges=[line(id, "v1") for id in walls])
    edges, faces = [line("lid", e.name) for e in face(kernel, "lid").edges], [{"feature": id} for id in walls]
    state = add(kernel, "round", "fillet", edges=edges, faces=faces, radius=2, radii=[2, 5, 3, 4])
    assert state.problem is None
    rows = [r for r in read_frame(kernel.frame())[0]["seams"] if r["a"]["feature"].startswith("round")]
    assert {r["state"] for r in rows} == {"holds"}
    assert sum(r["b"]["feature"].startswith("round") and r["target"] == 0 for r in rows) == 4
