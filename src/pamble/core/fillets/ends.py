"""Where a fillet ends and what it leaves: faces cut back to its contacts, and its own ends on their borders."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, base_name, side_curve
from pamble.core.faces.twins import twin
from pamble.core.spline import basis
from pamble.core.spline.closest import boxed, to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.knots import curve_part, reverse_curve, surface_part
from pamble.core.spline.surface import Surface

_TWIN = 1e-4
_STEEPEST, _LEAN, _BENT = 4.0, 2.75, 4.0
"""Slope of an end across the fillet beyond which it is drawn straight: so many times that from one side to the other,
and that of a lean by 70 degrees; and its bend over that slope that is held at most.
"""

REACH = 1e-3
"""Distance, mm, within which a face runs into the end of a crease, and a curve lies on a face or ends on its border."""

_GAP = 1e-6
"""Share of a contact below which nothing lies between two ends on it."""

_TIP = 0.02
"""Distance, mm, from the end of a contact within which a fillet that is cut across ends there."""

_SPAN = 2e-4
"""Length, mm, up to which no span is left where a fillet ends."""

_ON = 1e-2
"""Distance, mm, within which an end of a contact lies on a fillet's side."""


class Unreached(GeometryError):
    """A side of a fillet along which its face ends nowhere."""


def contact_edges(face: Face, name: str) -> list[Edge]:
    """The edges of a face that was cut back along the contact, the longest first."""
    own = [e for e in face.edges if base_name(e.name) == name]
    if not own:
        raise GeometryError("The contact leaves no edge on the face.")
    return sorted(own, key=lambda e: -curve_length(e.space)) if len(own) > 1 else own


Way = tuple[float, float]
"""How an end runs across a fillet where it leaves a side: dt/dv and d2t/dv2."""

SQUARE: Way = (0.0, 0.0)
"""Along the section there."""


@dataclass(frozen=True)
class Reach:
    """Where a side of a fillet ends on a face's border: shares of it, and how its ends run on there."""

    at: tuple[float, float]
    ways: tuple[Way, Way]


def reach(surface: Surface, side: int, face: Face, name: str) -> Reach:
    """How far the side v0 (0) or v1 (1) of a fillet reaches on the face that was cut back along it."""
    line = side_curve(surface, ("v0", "v1")[side])[2]
    ends = np.concatenate([curve_points(e.space, e.space.domain) for e in contact_edges(face, name)])
    feet = to_curve(line, ends)
    own = np.flatnonzero(feet.distance < _ON)
    if not len(own):
        raise Unreached("The contact does not reach the border of its face.")
    first, last = own[np.argsort(feet.t[own])[[0, -1]]]
    ways = [_way(surface, face, float(feet.t[i]), float(side), ends[i], name) for i in (first, last)]
    return Reach((_at_break(line, float(feet.t[first])), _at_break(line, float(feet.t[last]))), (ways[0], ways[1]))


def _at_break(line: Curve, t: float) -> float:
    """A parameter of a side, or the break that lies beside it: no span is left there that is shorter than what two fits
    differ by.
    """
    at = basis.breaks(line.knots, line.degree)
    near = float(at[int(np.argmin(np.abs(at - t)))])
    here, there = curve_points(line, [t, near])
    return near if float(np.linalg.norm(there - here)) < _SPAN else t


@dataclass(frozen=True)
class End:
    """Lines in which a fillet ends, one after the other from its side v0 to v1, each in its parameters and in space.

    at: its parameters u at both sides there.
    """

    at: tuple[float, float]
    lines: tuple[tuple[Curve, Curve], ...]

    @property
    def spaces(self) -> list[Curve]:
        """The lines in space."""
        return [space for _, space in self.lines]

    def tipped(self, surface: Surface, contacts: End) -> End:
        """The same with its tips where the contacts end, if they lie beside them: a face that a contact leaves at a low
        angle is crossed there by the error of the contact over that angle.
        """
        at, lines = list(self.at), list(self.lines)
        for k in (0, -1):
            if not 0 < _away(surface, (self.at[k], contacts.at[k]), float(-k)) < _TIP:
                continue
            at[k] = contacts.at[k]
            (flat, space), (other, told) = lines[k], contacts.lines[k]
            lines[k] = with_end(flat, k, other.control[k]), with_end(space, k, told.control[k])
        return End((at[0], at[1]), tuple(lines))


