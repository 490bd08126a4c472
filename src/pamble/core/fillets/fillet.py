"""The fillet of a crease: checked before anything is built, its surface, its ends on the faces' borders, and both faces
trimmed back to it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

import numpy as np

from pamble.core.arrays import Array
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import Seam
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, base_name, natural_edge, side_curve
from pamble.core.faces.trim import Cutter, Divided, divide
from pamble.core.faces.twins import twin
from pamble.core.fillets.chain import chains
from pamble.core.fillets.corner import between, cut_corner, lies_on, standing_across
from pamble.core.fillets.crease import Crease, crease
from pamble.core.fillets.section import BallSurface, ball_surface
from pamble.core.fillets.stations import contacts, fault, hardly, largest_factor
from pamble.core.joining.blend import build_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part, surface_part
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import SEAM_SEARCH

Section = Literal["ball", "chord", "g2", "g3"]
"""Round by a rolling ball; round with contacts at a constant distance; or a blend with G2 or G3 between the
contacts."""

_CUT = 1e-4
_LEAST = 0.2
"""Share of the smaller radius that a law keeps where it runs on beyond the crease."""

_TWIN = 1e-4
_FADED = np.radians(1.0)
"""Turn of a crease below which a fillet has hardly any width."""

_STEEPEST = 4.0
"""Slope of an end across the fillet, in shares of its width, beyond which it is drawn straight."""


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
class Fillet:
    """The fillet, both faces trimmed back to it, and its figures. along: names of the edges of both that it rounds.
    radii: least and largest along it, mm. corners: faces that stand across its ends, cut back too, by their number
    among those that were given.
    """

    face: Face
    trimmed: tuple[Face, Face]
    along: tuple[tuple[str, ...], tuple[str, ...]]
    figures: FilletFigures
    radii: tuple[float, float]
    warnings: tuple[str, ...]
    corners: Mapping[int, Face] = field(default_factory=dict)


def fillet(
    first: Face, edge: Edge, second: Face, radius: tuple[float, float], section: Section = "ball",
    chord: float | None = None, diagonal: float = 0.0, name: str = "fillet",
    others: Sequence[Face] = (),
) -> Fillet:  # fmt: skip
    """The fillet along an edge of the first face that the second face shares, and the edges of both that it runs on in.

    radius: mm at the start and the end of them, linear between in their length. chord: distance of both contacts,
    mm, for a section of that kind. Raises `GeometryError`, before anything is built, with what is wrong, where, and the
    largest radius that works. name: of the edges that the contacts cut. others: faces of the part; those that stand
    across the ends of the crease are cut back too.
    """
    if min(radius) <= 0 or (section == "chord" and (chord is None or chord <= 0)):
        raise GeometryError("The radius of a fillet, and the width of one by its chord, are above zero.")
    a, b = chains(first, edge, second, SEAM_SEARCH)
    along = tuple(e.name for e in a.edges), tuple(e.name for e in b.edges)
    c = crease(a, b)
    law = np.maximum(radius[0] + c.s * (radius[1] - radius[0]), _LEAST * min(radius))
    width = chord if section == "chord" else None
    if width is not None:
        law = 0.5 * width / np.maximum(np.sin(0.5 * np.maximum(c.turn, 0.02)), 1e-3)
    found = contacts(c, law, width)
    refused = fault(c, found)
    if refused is not None:
        raise GeometryError(_refusal(c, law, width, *refused))
    warnings = ["The ball only just fits into a face: its trim may run close to a hollow."] if hardly(found, c) else []
    ball = ball_surface(c, found, width)
    lines = [side_curve(ball.surface, side)[2] for side in ("v0", "v1")]
    cut = [_cut_back(face, x.edges, line, name) for face, x, line in zip((first, second), (a, b), lines, strict=True)]
    inside = (c.s >= -1e-9) & (c.s <= 1 + 1e-9)
    radii = float(found.radius[inside].min()), float(found.radius[inside].max())
    if section in ("g2", "g3"):
        if float(np.abs(c.turn[inside]).min()) < _FADED:
            raise GeometryError(
                "The crease fades to nothing: a G2 or G3 section needs width all along. Roll a ball there."
            )
        made = _blended(cut, 2 if section == "g2" else 3, diagonal, name)
        return Fillet(Face(made[0]), (cut[0], cut[1]), along, made[1], radii, (*warnings, *made[2]))
    across = (None, None) if c.closed else standing_across(others, a)
    face, corners, wrong = _cornered(_ended(ball, cut, lines, name), ball.surface, a.ends, others, across)
    warnings += wrong
    if ball.ratio > 1.0:
        warnings.append(f"The fillet is {ball.ratio:.1f} times what is aimed at: the crease is not calm.")
    one, two = (_seam(face, trimmed, side, diagonal, name) for trimmed, side in zip(cut, ("v0", "v1"), strict=True))
    faded = float(np.abs(c.turn[inside]).min()) < _FADED
    # Where the fillet is a thread it has no width over which an angle could be read.
    angle = (ball.angle, ball.angle) if faded else (one[1], two[1])
    figures = FilletFigures((one[0], two[0]), angle, (one[2], two[2]), ball.radius)
    return Fillet(face, (cut[0], cut[1]), along, figures, radii, tuple(warnings), corners)


def _refusal(c: Crease, law: Array, chord: float | None, words: str, station: int) -> str:
    x, y, z = c.points[station]
    out = f"No fillet of this size: near ({x:.2f}, {y:.2f}, {z:.2f}) mm {words}."
    if chord is not None:
        return f"{out} Make it narrower."
    factor = largest_factor(c, law)
    if factor < 1e-3:
        return f"{out} No radius works there."
    low, high = sorted((factor * float(law[0]), factor * float(law[-1])))
    largest = f"{low:.2f} mm" if high - low < 1e-9 else f"{low:.2f} to {high:.2f} mm"
    return f"{out} The largest radius that works is {largest}."


def _cut_back(face: Face, edges: Sequence[Edge], line: Curve, name: str) -> Face:
    """The face without the strip between its edges and a line on it."""
    divided = divide(face, [Cutter(name, "the contact", line)], _CUT)
    keep = [r.number for r in divided.regions if not _touches(divided, r.number, edges, name)]
    if not keep or len(divided.regions) < 2:
        raise GeometryError(
            "The contact of the ball does not part its face from border to border: "
            + (" ".join(w.words for w in divided.complaints) or "a smaller radius, or a larger face, is needed.")
        )
    return divided.holding(keep)[0]


def _touches(divided: Divided, number: int, edges: Sequence[Edge], name: str) -> bool:
    made = divided.holding([number])[0]
    middles = np.concatenate([curve_points(e.space, [0.5 * sum(e.space.domain)]) for e in edges])
    return any(float(to_curve(e.space, middles).distance.min()) < 1e-6 for e in made.edges if base_name(e.name) != name)


def _contact_edges(face: Face, name: str) -> list[Edge]:
    """The edges of a trimmed face along the contact, the longest first."""
    own = [e for e in face.edges if base_name(e.name) == name]
    if not own:
        raise GeometryError("The contact leaves no edge on the face.")
    return sorted(own, key=lambda e: -curve_length(e.space))


def _ended(ball: BallSurface, cut: list[Face], lines: list[Curve], name: str) -> Face:
    """The fillet between the borders of both faces: its ends run on from them; a closed one has none."""
    if ball.surface.closed[0]:
        return Face(ball.surface)
    reach: list[tuple[float, float]] = []
    slopes: list[list[float]] = []
    for k, (face, line) in enumerate(zip(cut, lines, strict=True)):
        ends = np.concatenate([curve_points(e.space, e.space.domain) for e in _contact_edges(face, name)])
        t = to_curve(line, ends).t
        order = np.argsort(t)[[0, -1]]
        reach.append((float(t[order[0]]), float(t[order[1]])))
        slopes.append([_slope(ball.surface, face, float(t[i]), float(k), ends[i], name) for i in order])
    s = ball.surface
    if all(abs(reach[0][i] - reach[1][i]) < 1e-6 for i in (0, 1)):
        return Face(surface_part(s, (max(reach[0][0], 0.0), min(reach[0][1], 1.0)), None))
    edges = []
    for k, side, inward in ((0, "v0", 1.0), (1, "v1", -1.0)):
        pcurve, _, space = side_curve(s, side)
        low, high = reach[k]
        edges.append(Edge(s, side, curve_part(pcurve, low, high), inward, curve_part(space, low, high), side))
    for i, name, inward in ((0, "start", -1.0), (1, "end", 1.0)):
        line = _end_line((reach[0][i], reach[1][i]), (slopes[0][i], slopes[1][i]))
        edges.append(Edge(s, name, line, inward, twin(s, line, _TWIN)))
    low_edge, high_edge, start, end = edges
    return Face(s, ((low_edge, end, high_edge, start),))


def _cornered(
    face: Face, surface: Surface, corners: Array, others: Sequence[Face], across: tuple[int | None, int | None]
) -> tuple[Face, dict[int, Face], list[str]]:
    """The fillet ended on the faces that stand across its ends, those cut back to it, and what could not be cut."""
    if across == (None, None):
        return face, {}, []
    lines = [_end_edge(face, i).space for i in (0, 1)]
    stands = [None if n is None else others[n] for n in across]
    if any(f is not None and not lies_on(f, line) for f, line in zip(stands, lines, strict=True)):
        ends = [line if f is None else f for f, line in zip(stands, lines, strict=True)]
        (u0, u1), (v0, v1) = face.surface.domain
        face = between(surface, ends, np.array([0.5 * (u0 + u1), 0.5 * (v0 + v1)]))
        lines = [_end_edge(face, i).space for i in (0, 1)]
    out: dict[int, Face] = {}
    wrong: list[str] = []
    for n, line, corner in zip(across, lines, corners, strict=True):
        if n is None:
            continue
        try:
            made = cut_corner(out.get(n, others[n]), line, corner)
        except GeometryError as error:
            wrong.append(f"The face that stands across an end is not cut back: {error}")
        else:
            out |= {} if made is None else {n: made}
    return face, out, wrong


def _end_edge(face: Face, end: int) -> Edge:
    """The edge of a fillet across its start (0) or end (1)."""
    names = (("u0", "start"), ("u1", "end"))[end]
    found = [e for e in face.edges if base_name(e.name) in names or e.side == names[0]]
    if not found:
        raise GeometryError("The fillet does not reach the face at its end.")
    return found[0]


def _slope(surface: Surface, face: Face, t: float, v: float, corner: Array, name: str) -> float:
    """How the end runs across the fillet where it leaves a face, dt/dv, so that the face's border goes on in it."""
    best: tuple[float, Array] | None = None
    for e in face.edges:
        if base_name(e.name) == name:
            continue
        for k, at in enumerate(e.space.domain):
            p, d = curve_derivatives(e.space, [at], 1)[:, 0]
            away = float(np.linalg.norm(p - corner))
            if best is None or away < best[0]:
                best = (away, d if k == 1 else -d)
    if best is None:
        return 0.0
    d = surface_derivatives(surface, [t], [v], 1)
    f = np.stack([d[1, 0, 0], d[0, 1, 0]], axis=1)
    along, across = np.linalg.lstsq(f, best[1], rcond=None)[0]
    if abs(across) * float(np.linalg.norm(f[:, 1])) < 1e-3 * abs(along) * float(np.linalg.norm(f[:, 0])):
        return 0.0
    return float(along / across)


