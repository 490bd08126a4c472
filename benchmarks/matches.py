"""Faces put into holes of freeform faces, some of their sides matched by `pamble match`, read back by OpenCASCADE.

Usage: .venv/bin/python -m benchmarks.matches [how many, or from-to] [parted]. The holes of `benchmarks.holes` that have
four sides; the face over each is of degree 3 to 6 with up to four spans each way, its CVs stirred and raised by up to a
thirtieth of the part, with a hole of its own or without; one to three sides, G1 to G3, the rows behind giving way or
not.
"""

from __future__ import annotations

import contextlib
import io
import json
import sys
import time
from collections import Counter
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import numpy as np
from OCP.BRep import BRep_Tool
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.Geom import Geom_Line
from OCP.GeomAPI import GeomAPI_IntCS
from OCP.gp import gp_Dir
from OCP.TopAbs import TopAbs_ShapeEnum

from benchmarks.holes import above, beside, holed, side, upright
from benchmarks.solids import asked, point
from pamble.cli.main import main as pamble
from pamble.core.exchange.step import write_step
from pamble.core.faces.kernel import surface_to_kernel
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.surface import Surface
from tests import readback

_HOLDS = 0.002, 0.006, 0.6
"""Gap mm, angle degrees, curvature %."""

_SIDES = "v0", "u1", "v1", "u0"
_PLACES = 21


def onto(geometry: Any, xy: Any) -> Any:
    """The place (3,) of a face over (2,)."""
    at = GeomAPI_IntCS(Geom_Line(point(*xy, -1000.0), gp_Dir(0, 0, 1)), geometry).Point(1)
    return np.array([at.X(), at.Y(), at.Z()])


def over(rng: Any, geometry: Any, rows: list[Any], size: float) -> tuple[float, Surface]:
    """By how much its CVs are stirred, mm, and a surface over a hole of four sides."""
    low, high, top, left = rows[0], rows[1], rows[2][::-1], rows[3][::-1]
    u, v = (x[..., None] for x in np.meshgrid(*2 * [np.linspace(0, 1, _PLACES)], indexing="ij"))
    tips = (1 - u) * (1 - v) * low[0] + u * (1 - v) * low[-1] + (1 - u) * v * top[0] + u * v * top[-1]
    flat = (1 - v) * low[:, None] + v * top[:, None] + (1 - u) * left[None] + u * high[None] - tips
    net, knots, degrees = np.apply_along_axis(lambda p: onto(geometry, p[:2]), 2, flat), [], rng.integers(3, 7, 2)
    for degree, spans in zip(degrees.tolist(), rng.integers(1, 5, 2).tolist(), strict=True):
        knots.append(basis.knots_from_breaks(np.linspace(0, 1, spans + 1), degree))
        values = basis.matrix(knots[-1], degree, np.linspace(0, 1, _PLACES))[0]
        net = np.linalg.lstsq(values, net.reshape(_PLACES, -1), rcond=None)[0].reshape(-1, *net.shape[1:])
        net = net.swapaxes(0, 1)
    noise = float(rng.choice([0.0, 0.01, 0.03])) * size
    net = net + 0.3 * rng.uniform(-noise, noise, net.shape) + np.array([0, 0, noise])
    return noise, Surface(int(degrees[0]), int(degrees[1]), knots[0], knots[1], net)


def read(path: Path, sides: list[str], size: float) -> Any:
    """Worst gap, angle and mismatch of the curvature along sides of the last face of a file, to the nearest others."""
    *around, mine = readback.faces(path)
    geometry, worst = BRep_Tool.Surface_s(mine), np.zeros(3)
    bounds, along = np.array(geometry.Bounds()).reshape(2, 2), np.linspace(0, 1, 81)[1:-1]
    for name in sides:
        level = np.full(len(along), float(name[1]))
        shares = np.stack([level, along] if name[0] == "u" else [along, level])
        uv = bounds[:, :1] + shares * np.diff(bounds, axis=1)
        places = np.array([(p.X(), p.Y(), p.Z()) for p in (geometry.Value(*at) for at in uv.T.tolist())])
        for place, way in zip(places, np.gradient(places, axis=0), strict=True):
            near = min(around, key=lambda face, at=place: readback.distance(face, at))
            angle, off = beside(geometry, BRep_Tool.Surface_s(near), place, way, size)
            worst = np.maximum(worst, [readback.distance(near, place), angle, off])
    return worst


