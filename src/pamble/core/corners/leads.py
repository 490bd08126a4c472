"""Curves of one's own that seams inside a layout run along."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np

from pamble.core.arrays import Array, cross, norm, unit
from pamble.core.corners.layouts import Anchor, Layout, stepped
from pamble.core.corners.net import Net
from pamble.core.corners.rim import Rim
from pamble.core.corners.rows import Block, Held
from pamble.core.curves.measure import LengthMap
from pamble.core.errors import GeometryError
from pamble.core.patches.conditions import spread
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.extremes import largest
from pamble.core.spline.knots import reverse_curve

_ON_RIM = (0.1, 0.01)
"""Distance within which a curve's end lies on the rim, in mm and as a share of a side."""

_AT_CORNER = 0.03
"""Share of a side within which a curve begins at its corner."""

_APART = 0.1
"""Distance, mm, within which curves that end inside meet in the hub."""

_ACROSS, _ALONG = 0.002, 0.5
"""Tolerances, mm, with which a seam keeps to its curve, and to its places on it."""

_SAMPLES = 129

Leads = Mapping[int, Curve]
"""Of arcs of a layout the curves that they run along, from their start to their end."""


@dataclass(frozen=True)
class Inside:
    """What is asked inside a layout: where the hub is held, (3,), and the curves along which seams run."""

    centre: Array | None = None
    leads: Leads = field(default_factory=dict)

    def rows(self, net: Net) -> list[Held | Led]:
        """The conditions on the CVs of a net."""
        held = [Held(net.layout.hub, self.centre)] if self.centre is not None and net.layout.hub is not None else []
        return [*held, *(Led(net, arc, curve) for arc, curve in self.leads.items())]

    @property
    def free(self) -> bool:
        """Whether nothing is asked."""
        return self.centre is None and not self.leads


@dataclass(frozen=True)
class Lead:
    """A curve from the rim to a hub, or across. start, end: where it begins and ends on the rim; None for a hub.
    feet: shares of the sides that it begins and ends on.
    """

    curve: Curve
    start: Anchor
    end: Anchor | None
    feet: Mapping[int, float]


def lead(rim: Rim, curve: Curve, said: str) -> Lead:
    """A curve in its place over a hole. said: its name. Raises `GeometryError` where no end of it lies on the rim."""
    ends = curve_points(curve, curve.domain)
    places = [_on_rim(rim, p) for p in ends]
    near = max(_ON_RIM[0], _ON_RIM[1] * rim.size)
    if places[0][2] > near and places[1][2] <= near:
        curve, places = reverse_curve(curve), places[::-1]
    if places[0][2] > near:
        a, b = places[0][2], places[1][2]
        raise GeometryError(f"{said} leads no seam: its ends are {a:.2f} and {b:.2f} mm off the rim of the hole.")
    anchors: list[Anchor | None] = []
    feet: dict[int, float] = {}
    count = len(rim.sides)
    for side, share, off in places:
        if off > near:
            anchors.append(None)
        elif share < _AT_CORNER or share > 1 - _AT_CORNER:
            anchors.append(("corner", (side + (share > 0.5)) % count))
        else:
            anchors.append(("middle", side))
            feet[side] = share
    assert anchors[0] is not None
    return Lead(curve, anchors[0], anchors[1], feet)


def led(layouts: Sequence[Layout], count: int, leads: Sequence[Lead]) -> list[tuple[Layout, Leads]]:
    """Those layouts in which every curve leads a seam, their feet where the curves begin. Raises `GeometryError`."""
    feet = {side: t for x in leads for side, t in x.feet.items()}
    out: list[tuple[Layout, Leads]] = []
    for layout in layouts:
        before = {v.side: v.t for v in layout.vertices if v.kind == "foot"}
        moved = stepped(layout, count, before | feet)
        arcs = [_arc(moved, x) for x in leads]
        if all(a is not None for a in arcs) and len({a[0] for a in arcs if a}) == len(arcs):
            found = {a[0]: reverse_curve(x.curve) if a[1] else x.curve for a, x in zip(arcs, leads, strict=True) if a}
            out.append((moved, found))
    if not out:
        said = " and ".join(f"from {_words(x.start)} to {_words(x.end)}" for x in leads)
        raise GeometryError(f"None of these layouts has seams {said}, as the curves run: take the best of all.")
    return out


