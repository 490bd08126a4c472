"""Balls and what is like them, trimmed, with their joint in other places: nothing of their shape changes."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.inside import inside
from pamble.core.faces.on_sides import side_of
from pamble.core.faces.regions.arrange import arrange
from pamble.core.faces.regions.choose import regions
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import begun_at, reverse_surface, swap_directions
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import COINCIDENT

_SIDES = (("u0", "u1"), ("v0", "v1"))
_PLACES = 33
_BESIDE = (0.0, 0.5, 0.25, 0.75)
"""Shares of a turn from the middle of what was cut at which the joint is tried."""


def ball_like(face: Face) -> int | None:
    """The same as `goes_round`, of the surface of a trimmed face."""
    return goes_round(face.surface) if face.loops else None


def goes_round(surface: Surface) -> int | None:
    """The direction, 0 for u and 1 for v, in which a surface goes once round between two poles, None if it does not."""
    found = [k for k in (0, 1) if surface.closed[k] and all(s in surface.poles for s in _SIDES[1 - k])]
    return found[0] if found else None


def other_turns(face: Face) -> Iterator[Face]:
    """The same face with its parameters turned by a quarter, a half and three quarters of a turn."""
    for _ in range(3):
        surface, ends = reverse_surface(swap_directions(face.surface), "v"), sum(face.surface.domain[0])
        loops = [
            tuple(Edge(surface, e.name, _quarter(e.pcurve, ends), e.inward, e.space) for e in loop)
            for loop in face.loops
        ]
        face = Face(surface, tuple(loops))
        yield face


def _quarter(curve: Curve, ends: float) -> Curve:
    """A trim curve where v runs as u did, and u against v. ends: sum of the limits of u."""
    return replace(curve, control=np.column_stack([curve.control[:, 1], ends - curve.control[:, 0]]))


def other_joints(face: Face, along: int) -> Iterator[Face]:
    """The same face with its joint through what was cut out of it, and in other places. along: see `ball_like`."""
    cuts = [e for e in face.edges if side_of(e) not in _SIDES[along]]
    low, high = face.surface.domain[along]

    def holds(uv: Array) -> bool:
        uv[along] = low + (uv[along] - low) % (high - low)
        return bool(inside(face, uv[:1], uv[1:])[0])

    yield from _with_joints(face.surface, cuts, along, _BESIDE, holds)


def rest_of(faces: Sequence[Face], whole: Surface) -> Face:
    """What is left of a whole surface that goes once round between two poles, without faces on it: its joint lies
    beside these. Raises `GeometryError` where the surface is none, or a face reaches round it.
    """
    along = goes_round(whole)
    if along is None or any(_reaches_round(face, along) for face in faces):
        raise GeometryError("The face is not cut out of a surface like a ball.")
    turn = float(np.ptp(whole.domain[along]))

    def on(face: Face, uv: Array) -> bool:
        low, high = face.surface.domain[along]
        at = low + (uv[along] - low) % turn
        own = (np.array([at]), uv[1:]) if along == 0 else (uv[:1], np.array([at]))
        return bool(at <= high and inside(face, *own)[0])

    cuts = [e for face in faces for e in once(face.edges)]
    made = next(_with_joints(whole, cuts, along, _BESIDE[1:], lambda uv: not any(on(f, uv) for f in faces)), None)
    if made is None:
        raise GeometryError("There is no room for a joint beside the face.")
    return made


def once(edges: Sequence[Edge]) -> list[Edge]:
    """Edges without those that a loop runs along twice, from one hole to the next on the joint."""
    middles = np.concatenate([curve_points(e.space, [0.5 * sum(e.space.domain)]) for e in edges])
    apart = norm(middles[:, None] - middles)
    return [e for e, row in zip(edges, apart, strict=True) if np.count_nonzero(row < COINCIDENT) == 1]


def _reaches_round(face: Face, along: int) -> bool:
    return face.surface.closed[along] and any(side_of(e) in _SIDES[along] for e in face.edges)


def _with_joints(
    surface: Surface, cuts: Sequence[Edge], along: int, shares: Sequence[float], holds: Callable[[Array], bool]
) -> Iterator[Face]:
    """Faces on a surface that is closed along a direction, cut by edges, its joint at shares of a turn from the middle
    of these. holds: whether a place (2,) of them lies on what is kept.
    """
    low, high = surface.domain[along]
    if not cuts:
        return
    # On the circle, as what was cut may lie over the joint.
    places = np.concatenate([curve_points(e.pcurve, np.linspace(*e.domain, _PLACES)) for e in cuts])[:, along]
    turn = high - low
    middle = np.angle(np.exp(2j * np.pi * (places - low) / turn).mean()) / (2 * np.pi)
    for share in shares:
        at = low + turn * ((middle + share) % 1.0)
        try:
            begun = begun_at(surface, along, float(np.clip(at, low + 1e-3 * turn, high - 1e-3 * turn)))
            yield cut_by(begun, [s for e in cuts for s in _turned(e, along, begun.domain[along], turn)], holds)
        except GeometryError:
            continue


def cut_by(surface: Surface, sources: Sequence[Source], holds: Callable[[Array], bool]) -> Face:
    """What lines cut out of a whole surface. holds: whether a place (2,) in the parameters is kept. Raises
    `GeometryError` where nothing is, or pieces that hang together over a joint alone.
    """
    made = arrange([*border_sources(Face(surface)), *sources], plane_scale(surface))
    keep = [r.number for r in regions(made, surface) if holds(np.array(r.at))]
    pieces = faces_of(surface, made, keep)
    if len(pieces) > 1:
        raise GeometryError("The face hangs together over its joint alone.")
    return pieces[0]


def _turned(edge: Edge, along: int, domain: tuple[float, float], turn: float) -> Iterator[Source]:
    """An edge on a surface that begins at another place, a turn on or back where it lies there."""
    there = curve_points(edge.pcurve, np.linspace(*edge.domain, _PLACES))[:, along]
    for shift in (-turn, 0.0, turn):
        if there.min() + shift < domain[1] and there.max() + shift > domain[0]:
            control = edge.pcurve.control.copy()
            control[:, along] += shift
            yield Source(edge.name, replace(edge.pcurve, control=control), edge.space, cutter=edge.name)
