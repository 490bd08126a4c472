"""A ball rolled along one run of a crease: checked, and the surface between its contacts."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import side_curve
from pamble.core.fillets.between import Between
from pamble.core.fillets.chain import Run
from pamble.core.fillets.crease import BEYOND, Crease, crease
from pamble.core.fillets.eased import eased
from pamble.core.fillets.loops import before_joint, begun_at
from pamble.core.fillets.shape import Shape
from pamble.core.fillets.stations import Contacts, contacts, fault, hardly, largest_factor, sound_beyond
from pamble.core.fillets.stops import jumps
from pamble.core.fillets.surface import FilletSurface, fillet_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import surface_part
from pamble.core.spline.surface import Surface
from pamble.core.ticking import tick

_LEAST = 0.2
"""Share of the smaller radius that a law keeps where it runs on beyond the crease."""

SHARED = 0.1
"""Share of the aims that fillets in a row reach: where they meet both must be of one section."""

_EASED = 2.0
"""Widths beside a joint within which the radius of a fillet of constant width is eased from one side to the other."""

_SETTLING, _BEGINNING, _SETTLED = 6, 3, 1e-6
"""Most times that stations are laid out, the first of them in which a loop may begin anew, and share of the crease
within which those at jumps of a face's curvature are where they were the time before.
"""

MISSED = 1.05
"""Times the aims from which a fillet misses them."""

_WITHIN, _LEAST_ON = 0.9, 0.01
"""Share of the way that a ball is sound beyond an end by which it is rolled on there, and the least, of the crease."""

_FADED = np.radians(1.0)
"""Turn of a crease below which a fillet has hardly any width."""


@dataclass(frozen=True)
class Rolled:
    """The ball along a run. lines: the contacts with the first and the second face, which are the surface's sides."""

    run: Run
    crease: Crease
    found: Contacts
    made: FilletSurface
    lines: tuple[Curve, Curve]

    @property
    def radii(self) -> tuple[float, float]:
        """Least and largest radius on the run, mm."""
        inside = (self.crease.s >= -1e-9) & (self.crease.s <= 1 + 1e-9)
        return float(self.found.radius[inside].min()), float(self.found.radius[inside].max())

    @property
    def least_turn(self) -> float:
        """The least angle, radians, by which the faces turn away from each other along the run."""
        return _least_turn(self.crease)

    @property
    def own(self) -> Surface:
        """The part of the surface along the crease itself, not beyond its ends, nor where it is a thread."""
        c = self.crease
        wide = c.s[(np.abs(c.turn) >= _FADED) & (c.s >= 0.0) & (c.s <= 1.0)]
        bounds = [0.0, 1.0] if not self.faded or not len(wide) else [wide[0], wide[-1]]
        ends = np.interp(bounds, c.s, np.linspace(0.0, 1.0, len(c.s)))
        low, high = np.clip(ends, *self.made.surface.domain[0])
        return surface_part(self.made.surface, (float(low), float(high)), None)

    @property
    def faded(self) -> bool:
        """Whether the crease fades so far that the fillet is a thread."""
        return bool(self.least_turn < _FADED)

    @property
    def hardly(self) -> bool:
        """Whether the ball only just fits."""
        return hardly(self.found, self.crease)


def rolled(
    runs: Sequence[Run], radius: Callable[[Array], Array], least: float, shape: Shape,
    more: tuple[float, float] = (0.0, 0.0), loop: bool = False, ease: bool = True,
) -> list[Rolled]:  # fmt: skip
    """The ball along all runs of a crease; its radius, mm, goes by shares of their length.

    least: of the radii, mm; beyond the crease a law keeps a part of it. more: see `strip`. loop: whether the last run
    goes on in the first; ease: whether radii that follow from a width are eased over joints. Raises `GeometryError`
    where no ball fits, before any surface is built.
    """
    lengths = np.array([curve_length(r.first.space) for r in runs])
    begins = np.concatenate([[0.0], np.cumsum(lengths)]) / lengths.sum()
    chord, aim = shape.chord, SHARED if len(runs) > 1 else 1.0

    def laid(i: int) -> tuple[Run, Crease, Contacts]:
        free = i == 0 and not loop, i == len(runs) - 1 and not loop
        on = [BEYOND + more[0 if end else 1] / float(lengths[i]) for end in free]

        def law(s: Array) -> Array:
            return np.maximum(radius(begins[i] + s * (begins[i + 1] - begins[i])), _LEAST * least)

        return _laid(runs[i], law, shape, (on[0], on[1]))

    out = [laid(i) for i in range(len(runs))]
    if chord is not None and ease and len(out) > 1:
        laws = eased([(c.s, found) for _, c, found in out], _EASED * chord, loop)
        out = [(run, c, contacts(c, law)) for (run, c, _), law in zip(out, laws, strict=True)]
        return [_surfaced(*each, replace(shape, section="ball", width=None), aim) for each in out]
    return [_surfaced(*each, shape, aim) for each in out]


def _laid(
    run: Run, law: Callable[[Array], Array], shape: Shape, beyond: tuple[float, float]
) -> tuple[Run, Crease, Contacts]:
    """Stations along a run, with more where the curvature of a face jumps under the ball, and the ball there; the run
    begun anew where a loop begins beside a joint. Raises `GeometryError` where none fits.
    """
    at, given, share = list[float](), run, 0.0
    for turn in range(_SETTLING):
        c = crease(run.first, run.second, beyond=beyond, at=at)
        radii = law(c.s)
        if shape.chord is not None:
            radii = 0.5 * shape.chord / np.maximum(np.sin(0.5 * np.maximum(c.turn, 0.02)), 1e-3)
        found = contacts(c, radii, shape.chord)
        wrong = fault(c, found)
        if wrong is not None:
            raise GeometryError(_refusal(c, radii, shape.chord, *wrong))
        sound = [max(_WITHIN * x, _LEAST_ON) for x in sound_beyond(c, found)]
        if not c.closed and (sound[0] < beyond[0] or sound[1] < beyond[1]):
            # Faces that are carried on may curl up there, and the ball is lost.
            beyond, at = (min(beyond[0], sound[0]), min(beyond[1], sound[1])), []
            continue
        ball = Between(c, found, shape.chord)
        more = before_joint(run, ball) if turn < _BEGINNING else 0.0
        if more:
            share += more
            run = begun_at(given, share)
            continue
        last, at = at, jumps(ball)
        if len(at) == len(last) and np.allclose(at, last, rtol=0.0, atol=_SETTLED):
            break
    if not shape.round and _fades_between(c):
        raise GeometryError("The crease fades to nothing on its way: a blended section needs width there. Roll a ball.")
    return run, c, found


def _fades_between(c: Crease) -> bool:
    """Whether a crease fades to nothing elsewhere than toward its ends, where a fillet may run out."""
    wide = np.flatnonzero(np.abs(c.turn[(c.s >= -1e-9) & (c.s <= 1 + 1e-9)]) >= _FADED)
    return not len(wide) or bool(np.diff(wide).max(initial=1) > 1) or (c.closed and _least_turn(c) < _FADED)


def _least_turn(c: Crease) -> float:
    inside = (c.s >= -1e-9) & (c.s <= 1 + 1e-9)
    return float(np.abs(c.turn[inside]).min())


def _surfaced(run: Run, c: Crease, found: Contacts, shape: Shape, aim: float) -> Rolled:
    tick()
    made = fillet_surface(c, found, shape, aim)
    one, two = (side_curve(made.surface, side)[2] for side in ("v0", "v1"))
    return Rolled(run, c, found, made, (one, two))


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
