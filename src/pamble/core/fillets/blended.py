"""Blended sections of a fillet: rows between the ball's contacts that meet both faces with G1, G2 or G3.

The same rows as those of a blend between edges, over the ball's stations: a section runs from contact to contact of one
ball, and both sides have their knots where the ball passes a line on which a face is less smooth.
"""

from __future__ import annotations

from typing import Protocol

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.checks.figures import seam_figures
from pamble.core.errors import GeometryError
from pamble.core.faces.frames import EdgeFrames, abreast
from pamble.core.fillets.between import Narrowing, Rolling
from pamble.core.fillets.section import arc, contact_row
from pamble.core.fillets.shape import Shape
from pamble.core.fillets.stations import Contacts
from pamble.core.joining.cascade import across_rows, between_rows
from pamble.core.joining.directions import Leaving
from pamble.core.joining.rows import RowSpace
from pamble.core.joining.spec import DEFAULT_FULLNESS, FULLNESS_LIMITS
from pamble.core.joining.verify import AIMS, COUNTED
from pamble.core.spline.differential import jet
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface

_TRUE = 0.03
"""Share of a blend's freedom that sections have: they are those that are asked for, ball by ball."""

_SLIDES = 30.0
"""Times its usual freedom that a contact has at most."""


class Ball(Protocol):
    """A ball between its stations, of one crease or of several in a row. closed: whether they are a loop; joints:
    shares at which one goes on in the next.
    """

    @property
    def closed(self) -> bool: ...

    @property
    def joints(self) -> Array: ...

    def contacts(self, s: Array) -> Contacts:
        """Exact contacts at shares (m,)."""
        ...

    def narrowing(self, at: Contacts) -> Narrowing:
        """See `Between`."""
        ...

    def touched(self, which: int, s: Array, uv: Array, order: int) -> Array:
        """Derivatives of the first or second face at shares (m,), at parameters (m, 2)."""
        ...

    def foot(self, which: int, s: Array, uv: Array, points: Array) -> Array:
        """Parameters (m, 2) of the feet of points (m, 3) on these faces, near known ones."""
        ...


class Blended:
    """Sections between the ball's contacts. Figures: gap, mm, angle, degrees, and mismatch of curvature and of its
    change, %, up to the continuity asked for, the worse of both seams.
    """

    def __init__(self, ball: Ball, shape: Shape) -> None:
        self.ball, self.shape = ball, shape
        self.order = 3 if shape.continuity > 2 else 2
        self.aims = AIMS[: shape.continuity + 1]

    def rows(self, space: RowSpace, at: Contacts, slack: float | Array, lean: float | Array = 0.0) -> Surface:
        """See `Sections`. slack: one or (m,); lean: how far sections lead along either contact over how far away from
        it, one or (2, m).
        """
        closed, n = self.ball.closed, self.shape.continuity
        phi, *toward = arc(at)
        speed = norm(at.points[1] - at.points[0]) * self._fullness(phi)
        slides = np.minimum(slack, _SLIDES)
        joints = self.ball.joints
        thin, places, held = self.ball.narrowing(at)
        if len(joints):
            places, held = joints, self.ball.contacts(joints).points
        edges = [
            contact_row(space, p, m, closed, slides, (places, there), thin)
            for p, m, there in zip(at.points, at.normals, held, strict=True)
        ]
        f = abreast([self._beside(space, k, edges[k], at, toward[k]) for k in (0, 1)])
        away = np.array(toward) + np.broadcast_to(lean, (2, len(speed)))[..., None] * f.tangent
        velocity = away * speed[:, None]
        rows = across_rows(space, f, f.tangent, Leaving(velocity, 0 * velocity), n, self.shape.diagonal, _TRUE * slack)
        return between_rows(space, edges, [[row[k] for row in rows] for k in (0, 1)], 2 * n + 1)

    def _beside(self, space: RowSpace, which: int, edge: Array, at: Contacts, toward: Array) -> EdgeFrames:
        """The face beside a contact that was fitted, at its feet."""
        points, uv = space.values @ edge, at.uv[:, 2 * which : 2 * which + 2]
        uv = self.ball.foot(which, space.s, uv, points)
        return self._on_face(which, space.s, uv, points, space.slopes @ edge, toward)

    def figures(self, surface: Surface, rolling: Rolling) -> Array:
        """See `Sections`."""
        return self.seams(surface, rolling.s, rolling.contacts)

    def seams(self, surface: Surface, s: Array, at: Contacts) -> Array:
        """The figures at shares (m,) with their contacts, (k, m)."""
        worst = np.zeros((len(self.aims), len(s)))
        for k in (0, 1):
            d = surface_derivatives(surface, s, np.full(len(s), float(k)), self.order)
            leaves = (2 * k - 1) * d[0, 1]
            mine = _frames(s, d, d[0, 0], d[1, 0], leaves, norm(d[0, 1]))
            uv = self.ball.foot(k, s, at.uv[:, 2 * k : 2 * k + 2], d[0, 0])
            theirs = self._on_face(k, s, uv, None, d[1, 0], -leaves)
            f = seam_figures(mine, theirs, self.shape.diagonal)
            rows = np.array([f.gap, f.angle, f.curvature, f.curvature_abs, f.rate, f.rate_percent])
            worst = np.maximum(worst, rows[COUNTED[: len(self.aims)]])
        return worst

    def _on_face(
        self, which: int, s: Array, uv: Array, position: Array | None, run: Array, toward: Array
    ) -> EdgeFrames:
        d = self.ball.touched(which, s, uv, self.order)
        return _frames(uv[:, 0], d, d[0, 0] if position is None else position, run, toward)

    def _fullness(self, phi: Array) -> Array:
        """Of sections over creases of angles (m,). A cubic that leaves along the faces' tangents by a share a of their
        length has its shoulder at 3 a / 4 of the way to where they meet.
        """
        if self.shape.section != "rho":
            return np.full(len(phi), DEFAULT_FULLNESS[self.shape.continuity])
        full = 2.0 * self.shape.rho / np.cos(0.5 * phi)
        low, high = FULLNESS_LIMITS
        middle = float(np.median(full))
        if not low <= middle <= high:
            angle = np.degrees(float(np.median(phi)))
            raise GeometryError(f"A rho of {self.shape.rho:g} makes no useful section on a crease of {angle:.0f}°.")
        return np.clip(full, low, high)


def _frames(t: Array, d: Array, position: Array, run: Array, toward: Array, width: Array | None = None) -> EdgeFrames:
    """Frames of a line on a surface with derivatives d. run: along it; toward: where it leaves to; width: its width."""
    width = np.full(len(t), np.inf) if width is None else width
    j = jet(d)
    tangent = unit(j.tangent(run))
    across = cross(j.normal, tangent)
    outward = across * np.where(dot(across, toward) < 0, -1.0, 1.0)[:, None]
    return EdgeFrames(t, np.zeros((len(t), 2)), position, run, tangent, outward, width, j)
