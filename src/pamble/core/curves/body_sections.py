"""Sections of a body: one line for each plane, of the pieces that its faces give, and each moved within its plane."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.edit import join, nearest_ends
from pamble.core.curves.fit import fit_points
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.transform import Affine, rotation, scaling, translation
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

_MEET = 0.05
"""Distance, mm, between ends of pieces up to which they are one line."""

_STRAIGHT = 1e-5


@dataclass(frozen=True)
class Placing:
    """How a section is changed in its plane: its middle moved by ``shift`` (3,), turned about it by ``turn`` degrees,
    and sized by a factor.
    """

    shift: Array
    turn: float = 0.0
    size: float = 1.0

    def change(self, middle: Array, normal: Array) -> Affine:
        """The change of a section with that middle in a plane with that normal."""
        sized = scaling((self.size, self.size, self.size), middle)
        return sized.then(rotation(normal, self.turn, middle)).then(translation(self.shift))


def one_line(runs: Sequence[Array], degree: int, tolerance: float) -> tuple[Curve, float]:
    """One curve along runs of points (m, 3), each fitted within the tolerance, mm, straight ones exact; and how far it
    lies off them, mm.

    Raises `GeometryError` for runs that do not follow each other.
    """
    pieces = [_piece(r, degree, tolerance) for r in runs]
    off = max(d for _, d in pieces)
    curves = [c for c, _ in pieces]
    row = curves.pop(0)
    while curves:
        gaps = [_gap(row, p) for p in curves]
        k = int(np.argmin(gaps))
        if gaps[k] > _MEET:
            raise GeometryError(
                f"The plane cuts the faces in pieces that lie {gaps[k]:.2f} mm apart: take faces that go on from each "
                "other there."
            )
        row, off = join(row, curves.pop(k), _MEET), max(off, gaps[k])
    return _closed(row), off


def middle_of(curve: Curve) -> Array:
    """The mean of a curve's points by length, (3,)."""
    return np.asarray(curve_points(curve, length_parameters(curve, np.linspace(0, 1, 129)[:-1])).mean(axis=0))


def _piece(run: Array, degree: int, tolerance: float) -> tuple[Curve, float]:
    a, b = run[0], run[-1]
    length = float(norm((b - a)[None])[0])
    if length > _MEET:
        share = np.clip((run - a) @ (b - a) / length**2, 0, 1)
        away = float(norm(run - a - share[:, None] * (b - a)).max())
        if away < _STRAIGHT * length:
            return Curve.line(a, b), away
    made = fit_points(run, degree, tolerance)
    return made.curve, made.deviation


def _gap(a: Curve, b: Curve) -> float:
    i, j = nearest_ends(a, b)
    ends = curve_points(a, a.domain)[i], curve_points(b, b.domain)[j]
    return float(np.linalg.norm(ends[0] - ends[1]))


def _closed(curve: Curve) -> Curve:
    """A curve whose ends all but meet, brought together."""
    gap = float(np.linalg.norm(curve.control[0] - curve.control[-1]))
    if not 0 < gap < _MEET:
        return curve
    control = curve.control.copy()
    control[[0, -1]] = 0.5 * (control[0] + control[-1])
    return Curve(curve.degree, curve.knots, control, curve.weights)