def _end_line(reach: tuple[float, float], slopes: tuple[float, float]) -> Curve:
    """The end in the fillet's parameters, from v = 0 to 1: cubic with the slopes of both borders, calm ones only."""
    a, b = reach
    chord = b - a
    limit = _STEEPEST * max(abs(chord), 0.02)
    p, q = (m if abs(m) < limit else chord for m in slopes)
    control = [[a, 0.0], [a + p / 3, 1 / 3], [b - q / 3, 2 / 3], [b, 1.0]]
    return Curve(3, basis.uniform_knots(3, 1), np.array(control))


def _seam(face: Face, trimmed: Face, side: str, diagonal: float, name: str) -> tuple[float, float, float]:
    own = next((e for e in face.edges if e.side == side), natural_edge(face.surface, side))
    found = [measure_seam(Seam((1, 0), e, own, e.domain), diagonal).worst for e in _contact_edges(trimmed, name)]
    gap, angle, curvature = (max(w[key].value for w in found) for key in ("gap", "angle", "curvature"))
    return gap, angle, curvature


def _blended(cut: list[Face], order: int, diagonal: float, name: str) -> tuple[Surface, FilletFigures, tuple[str, ...]]:
    edges = [_contact_edges(face, name) for face in cut]
    if any(len(own) > 1 for own in edges):
        raise GeometryError("A G2 or G3 section needs contacts in one piece: one crosses the joint of a closed face.")
    made = build_blend(edges[0][0], edges[1][0], BlendSpec((order, order)), diagonal or None)
    assert made.residuals is not None
    one, two = made.residuals
    figures = FilletFigures((one.gap, two.gap), (one.angle, two.angle), (one.curvature, two.curvature), None)
    return made.surface, figures, made.warnings