Ends = tuple[End | None, End | None]
"""What is known of a fillet's start and end."""

NAMES = {0: "start", -1: "end"}
"""Names of the edges across a fillet's start and end."""


def ended(surface: Surface, sides: tuple[Reach, Reach] | None, given: Ends = (None, None)) -> Face:
    """The fillet between the borders of both faces: its ends run on from them. given: the ends that are known; with
    both of them ``sides`` are not asked for.
    """
    one, two = (_with_ends(None if sides is None else sides[k], k, given) for k in (0, 1))
    if given == (None, None) and all(abs(one.at[i] - two.at[i]) < 1e-6 for i in (0, 1)):
        return Face(surface_part(surface, (max(one.at[0], 0.0), min(one.at[1], 1.0)), None))
    edges = []
    for own, side, inward in ((one, "v0", 1.0), (two, "v1", -1.0)):
        pcurve, _, space = side_curve(surface, side)
        if not own.at[1] - own.at[0] > _GAP:
            x, y, z = curve_points(space, [own.at[0]])[0]
            raise GeometryError(
                f"The contact of the ball at ({x:.2f}, {y:.2f}, {z:.2f}) mm does not reach the border of its face: a "
                "smaller radius, or a larger face, is needed."
            )
        edges.append(Edge(surface, side, curve_part(pcurve, *own.at), inward, curve_part(space, *own.at), side))
    across = []
    for i, name, inward in ((0, "start", -1.0), (1, "end", 1.0)):
        known = given[i]
        if known is None:
            line = end_line(surface, (one.at[i], two.at[i]), (one.ways[i], two.ways[i]))
        lines = ((line, twin(surface, line, _TWIN)),) if known is None else known.lines
        names = [name] if len(lines) == 1 else [f"{name}.{k + 1}of{len(lines)}" for k in range(len(lines))]
        across.append([Edge(surface, n, flat, inward, space) for n, (flat, space) in zip(names, lines, strict=True)])
    low_edge, high_edge = edges
    return Face(surface, ((low_edge, *across[1], high_edge, *across[0][::-1]),))


def _with_ends(side: Reach | None, which: int, given: Ends) -> Reach:
    """A side (0 or 1) that reaches as far as the ends that are known."""
    side = side or Reach((0.0, 0.0), (SQUARE, SQUARE))
    start, end = (t if known is None else known.at[which] for t, known in zip(side.at, given, strict=True))
    return replace(side, at=(start, end))


def _away(surface: Surface, u: tuple[float, float], v: float) -> float:
    """How far two places on a side of a fillet lie apart, mm."""
    a, b = surface_derivatives(surface, list(u), [v, v])[0, 0]
    return float(np.linalg.norm(b - a))


def end_lines(face: Face, end: int) -> End:
    """The lines in which a fillet ends at its start (0) or end (-1)."""
    found = []
    for edge in end_edges(face, end):
        flat, space = edge.pcurve, edge.space
        v = curve_points(flat, flat.domain)[:, 1]
        found.append((min(v), *((flat, space) if v[0] < v[1] else (reverse_curve(flat), reverse_curve(space)))))
    lines = tuple((flat, space) for _, flat, space in sorted(found, key=lambda f: f[0]))
    first, last = lines[0][0], lines[-1][0]
    return End((float(first.control[0, 0]), float(last.control[-1, 0])), lines)


def contact_ends(face: Face, end: int, beside: Sequence[Face], name: str) -> Array:
    """Where the contacts with both faces beside it end on them at a fillet's start (0) or end (-1), (2, 3): the faces'
    own vertices, from which the fillet's are off by as little as its sides are. name: of the contacts' edges.
    """
    spaces, out = end_lines(face, end).spaces, []
    for tip, own in zip((spaces[0].control[0], spaces[-1].control[-1]), beside, strict=True):
        ends = np.concatenate([curve_points(e.space, e.space.domain) for e in contact_edges(own, name)])
        away = norm(ends - tip)
        out.append(ends[int(np.argmin(away))] if away.min() < _TIP else tip)
    return np.array(out)