def hub_of(leads: Sequence[Lead]) -> Array | None:
    """Where the curves meet inside, (3,); None where none ends there. Raises `GeometryError` where they miss."""
    ends = np.array([curve_points(x.curve, x.curve.domain[1:])[0] for x in leads if x.end is None])
    if not len(ends):
        return None
    apart = float(norm(ends - ends[0]).max())
    if apart > _APART:
        raise GeometryError(f"The curves end {apart:.2f} mm apart inside the hole: spokes meet in one hub.")
    return np.asarray(ends.mean(axis=0))


class Led:
    """A seam keeps to a curve: across it closely, along it gently."""

    def __init__(self, net: Net, arc: int, curve: Curve) -> None:
        s, w = net.places(arc)
        self.ids, self.value = net.arcs[arc], net.along(arc)[0]
        self.curve, self.root = curve, np.sqrt(w)
        self.share = LengthMap(curve).parameters(s)
        self.anchor = curve_points(curve, self.share)
        self.point = self.anchor

    def start(self) -> Array:
        """CVs of the seam on its curve, (n, 3)."""
        heavy = np.ones(len(self.share))
        heavy[[0, -1]] = 1e4
        return np.asarray(np.linalg.lstsq(self.value * heavy[:, None], self.anchor * heavy[:, None], rcond=None)[0])

    def project(self, control: Array) -> None:
        """Find the feet of the seam on its curve."""
        foot = to_curve(self.curve, self.value @ control[self.ids])
        self.share, self.point = foot.t, curve_points(self.curve, foot.t)

    def rows(self, control: Array) -> Block:
        c = self.value @ control[self.ids]
        t = unit(curve_derivatives(self.curve, self.share, 1)[1])
        least = np.eye(3)[np.argmin(np.abs(t), axis=1)]
        one = unit(cross(t, least))
        two = cross(t, one)
        r = self.root
        parts = [(w, self.point, r / _ACROSS) for w in (one, two)] + [(t, self.anchor, r / _ALONG)]
        matrix = np.vstack([spread(self.value, w) * by[:, None] for w, _, by in parts])
        right = np.concatenate([((at - c) * w).sum(axis=1) * by for w, at, by in parts])
        return Block(self.ids, matrix, right)


def off(seam: Curve, curve: Curve) -> float:
    """By how much a seam misses its curve at most, mm, closed in on between samples."""

    def away(t: Array) -> Array:
        return np.asarray(to_curve(curve, curve_points(seam, t)).distance[None])

    t = np.linspace(*seam.domain, _SAMPLES)
    return float(largest(away, t, away(t))[1][0])


def _on_rim(rim: Rim, point: Array) -> tuple[int, float, float]:
    """The nearest place of the rim: side, share of it, and distance, mm."""
    s = np.linspace(0, 1, _SAMPLES)
    best = (0, 0.0, np.inf)
    for k, side in enumerate(rim.sides):
        at = s
        for _ in range(3):
            away = norm(side.points(at) - point)
            i = int(np.argmin(away))
            if away[i] < best[2]:
                best = (k, float(at[i]), float(away[i]))
            at = np.linspace(at[max(i - 1, 0)], at[min(i + 1, len(at) - 1)], 33)
    return best


def _arc(layout: Layout, x: Lead) -> tuple[int, bool] | None:
    """The arc inside that a curve leads, and whether it runs against it."""

    def anchor(vertex: int) -> Anchor | None:
        v = layout.vertices[vertex]
        return None if v.kind == "hub" else ("corner" if v.kind == "corner" else "middle", v.side)

    for k, arc in enumerate(layout.arcs):
        if arc.inner:
            ends = anchor(arc.start), anchor(arc.end)
            if ends == (x.start, x.end):
                return k, False
            if ends == (x.end, x.start):
                return k, True
    return None


def _words(anchor: Anchor | None) -> str:
    if anchor is None:
        return "the hub"
    return f"corner {anchor[1] + 1}" if anchor[0] == "corner" else f"side {anchor[1] + 1}"
