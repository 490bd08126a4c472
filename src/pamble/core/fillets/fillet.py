"""The fillet of a crease: checked before anything is built, its surfaces, their ends on the faces' borders, and all
faces beside it trimmed back.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import reduce
from typing import Literal

import numpy as np

from pamble.core.arrays import norm
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import Seam
from pamble.core.curves.edit import run_on
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.fillets.chain import Run, follow
from pamble.core.fillets.corner import cornered
from pamble.core.fillets.ends import Reach, contact_edges, cut_back, ended, reach
from pamble.core.fillets.rolled import Rolled, rolled
from pamble.core.joining.blend import build_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part
from pamble.core.tolerances import SEAM_SEARCH

Section = Literal["ball", "chord", "g2", "g3"]
"""Round by a rolling ball; round with contacts at a constant distance; or a blend with G2 or G3 between the
contacts."""

_FADED = np.radians(1.0)
"""Turn of a crease below which a fillet has hardly any width."""

_PIECE = 0.01
"""Distance, mm, of the ends of a contact from a fillet's side if it is a piece of it."""

_JOINT = 0.005
"""How far apart, mm, two fillets may end where one face beside the crease gives way to the next."""


@dataclass(frozen=True)
class FilletFigures:
    """Worst along the seams to the first and second face: gap mm, angle degrees, curvature %; and the error of the
    radius, mm, None where there is none to keep.
    """

    gap: tuple[float, float]
    angle: tuple[float, float]
    curvature: tuple[float, float]
    radius: float | None


@dataclass(frozen=True)
class FilletFace:
    """The fillet along one run of the crease. beside: number of the second face; along: names of the edges of the
    first and the second face that it rounds.
    """

    face: Face
    beside: int
    along: tuple[tuple[str, ...], tuple[str, ...]]
    figures: FilletFigures


@dataclass(frozen=True)
class Fillet:
    """Fillets in a row along the crease. first: number of the face on their side v0. changed: faces of the part that
    were cut back, by their number: the first, all that lie along the crease, and those that stand across its ends.
    radii: least and largest, mm.
    """

    first: int
    faces: tuple[FilletFace, ...]
    changed: Mapping[int, Face]
    radii: tuple[float, float]
    warnings: tuple[str, ...]


def fillet(
    part: Sequence[Face], number: int, edge: Edge, radius: tuple[float, float], section: Section = "ball",
    chord: float | None = None, diagonal: float = 0.0, name: str = "fillet",
) -> Fillet:  # fmt: skip
    """The fillet of the crease through an edge of one face of a part, with all edges that run on from it.

    radius: mm at the start and the end of the crease, linear between in its length. chord: distance of both contacts,
    mm, for a section of that kind. name: of the edges that the contacts cut. Raises `GeometryError`, before anything is
    built, with what is wrong, where, and the largest radius that works.
    """
    if min(radius) <= 0 or (section == "chord" and (chord is None or chord <= 0)):
        raise GeometryError("The radius of a fillet, and the width of one by its chord, are above zero.")
    followed = follow(part, number, edge, SEAM_SEARCH)
    number, runs, loop = followed.number, followed.runs, followed.loop
    _check(runs, loop, radius, section)
    if followed.turned:
        radius = radius[1], radius[0]
    rolls = rolled(runs, radius, chord if section == "chord" else None)
    least, most = zip(*(r.radii for r in rolls), strict=True)
    warnings = _told(rolls)
    changed = _seconds_cut(part, rolls, name)
    if section in ("g2", "g3"):
        changed[number] = cut_back(part[number], rolls[0].run.first.edges, [r.lines[0] for r in rolls], name)
        made, more = _blended(rolls, changed, number, 2 if section == "g2" else 3, diagonal, name)
        return Fillet(number, (made,), changed, (min(least), max(most)), (*warnings, *more))
    far = [reach(r.ball.surface, 1, changed[r.run.number], name) for r in rolls] if not rolls[0].crease.closed else []
    _check_joints(rolls, far, loop)
    edges = [e for r in runs for e in r.first.edges]
    changed[number] = cut_back(part[number], edges, _first_line(rolls, far, loop), name)
    faces = _faces(rolls, far, changed[number], loop, name)
    if not loop:
        faces, more_changed, more_words = cornered(faces, rolls, part, set(changed))
        changed |= more_changed
        warnings = [*warnings, *more_words]
    out = tuple(
        FilletFace(face, r.run.number, r.run.names, _figures(r, face, changed, number, diagonal, name))
        for r, face in zip(rolls, faces, strict=True)
    )
    return Fillet(number, out, changed, (min(least), max(most)), tuple(warnings))


def _check(runs: Sequence[Run], loop: bool, radius: tuple[float, float], section: Section) -> None:
    """Raises `GeometryError` for what cannot be asked of such a crease."""
    if loop and radius[0] != radius[1]:
        raise GeometryError("This crease is a loop: its radius is the same at both ends.")
    start, end = runs[0].first.ends[0], runs[-1].first.ends[1]
    if not loop and norm((end - start)[None])[0] < SEAM_SEARCH:
        x, y, z = start
        raise GeometryError(
            f"The crease comes back to its start at a corner, near ({x:.2f}, {y:.2f}, {z:.2f}) mm: fillets that meet "
            "in a corner are not built."
        )
    if len(runs) > 1 and section in ("g2", "g3"):
        raise GeometryError("A G2 or G3 section needs one face on either side of the crease. Roll a ball there.")


