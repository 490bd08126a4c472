"""Where a ball that rolls along a crease touches both faces: all stations at once, and what is wrong with a radius."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray, dot, norm
from pamble.core.fillets.crease import Crease
from pamble.core.fillets.feet import derivatives, step_uv
from pamble.core.spline.closest import to_surface
from pamble.core.spline.differential import curvatures, turning_normals
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import EDGES, Surface

_RESIDUAL = 1e-7
"""Distance, mm, that a station may be left off touching both faces."""

_TIGHT, _NEAR = 0.02, 0.3
"""1 - radius times curvature below which a ball does not fit into a face, and below which it hardly does."""

_BEYOND, _RADII = 0.15, 1.5
"""Share of a face's domain by which a contact may lie beyond it, or so many radii where that is more."""

_OVER = 0.5, 5.0
"""Shares of a face's domain by which a contact is looked for beyond its border, at least, and on a narrow one."""

_STANDS, _STILL = 0.02, 1e-3
"""Step of the spine or a contact, as a share of the crease's, below which it turns back; and by how many mm it may
where stations lie close.
"""

_STRAY, _MENDED = 3.0, 4
"""Times its own steps by which a ball may lie off the way between those beside it; and times that others are looked
for.
"""

_ROUNDS = 25

_SETTLED = 1e-8
"""Share of a domain below which the last step leads on to rounding errors: each squares what the one before it left."""


@dataclass(frozen=True)
class Contacts:
    """uv: parameters (m, 4) on both faces; points, normals: on each face, normals toward the ball's centre, (m, 3);
    centre (m, 3), radius (m,), mm. residual: mm. room: least of 1 - radius times curvature toward the ball.
    """

    uv: Array
    points: tuple[Array, Array]
    normals: tuple[Array, Array]
    centre: Array
    radius: Array
    residual: Array
    room: Array


@np.errstate(over="ignore", invalid="ignore", divide="ignore")
def contacts(c: Crease, radius: Array, chord: float | None = None, start: Array | None = None) -> Contacts:
    """Contacts of balls of radius (m,) at the stations; with ``chord`` (mm) the radius is found that keeps them so far
    apart, from the given ones.

    Newton on S1 + s1 R n1 = S2 + s2 R n2, with the middle of both contacts in the station's plane; columns are scaled
    to mm, and where the crease has faded so that they coincide the least step is taken. Own derivation.
    """
    r = np.array(radius, dtype=float)
    q = _seed(c, r) if start is None else start.copy()
    _solve(c, q, r, chord, np.arange(len(q)))
    out = touching(c, q, r)
    lost = ~(out.residual <= _RESIDUAL)
    if lost.any() and not lost.all():
        # Once more, from between the stations beside them.
        q[lost], r[lost] = _beside(c, out, lost), np.asarray(radius, dtype=float)[lost]
        _solve(c, q, r, chord, np.flatnonzero(lost))
        out = touching(c, q, r)
    for _ in range(_MENDED if start is None else 0):
        # Where a ball has room in several places, it is laid in where those beside it are.
        stray = _strays(c, out)
        if not stray.any() or stray.all():
            break
        q, r = q.copy(), r.copy()
        q[stray], r[stray] = _beside(c, out, stray), np.asarray(radius, dtype=float)[stray]
        _solve(c, q, r, chord, np.flatnonzero(stray))
        last, out = out, touching(c, q, r)
        if (out.residual[stray] > _RESIDUAL).any():
            return last
    return out


def _strays(c: Crease, found: Contacts) -> BoolArray:
    """Stations (m,) whose ball lies off the way between those beside it."""
    out = np.zeros(len(c.s), dtype=bool)
    if len(out) < 3:
        return out
    for row in (found.centre, *found.points):
        off = norm(row[1:-1] - 0.5 * (row[2:] + row[:-2]))
        way = norm(row[2:] - row[:-2]) + norm(c.points[2:] - c.points[:-2])
        out[1:-1] |= off > _STRAY * way
    return out


def _beside(c: Crease, found: Contacts, lost: BoolArray) -> Array:
    """Parameters (k, 4) between the contacts at the stations beside those that are lost, (m,)."""
    at, known = np.flatnonzero(lost), np.flatnonzero(~lost)
    sides = []
    for surface, points in zip(c.surfaces, found.points, strict=True):
        places = np.column_stack([np.interp(at, known, points[known, i]) for i in range(3)])
        feet = to_surface(surface, places)
        sides.append(np.column_stack([feet.u, feet.v]))
    return np.hstack(sides)


