"""The edge blend: checks its edges, finds the spans, builds the surface and says how well it meets its neighbours."""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm
from pamble.core.errors import BlendError
from pamble.core.faces.face import Edge
from pamble.core.faces.frames import frames, positions
from pamble.core.joining.crest import Clearance, Limit, clearance, crest_range
from pamble.core.joining.directions import along
from pamble.core.joining.pairing import Borders, Side, lone_side, loop_start, pair_edges
from pamble.core.joining.room import with_room
from pamble.core.joining.rows import RowSpace, row_space
from pamble.core.joining.search import Search, Trial
from pamble.core.joining.shaper import Shaper
from pamble.core.joining.spec import BlendSpec
from pamble.core.joining.tip import Tip
from pamble.core.joining.verify import Residual, shape_warnings
from pamble.core.spline import basis
from pamble.core.spline.knots import mirrored, reverse_surface
from pamble.core.spline.surface import Surface

_TOUCHING = np.linspace(0.0, 1.0, 41)
"""Places at which it is looked whether the edges touch."""

_MIDDLE = np.array([0.5])


@dataclass(frozen=True)
class Handle:
    """Where a side's fullness is pulled: a point (3,), a unit direction (3,), and fullness per mm along it."""

    point: Array
    direction: Array
    per_mm: float


@dataclass(frozen=True)
class Blend:
    """A finished blend. edges: names of the natural edges of ``surface`` that lie on the first and second edge.

    spec: what was asked for, a fullness that was left open filled in. crest: least and largest height of its sections,
    mm. clearance: from its limit. factor: on the fullness, with which it just meets that. starts: where two loops
    begin, as shares of their lengths; None of open edges.
    """

    surface: Surface
    edges: tuple[str, str]
    residuals: tuple[Residual, Residual] | None
    trials: tuple[Trial, ...]
    handles: tuple[Handle, Handle]
    spec: BlendSpec
    warnings: tuple[str, ...] = field(default=())
    crest: tuple[float, float] | None = None
    clearance: Clearance | None = None
    factor: float = 1.0
    starts: tuple[float, ...] | None = None

    @property
    def spans(self) -> int:
        return self.surface.spans[0]


Beyond = tuple[Borders | None, Borders | None]
"""How the borders of both neighbours run on beyond the ends of their edges."""


def build_blend(
    a: Edge, b: Edge | Tip, spec: BlendSpec, diagonal: float | None = None, beyond: Beyond = (None, None),
    limit: Limit | None = None, meet: bool = False,
) -> Blend:  # fmt: skip
    """Blend between two edges, or from one to a tip, rows by the cascade, on given or the fewest spans that do.

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
    sides, spec = _sides(a, b, spec, beyond)
    diagonal = diagonal or _diagonal(a, b)
    shaper = Shaper(sides, spec, diagonal, limit, meet)
    surface, met, trials = Search(sides, spec, diagonal, shaper).run()
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
    made = _finish(surface, sides, spec, met, trials, warnings)
    away = None if limit is None else clearance(surface, limit)
    return replace(made, crest=crest_range(surface), clearance=away, factor=shaper.factor)


def preview_blend(
    a: Edge, b: Edge | Tip, spec: BlendSpec, knots: Array, beyond: Beyond = (None, None), limit: Limit | None = None,
    meet: bool = False,
) -> Blend:  # fmt: skip
    """The blend on given knots, those of one that was built, neither searched nor measured, but for its limit: what is
    shown while the pointer is down.
    """
    sides, spec = _sides(a, b, spec, beyond)
    shaper = Shaper(sides, spec, _diagonal(a, b), limit, meet)
    surface = shaper.made(_kept_space(sides[0], spec.degree, knots))
    made = _finish(surface, sides, spec, None, (), [])
    if limit is None:
        return made
    return replace(made, clearance=clearance(surface, limit), factor=shaper.factor)


def _sides(a: Edge, b: Edge | Tip, spec: BlendSpec, beyond: Beyond) -> tuple[tuple[Side, Side | Tip], BlendSpec]:
    """Both sides, paired, and the spec with what follows from them."""
    if isinstance(b, Tip):
        side = replace(lone_side(a, spec.begins[0]), borders=beyond[0])
        _touching(norm(b.point - positions(a, side.parameters(_TOUCHING))), np.tile(b.point, (len(_TOUCHING), 1)))
        return (side, b), spec
    if a.surface is b.surface and a.name == b.name:
        raise BlendError("The same edge was picked twice: a blend needs two different edges.")
    one, two = pair_edges(a, b, spec.flip, spec.begins)
    sides = replace(one, borders=beyond[0]), replace(two, borders=beyond[1])
    ends = [positions(side.edge, side.parameters(_TOUCHING)) for side in sides]
    _touching(norm(ends[1] - ends[0]), ends[0])
    return sides, with_room(sides, spec)


def _touching(width: Array, places: Array) -> None:
    """Raise where a blend is to be nothing wide, at one of places (m, 3)."""
    least = int(np.argmin(width))
    if width[least] < 1e-3 * max(float(width.max()), 1.0):
        x, y, z = places[least]
        raise BlendError(
            f"The edges touch at ({x:.2f}, {y:.2f}, {z:.2f}) mm: a blend needs room between them. "
            "Move an edge back, or pick edges that stay apart."
        )


def _diagonal(a: Edge, b: Edge | Tip) -> float:
    edges = [e for e in (a, b) if isinstance(e, Edge)]
    nets = [e.surface.control.reshape(-1, 3) for e in (*edges, *(p.edge for e in edges for p in e.parts))]
    points = np.concatenate([*nets, *([b.point[None]] if isinstance(b, Tip) else [])])
    return float(np.linalg.norm(points.max(axis=0) - points.min(axis=0)))


def _finish(
    surface: Surface,
    sides: tuple[Side, Side | Tip],
    spec: BlendSpec,
    residuals: tuple[Residual, Residual] | None,
    trials: tuple[Trial, ...],
    warnings: list[str],
) -> Blend:
    """Turn the blend so that its normal carries on the first neighbour's, and place the handles."""
    if _against(sides[0], row_space(surface.degree_u, surface.knots_u, sides[0].closed)):
        surface = reverse_surface(surface, "u")
    starts = tuple(loop_start(side) for side in sides if isinstance(side, Side)) if sides[0].closed else None
    return Blend(surface, ("v0", "v1"), residuals, trials, _handles(surface), spec, tuple(warnings), starts=starts)


def _against(side: Side, space: RowSpace) -> bool:
    """Whether the first neighbour's normal is on the other side where u runs along the edge and v leaves it outward."""
    # The places of the rows are known already.
    f = frames(side.edge, side.parameters(space.s))
    return bool(dot(cross(along(side, f), f.outward), f.normal)[len(f.t) // 2] < 0)


def _kept_space(side: Side, degree: int, knots: Array) -> RowSpace:
    """The space of rows of a finished blend with these knots, which was turned to its neighbour's side."""
    space, turned = row_space(degree, knots, side.closed), mirrored(knots)
    if np.allclose(knots, turned, rtol=0.0, atol=1e-9) or not _against(side, space):
        return space
    return row_space(degree, turned, side.closed)


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
