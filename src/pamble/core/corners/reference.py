"""Where a layout starts, without a plane: spokes square to the sides, a hub of least energy, Coons patches, one
relaxation.
"""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.corners.fit import assembled
from pamble.core.corners.layouts import Layout
from pamble.core.corners.leads import Inside, Led
from pamble.core.corners.net import Net
from pamble.core.corners.rim import Ground, Rim
from pamble.core.corners.rows import Aims, Block, SoftArc, SoftSeam, turned
from pamble.core.patches.solve import solve
from pamble.core.patches.space import Space
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.surface import Surface

_SLACK = 0.05
_TAU = 0.5
_HOLD_ENDS = 1e4
_FIVE = Space.even(5, 1)


def _quintic(jets: Array) -> Array:
    """Bezier points (6, 3) from point, first and second derivative at both ends, (6, 3).

    Source: Farin, Curves and Surfaces for CAGD, 5th ed., sections 5.3 and 7.6 (from memory).
    """
    p, d, e, q, f, g = jets
    a, b = p + d / 5, q - f / 5
    return np.array([p, a, 2 * a - p + e / 20, 2 * b - q + g / 20, b, q])


_TO_BEZIER = np.stack([_quintic(np.repeat(row[:, None], 3, axis=1))[:, 0] for row in np.eye(6)], axis=1)


def _jet(ground: Ground, length: float) -> Array:
    """Point, and first and second derivative of a line that leaves the rim on the neighbour's own curvature, (3, 3)."""
    d = ground.into[0] * length
    return np.array([ground.point[0], d, float(d @ turned(ground.bend, d[None])[0]) * ground.normal[0]])


def _spokes(feet: list[Ground], centre: Array | None, rounds: int = 3) -> Array:
    """Spokes (k, 6, 3) as quintic Bezier points, from their feet to a hub, with one common 2-jet there.

    The hub's place, tangents and curvatures are those of least energy: sum of the integral of |C'''|^2 over L^5. Angles
    at it are halfway between those of the feet and even ones. centre: where the hub is held.
    """
    count = len(feet)
    points, into = (np.array([getattr(f, k)[0] for f in feet]) for k in ("point", "into"))
    n = unit(np.mean([f.normal[0] for f in feet], axis=0)[None])[0]
    hub = (points + 0.45 * into * norm(points - points.mean(axis=0))[:, None]).mean(axis=0)
    hub = hub if centre is None else centre
    gram = _TO_BEZIER.T @ _FIVE.gram[3] @ _TO_BEZIER
    along = _FIVE.matrix(np.linspace(0, 1, 17))[0]
    lengths, spokes = norm(points - hub), np.zeros((count, 6, 3))
    for _ in range(rounds):
        x = unit((points[0] - hub - n * (n @ (points[0] - hub)))[None])[0]
        look = points - hub
        angle = np.unwrap(np.arctan2(look @ np.cross(n, x), look @ x))
        even = angle[0] + 2 * np.pi * np.arange(count) / count * (1 if angle[-1] > angle[0] else -1)
        c, s = np.cos(0.5 * (angle + even)), np.sin(0.5 * (angle + even))
        at_hub = np.zeros((count, 3, 6))
        at_hub[:, 0, 0] = 1.0
        at_hub[:, 1, 1], at_hub[:, 1, 2] = -c * lengths, -s * lengths
        at_hub[:, 2, 3:] = np.stack([c * c, 2 * c * s, s * s], axis=1) * lengths[:, None] ** 2
        starts = np.array([_jet(f, size) for f, size in zip(feet, lengths, strict=True)])
        weight = lengths**-5.0
        matrix = np.einsum("k,kia,ij,kjb->ab", weight, at_hub, gram[3:, 3:], at_hub)
        right = -np.einsum("k,kia,ij,kjc->ac", weight, at_hub, gram[3:, :3], starts)
        if centre is not None:
            heavy = 1e8 * np.trace(matrix)
            matrix[0, 0] += heavy
            right[0] += heavy * centre
        scale = 1 / np.sqrt(np.diag(matrix))
        unknown = scale[:, None] * np.linalg.solve(
            scale[:, None] * matrix * scale + 1e-12 * np.eye(6), scale[:, None] * right
        )
        hub = unknown[0]
        across = np.cross(unknown[1], unknown[2])
        if np.linalg.norm(across) > 0.05:
            n = across / np.linalg.norm(across) * (1 if across @ n > 0 else -1)
        spokes = np.array([_TO_BEZIER @ np.vstack([a, h]) for a, h in zip(starts, at_hub @ unknown, strict=True)])
        lengths = norm(np.diff(along @ spokes, axis=1)).sum(axis=1)
    return spokes


