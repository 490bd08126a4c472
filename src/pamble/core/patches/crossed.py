"""A net of crossing curves put in order: two directions, their curves in a row, and where they cross."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import LengthMap
from pamble.core.curves.meet import Meeting, nearest
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import reverse_curve

_AT_END = 0.004
"""Share of a curve's length within which a crossing beside its end is the end: else its pace there would be wild."""

_TABLE = np.linspace(0.0, 1.0, 801)


@dataclass(frozen=True)
class Net:
    """Curves along u (n) and along v (m), turned to run alike, with the numbers they were given under.

    share_u, share_v: (n, m) shares of length of a curve along u and of one along v at their crossing; u (m,), v (n,):
    the common parameters there. points: (n, m, 3) between both curves; gap: (n, m) mm. poles: sides into which all
    curves of a direction run together, with the point.
    """

    along: tuple[Curve, ...]
    across: tuple[Curve, ...]
    along_of: tuple[int, ...]
    across_of: tuple[int, ...]
    share_u: Array
    share_v: Array
    u: Array
    v: Array
    points: Array
    gap: Array
    poles: tuple[tuple[str, Array], ...]


def sorted_net(curves: Sequence[Curve], miss: float) -> Net:
    """Put curves that are given in any order into a net. miss: how far, mm, crossing curves may pass each other by.

    Raises `GeometryError` for curves that do not fall into two directions, each of which crosses all of the other.
    """
    if len(curves) < 4:
        raise GeometryError("A net needs two curves or more in each of two directions.")
    closed = [i + 1 for i, c in enumerate(curves) if norm(np.diff(curve_points(c, c.domain), axis=0))[0] <= miss]
    if closed:
        raise GeometryError(
            f"Curve {closed[0]} closes on itself: a net is of open curves. Loft the closed ones in order, with the "
            "others as guides, or split them."
        )
    met = {(i, j): nearest(a, b) for i, a in enumerate(curves) for j, b in enumerate(curves) if i < j}
    together = _run_together(curves, miss)
    one, two = _directions(len(curves), met, miss, together)
    found = {(i, j): met[min(i, j), max(i, j)] for i in one for j in two}
    for (i, j), m in found.items():
        if m.gap > miss:
            x, y, z = 0.5 * (m.points[0] + m.points[1])
            raise GeometryError(
                f"Curves {i + 1} and {j + 1} do not cross: they pass at {m.gap:.3f} mm near ({x:.2f}, {y:.2f}, "
                f"{z:.2f}) mm. Each curve of a net crosses all of the other direction."
            )
    share = _shares(curves, found)
    # In a row along the first curve of the other direction, and turned so that all run alike.
    across = sorted(two, key=lambda j: share[one[0], j][0])
    along = sorted(one, key=lambda i: share[i, across[0]][1])
    first = np.array([[share[i, j][0] for j in across] for i in along])
    second = np.array([[share[i, j][1] for j in across] for i in along])
    turn_u, turn_v = first[:, 0] > first[:, -1], second[0] > second[-1]
    first = np.where(turn_u[:, None], 1.0 - first, first)
    second = np.where(turn_v, 1.0 - second, second)
    for rows, own, others in ((first, along, across), (second.T, across, along)):
        wrong = np.flatnonzero((np.diff(rows, axis=1) <= 1e-6).any(axis=1))
        if len(wrong):
            k = int(np.argmax(np.diff(rows[wrong[0]]) <= 1e-6))
            raise GeometryError(
                f"Curve {own[wrong[0]] + 1} crosses curves {others[k] + 1} and {others[k + 1] + 1} in another order "
                "than the others do."
            )
    u, v = _common(first), _common(second.T)
    turned_u = tuple(reverse_curve(curves[i]) if t else curves[i] for i, t in zip(along, turn_u, strict=True))
    turned_v = tuple(reverse_curve(curves[j]) if t else curves[j] for j, t in zip(across, turn_v, strict=True))
    pairs = [[met[min(i, j), max(i, j)] for j in across] for i in along]
    points = np.array([[0.5 * (m.points[0] + m.points[1]) for m in row] for row in pairs])
    gap = np.array([[m.gap for m in row] for row in pairs])
    poles = [
        (f"{way}{end}", ends.mean(axis=0))
        for way, own in (("u", turned_u), ("v", turned_v))
        for end in (0, 1)
        if norm((ends := np.array([curve_points(c, [c.domain[end]])[0] for c in own])) - ends.mean(axis=0)).max() < miss
    ]
    return Net(turned_u, turned_v, tuple(along), tuple(across), first, second, u, v, points, gap, tuple(poles))


def _run_together(curves: Sequence[Curve], miss: float) -> list[tuple[frozenset[int], Array]]:
    """Points in which three curves or more end, with their numbers."""
    ends = [(i, p) for i, c in enumerate(curves) for p in curve_points(c, c.domain)]
    out: list[tuple[frozenset[int], Array]] = []
    for _, p in ends:
        own = frozenset(i for i, q in ends if np.linalg.norm(q - p) < max(miss, 1e-9))
        if len(own) > 2 and all(own != known for known, _ in out):
            out.append((own, p))
    return out


def _directions(
    count: int, met: dict[tuple[int, int], Meeting], miss: float, together: Sequence[tuple[frozenset[int], Array]]
) -> tuple[list[int], list[int]]:
    """Numbers of the curves of either direction: those that cross are of different ones."""
    beside: dict[int, list[int]] = {i: [] for i in range(count)}
    for (i, j), m in met.items():
        pole = any(i in own and j in own and np.linalg.norm(m.points[0] - p) < 2 * miss for own, p in together)
        if m.gap <= miss and not pole:
            beside[i].append(j)
            beside[j].append(i)
    side: dict[int, int] = {0: 0}
    waiting = [0]
    while waiting:
        i = waiting.pop()
        for j in beside[i]:
            if j not in side:
                side[j] = 1 - side[i]
                waiting.append(j)
            elif side[j] == side[i]:
                raise GeometryError(
                    f"These curves do not fall into two directions: curves {i + 1} and {j + 1} cross, and both cross "
                    "others that cross each other too."
                )
    for i in range(count):
        if i not in side:
            gap, k = min((met[min(i, k), max(i, k)].gap, k) for k in range(count) if k != i)
            raise GeometryError(
                f"Curve {i + 1} crosses none of the others: the nearest, curve {k + 1}, passes at {gap:.3f} mm."
            )
    one, two = [i for i in range(count) if side[i] == 0], [i for i in range(count) if side[i] == 1]
    if min(len(one), len(two)) < 2:
        raise GeometryError("A net needs two curves or more in each of two directions.")
    return one, two


def _shares(
    curves: Sequence[Curve], found: dict[tuple[int, int], Meeting]
) -> dict[tuple[int, int], tuple[float, float]]:
    """Shares of length of both curves at every crossing."""
    tables = [LengthMap(c).parameters(_TABLE) for c in curves]
    out = {}
    for (i, j), m in found.items():
        ti, tj = m.t if i < j else m.t[::-1]
        out[i, j] = float(np.interp(ti, tables[i], _TABLE)), float(np.interp(tj, tables[j], _TABLE))
    return out


def _common(shares: Array) -> Array:
    """One parameter for every crossing of a direction; those beside the ends are taken to them, in ``shares`` too."""
    mean = np.asarray(shares.mean(axis=0))
    for end in (0.0, 1.0):
        near = np.abs(mean - end) < _AT_END
        mean[near] = end
        shares[:, near] = end
    return mean
