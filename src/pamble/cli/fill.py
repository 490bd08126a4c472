"""Fill a hole of a STEP file: by one trimmed patch at once, or laid out in four-sided patches."""

from __future__ import annotations

from argparse import Namespace
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

import numpy as np

from pamble.cli.commands import new_name, numbers, taken
from pamble.cli.patch import continuities
from pamble.core.checks.report import describe_face
from pamble.core.checks.seams import part_diagonal
from pamble.core.corners.calm import unrest
from pamble.core.corners.corner import SeamInside, lay_out
from pamble.core.corners.four import border, chosen, cut_to, left_open
from pamble.core.corners.layouts import SIDED, Layout, of_kind
from pamble.core.corners.outline import Outline, corners_of, outlines
from pamble.core.corners.ranked import score
from pamble.core.errors import GeometryError, PambleError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.patches.between import one_patch
from pamble.core.patches.hole import Hole, HoleSide, find_hole
from pamble.core.patches.inside import Through
from pamble.core.patches.loop import Asked, Corner
from pamble.core.patches.running import taken_together
from pamble.core.patches.told import SideFigures, corner_figures, worst_of
from pamble.core.patches.yielding import yielding
from pamble.core.tolerances import BLEND_ANGLE, BLEND_CURVATURE, BLEND_GAP


@dataclass(frozen=True)
class _Filling:
    """A way in which a hole was filled; patch_of: of every row of ``sides`` the number of the face."""

    layout: str
    faces: tuple[Face, ...]
    sides: tuple[SideFigures, ...]
    patch_of: tuple[int, ...]
    inside: tuple[SeamInside, ...]
    corners: tuple[Corner, ...]
    warnings: tuple[str, ...]

    @property
    def worst(self) -> float:
        """The worst of all figures over its aim, see `worst_of`."""
        inner = [max(s.gap / BLEND_GAP, s.angle / BLEND_ANGLE, s.curvature / BLEND_CURVATURE) for s in self.inside]
        return max([worst_of(self.sides, self.corners), *inner])

    @property
    def cvs(self) -> int:
        return sum(int(np.prod(f.surface.control.shape[:2])) for f in self.faces)


def fill(given: Namespace) -> tuple[dict[str, Any], str]:
    """Fill the hole round a point; the output holds all faces, and the patches as the last."""
    order = continuities(given.continuity, 1)[0]
    out_path, found, names, faces, problems = taken(given)
    diagonal = part_diagonal(faces)
    at = np.array(numbers(given.at, 3, "A place in the hole"))
    hole = find_hole(faces, at, given.search)
    goes: Outline | None = None
    cut: dict[int, Face] = {}
    if given.cut is not None:
        goes, changed, hole = _cut_back(faces, hole, given.cut)
        cut = {id(faces[n]): face for n, face in changed.items()}
        faces = [changed.get(n, face) for n, face in enumerate(faces)]
    met = yielding([Asked(s.edge, order) for s in hole.sides], diagonal)
    together = taken_together(met.asked)
    asked = together.asked
    words = replace(met, numbers=tuple(n for n, a in enumerate(asked) if a.order < order)).words
    centre = None if given.hub is None else np.array(numbers(given.hub, 3, "The hub"))
    tried: list[dict[str, Any]] = []
    made: list[_Filling] = []
    through = [np.array(numbers(text, 3, "A point inside")) for text in given.through]
    if through and given.layout not in ("auto", "single"):
        raise PambleError("Points inside are passed by a single patch: --layout single.")
    for name, layouts in _wanted("single" if through else given.layout, len(asked)).items():
        try:
            if name == "single":
                made.append(_single(asked, diagonal, given, through))
            else:
                made.append(_patches(asked, diagonal, layouts, given, centre))
        except PambleError as error:
            tried.append({"layout": name, "problem": str(error)})
    if not made:
        raise GeometryError("; ".join(f"{t['layout']}: {t['problem']}" for t in tried))
    light = [unrest([f.surface for f in m.faces]) if all(f.natural for f in m.faces) else None for m in made]
    tried += [
        {"layout": m.layout, "patches": len(m.faces), "cvs": m.cvs, "worst_over_aim": m.worst, "unrest": u}
        for m, u in zip(made, light, strict=True)
    ]
    fewest, calmest = min(m.cvs for m in made), min((u for u in light if u is not None), default=1.0)
    # Ranked as layouts are; a trimmed patch, whose light is not compared, counts as calm.
    scores = [
        score(m.worst, 1.0 if u is None else u / max(calmest, 1e-12), m.cvs / fewest)
        for m, u in zip(made, light, strict=True)
    ]
    best = made[int(np.argmin(scores))]
    known = {f.name for f in found}
    items = []
    for face in best.faces:
        items.append((new_name("Fill", known), face))
        known.add(items[-1][0])
    write_step([*[(f.name, cut.get(id(f.made), f.shape)) for f in found], *items], out_path)
    titles = [n for n, _ in items]
    out = {
        "file": out_path.name,
        "units": {"gap": "mm", "angle": "degree", "curvature": "%", "bends": "%", "twist": "%"},
        "layout": best.layout,
        "cut": goes and {"corners": [k + 1 for k in goes.corners], "beyond": [x.depth for x in goes.lines],
                         "angles": list(goes.angles)},
        "hole": {"sides": len(asked), "edges": len(hole.sides), "length": hole.length, "gap": hole.gap},
        "patches": [{"name": n, **describe_face(f)} for n, f in items],
        "sides": [
            {"face": " + ".join(names[hole.sides[n].face] for n in together.members[s.number]),
             "edge": asked[s.number].label,
             "continuity": f"G{asked[s.number].order}", "patch": titles[p], "patch_edge": s.patch_side,
             "gap": s.gap, "angle": s.angle, "curvature": s.curvature}
            for s, p in sorted(zip(best.sides, best.patch_of, strict=True), key=lambda x: x[0].number)
        ],
        "inside": [
            {"patches": [titles[p] for p in s.patches], "gap": s.gap, "angle": s.angle, "curvature": s.curvature}
            for s in best.inside
        ],
        "corners": [corner_figures(c) for c in best.corners],
        "layouts": tried,
        "warnings": [*words, *best.warnings],
        "problems": problems,
    }  # fmt: skip
    return out, _text(out)