def _seams(rim: Rim, layout: Layout, centre: Array | None) -> dict[int, Array]:
    """The seams inside as quintic Bezier points, by their arcs."""

    def ground(vertex: int) -> Ground:
        v = layout.vertices[vertex]
        return rim.foot(v.side, v.t, v.kind == "corner")

    inner = [k for k, arc in enumerate(layout.arcs) if arc.inner]
    to_hub = [k for k in inner if layout.arcs[k].end == layout.hub]
    out: dict[int, Array] = {}
    if to_hub:
        feet = [ground(layout.arcs[k].start) for k in to_hub]
        out.update(zip(to_hub, _spokes(feet, centre), strict=True))
    for k in set(inner) - set(to_hub):
        a, b = ground(layout.arcs[k].start), ground(layout.arcs[k].end)
        length = float(np.linalg.norm(b.point[0] - a.point[0]))
        arriving = _jet(b, length) * np.array([1.0, -1.0, 1.0])[:, None]
        out[k] = _quintic(np.vstack([_jet(a, length), arriving]))
    return out


def network(rim: Rim, net: Net, inside: Inside) -> Array:
    """CVs: arcs on the rim by least squares, seams as they are, the insides by Coons."""
    layout = net.layout
    control = np.zeros((net.count, 3))
    for k, arc in enumerate(layout.arcs):
        if not arc.inner:
            s, _ = net.places(k)
            weight = np.ones((len(s), 1))
            weight[[0, -1]] = _HOLD_ENDS
            points = rim.at(arc.side, arc.t0 + (arc.t1 - arc.t0) * s).point
            control[net.arcs[k]] = np.linalg.lstsq(net.along(k)[0] * weight, points * weight, rcond=None)[0]
    for k, line in _seams(rim, layout, inside.centre).items():
        ids, row = net.arcs[k], Led(net, k, inside.leads[k]).start() if k in inside.leads else _in(net.spaces[k], line)
        control[ids[1:-1]] = row[1:-1]
        if layout.arcs[k].end == layout.hub:
            control[ids[-1]] = row[-1]
    for (along_u, along_v), own in zip(net.patches, net.index, strict=True):
        u, v = greville(along_u)[:, None, None], greville(along_v)[None, :, None]
        p = control[own]
        ruled = (1 - v) * p[:, :1] + v * p[:, -1:] + (1 - u) * p[:1] + u * p[-1:]
        corner = (1 - u) * ((1 - v) * p[0, 0] + v * p[0, -1]) + u * ((1 - v) * p[-1, 0] + v * p[-1, -1])
        control[own[1:-1, 1:-1]] = (ruled - corner)[1:-1, 1:-1]
    return control


def _in(space: Space, line: Array) -> Array:
    """Quintic Bezier points (6, 3) as CVs in a space of the same or a higher degree."""
    nodes = greville(space)
    return np.asarray(np.linalg.solve(space.matrix(nodes)[0], _FIVE.matrix(nodes)[0] @ line))


def greville(space: Space) -> Array:
    """The places to which the CVs of a row belong (Greville abscissae), (n,)."""
    return basis.greville(space.knots, space.degree)


def laid_on(net: Net, control: Array, ground: Surface) -> Array:
    """The same patches laid on a surface that fills the hole whole: their places move to the nearest ones on it."""
    out = control.copy()
    for spaces, own in zip(net.patches, net.index, strict=True):
        u, v = (space.matrix(greville(space))[0] for space in spaces)
        places = np.einsum("ia,abc,jb->ijc", u, control[own], v, optimize=True)
        feet = to_surface(ground, places.reshape(-1, 3))
        down_u, down_v = np.linalg.inv(u), np.linalg.inv(v)
        out[own] = np.einsum("ai,ijc,bj->abc", down_u, feet.point.reshape(places.shape), down_v)
    return out


def reference(rim: Rim, net: Net, inside: Inside) -> Array:
    """CVs (count, 3) from which a fit starts, and which it differs from calmly."""
    control = network(rim, net, inside)
    aims = Aims(0.1 / rim.size)
    blocks: list[Block] = []
    for k, arc in enumerate(net.layout.arcs):
        if arc.inner:
            blocks.append(SoftSeam(net, k, aims).soft(control, _SLACK))
        else:
            blocks.append(SoftArc(rim, net, k, aims).soft(control, _SLACK))
    blocks += [asked.rows(control) for asked in inside.rows(net)]
    matrix, right, _, _ = assembled(blocks, net.count)
    energy = net.energy(control) / (_TAU * rim.size) ** 2
    pull = energy @ control
    for c in range(3):
        matrix[c::3, c::3] += energy
        right[c::3] -= pull[:, c]
    return control + solve(matrix, right).reshape(-1, 3)