def trial(seed: int, folder: Path) -> str | None:
    """What became of one: it holds, misses or is refused; says how well it does. None for a hole of other sides."""
    order, before, pieces, edges, size = holed(seed, "parted" in sys.argv)
    if len(edges) != 4:
        return None
    rng, geometry = np.random.default_rng((seed, 1)), surface_to_kernel(before)
    rows = [above(e, geometry) for e in edges]
    noise, mine = over(rng, geometry, rows, size)
    face = BRepBuilderAPI_MakeFace(surface_to_kernel(mine), 1e-7).Face()
    drilled = bool(rng.random() < 0.4)
    if drilled:
        tips = surface_points(mine, [0.5], [0.5])[0, :2] + 0.03 * size * np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)])
        tool = upright([side(a, b) for a, b in zip(tips, np.roll(tips, -1, axis=0), strict=True)])
        (face,) = readback.explored(BRepAlgoAPI_Cut(face, tool).Shape(), TopAbs_ShapeEnum.TopAbs_FACE)
    which = sorted(rng.choice(4, int(rng.choice([1, 1, 2, 2, 3])), replace=False).tolist())
    spread = bool(rng.random() < 0.25)
    source, out = folder / "before.step", folder / "after.step"
    write_step([*((f"piece {i}", f) for i, f in enumerate(pieces)), ("mine", face)], source)
    given = ["match", str(source), "--continuity", f"G{order}", "-o", str(out), "--json", *["--spread"] * spread]
    for k in which:
        at = [(0.5, 0.0), (1.0, 0.5), (0.5, 1.0), (0.0, 0.5)][k]
        middle = rows[k][_PLACES // 2]
        places = [*surface_points(mine, *zip(at, (0.6 * x + 0.2 for x in at), strict=True)), middle]
        places.append(onto(geometry, 1.2 * middle[:2] - 0.2 * np.mean(rows, axis=(0, 1))[:2]))
        words = [",".join(f"{x:.4f}" for x in p) for p in places]
        given += ["--edge", f"{words[0]}@{words[1]}", "--to", f"{words[2]}@{words[3]}"]
    said, wrong, start = io.StringIO(), io.StringIO(), time.perf_counter()
    with contextlib.redirect_stdout(said), contextlib.redirect_stderr(wrong):
        code = pamble(given)
    names = [_SIDES[k] for k in which]
    kind = f"{', '.join(names)} G{order}{' spread' * spread}{' drilled' * drilled}, stirred by {noise:.1f} mm"
    head = f"{seed:4d} {kind} {time.perf_counter() - start:.1f} s"
    if code:
        print(head, wrong.getvalue().strip(), flush=True)
        return "refused"
    worst, told = read(out, names, size), json.loads(said.getvalue())
    holds = bool((worst <= _HOLDS)[: 2 + (order > 1)].all())
    missed = "" if holds else f"misses; {told['warnings']}"
    print(head, told["face"]["cvs"], "{:.5f} mm {:.4f}° {:.2f} %".format(*worst), missed, flush=True)
    return "holds" if holds else "misses, told" if told["warnings"] else "misses, not told"


if __name__ == "__main__":
    first, last = asked()
    with TemporaryDirectory() as made:
        found = Counter(how for seed in range(first, last) if (how := trial(seed, Path(made))) is not None)
    print(", ".join(f"{n} {word}" for word, n in found.most_common()))
