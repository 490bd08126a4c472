"""Trim a face of a STEP file by other faces or curves of it, each named by a point near it."""

from __future__ import annotations

from argparse import Namespace
from typing import Any

import numpy as np

from pamble.cli.commands import new_name, numbers, taken
from pamble.core.checks.cuts import measure_cut
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.errors import GeometryError, PambleError
from pamble.core.exchange.step import StepItem, write_step
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.faces.picking import pick_face
from pamble.core.faces.regions.choose import Pick
from pamble.core.faces.trim import Cutter, divide
from pamble.core.spline.closest import to_curve, to_surface

_TOLERANCE = 1e-4
"""Tolerance of cuts, mm."""


def trim(given: Namespace) -> tuple[dict[str, Any], str]:
    """Keep the regions of a face that hold the given points; the output holds all faces, the trimmed one first."""
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    target, _, _ = pick_face(faces, numbers(given.face, 3, "A face"), diagonal)
    cutters = [_cutter(found, faces, names, numbers(by, 3, "A cutter"), diagonal, given) for by in given.by]
    if any(c.shape is faces[target] for c in cutters):
        raise GeometryError(f"{names[target]} is named as the face and as what cuts it: name another cutter.")
    face = faces[target]
    divided = divide(face, cutters, _TOLERANCE)
    if len(divided.regions) == 1 and divided.complaints:
        raise GeometryError(" ".join(c.words for c in divided.complaints))
    picks = [_pick(face, numbers(k, 3, "What is kept"), diagonal) for k in given.keep]
    made = divided.keeping(picks)
    items: list[tuple[str, Any]] = [(names[target], made[0])]
    known = {f.name for f in found}
    for extra in made[1:]:
        items.append((new_name(names[target], known), extra))
        known.add(items[-1][0])
    items += [(f.name, f.shape) for f in found if f.made is not face]
    write_step(items, out_path)
    cut = {c.name: c for c in cutters}
    out = {
        "file": out_path.name,
        "units": {"length": "mm", "off": "mm", "angle": "degree"},
        "faces": [{"name": n, **describe_face(f)} for (n, _), f in zip(items, made, strict=False)],
        "edges": [
            {"face": n, **_figures(e, cut[c])}
            for (n, _), f in zip(items, made, strict=False)
            for e in f.edges
            if (c := base_name(e.name)) in cut
        ],
        "regions": len(divided.regions),
        "warnings": [c.words for c in divided.complaints],
        "problems": problems,
    }
    return out, _text(out)


def _cutter(
    found: list[StepItem], faces: list[Face], names: list[str], point: list[float], diagonal: float, given: Namespace
) -> Cutter:
    """The face or loose curve nearest to a point."""
    curves = [(f.name, f.curve) for f in found if f.curve is not None]
    away = [float(to_curve(c, np.array([point])).distance[0]) for _, c in curves]
    number, _, distance = (-1, None, np.inf) if curves and min(away) < 1e-6 else pick_face(faces, point, diagonal)
    if away and min(away) < distance:
        name, curve = curves[int(np.argmin(away))]
        assert curve is not None
        way = None if given.along is None else np.array(numbers(given.along, 3, "A direction"))
        return Cutter(f"cut:{name}", name, curve, way, given.extend)
    return Cutter(f"cut:{names[number]}", names[number], faces[number], None, given.extend)


def _pick(face: Face, point: list[float], diagonal: float) -> Pick:
    foot = to_surface(face.surface, np.array([point]))
    if foot.distance[0] > max(1.0, 0.05 * diagonal):
        x, y, z = point
        raise PambleError(f"({x:g}, {y:g}, {z:g}) mm is {foot.distance[0]:.2f} mm off the face: name a point on it.")
    return Pick(np.array([foot.u[0], foot.v[0]]), {})


def _figures(edge: Edge, cutter: Cutter) -> dict[str, Any]:
    """Length, make and exactness of a new edge, and the angle between both faces along it."""
    f = measure_cut(edge, cutter.shape.surface if isinstance(cutter.shape, Face) else None)
    out: dict[str, Any] = {
        "edge": edge.name,
        "cutter": cutter.label,
        "length": f.length,
        "degree": edge.space.degree,
        "cvs": len(edge.space.control),
        "off_face": f.off_face,
    }
    if f.off_cutter is not None:
        out |= {"off_cutter": f.off_cutter, "angle": {"least": f.least_angle, "most": f.most_angle}}
    return out


def _text(out: dict[str, Any]) -> str:
    lines = [f"{out['file']}: {out['regions']} regions, {len(out['faces'])} kept"]
    for e in out["edges"]:
        lines.append(
            f"  {e['face']}, cut by {e['cutter']}: {e['length']:.3f} mm, degree {e['degree']}, {e['cvs']} CVs, "
            f"off the face {e['off_face']:.1e} mm"
            + (f", off the cutter {e['off_cutter']:.1e} mm" if "off_cutter" in e else "")
        )
    return "\n".join([*lines, *(f"  note: {w}" for w in out["warnings"])])
