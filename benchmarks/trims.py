"""Trims, intersections, meshes and whole histories: times in processor ms, with ratios to OpenCASCADE in the same run.

Usage: .venv/bin/python -m benchmarks.trims
"""

from __future__ import annotations

import time
from collections.abc import Callable

import numpy as np
from OCP.BRepMesh import BRepMesh_IncrementalMesh

from benchmarks.timing import line, median
from pamble.core.faces.crossing.branches import find_branches, follow
from pamble.core.faces.crossing.fit import fit_branch
from pamble.core.faces.display import display_mesh
from pamble.core.faces.face import Face
from pamble.core.faces.regions.choose import Pick
from pamble.core.faces.to_shape import face_to_shape
from pamble.core.faces.trim import Cutter, divide
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface
from pamble.demo.mirror_cap import study as mirror_cap
from pamble.study.kernel import Kernel
from tests.other_library import intersection_length
from tests.study.slabs import DECK, TRIM, WALL, adds, face, moved, ref, slabs, step


def processor(run: Callable[[int], object], repeats: int = 40) -> tuple[float, float]:
    """Median and least processor time of a call in ms, after two to warm up."""
    times = []
    for i in range(repeats + 2):
        start = time.thread_time()
        run(i)
        times.append(1e3 * (time.thread_time() - start))
    return float(np.median(times[2:])), float(np.min(times[2:]))


def core() -> None:
    """Intersection, trim and mesh of two slabs, against the boundary kernel."""
    a, b = Face(DECK), Face(WALL)
    reference = median(lambda: intersection_length(a, b), 7)
    line("intersection, OpenCASCADE's", reference)
    line("intersection, found and fitted within .0001 mm", median(lambda: cut(a, b)), reference)
    branches = find_branches(DECK, WALL)
    lifted = lifted_by(0, 0, 0.4)
    line("intersection, followed", median(lambda: follow(lifted, WALL, branches)), reference)
    fit = fit_branch(DECK, WALL, branches[0], 1e-4)
    points = curve_points(fit.space, np.linspace(0, 1, 500))
    off = max(float(to_surface(s, points).distance.max()) for s in (DECK, WALL))
    print(f"  off both surfaces {off:.1e} mm at {len(points)} places, {len(fit.space.control)} CVs")
    print(f"  length {branches[0].length:.5f} mm, the other library {intersection_length(a, b):.5f} mm")
    cutter = Cutter("t:wall", "Wall", b)
    line("trim by one cutter at rest", median(lambda: divide(a, [cutter], 1e-4)), reference)
    found = divide(a, [cutter], 1e-4)
    kept = found.keeping([Pick(found.regions[0].at, found.regions[0].sides)])[0]

    def other_mesh() -> None:
        BRepMesh_IncrementalMesh(face_to_shape(kept), DECK.diagonal / (4 * 24 * 24), False, 0.2, False)

    reference = median(other_mesh, 7)
    line("mesh of the trimmed face, OpenCASCADE", reference)
    line("mesh of the trimmed face, 24 steps", median(lambda: display_mesh(kept, 24)), reference)


def lifted_by(x: float, y: float, z: float) -> Surface:
    """The deck, moved."""
    return DECK.with_control(DECK.control + np.array([x, y, z]))


def cut(a: Face, b: Face) -> None:
    """Find and fit all branches."""
    for branch in find_branches(a.surface, b.surface):
        fit_branch(a.surface, b.surface, branch, 1e-4)


def updates() -> None:
    """One update of a drag in the kernel, frame included."""
    demo = Kernel(mirror_cap().model_dump())
    blend = {"first": ref("crown", "v1"), "second": ref("flank", "v0")}
    demo.commit(adds(step("b", "edge_blend", **blend)))
    told("demo blend, a CV moved", processor(lambda i: demo.preview(moved(demo, "crown", 2, 3, (0, 0, 0.1 * i)))))
    many = fan(20)
    told("twenty blends behind one face", processor(
        lambda i: many.preview(moved(many, "deck", 2, 2, (0, 0, 0.1 * i))), 12))  # fmt: skip
    both = slabs(TRIM)
    told("two slabs cut by each other", processor(lambda i: both.preview(moved(both, "deck", 2, 2, (0, 0, 0.2 * i)))))


