"""The edge blend: checks its edges, finds the spans, builds the surface and says how well it meets its neighbours."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field, replace
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm
from pamble.core.errors import BlendError
from pamble.core.faces.face import Edge
from pamble.core.faces.frames import frames, positions
from pamble.core.joining.crest import Clearance, Limit, clearance, crest_range
from pamble.core.joining.directions import along
from pamble.core.joining.pairing import Borders, Side, loop_start, pair_edges
from pamble.core.joining.rows import row_space
from pamble.core.joining.shaper import Shaper
from pamble.core.joining.spec import SPANS_LIMIT, BlendSpec
from pamble.core.joining.verify import Residual, residual, shape_warnings
from pamble.core.spline import basis
from pamble.core.spline.knots import reverse_surface
from pamble.core.spline.surface import Surface

_CLOSED_SPANS = 4
"""Fewest spans of a blend between two loops: with fewer, closing smoothly leaves nothing to shape it."""

_APART, _WITHIN = 4e-3, 1e-6
"""Share of the edges within which jumps of their curvature count as one, and from their ends as none: nothing would
shape the rows between places closer together.
"""

_TOUCHING = np.linspace(0.0, 1.0, 41)
"""Places at which it is looked whether the edges touch."""

_MIDDLE = np.array([0.5])


@dataclass(frozen=True)
class Trial:
    """One step of the span search: spans, control points along the edge, worst figure over its aim."""

    spans: int
    control_points: int
    ratio: float
    residuals: tuple[Residual, Residual]


@dataclass(frozen=True)
class Handle:
    """Where a side's fullness is pulled: a point (3,), a unit direction (3,), and fullness per mm along it."""

    point: Array
    direction: Array
    per_mm: float


@dataclass(frozen=True)
class Blend:
    """A finished blend. edges: names of the natural edges of ``surface`` that lie on the first and second edge.

    crest: least and largest height of its sections, mm. clearance: from its limit. factor: on the fullness, with which
    it just meets that. starts: where two loops begin, as shares of their lengths; None of open edges.
    """

    surface: Surface
    edges: tuple[str, str]
    residuals: tuple[Residual, Residual] | None
    trials: tuple[Trial, ...]
    handles: tuple[Handle, Handle]
    warnings: tuple[str, ...] = field(default=())
    crest: tuple[float, float] | None = None
    clearance: Clearance | None = None
    factor: float = 1.0
    starts: tuple[float, float] | None = None

    @property
    def spans(self) -> int:
        return self.surface.spans[0]


Beyond = tuple[Borders | None, Borders | None]
"""How the borders of both neighbours run on beyond the ends of their edges."""


def build_blend(
    a: Edge, b: Edge, spec: BlendSpec, diagonal: float | None = None, beyond: Beyond = (None, None),
    limit: Limit | None = None, meet: bool = False,
) -> Blend:  # fmt: skip
    """Blend between two edges, rows by the cascade, spans given or the fewest that reach the aim.

    ``diagonal`` of the part (mm) bounds the curvature reference; the two surfaces' own by default. beyond: what ends
    along the neighbours follow at a cut edge; a natural side has its iso-curves. limit: what the bulge is measured
    against; meet: whether the fullness is found with which it just meets that.
    Raises `BlendError` for edges that cannot be blended.

    >>> from pamble.core.faces.face import Face
    >>> deck = Face(Surface.bezier([[[0, 9, 0], [0, 40, 0]], [[60, 9, 0], [60, 40, 0]]]))
    >>> wall = Face(Surface.bezier([[[0, 0, -9], [0, 0, -30]], [[60, 0, -9], [60, 0, -30]]]))
    >>> made = build_blend(deck.edge("v0"), wall.edge("v0"), BlendSpec((2, 2)))
    >>> made.spans, max(r.angle for r in made.residuals) < 1e-6
    (1, True)
    """
    sides = _sides(a, b, spec, beyond)
    diagonal = diagonal or _diagonal(a, b)
    orders = [3 if g > 2 else 2 for g in spec.continuity]
    shaper = Shaper(sides, spec, diagonal, limit, meet)
    best: tuple[float, Surface] | None = None
    trials: list[Trial] = []
    for knots in _candidates(sides, spec):
        surface = shaper.made(row_space(spec.degree, knots, sides[0].closed))
        met = _met(surface, sides, diagonal, orders)
        if _worst(met, spec) <= 1.0:
            # It counts only if it holds between the samples too.
            met = _met(surface, sides, diagonal, orders, closed_in=True)
        ratio = max(_worst(met, spec), shaper.uneven(surface))
        trials.append(Trial(surface.spans[0], surface.control.shape[0], ratio, met))
        up_to_g2 = [r.ratio(min(2, g)) for r, g in zip(met, spec.continuity, strict=True)]
        score = 1e3 * max(*up_to_g2, 1.0) + ratio
        if best is None or score < 0.95 * best[0] or ratio <= 1.0:
            best = (score, surface)
        if ratio <= 1.0 or _stalled(trials):
            break
    if best is None:
        raise BlendError("No spans are left to try.")
    surface = best[1]
    held = trials[-1].ratio <= 1.0
    one, two = trials[-1].residuals if held else _met(surface, sides, diagonal, orders, closed_in=True)
    warnings = shape_warnings(surface, spec)
    if min(t.ratio for t in trials) > 1.0 and spec.spans is None:
        warnings.append(
            f"{len(trials)} steps up to {trials[-1].spans} spans did not reach the aim; the best has "
            f"{surface.spans[0]} spans: look at the edges and the primaries for waves."
        )
    if shaper.uneven(surface) > 1.0:
        low, high = crest_range(surface)
        warnings.append(
            f"The crest is not level, {low:.3f} to {high:.3f} mm: where the faces hardly turn no fullness reaches "
            "that height."
        )
    made = _finish(surface, sides, (one, two), tuple(trials), warnings)
    away = None if limit is None else clearance(surface, limit)
    return replace(made, crest=crest_range(surface), clearance=away, factor=shaper.factor)


