"""Random solids whose faces are parted beside the edge that is filleted, against the same that are whole.

Usage: .venv/bin/python -m benchmarks.strips [how many, or from-to]. A plane along the edge parts what lies beside it,
by a share of the radius; what closes where the solid is whole, and with which volume, is to close where it is parted.
"""

from __future__ import annotations

import contextlib
import io
import tempfile
from collections import Counter
from pathlib import Path
from typing import Any

import numpy as np
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Vec
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer

from benchmarks.solids import asked, creases, edges, point, sewn, solid, uneven, volume
from benchmarks.solids import command as pamble
from pamble.core.errors import PambleError

RADII, SHARES = (1.0, 2.0, 4.0), (0.4, 0.8, 1.3)
_FAR, _SAME = 500.0, 1e-5


def parted(shape: Any, edge: Any, place: gp_Pnt, by: float, rng: Any) -> Any:
    """The solid cut by a plane that runs along an edge, ``by`` mm beside it in one of both faces, and put together."""
    curve, near, way = BRepAdaptor_Curve(edge), gp_Pnt(), gp_Vec()
    curve.D1(0.7 * curve.FirstParameter() + 0.3 * curve.LastParameter(), near, way)
    along = np.array([way.X(), way.Y(), way.Z()]) / way.Magnitude()
    turn = rng.uniform(0, 2 * np.pi)
    side = np.cross(along, np.eye(3)[np.argmin(np.abs(along))])
    side = side / np.linalg.norm(side)
    out = np.cos(turn) * side + np.sin(turn) * np.cross(along, side)
    corner = np.array([place.X(), place.Y(), place.Z()]) + by * out - 0.5 * _FAR * (along + np.cross(out, along))
    axes = gp_Ax2(point(*corner), gp_Dir(*out), gp_Dir(*along))
    half = BRepPrimAPI_MakeBox(axes, _FAR, _FAR, _FAR).Shape()
    pieces = BRepAlgoAPI_Common(shape, half).Shape(), BRepAlgoAPI_Cut(shape, half).Shape()
    return BRepAlgoAPI_Fuse(*pieces).Shape()


def filleted(shape: Any, place: gp_Pnt, radius: float, folder: Path) -> tuple[str, float, float]:
    """What becomes of an edge of a solid, in words, none where it closes; and the volumes before, as the file has it,
    and after.
    """
    into, out = str(folder / "solid.step"), str(folder / "filleted.step")
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(into)
    before = volume(sewn(into)[0])
    at = ",".join(f"{x:.4f}" for x in (place.X(), place.Y(), place.Z()))
    wrong = io.StringIO()
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(wrong):
        code = pamble(["fillet", into, f"--edge={at}", "--radius", str(radius), "-o", out, "--json"])
    if code != 0:
        return "refused: " + wrong.getvalue().strip()[-160:], before, np.nan
    shell, free = sewn(out)
    if free or not BRepCheck_Analyzer(shell).IsValid():
        return f"open: {free} free edges", before, np.nan
    angle = uneven(shell)
    return ("" if angle < 0.02 else f"not smooth: {angle:.3f}°"), before, volume(shell)


def counted(first: int, last: int) -> Counter[str]:
    """How often what became of solids; those of which the other library makes nothing are passed by."""
    out = Counter[str]()
    with tempfile.TemporaryDirectory() as folder:
        for seed in range(first, last):
            with contextlib.suppress(PambleError, RuntimeError):
                out.update(filter(None, [tried(seed, Path(folder))]))
    return out


def tried(seed: int, folder: Path) -> str | None:
    """What became of one solid that is parted; None where there is none to compare."""
    rng, name, shape = solid(seed)
    if not BRepCheck_Analyzer(shape).IsValid() or not (found := creases(shape)):
        return None
    edge, place = found[rng.integers(len(found))]
    radius, share = float(rng.choice(RADII)), float(rng.choice(SHARES))
    wrong, there, whole = filleted(shape, place, radius, folder)
    two = parted(shape, edge, place, share * radius, rng)
    if wrong or not BRepCheck_Analyzer(two).IsValid() or len(edges(two)) == len(edges(shape)):
        return None
    wrong, before, own = filleted(two, place, radius, folder)
    if abs(before - there) > _SAME * there:
        return None
    head = f"  {seed} {name}, {radius:g} mm, parted {share * radius:g} mm beside: "
    if wrong:
        print(head + wrong, flush=True)
        return wrong.split(":")[0]
    if abs(own - whole) > 1e-5 * whole:
        print(f"{head}{own - whole:.3f} mm³ off", flush=True)
        return "of another volume"
    return "closed"


if __name__ == "__main__":
    print(", ".join(f"{n} {word}" for word, n in counted(*asked()).most_common()))