def fan(count: int) -> Kernel:
    """A deck, and a blend from one of its edges to each of ``count`` flaps behind one another."""
    kernel = slabs()
    steps = []
    for i in range(count):
        flap = lifted_by(0, 150 + 3 * i, 60 + 6 * i)
        steps += [
            step(f"f{i}", "face", **face(f"f{i}", f"Flap {i + 1}", flap)["params"]),
            step(
                f"b{i}",
                "edge_blend",
                first=ref("deck", "v1"),
                second=ref(f"f{i}", "v0"),
            ),
        ]
    kernel.commit(adds(*steps))
    return kernel


def history() -> Kernel:
    """A build of 25 steps: curves, faces, six trims, four blends."""
    kernel = slabs()
    steps = [
        step("spine", "line", start=[-20, 20, 40], end=[320, 20, 40]),
        step("rib", "line", start=[-20, 80, 40], end=[320, 80, 40]),
        *(step(f"p{i}", "plane_parallel", square_to="x", through=[20.0 + 50 * i, 0, 0]) for i in range(4)),
        step("first", "trim_faces", faces=[ref("deck")], by_curves=[ref("spine", "c0")], along="direction"),
        {**TRIM, "id": "second", "name": "second"},
        *(
            step(f"cut{i}", "trim_faces", faces=[ref("wall")], by_planes=[ref(f"p{i}")],
                 keep=[{"feature": "wall", "at": [0.95, 0.5]}])
            for i in range(4)
        ),
        step("crown", "face", **face("crown", "Crown", lifted_by(0, 0, 90))["params"]),
        step("sill", "face", **face("sill", "Sill", lifted_by(0, 130, 60))["params"]),
        *(step(f"b{i}", "edge_blend", first=ref("crown", "v1"), second=ref("sill", "v0"),
               fullness=[0.6 + 0.1 * i, None]) for i in range(4)),
        *(step(f"e{i}", "edge_curve", edge=ref("crown", f"u{i}")) for i in range(2)),
        *(step(f"s{i}", "section_curve", faces=[ref("crown")], point=[60.0 + 80 * i, 0, 0]) for i in range(3)),
    ]  # fmt: skip
    for one in steps:
        kernel.commit(adds(one))
    return kernel


def build() -> None:
    """Drag, commit and open a build of 25 steps."""
    kernel = history()
    states = [s.status for s in kernel.now.states.values()]
    print(f"  {len(states)} steps, {states.count('fresh')} of them fresh")
    drag = processor(
        lambda i: kernel.preview({"op": "set_params", "id": "spine", "changes": {"end": [320, 20 + 0.2 * i, 40]}})
    )
    told("25 steps, the first curve dragged", drag)
    flip = [20.0, 24.0]

    def one(i: int) -> object:
        through = [170.0 + flip[i % 2] + 0.01 * i, 0, 0]
        return kernel.commit({"op": "set_params", "id": "p3", "changes": {"through": through}})

    told("25 steps, a commit that changes one", processor(one, 8))
    results = {}
    fresh = slabs()
    for feature in kernel.study.features[2:]:
        results |= fresh.commit(adds(feature.model_dump()))["results"]
    document = fresh.document()
    told("25 steps, opened from what is stored", processor(lambda _: Kernel(document, None, results).frame(), 6))
    told("25 steps, opened and computed", processor(lambda _: Kernel(document).frame(), 4))


def told(what: str, figures: tuple[float, float]) -> None:
    """Print one row."""
    print(f"{what:58s} {figures[0]:10.2f} ms, least {figures[1]:.2f}")


if __name__ == "__main__":
    core()
    updates()
    build()