def _solve(c: Crease, q: Array, r: Array, chord: float | None, live: IntArray) -> None:
    """Move parameters (m, 4), and radii (m,) where a chord is given, of some stations to where the ball touches."""
    a, b = c.surfaces
    size = np.array([np.ptp(d) for s in (a, b) for d in s.domain])
    low, high = np.hstack([_bounds(s, float(r.max())) for s in (a, b)])
    unknowns = 4 if chord is None else 5
    s1, s2 = c.signs
    for _ in range(_ROUNDS):
        da = derivatives(a, q[live, 0], q[live, 1], 2)
        db = derivatives(b, q[live, 2], q[live, 3], 2)
        n1, n1u, n1v = turning_normals(da)
        n2, n2u, n2v = turning_normals(db)
        rr, t = r[live][:, None], c.tangents[live]
        off, jac = np.zeros((len(live), unknowns)), np.zeros((len(live), unknowns, unknowns))
        off[:, :3] = da[0, 0] + s1 * rr * n1 - db[0, 0] - s2 * rr * n2
        off[:, 3] = dot(t, 0.5 * (da[0, 0] + db[0, 0]) - c.points[live])
        jac[:, :3, 0], jac[:, :3, 1] = da[1, 0] + s1 * rr * n1u, da[0, 1] + s1 * rr * n1v
        jac[:, :3, 2], jac[:, :3, 3] = -db[1, 0] - s2 * rr * n2u, -db[0, 1] - s2 * rr * n2v
        for k, way in enumerate((da[1, 0], da[0, 1], db[1, 0], db[0, 1])):
            jac[:, 3, k] = 0.5 * dot(t, way)
        if chord is not None:
            apart = da[0, 0] - db[0, 0]
            off[:, 4] = (dot(apart, apart) - chord * chord) / (2 * chord)
            jac[:, :3, 4] = s1 * n1 - s2 * n2
            for k, way in enumerate((da[1, 0], da[0, 1], -db[1, 0], -db[0, 1])):
                jac[:, 4, k] = dot(apart, way) / chord
        scale = np.maximum(norm(jac.transpose(0, 2, 1)), 1e-12)
        scaled, off = np.nan_to_num(jac / scale[:, None, :]), np.nan_to_num(off)
        flat = np.abs(np.linalg.det(scaled)) < 1e-7
        step = np.zeros_like(off)
        if (~flat).any():
            step[~flat] = np.linalg.solve(scaled[~flat], off[~flat][..., None])[..., 0]
        if flat.any():
            step[flat] = (np.linalg.pinv(scaled[flat], rcond=1e-7) @ off[flat][..., None])[..., 0]
        step /= scale
        sound = np.isfinite(step).all(axis=1)
        step[~sound] = 0.0
        move = np.clip(step[:, :4], -0.1 * size, 0.1 * size)
        q[live] = np.clip(q[live] - move, low, high)
        if chord is not None:
            r[live] = np.clip(r[live] - np.clip(step[:, 4], -0.5 * r[live], 0.5 * r[live]), 1e-6, 1e6)
        settled = (np.abs(move) / size).max(axis=1) < _SETTLED
        live = live[~settled & sound]
        if not len(live):
            break


def _bounds(surface: Surface, radius: float) -> Array:
    """Least and largest parameters (2, 2) of a contact: several times round, a little over a border, by some radii over
    that of a narrow face, not over a pole, beyond which a surface is turned over.
    """
    out = np.array(surface.domain).T
    for side in EDGES:
        along, high = EDGES.index(side) // 2, int(side[1])
        wide = float(norm(np.diff(surface.control, axis=along)).sum(axis=along).max())
        over = np.clip(_RADII * radius / max(wide, 1e-9), *_OVER)
        room = 2.5 if surface.closed[along] else 0.0 if side in surface.poles else float(over)
        out[high, along] += (room if high else -room) * np.ptp(surface.domain[along])
    return out


def _seed(c: Crease, radius: Array) -> Array:
    """As far into each face as a ball between two planes touches."""
    reach = (radius * np.tan(0.5 * np.clip(c.turn, 0.0, 2.6)))[:, None]
    out = []
    for k, (surface, into) in enumerate(zip(c.surfaces, c.into, strict=True)):
        uv = c.uv[:, 2 * k : 2 * k + 2]
        d = derivatives(surface, uv[:, 0], uv[:, 1], 1)
        out.append(uv + step_uv(d, into * reach))
    return np.hstack(out)