def _told(rolls: Sequence[Rolled]) -> list[str]:
    out = []
    if any(r.hardly for r in rolls):
        out.append("The ball only just fits into a face: its trim may run close to a hollow.")
    worst = max(r.ball.ratio for r in rolls)
    if worst > 1.0:
        out.append(f"The fillet is {worst:.1f} times what is aimed at: the crease is not calm.")
    return out


def _seconds_cut(part: Sequence[Face], rolls: Sequence[Rolled], name: str) -> dict[int, Face]:
    """The faces along the crease, each cut back by its contacts."""
    out: dict[int, Face] = {}
    for n in dict.fromkeys(r.run.number for r in rolls):
        own = [r for r in rolls if r.run.number == n]
        out[n] = cut_back(part[n], [e for r in own for e in r.run.second.edges], [r.lines[1] for r in own], name)
    return out


def _check_joints(rolls: Sequence[Rolled], far: Sequence[Reach], loop: bool) -> None:
    """Raises `GeometryError` where two fillets in a row do not end in one section."""
    v = np.linspace(0, 1, 9)
    for i in range(len(rolls) if loop and len(rolls) > 1 else len(rolls) - 1):
        k = (i + 1) % len(rolls)
        one, two = (
            surface_derivatives(rolls[n].ball.surface, np.full(9, t), v)[0, 0]
            for n, t in ((i, far[i].at[1]), (k, far[k].at[0]))
        )
        away = float(norm(one - two).max())
        if away > _JOINT:
            x, y, z = rolls[k].run.first.ends[0]
            raise GeometryError(
                f"Near ({x:.2f}, {y:.2f}, {z:.2f}) mm the faces beside the crease do not run on into each other: the "
                f"fillets would end {away:.3f} mm apart."
            )


def _first_line(rolls: Sequence[Rolled], far: Sequence[Reach], loop: bool) -> list[Curve]:
    """The contact with the first face in one piece: between joints as far as the other contacts reach."""
    if len(rolls) == 1:
        return [rolls[0].lines[0]]
    parts = []
    for i, (r, end) in enumerate(zip(rolls, far, strict=True)):
        low, high = r.lines[0].domain
        start = end.at[0] if loop or i > 0 else low
        parts.append(curve_part(r.lines[0], start, end.at[1] if loop or i < len(rolls) - 1 else high))
    line = reduce(run_on, parts)
    if loop:
        control = line.control.copy()
        control[[0, -1]] = 0.5 * (control[0] + control[-1])
        line = replace(line, control=control)
    return [line]


def _faces(rolls: Sequence[Rolled], far: Sequence[Reach], first: Face, loop: bool, name: str) -> list[Face]:
    """The fillets between the borders of the faces; in a joint they end in the section that both share."""
    if rolls[0].crease.closed:
        return [Face(rolls[0].ball.surface)]
    out = []
    for i, (r, end) in enumerate(zip(rolls, far, strict=True)):
        inner = loop or i > 0, loop or i < len(rolls) - 1
        near = end if all(inner) else reach(r.ball.surface, 0, first, name)
        straight = [(0.0, 0.0) if joint else (near.slope[k], end.slope[k]) for k, joint in enumerate(inner)]
        at = [end.at[k] if joint else near.at[k] for k, joint in enumerate(inner)]
        (a, b), (c, d) = straight
        out.append(ended(r.ball.surface, (Reach((at[0], at[1]), (a, c)), Reach(end.at, (b, d)))))
    return out


def _figures(
    r: Rolled, face: Face, changed: Mapping[int, Face], number: int, diagonal: float, name: str
) -> FilletFigures:
    one = _seam(face, changed[number], "v0", diagonal, name)
    two = _seam(face, changed[r.run.number], "v1", diagonal, name)
    # Where the fillet is a thread it has no width over which an angle could be read.
    angle = (r.ball.angle, r.ball.angle) if r.least_turn < _FADED else (one[1], two[1])
    return FilletFigures((one[0], two[0]), angle, (one[2], two[2]), r.ball.radius)


def _seam(face: Face, trimmed: Face, side: str, diagonal: float, name: str) -> tuple[float, float, float]:
    own = next((e for e in face.edges if e.side == side), natural_edge(face.surface, side))
    contact = contact_edges(trimmed, name)
    # A contact that crosses the joint of a closed face is in pieces; one along several fillets is longer than each.
    pieces = [e for e in contact if to_curve(own.space, curve_points(e.space, e.domain)).distance.max() < _PIECE]
    seams = [Seam((1, 0), e, own, e.domain) for e in pieces] or [Seam((0, 1), own, contact[0], own.domain)]
    found = [measure_seam(seam, diagonal).worst for seam in seams]
    gap, angle, curvature = (max(w[key].value for w in found) for key in ("gap", "angle", "curvature"))
    return gap, angle, curvature


def _blended(
    rolls: Sequence[Rolled], changed: Mapping[int, Face], number: int, order: int, diagonal: float, name: str
) -> tuple[FilletFace, tuple[str, ...]]:
    r = rolls[0]
    if r.least_turn < _FADED:
        raise GeometryError("The crease fades to nothing: a G2 or G3 section needs width all along. Roll a ball there.")
    edges = [contact_edges(changed[n], name) for n in (number, r.run.number)]
    if any(len(own) > 1 for own in edges):
        raise GeometryError("A G2 or G3 section needs contacts in one piece: one crosses the joint of a closed face.")
    made = build_blend(edges[0][0], edges[1][0], BlendSpec((order, order)), diagonal or None)
    assert made.residuals is not None
    one, two = made.residuals
    figures = FilletFigures((one.gap, two.gap), (one.angle, two.angle), (one.curvature, two.curvature), None)
    return FilletFace(Face(made.surface), r.run.number, r.run.names, figures), made.warnings
