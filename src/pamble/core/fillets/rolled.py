"""A ball rolled along one run of a crease: checked, and its surface."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import side_curve
from pamble.core.fillets.chain import Run
from pamble.core.fillets.crease import BEYOND, Crease, crease
from pamble.core.fillets.section import BallSurface, ball_surface
from pamble.core.fillets.stations import Contacts, contacts, fault, hardly, largest_factor
from pamble.core.spline.curve import Curve
from pamble.core.ticking import tick

_LEAST = 0.2
"""Share of the smaller radius that a law keeps where it runs on beyond the crease."""

_SHARED = 0.1
"""Share of the aims that fillets in a row reach: where they meet both must be of one section."""

_LAID_ON = 0.3
"""The same for contacts on which a blend is laid."""


@dataclass(frozen=True)
class Rolled:
    """The ball along a run. lines: the contacts with the first and the second face, which are the surface's sides."""

    run: Run
    crease: Crease
    found: Contacts
    ball: BallSurface
    lines: tuple[Curve, Curve]

    @property
    def radii(self) -> tuple[float, float]:
        """Least and largest radius on the run, mm."""
        inside = (self.crease.s >= -1e-9) & (self.crease.s <= 1 + 1e-9)
        return float(self.found.radius[inside].min()), float(self.found.radius[inside].max())

    @property
    def least_turn(self) -> float:
        """The least angle, radians, by which the faces turn away from each other along the run."""
        inside = (self.crease.s >= -1e-9) & (self.crease.s <= 1 + 1e-9)
        return float(np.abs(self.crease.turn[inside]).min())

    @property
    def hardly(self) -> bool:
        """Whether the ball only just fits."""
        return hardly(self.found, self.crease)


def rolled(
    runs: Sequence[Run], radius: Callable[[Array], Array], least: float, chord: float | None, beyond: float = BEYOND,
    laid_on: bool = False,
) -> list[Rolled]:  # fmt: skip
    """The ball along all runs of a crease; its radius, mm, goes by shares of their length.

    least: of the radii, mm; beyond the crease a law keeps a part of it. chord: constant distance of the contacts, mm,
    which then sets the radius. beyond: see `strip`. laid_on: whether a blend is laid on the contacts. Raises
    `GeometryError` where no ball fits, before any surface is built.
    """
    lengths = np.array([curve_length(r.first.space) for r in runs])
    begins = np.concatenate([[0.0], np.cumsum(lengths)]) / lengths.sum()
    out = []
    for i, run in enumerate(runs):
        c = crease(run.first, run.second, beyond=beyond)
        share = begins[i] + c.s * (begins[i + 1] - begins[i])
        law = np.maximum(radius(share), _LEAST * least)
        if chord is not None:
            law = 0.5 * chord / np.maximum(np.sin(0.5 * np.maximum(c.turn, 0.02)), 1e-3)
        found = contacts(c, law, chord)
        wrong = fault(c, found)
        if wrong is not None:
            raise GeometryError(_refusal(c, law, chord, *wrong))
        out.append((run, c, found))
    aim = _SHARED if len(out) > 1 else _LAID_ON if laid_on else 1.0
    return [_surfaced(*each, chord, aim) for each in out]


def _surfaced(run: Run, c: Crease, found: Contacts, chord: float | None, aim: float) -> Rolled:
    tick()
    ball = ball_surface(c, found, chord, aim)
    one, two = (side_curve(ball.surface, side)[2] for side in ("v0", "v1"))
    return Rolled(run, c, found, ball, (one, two))


def _refusal(c: Crease, law: Array, chord: float | None, words: str, station: int) -> str:
    x, y, z = c.points[station]
    out = f"No fillet of this size: near ({x:.2f}, {y:.2f}, {z:.2f}) mm {words}."
    if chord is not None:
        return f"{out} Make it narrower."
    factor = largest_factor(c, law)
    if factor < 1e-3:
        return f"{out} No radius works there."
    low, high = sorted((factor * float(law[0]), factor * float(law[-1])))
    largest = f"{low:.2f} mm" if high - low < 1e-9 else f"{low:.2f} to {high:.2f} mm"
    return f"{out} The largest radius that works is {largest}."