def near(surface: Surface, uv: Array, places: Array, most: Array) -> Array:
    """Parameters (m, 2); where they lead farther than ``most`` (m,) mm from places (m, 3), the feet of these instead:
    beside a pole parameters run round it in no time, and only places can be followed.
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        # Far beyond its borders a rational surface may have no weight left.
        away = norm(derivatives(surface, uv[:, 0], uv[:, 1], 0)[0, 0] - places)
    lost = np.flatnonzero(~(away <= most) & np.isfinite(places).all(axis=1))
    if len(lost):
        feet = to_surface(surface, places[lost])
        uv = uv.copy()
        uv[lost] = np.column_stack([feet.u, feet.v])
    return uv


def touching(c: Crease, q: Array, r: Array) -> Contacts:
    """Contacts at parameters (m, 4) on both faces, of balls of radius (m,): how near they are tells the residual."""
    points, normals, room = [], [], []
    for k, (surface, sign) in enumerate(zip(c.surfaces, c.signs, strict=True)):
        d = derivatives(surface, q[:, 2 * k], q[:, 2 * k + 1], 2)
        n, bend = curvatures(d)
        points.append(d[0, 0])
        normals.append(sign * n)
        room.append(1 - r * np.maximum(sign * bend.largest, sign * bend.smallest))
    centres = [p + r[:, None] * n for p, n in zip(points, normals, strict=True)]
    middle = 0.5 * (points[0] + points[1])
    residual = np.maximum(norm(centres[0] - centres[1]), np.abs(dot(c.tangents, middle - c.points)))
    centre = 0.5 * (centres[0] + centres[1])
    return Contacts(q, (points[0], points[1]), (normals[0], normals[1]), centre, r, residual, np.minimum(*room))


def fault(c: Crease, found: Contacts) -> tuple[str, int] | None:
    """What is wrong with the worst station between the crease's ends, in words, and its number; None if all are
    sound."""
    inside = (c.s >= -1e-9) & (c.s <= 1 + 1e-9)
    over = _over(c, found)
    checks = (
        *_unsound(c, found),
        (over[:, :2].max(axis=1) > 1.0, "the contact leaves the first face"),
        (over[:, 2:].max(axis=1) > 1.0, "the contact leaves the second face"),
        (_back(c, found), "the ball turns back on its way"),
    )
    for wrong, words in checks:
        if (wrong & inside).any():
            return words, int(np.argmax(wrong & inside))
    return None


def sound_beyond(c: Crease, found: Contacts) -> tuple[float, float]:
    """How far beyond its start and its end a ball rolls on before it fits no more or turns back, shares of the crease;
    infinite where it does not within the stations.
    """
    wrong = np.logical_or.reduce([_back(c, found), *(x for x, _ in _unsound(c, found))])
    before, after = -c.s[wrong & (c.s < 0.0)], c.s[wrong & (c.s > 1.0)] - 1.0
    return float(before.min(initial=np.inf)), float(after.min(initial=np.inf))


def _unsound(c: Crease, found: Contacts) -> list[tuple[BoolArray, str]]:
    """Stations at which a ball does not fit, and why."""
    return [
        (found.room < _TIGHT, "the ball is larger than the face is hollow there"),
        (found.residual > _RESIDUAL, "no ball of this radius touches both faces"),
    ]


def _back(c: Crease, found: Contacts) -> BoolArray:
    """Stations to which the ball turns back."""
    along = norm(np.diff(c.points, axis=0))
    back = np.zeros(len(c.s), dtype=bool)
    for row in (found.centre, *found.points):
        step = dot(np.diff(row, axis=0), c.tangents[1:])
        back[1:] |= step < _STANDS * along - _STILL
    return back


def _over(c: Crease, found: Contacts) -> Array:
    """How far contacts lie beyond their faces' domains, over what they may, (m, 4): `_BEYOND`, and on a narrow face,
    beside which another runs on, so many radii.
    """
    out = np.zeros(found.uv.shape)
    for i, surface in enumerate(c.surfaces):
        own = found.uv[:, 2 * i : 2 * i + 2]
        low, high = np.array(surface.domain).T
        away = np.maximum(low - own, own - high) / (high - low)
        u, v = np.clip(own, low, high).T
        d = surface_derivatives(surface, u, v, 1)
        size = np.stack([norm(d[1, 0]), norm(d[0, 1])], axis=1) * (high - low)
        most = np.maximum(_BEYOND, _RADII * found.radius[:, None] / np.maximum(size, 1e-9))
        out[:, 2 * i : 2 * i + 2] = np.where(surface.closed, 0.0, away / most)
    return out


def hardly(found: Contacts, c: Crease) -> bool:
    """Whether the ball only just fits somewhere."""
    return bool((found.room[(c.s >= 0) & (c.s <= 1)] < _NEAR).any())


def largest_factor(c: Crease, radius: Array) -> float:
    """The largest factor of a law of radii at which all stations are sound, to one per cent; 0 if none is."""
    low, high = 0.0, 1.0
    start: Array | None = None
    for _ in range(12):
        found = contacts(c, high * radius)
        if fault(c, found) is not None:
            break
        low, high = high, 2 * high
    while high - low > 0.01 * high and high > 1e-3:
        middle = 0.5 * (low + high)
        found = contacts(c, middle * radius, start=start)
        if fault(c, found) is None:
            low, start = middle, found.uv
        else:
            high = middle
    return low