def _met(
    surface: Surface, sides: tuple[Side, Side], diagonal: float, orders: Sequence[int], closed_in: bool = False
) -> tuple[Residual, Residual]:
    """How the blend meets both sides."""
    first, second = (residual(surface, sides[i], i, diagonal, orders[i], closed_in=closed_in) for i in (0, 1))
    return first, second


def _worst(met: tuple[Residual, Residual], spec: BlendSpec) -> float:
    return max(r.ratio(g) for r, g in zip(met, spec.continuity, strict=True))


def preview_blend(
    a: Edge, b: Edge, spec: BlendSpec, knots: Array, beyond: Beyond = (None, None), limit: Limit | None = None,
    meet: bool = False,
) -> Blend:  # fmt: skip
    """The blend on given knots, neither searched nor measured, but for its limit: what is shown while the pointer is
    down.
    """
    sides = _sides(a, b, spec, beyond)
    shaper = Shaper(sides, spec, _diagonal(a, b), limit, meet)
    surface = shaper.made(row_space(spec.degree, knots, sides[0].closed))
    made = _finish(surface, sides, None, (), [])
    if limit is None:
        return made
    return replace(made, clearance=clearance(surface, limit), factor=shaper.factor)


def _sides(a: Edge, b: Edge, spec: BlendSpec, beyond: Beyond) -> tuple[Side, Side]:
    if a.surface is b.surface and a.name == b.name:
        raise BlendError("The same edge was picked twice: a blend needs two different edges.")
    one, two = pair_edges(a, b, spec.flip, spec.begins)
    sides = replace(one, borders=beyond[0]), replace(two, borders=beyond[1])
    ends = [positions(side.edge, side.parameters(_TOUCHING)) for side in sides]
    width = norm(ends[1] - ends[0])
    least = int(np.argmin(width))
    if width[least] < 1e-3 * max(float(width.max()), 1.0):
        x, y, z = ends[0][least]
        raise BlendError(
            f"The edges touch at ({x:.2f}, {y:.2f}, {z:.2f}) mm: a blend needs room between them. "
            "Move an edge back, or pick edges that stay apart."
        )
    return sides


def _diagonal(a: Edge, b: Edge) -> float:
    own = [p.edge for e in (a, b) for p in e.parts] or [a, b]
    points = np.concatenate([e.surface.control.reshape(-1, 3) for e in (a, b, *own)])
    return float(np.linalg.norm(points.max(axis=0) - points.min(axis=0)))