def _cut_back(faces: Sequence[Face], hole: Hole, corners: str) -> tuple[Outline, dict[int, Face], Hole]:
    """The hole cut back to four sides: how, the faces that are trimmed, by number, and what is left of it."""
    part = dict(enumerate(faces))
    edge = border(part, [(s.face, s.edge) for s in hole.sides])
    if corners == "auto":
        goes = outlines(edge.sides)[0]
    else:
        picked = corners_of(f"corners {corners.replace(' ', '').replace(',', ', ')}", len(edge.sides))
        goes = chosen(edge, picked, [None] * len(picked))
    changed = cut_to(part, edge, goes, "corner")
    left = tuple(HoleSide(n, e) for n, e in left_open(changed, edge, goes, "corner"))
    return goes, changed, replace(hole, sides=left)


def _wanted(layout: str, sides: int) -> dict[str, Sequence[Layout] | None]:
    """What to try: words, and layouts, None for all until one holds. Raises `PambleError`."""
    if layout == "single" or (layout == "auto" and sides not in SIDED):
        return {"single": None}
    if layout == "auto":
        # One patch for four sides is the first of all; what is laid out round a hub is judged beside it.
        four = {"four": of_kind(4, "four"), "spokes": of_kind(4, "spokes")}
        return {"single": None, **(four if sides == 4 else {"laid out": None})}
    return {w.name: [w] for w in of_kind(sides, layout)}


def _single(asked: Sequence[Asked], diagonal: float, given: Namespace, through: Through) -> _Filling:
    made = one_patch(asked, diagonal, given.degree, given.spans, through)
    return _Filling("single", (made.face,), made.sides, (0,) * len(made.sides), (), made.corners, made.warnings)


def _patches(
    asked: Sequence[Asked],
    diagonal: float,
    layouts: Sequence[Layout] | None,
    given: Namespace,
    centre: np.ndarray | None,
) -> _Filling:
    made = lay_out(asked, diagonal, layouts, given.degree, given.spans, centre)
    return _Filling(made.layout.name, made.faces, made.sides, made.patch_of, made.inside, made.corners, made.warnings)


def _text(out: dict[str, Any]) -> str:
    cvs = ", ".join(f"{p['cvs'][0]} x {p['cvs'][1]}" for p in out["patches"])
    lines = [f"{out['file']}: {out['layout']}, {len(out['patches'])} patches, CVs {cvs}"]
    for s in out["sides"]:
        lines.append(
            f"  {s['face']} {s['edge']}, {s['continuity']}: gap {s['gap']:.6f} mm, angle {s['angle']:.5f}°, "
            f"curvature {s['curvature']:.3f} %"
        )
    for s in out["inside"]:
        lines.append(
            f"  {s['patches'][0]} / {s['patches'][1]}: angle {s['angle']:.5f}°, curvature {s['curvature']:.3f} %"
        )
    return "\n".join([*lines, *(f"  note: {w}" for w in out["warnings"])])
