"""How full a blend may be before sections that leave hollow edges meet."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pamble.core.arrays import TINY, Array, dot, norm
from pamble.core.faces.frames import frames
from pamble.core.joining.pairing import Side
from pamble.core.joining.spec import FULLNESS_LIMITS, BlendSpec
from pamble.core.spline import basis

_PLACES, _PLACES_ROUND = 61, 121
"""Places along an edge, and round a loop, between which there is to be room."""

_SHARE = 0.5
"""Share of the room that sections take unless they are asked to be fuller."""


def with_room(sides: tuple[Side, Side], spec: BlendSpec) -> BlendSpec:
    """The spec with the fullness filled in that was left open, lowered until no section reaches farther in front of its
    edge than half of the room there.

    Sections leave a hole towards its middle, and a hollow edge towards where it bends to, by as much as they are full.
    The room at a place is the radius of the largest ball that touches the edge there, on that side: beyond its centre
    those from other places come (the medial axis; own derivation).
    """
    if None not in spec.fullness:
        return spec
    s = np.linspace(0, 1, _PLACES_ROUND)[:-1] if sides[0].closed else np.linspace(0, 1, _PLACES)
    held = [frames(side.edge, side.parameters(s)) for side in sides]
    chord = norm(held[1].position - held[0].position)
    reach = np.maximum(_reach(spec.continuity) * chord, TINY)
    full = []
    for k, f in enumerate(held):
        given = spec.fullness[k]
        if given is None:
            most = _SHARE * float((_room(f.position, f.outward) / reach).min())
            given = float(np.clip(most, FULLNESS_LIMITS[0], spec.full(k)))
        full.append(given)
    return replace(spec, fullness=(full[0], full[1]))


def _reach(continuity: tuple[int, int]) -> float:
    """How far a section goes along its first legs, over its chord, where both sides are one full."""
    q = continuity[0] + continuity[1] + 1
    legs = np.concatenate([np.arange(continuity[0] + 1), np.arange(continuity[1] + 1)[::-1]]) / q
    values = basis.matrix(basis.uniform_knots(q, 1), q, np.linspace(0, 1, 101))[0]
    return float((values @ legs).max())


def _room(places: Array, inward: Array) -> Array:
    """Radii (m,) of the largest balls that touch an edge at places (m, 3) and hold no other of them, along directions
    (m, 3); infinite where none comes near.
    """
    away = places[None] - places[:, None]
    ahead = np.einsum("ijk,ik->ij", away, inward)
    square = dot(away, away)
    with np.errstate(divide="ignore", invalid="ignore"):
        radius = np.where(ahead > 1e-9 * np.sqrt(square), 0.5 * square / ahead, np.inf)
    np.fill_diagonal(radius, np.inf)
    return np.asarray(radius.min(axis=1))