def _candidates(sides: tuple[Side, Side], spec: BlendSpec) -> Iterator[Array]:
    """Knot vectors to try, fewest control points first: even spans, and the edges' own knots with refinements."""
    p = spec.degree
    limit = p + (spec.spans or spec.search_limit)
    least = _CLOSED_SPANS if sides[0].closed else 1
    if spec.spans is not None and spec.spans < least:
        raise BlendError(f"A blend that closes on itself needs at least {least} spans, not {spec.spans}.")
    stops = _stops(sides)
    least = max(least, len(stops) + 1)
    if spec.spans is not None and spec.spans < least:
        raise BlendError(f"The curvature of the edges jumps {len(stops)} times: {least} spans are the fewest.")
    even = [_spread(p, n, stops) for n in range(least, (spec.spans or max(spec.search_limit, 2 * least)) + 1)]
    own = _own_knots(sides, p)
    found = even + [k for k in own if len(k) - p - 1 <= limit + 12]
    if spec.spans is not None:
        found = [k for k in found if basis.span_count(k, p) == spec.spans]
    yield from sorted(found, key=len)


def _stops(sides: tuple[Side, Side]) -> list[float]:
    """Where along the edges the curvature of one jumps: there the rows do no more than turn smoothly."""
    out: list[float] = []
    for s in sorted([*sides[0].jumps, *sides[1].jumps]):
        if _WITHIN < s < 1 - _WITHIN and (not out or s - out[-1] > _APART):
            out.append(s)
    return out


def _spread(degree: int, spans: int, stops: Sequence[float]) -> Array:
    """Knots of about so many spans, even between stops, at which a row has no more than its first derivative."""
    if not stops:
        return basis.uniform_knots(degree, spans)
    edges = [0.0, *stops, 1.0]
    parts = [np.zeros(degree + 1)]
    for i, (low, high) in enumerate(pairwise(edges)):
        n = max(1, round((spans - len(stops) - 1) * (high - low)) + 1)
        parts.append(np.linspace(low, high, n + 1)[1:-1])
        if i < len(stops):
            parts.append(np.full(degree - 1, high))
    return np.concatenate([*parts, np.ones(degree + 1)])


def _own_knots(sides: tuple[Side, Side], degree: int) -> list[Array]:
    """The edges' inner knots with the multiplicity that holds them exactly, and the same with halved spans."""
    need: dict[float, int] = {}
    for side in sides:
        if side.exact is None:
            continue
        d, k = side.exact.degree, side.exact.knots
        values, counts = np.unique(np.round(k[d + 1 : len(k) - d - 1], 12), return_counts=True)
        for value, count in zip(values.tolist(), counts.tolist(), strict=True):
            need[value] = max(need.get(value, 1), degree - d + count if d <= degree else 1)
    if not need or len(need) > SPANS_LIMIT:
        return []
    out = []
    for _ in range(3):
        inner = np.repeat(sorted(need), [need[v] for v in sorted(need)])
        out.append(np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)]))
        points = np.concatenate([[0.0], sorted(need), [1.0]])
        need |= {float(m): 1 for m in 0.5 * (points[1:] + points[:-1])}
    return out


def _stalled(trials: list[Trial]) -> bool:
    """Whether eight more steps have brought next to nothing: the edges cannot be met any better."""
    if len(trials) < 16:
        return False
    return min(t.ratio for t in trials[-8:]) > 0.85 * min(t.ratio for t in trials[:-8])


def _finish(
    surface: Surface,
    sides: tuple[Side, Side],
    residuals: tuple[Residual, Residual] | None,
    trials: tuple[Trial, ...],
    warnings: list[str],
) -> Blend:
    """Turn the blend so that its normal carries on the first neighbour's, and place the handles."""
    # The places of the rows are known already.
    f = frames(sides[0].edge, sides[0].parameters(row_space(surface.degree_u, surface.knots_u, sides[0].closed).s))
    # By construction u runs along the first edge and v leaves it outward.
    if dot(cross(along(sides[0], f), f.outward), f.normal)[len(f.t) // 2] < 0:
        surface = reverse_surface(surface, "u")
    starts = (loop_start(sides[0]), loop_start(sides[1])) if sides[0].closed else None
    return Blend(surface, ("v0", "v1"), residuals, trials, _handles(surface), tuple(warnings), starts=starts)


def _handles(surface: Surface) -> tuple[Handle, Handle]:
    q = surface.degree_v
    net = np.tensordot(basis.matrix(surface.knots_u, surface.degree_u, _MIDDLE)[0, 0], surface.control, 1)
    chord = max(float(np.linalg.norm(net[-1] - net[0])), 1e-9)
    made = []
    for end, row in ((0, 1), (q, q - 1)):
        arm = net[row] - net[end]
        length = float(np.linalg.norm(arm))
        direction = arm / length if length > 1e-9 else np.zeros(3)
        made.append(Handle(net[row], direction, q / chord))
    return made[0], made[1]
