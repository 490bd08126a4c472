"""Condition rows of a layout: arcs on the rim meet their neighbours, seams inside meet each other, CVs are held.

Normals and the shares by which a seam's two sides lean move with the unknowns: rows in which they lag keep twenty times
the curvature mismatch. Own derivation.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from pamble.core.arrays import Array, IntArray, cross, dot, norm, unit
from pamble.core.corners.net import Net
from pamble.core.corners.rim import Ground, Rim
from pamble.core.patches.conditions import spread
from pamble.core.spline.closest import to_surface
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface


@dataclass(frozen=True)
class Aims:
    """Tolerances of the rows: gap, drift across and along the rim in mm, angle in radians, curvature as a share; floor:
    least curvature, 1/mm, that the share is taken of.
    """

    floor: float
    gap: float = 1e-3
    across: float = 0.002
    along: float = 0.5
    angle: float = float(np.radians(0.003))
    curvature: float = 0.005


_LYING = 6
"""Places each way at which a patch is held near a surface."""

_NEAR = 0.005
"""How near, mm."""


@dataclass(frozen=True)
class Block:
    """Rows (r, 3 k) on the coordinates of CVs ``ids`` (k,), right side (r,); over: at every place along an arc the
    worst of its figures over its aim, (m,).
    """

    ids: IntArray
    matrix: Array
    right: Array
    over: Array = field(default_factory=lambda: np.zeros(1))


def turned(bend: Array, v: Array) -> Array:
    """A tensor (m, 3, 3) on vectors (m, 3)."""
    return np.asarray(np.einsum("mij,mj->mi", bend, v))


_SWAYS = 0.02
"""Most by which a rim may turn from the edge that it follows, radians."""

_STEP = 1e-3
"""Share of a side over which its pace is taken."""


@dataclass(frozen=True)
class Place:
    """Where a rim is on its neighbour: feet on the surface; shares (m,) of the edge, with points and unit tangents
    there.
    """

    foot: Ground
    share: Array
    point: Array
    tangent: Array


class OuterArc:
    """A stretch of the rim: the patch meets the neighbour with G0, G1 or G2, as its side asks."""

    def __init__(self, rim: Rim, net: Net, arc: int, aims: Aims) -> None:
        a = net.layout.arcs[arc]
        self.rim, self.side, self.aims = rim, a.side, aims
        self.order = rim.orders[a.side]
        self.ids = net.rows(arc, 0).ravel()
        s, w = net.places(arc)
        self.shares = s
        along, inward = net.along(arc), net.inward(arc, 0)
        self.value, self.along, self.across, self.second, self.bow, self.twist = (
            (along[k][:, :, None] * inward[b]).reshape(len(s), -1)
            for k, b in ((0, 0), (1, 0), (0, 1), (0, 2), (2, 0), (1, 1))
        )
        share = a.t0 + (a.t1 - a.t0) * s
        ease = rim.eases[a.side]
        self.bending = aims.curvature * (1.0 if ease is None else ease(share))
        self.ground = rim.at(a.side, share)
        self.anchor = self.ground.point
        self.place = Place(self.ground, share, self.anchor, self.ground.tangent)
        near = np.clip(np.stack([share - _STEP, share + _STEP]), 0.0, 1.0)
        side = rim.sides[a.side]
        self.pace = norm(side.points(near[1]) - side.points(near[0])) / (near[1] - near[0])
        self.root = np.sqrt(w)
        fixed = np.zeros(len(s), dtype=bool)
        for end, vertex in ((0, a.start), (-1, a.end)):
            fixed[end] = net.layout.vertices[vertex].kind == "corner"
        self.slide = np.where(fixed, aims.gap, aims.along)
        self.drift = np.where(fixed, aims.gap, aims.across)

    def project(self, control: Array) -> None:
        """Find the feet of the rim on the neighbour, and on its edge: what slides along that must not lead off it."""
        points, before, side = self.value @ control[self.ids], self.place, self.rim.sides[self.side]
        share = np.clip(before.share + dot(before.tangent, points - before.point) / self.pace, 0.0, 1.0)
        foot = self.rim.feet(self.side, points, before.foot)
        self.place = Place(foot, share, side.points(share), side.tangents(share))

    def rows(self, control: Array) -> Block:
        x, o, f = control[self.ids], self.aims, self.place.foot
        c, c1, d, e = (m @ x for m in (self.value, self.along, self.across, self.second))
        n, t = f.normal, self.place.tangent
        q = cross(n, t)
        perp = norm(cross(unit(c1), d))

        def moving(v: Array) -> Array:
            # The foot moves with the rim, and the normal with it: dn = -bend dC.
            return spread(self.value, turned(f.bend, v))

        r = self.root
        parts = [
            (spread(self.value, n), -dot(n, c - f.point), r / o.gap),
            (spread(self.value, q), -dot(q, c - self.place.point), r / self.drift),
            (spread(self.value, t), -dot(t, c - self.anchor), r / self.slide),
        ]
        figures = [parts[0][1] / o.gap, parts[1][1] / self.drift]
        if self.order > 0:
            lean = dot(n, d)
            parts.append((spread(self.along, n) - moving(c1), -dot(n, c1), r / (o.angle * norm(c1))))
            parts.append((spread(self.across, n) - moving(d), -lean, r / (o.angle * perp)))
            figures.append(lean / (o.angle * perp))
        if self.order > 1:
            bent = turned(f.bend, d)
            asked = dot(d, bent)
            # Of the neighbour's curvature square to the rim, as the seam is judged.
            size = np.maximum(np.abs(dot(q, turned(f.bend, q))), o.floor)
            # Along the rim and mixed, too: square to it is what its arms tell less a share of these, which is large
            # in a flat corner.
            along, pace = turned(f.bend, c1), norm(c1)
            bow, twist = self.bow @ x, self.twist @ x
            lies = dot(unit(c1), d) / pace
            second = spread(self.second, n) - 2 * spread(self.across, bent) - moving(e), asked - dot(n, e)
            bowed = spread(self.bow, n) - 2 * spread(self.along, along) - moving(bow), dot(c1, along) - dot(n, bow)
            twisted = (
                spread(self.twist, n) - spread(self.along, bent) - spread(self.across, along) - moving(twist),
                dot(d, along) - dot(n, twist),
            )
            mixed = _less(twisted, bowed, lies)
            square = _less(_less(second, twisted, lies), mixed, lies)
            for (matrix, off), by in ((square, perp**2), (bowed, pace**2), (mixed, pace * perp)):
                parts.append((matrix, off, r / (self.bending * size * by)))
            # The rim is judged square to its own way, and has to keep the edge's where the neighbour curves otherwise.
            own = cross(n, unit(c1))
            turns = dot(own, turned(f.bend, own)) - dot(q, turned(f.bend, q))
            limit = self.bending * size
            figures.append((square[1] / perp**2 + turns) / limit)
            parts.append((spread(self.along, q), -dot(q, c1), r / (_sway(t, q, f.bend, limit) * pace)))
        matrix = np.vstack([m * w[:, None] for m, _, w in parts])
        right = np.concatenate([y * w for _, y, w in parts])
        return Block(self.ids, matrix, right, np.abs(figures).max(axis=0))


def _sway(t: Array, q: Array, bend: Array, limit: Array) -> Array:
    """By how many radians a rim may turn from its edge, (m,), until the curvature square to it is another by ``limit``,
    (m,) 1/mm; at most `_SWAYS`. t, q: along the edge and square to it; bend: of the neighbour.
    """
    turning = 2 * np.abs(dot(t, turned(bend, q))) / limit
    bent = np.sqrt(np.abs(dot(t, turned(bend, t)) - dot(q, turned(bend, q))) / limit)
    return 1.0 / np.maximum(np.maximum(turning, bent), 1 / _SWAYS)


def _less(one: tuple[Array, Array], other: tuple[Array, Array], share: Array) -> tuple[Array, Array]:
    """Rows less a share (m,) of others."""
    return one[0] - share[:, None] * other[0], one[1] - share * other[1]


def lean(a: Array, b: Array, c: Array) -> tuple[Array, Array, Array]:
    """Shares l and m of b = -l a + m c in the mean tangent plane of two patches at their seam, and its normal.

    a, b: derivatives (m, 3) into both patches; c: along the seam.
    """
    n = unit(unit(cross(c, a)) - unit(cross(c, b)))
    t = unit(c)
    q = cross(n, t)
    l = -dot(q, b) / dot(q, a)
    return np.asarray(l), (dot(t, b) + l * dot(t, a)) / norm(c), n


class InnerSeam:
    """Two patches that share the CVs of their seam meet with G1 and G2."""

    def __init__(self, net: Net, arc: int, aims: Aims) -> None:
        one, two = net.rows(arc, 0), net.rows(arc, 1)
        self.ids = np.concatenate([one, two[:, 1:]], axis=1).ravel()
        s, w = net.places(arc)
        along = net.along(arc)
        first, second, rim = np.zeros((3, 5)), np.zeros((3, 5)), np.eye(5)[0]
        first[:, :3], second[:, [0, 3, 4]] = net.inward(arc, 0), net.inward(arc, 1)

        def columns(k: int, m: Array) -> Array:
            return np.asarray((along[k][:, :, None] * m).reshape(len(s), -1))

        self.c, self.cc = columns(1, rim), columns(2, rim)
        self.a, self.aa, self.ac = columns(0, first[1]), columns(0, first[2]), columns(1, first[1])
        self.b, self.bb = columns(0, second[1]), columns(0, second[2])
        self.shares, self.root, self.aims = s, np.sqrt(w), aims

    def project(self, control: Array) -> None:
        """Nothing is projected inside."""

    def rows(self, control: Array) -> Block:
        x, o = control[self.ids], self.aims
        c, a, b = self.c @ x, self.a @ x, self.b @ x
        across_a, across_b = norm(cross(unit(c), a)), norm(cross(unit(c), b))
        # G1: the three derivatives lie in one plane.
        flat = dot(c, cross(a, b))
        g1 = 1.0 / (o.angle * norm(c) * across_a * across_b)
        one = spread(self.a, cross(b, c)) + spread(self.b, cross(c, a)) + spread(self.c, cross(a, b))
        # G2: what the second derivatives leave over across the seam has no part along the normal.
        l, m, n = lean(a, b, c)
        aa, ac, bb, cc = (y @ x for y in (self.aa, self.ac, self.bb, self.cc))
        l1, m1 = l[:, None], m[:, None]
        rest = bb - l1**2 * aa + 2 * l1 * m1 * ac - m1**2 * cc
        off = dot(n, rest)
        area = dot(n, cross(c, a))[:, None]
        dual_c, dual_a = cross(a, n) / area, cross(n, c) / area
        # Of the first patch's curvature square to the seam, as the seam is judged.
        q = cross(n, unit(c))
        by_a, by_c = dot(dual_a, q), dot(dual_c, q)
        curved = by_a**2 * dot(n, aa) + 2 * by_a * by_c * dot(n, ac) + by_c**2 * dot(n, cc)
        g2 = 1.0 / (o.curvature * np.maximum(np.abs(curved), o.floor) * across_b**2)
        two = spread(self.bb - l1**2 * self.aa + 2 * l1 * m1 * self.ac - m1**2 * self.cc, n)
        # The normal and both shares move: dn = -(n.dc) e_c - (n.da) e_a, dl = -e_a.w, dm = e_c.w, with the dual vectors
        # e of (c, a) and w = db + l da - m dc.
        by_l, by_m = dot(n, 2 * (m1 * ac - l1 * aa))[:, None], dot(n, 2 * (l1 * ac - m1 * cc))[:, None]
        w = by_m * dual_c - by_l * dual_a
        two = two + spread(self.b, w) + spread(self.a, l1 * w - dot(dual_a, rest)[:, None] * n)
        two = two - spread(self.c, m1 * w + dot(dual_c, rest)[:, None] * n)
        r = self.root
        matrix = np.vstack([one * (r * g1)[:, None], two * (r * g2)[:, None]])
        right = np.concatenate([-flat * r * g1, -off * r * g2])
        return Block(self.ids, matrix, right, np.maximum(np.abs(flat * g1), np.abs(off * g2)))


@dataclass(frozen=True)
class Held:
    """A CV stays at a point (3,), within a tolerance in mm."""

    cv: int
    point: Array
    tolerance: float = 0.01

    def project(self, control: Array) -> None:
        """Nothing is projected."""

    def rows(self, control: Array) -> Block:
        right = (self.point - control[self.cv]) / self.tolerance
        return Block(np.array([self.cv]), np.eye(3) / self.tolerance, right)


def _run(ends: Array, s: Array) -> Array:
    """Values that run evenly from one end to the other, (m, 1)."""
    return np.asarray(ends[0] + (ends[1] - ends[0]) * s)[:, None]


class Lies:
    """A patch stays near a surface that fills the hole whole: distances along its normal, gently.

    The energy of the difference to a reference lets the shape drift by what bends evenly; this holds it.
    """

    def __init__(self, net: Net, patch: int, ground: Surface, control: Array) -> None:
        s = 0.5 * (1 + np.polynomial.legendre.leggauss(_LYING)[0])
        u, v = (space.matrix(s)[0] for space in net.patches[patch])
        self.ids = net.index[patch].ravel()
        self.value = np.einsum("ia,jb->ijab", u, v).reshape(len(s) ** 2, -1)
        self.foot = to_surface(ground, self.value @ control[self.ids])
        self.normal = normals(surface_derivatives(ground, self.foot.u, self.foot.v, 1))

    def project(self, control: Array) -> None:
        """Feet stay: what slides along the surface does not count."""

    def rows(self, control: Array) -> Block:
        weight = 1.0 / (_NEAR * np.sqrt(len(self.normal)))
        off = dot(self.normal, self.foot.point - self.value @ control[self.ids])
        return Block(self.ids, spread(self.value, self.normal) * weight, off * weight)


class SoftArc(OuterArc):
    """Where a patch on the rim should start: its place, a whole first derivative that runs evenly from one end of the
    arc to the other, and its curvature.
    """

    def soft(self, control: Array, slack: float) -> Block:
        s, x, f = self.shares, control[self.ids], self.ground
        t, q = f.tangent, f.into
        c, d, e = (m @ x for m in (self.value, self.across, self.second))
        ends_t, ends_q = dot(d, t)[[0, -1]], dot(d, q)[[0, -1]]
        way = _run(ends_t, s) * t + _run(ends_q, s) * q
        size = norm(way)
        parts = [
            (
                spread(self.value, np.broadcast_to(axis, c.shape)),
                -dot(axis, c - self.anchor),
                np.full(len(s), 1 / 0.003),
            )
            for axis in np.eye(3)
        ]
        for v, tolerance in ((f.normal, 0.0005), (t, slack), (q, slack)):
            parts.append((spread(self.across, v), -dot(v, d - way), 1 / (tolerance * size)))
        bent = turned(f.bend, way)
        asked = dot(way, bent)
        scale = 1 / (0.03 * np.maximum(np.abs(asked), self.aims.floor * size**2))
        # Linear in the derivative too: its soft part along the edge would else cost curvature where the edge bends.
        matrix = spread(self.second, f.normal) - 2 * spread(self.across, bent)
        parts.append((matrix, -(dot(f.normal, e) - 2 * dot(bent, d) + asked), scale))
        return Block(
            self.ids,
            np.vstack([m * w[:, None] for m, _, w in parts]),
            np.concatenate([y * w for _, y, w in parts]),
        )


class SoftSeam(InnerSeam):
    """A seam whose two sides lean by shares that run evenly between its ends, first and second derivatives as
    vectors."""

    def soft(self, control: Array, slack: float) -> Block:
        s, x = self.shares, control[self.ids]
        l, m, _ = lean(self.a @ x, self.b @ x, self.c @ x)
        l, m = np.maximum(_run(l[[0, -1]], s), 0.05), _run(m[[0, -1]], s)
        size = norm(self.b @ x)[:, None]
        first = (self.b + l * self.a - m * self.c) / (slack * size)
        second = (self.bb - l**2 * self.aa + 2 * l * m * self.ac - m**2 * self.cc) / (3 * slack * size)
        ways = [np.broadcast_to(axis, (len(s), 3)) for axis in np.eye(3)]
        matrix = np.vstack([spread(y, v) for v in ways for y in (first, second)])
        right = np.concatenate([-dot(v, y @ x) for v in ways for y in (first, second)])
        return Block(self.ids, matrix, right)
