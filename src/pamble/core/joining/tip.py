"""The single point that a blend runs to: its tangent plane and curvature there, those of a face or found.

All sections meet in the point. G1 there: they leave it in one tangent plane. G2: with the curvature that one surface
has in the direction of each: a face that the point lies on, or the paraboloid whose sections come nearest to arcs from
the point to the edge (own derivation).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, cross, dot, norm, unit
from pamble.core.checks.figures import RATE_FLOOR
from pamble.core.errors import BlendError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import EdgeFrames, frames
from pamble.core.joining.pairing import Borders
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import Jet, jet
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface

_AROUND = 129
"""Places along the edge from which the tangent plane and the curvature of a point are found."""

_THIN = 1e-4
"""Share of the square of its size below which what an edge and a point span has no plane."""


@dataclass(frozen=True)
class Tip:
    """A point (3,) with the jet, of one sample, of a surface that the blend meets there.

    It stands where a blend has its second `Side`, and shares with that what is asked of both; it has no length.
    """

    point: Array
    jet: Jet
    exact: Curve | None = None
    jumps: tuple[float, ...] = ()
    natural: str | None = None
    borders: Borders | None = None
    reversed: bool = False
    closed: bool = False

    def frames(self, rim: Array, order: int) -> EdgeFrames:
        """The point seen as an edge from places (m, 3) of the edge that the blend begins on."""
        m = len(rim)
        derivatives = np.repeat(self.jet.derivatives[: order + 1, : order + 1], m, axis=2)
        around = jet(derivatives)
        outward = unit(around.tangent(rim - self.point))
        run = cross(around.normal, outward)
        return EdgeFrames(
            np.zeros(m), np.zeros((m, 2)), np.tile(self.point, (m, 1)), run, run, outward, np.full(m, np.inf), around
        )

    def figures(self, surface: Surface, s: Array, order: int, diagonal: float) -> Array:
        """How a blend meets the point with its sections at shares (m,): the figures of `Residual`, (6, m)."""
        d = surface_derivatives(surface, s, np.full(len(s), surface.domain[1][1]), order)
        leave, mine = -d[0, 1], jet(np.repeat(self.jet.derivatives, len(s), axis=2))
        # Along the pole nothing moves: the sections turn in its tangent plane.
        normal = unit(cross(d[1, 1], d[0, 1]))
        normal = normal * np.where(dot(normal, mine.normal) < 0, -1.0, 1.0)[:, None]
        angle = np.degrees(np.arctan2(norm(cross(normal, mine.normal)), dot(normal, mine.normal)))
        speed = np.maximum(norm(leave), TINY)
        theirs, own = mine.second(leave, leave) / speed**2, dot(normal, d[0, 2]) / speed**2
        off, least = np.abs(own - theirs), 1.0 / max(diagonal, TINY)
        percent = 100 * off / np.maximum(np.maximum(np.abs(own), np.abs(theirs)), least)
        rate = share = np.zeros(len(s))
        if order > 2:
            third = -dot(normal, d[0, 3]) - 3 * mine.second(leave, mine.tangent(d[0, 2]))
            both = np.array([third, mine.third(leave)]) / speed**3
            rate = np.abs(both[0] - both[1])
            floor = RATE_FLOOR * np.maximum(np.abs(theirs), least) * least
            share = 100 * rate / np.maximum(np.abs(both).max(axis=0), floor)
        return np.array([norm(d[0, 0] - self.point), angle, percent, off, rate, share])


def tip_on(face: Face, point: Array, name: str = "The face") -> Tip:
    """The tip at the place of a face that is nearest to a point (3,). Raises `BlendError` at a pole."""
    foot = to_surface(face.surface, point[None])
    found = jet(surface_derivatives(face.surface, foot.u, foot.v, 3))
    if not norm(found.normal)[0] > 0.5:
        raise BlendError(f"{name} has no tangent plane in that point: move it.")
    return Tip(foot.point[0], found)


def free_tip(edge: Edge, point: Array, leaves: bool = True) -> Tip:
    """The tip at a point (3,) in space, reached as by arcs that leave the edge's face; or straight from the edge.

    Raises `BlendError` for a point in line with the edge.
    """
    f = frames(edge, np.linspace(*edge.domain, _AROUND))
    rim = f.position - point
    if float(norm(_area(rim))) < _THIN * float(norm(rim).max()) ** 2:
        raise BlendError("The point lies in line with the edge: nothing lies between them. Move it beside the edge.")
    way = unit(rim)
    # An arc ends as it began, seen in the mirror square to its chord.
    normal = _area(2 * dot(way, f.outward)[:, None] * way - f.outward) if leaves else np.zeros(3)
    if float(norm(normal)) < _THIN:
        normal = _area(rim)
    normal = unit(normal[None])[0]
    side = unit((rim[0] - (rim[0] @ normal) * normal)[None])[0]
    axes = np.stack([side, np.cross(normal, side)])
    flat = rim @ axes.T
    # Heights x^2 a / 2 + x y b + y^2 c / 2 of circles that leave the point flat and run through the edge.
    bend = 2 * (rim @ normal) / np.maximum(dot(rim, rim), TINY)
    way = unit(flat)
    mean = float(bend.mean())
    forms = np.stack([way[:, 0] ** 2, 2 * way[:, 0] * way[:, 1], way[:, 1] ** 2], axis=1)
    a, b, c = np.linalg.lstsq(forms, bend - mean, rcond=0.1)[0] + [mean, 0.0, mean]
    derivatives = np.zeros((4, 4, 1, 3))
    derivatives[0, 0], derivatives[1, 0], derivatives[0, 1] = point, axes[0], axes[1]
    derivatives[2, 0], derivatives[1, 1], derivatives[0, 2] = a * normal, b * normal, c * normal
    return Tip(point, jet(derivatives))


def _area(rays: Array) -> Array:
    """The area (3,) of the fan between rays (m, 3) from one point."""
    return np.asarray(0.5 * cross(rays[:-1], rays[1:]).sum(axis=0))