def tipped(lines: Sequence[Curve], tips: Array) -> list[Curve]:
    """A row of lines with its first and last place moved by the little to where other edges end, (2, 3)."""
    out = list(lines)
    for k in (0, -1):
        if float(np.linalg.norm(out[k].control[k] - tips[k])) < _TIP:
            out[k] = with_end(out[k], k, tips[k])
    return out


def end_edges(face: Face, end: int) -> list[Edge]:
    """The edges of a fillet across its start (0) or end (-1), one where nothing parts it."""
    names = {0: ("u0", "start"), -1: ("u1", "end")}[end]
    found = [e for e in face.edges if base_name(e.name) in names or e.side == names[0]]
    if not found:
        raise GeometryError("The fillet does not reach the face at its end.")
    return found


def _way(surface: Surface, face: Face, t: float, v: float, corner: Array, name: str) -> Way:
    """How the end runs across the fillet where it leaves a face, so that the face's border goes on in it with its
    direction and its geodesic curvature: both surfaces have one second form there.
    """
    best: tuple[float, Array, Array] | None = None
    for e in face.edges:
        if base_name(e.name) == name:
            continue
        for k, at in enumerate(e.space.domain):
            p, first, second = curve_derivatives(e.space, [at], 2)[:, 0]
            away = float(np.linalg.norm(p - corner))
            if best is None or away < best[0]:
                best = (away, first if k == 1 else -first, second)
    if best is None:
        return SQUARE
    _, run, turn = best
    d = surface_derivatives(surface, [t], [v], 2)[:, :, 0]
    f = np.stack([d[1, 0], d[0, 1]], axis=1)
    along, across = np.linalg.lstsq(f, run, rcond=None)[0]
    if abs(across) * float(np.linalg.norm(f[:, 1])) < 1e-3 * abs(along) * float(np.linalg.norm(f[:, 0])):
        return SQUARE
    slope = float(along / across)
    leaves = d[1, 0] * slope + d[0, 1]
    side = np.cross(np.cross(d[1, 0], d[0, 1]), leaves)
    reach = float(d[1, 0] @ side)
    if abs(reach) < 1e-9 * float(np.linalg.norm(side)) * float(np.linalg.norm(d[1, 0])):
        return slope, 0.0
    own = d[2, 0] * slope**2 + 2 * d[1, 1] * slope + d[0, 2]
    bent = float(turn @ side) * float(leaves @ leaves) / float(run @ run) - float(own @ side)
    return slope, bent / reach


def end_line(surface: Surface, at: tuple[float, float], ways: tuple[Way, Way]) -> Curve:
    """The end in the fillet's parameters, from v = 0 to 1: as both borders run on, where they are calm."""
    a, b = at
    chord = b - a
    d = surface_derivatives(surface, [0.5 * (a + b)] * 2, [0.0, 1.0], 1)
    width, pace = float(norm(d[0, 0, :1] - d[0, 0, 1:])[0]), float(norm(d[1, 0]).mean())
    limit = max(_STEEPEST * abs(chord), _LEAN * width / max(pace, 1e-12))
    (p, m), (q, n) = (way if abs(way[0]) < limit else (chord, 0.0) for way in ways)
    m, n = (float(np.clip(x, -_BENT * limit, _BENT * limit)) for x in (m, n))
    rows = [a, a + p / 5, a + 2 * p / 5 + m / 20, b - 2 * q / 5 + n / 20, b - q / 5, b]
    return Curve(5, basis.uniform_knots(5, 1), np.column_stack([rows, np.linspace(0, 1, 6)]))


def onto_borders(line: Curve, face: Face) -> Curve:
    """The line with its ends on the borders of the face that they lie beside: it leaves these tangentially, so that an
    end a millionth of a millimetre inside would not meet them.
    """
    for row in (0, -1):
        end = line.control[[row]]
        feet = [to_curve(e.space, end) for e in face.edges if boxed(e.space, end, REACH)[0]]
        foot = min(feet, key=lambda f: float(f.distance[0]), default=None)
        if foot is not None and foot.distance[0] < REACH:
            line = with_end(line, row, foot.point[0])
    return line
