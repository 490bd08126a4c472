"""Fitting: the spline with the fewest CVs that stays within a tolerance of points or of another curve."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, dot, floats, norm
from pamble.core.curves.least_squares import Fit, fit_on_knots
from pamble.core.curves.measure import deviation, length_and_turn, samples
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

_SPANS_LIMIT = 60
_SEARCHED = 240
"""Points that the search for the number of spans looks at; the result is judged by all."""

_SHAPED = 900
"""Points that the search for breaks set by the shape looks at."""

_FEW = 4
"""Number of even spans up to which nothing else is tried."""

_HALVINGS = 14

_LEAST_ROUND, _SHUT = 12, 1e-9
"""Points at least that come round, and share of their size within which the last is the first."""

_ROUGH, _CORNER = 0.1, 20.0
"""Degrees by which they may turn more where they meet than beside it, and from which that is a corner."""

_HURRIED = 90
"""Points of a fit that is made in a hurry."""


def fit_points(
    points: Array,
    degree: int = 5,
    tolerance: float = 0.02,
    spans: int | Array | None = None,
    parameters: Array | None = None,
    hurry: bool = False,
) -> Fit:
    """Spline through the first and last of ``points`` (m, 3), near the rest, the fewest spans for a tolerance (mm).

    ``spans`` given: just that many even ones, or the knots themselves. ``parameters`` (m,) rising on [0, 1]: used as
    they are at first, then corrected. ``hurry``: fewer points and corrections, for what is shown while the pointer is
    down. Spans are even; they are set where the shape asks for them when that takes fewer. Points that come back to the
    first without a corner give a curve that closes smoothly, second derivatives alike.
    The best found is returned with ``reached`` false when no number of spans suffices.
    Source: least squares with parameter correction (Hoschek and Lasser, Fundamentals of Computer Aided Geometric
    Design, section 4.4; from memory).

    >>> t = np.linspace(0, np.pi, 200)
    >>> arch = fit_points(100 * np.stack([np.cos(t), np.sin(t), 0 * t], axis=1), tolerance=0.01)
    >>> arch.reached, arch.curve.spans
    (True, 2)
    """
    points = floats(points)
    keep = np.concatenate([[True], norm(np.diff(points, axis=0)) > 1e-12])
    points = points[keep]
    if len(points) < 2:
        raise GeometryError("A curve needs points that are apart: all of these are one point.")
    length = np.concatenate([[0.0], np.cumsum(norm(np.diff(points, axis=0)))])
    t = length / length[-1] if parameters is None else floats(parameters)[keep]
    if hurry and len(points) > _HURRIED:
        some = np.unique(np.linspace(0, len(points) - 1, _HURRIED).astype(int))
        points, t = points[some], t[some]
    ring = comes_round(points)
    search = _Search(points, t, min(degree, len(points) - 1), tolerance, ring)
    if isinstance(spans, np.ndarray):
        degree = int(np.sum(spans == spans[0])) - 1
        knots = (spans - spans[0]) / (spans[-1] - spans[0])
        knots = knots if len(spans) - degree - 1 <= len(points) else search.even(1)
        return fit_on_knots(points, t, knots, tolerance, ring=ring)[0]
    if spans is not None:
        return fit_on_knots(points, t, search.even(spans), tolerance, not hurry, ring)[0]
    return search.fewest()


def comes_round(points: Array) -> bool:
    """Whether points (m, d) come back to the first without turning more there than they do beside it."""
    if len(points) < _LEAST_ROUND or norm(points[-1:] - points[:1])[0] > _SHUT * np.ptp(points, axis=0).max():
        return False
    beside = np.concatenate([points[-4:-1], points[:4]])
    way = np.diff(beside, axis=0)
    cosine = dot(way[1:], way[:-1]) / np.maximum(norm(way[1:]) * norm(way[:-1]), 1e-300)
    turn = np.degrees(np.arccos(np.clip(cosine, -1.0, 1.0)))
    return bool(turn[2] <= min(2.0 * max(turn[1], turn[3]) + _ROUGH, _CORNER))


class _Search:
    """The search for the fewest spans. It looks at few of the points; a result is judged by all."""

    def __init__(self, points: Array, t: Array, degree: int, tolerance: float, ring: bool) -> None:
        self.points, self.t, self.degree, self.tolerance, self.ring = points, t, degree, tolerance, ring
        self.most = max(1, min(_SPANS_LIMIT, len(points) - degree))
        self.few, self.few_t = self._some(_SEARCHED)
        self.best: Fit | None = None

    def _some(self, number: int) -> tuple[Array, Array]:
        """About so many of the points that show their shape best, and their parameters."""
        if len(self.points) <= number:
            return self.points, self.t
        pace = length_and_turn(self.points)
        some = np.unique(np.searchsorted(pace, np.linspace(0, pace[-1], number)).clip(0, len(pace) - 1))
        return self.points[some], self.t[some]

    def even(self, spans: int) -> Array:
        """Even knots, of no more spans than the points allow."""
        return basis.uniform_knots(self.degree, min(spans, max(1, len(self.points) - self.degree)))

    def fewest(self) -> Fit:
        """Even spans while they are few, then those set by the shape unless as many even ones do; else the best."""
        for n in range(1, min(_FEW, self.most) + 1):
            if self._reaches(self.even(n)):
                break
        else:
            shaped = self._set_by_shape()
            fewest = self.most if shaped is None else len(shaped[0]) - 1
            if not any(self._reaches(self.even(n)) for n in range(_FEW + 1, fewest + 1)) and (
                shaped is None or not self._judged(self._knots(shaped[0]), shaped[1])
            ):
                any(self._reaches(self.even(n)) for n in range(fewest + 1, self.most + 1))
            if self.best is None:
                self._judged(self.even(self.most), self.t)
        assert self.best is not None
        return self.best

    def _knots(self, breaks: Array) -> Array:
        return basis.knots_from_breaks(breaks, self.degree)

    def _reaches(self, knots: Array) -> bool:
        sparse, found = fit_on_knots(self.few, self.few_t, knots, self.tolerance, ring=self.ring)
        # What was found for few of the points is near for all of them.
        return sparse.reached and self._judged(knots, np.interp(self.t, self.few_t, found))

    def _judged(self, knots: Array, start: Array) -> bool:
        fit = fit_on_knots(self.points, start, knots, self.tolerance, ring=self.ring)[0]
        if self.best is None or (not fit.reached, fit.deviation) < (not self.best.reached, self.best.deviation):
            self.best = fit
        return fit.reached

    def _set_by_shape(self) -> tuple[Array, Array] | None:
        """Breaks found by halving the spans at fault, less those that turn out to be needless, and the parameters of
        all points. None if that does not reach.
        """
        points, start = self._some(_SHAPED)
        breaks, t, reached = np.linspace(0, 1, _FEW + 1), start, False
        for _ in range(_HALVINGS):
            if len(breaks) - 1 > self.most:
                return None
            fit, t = fit_on_knots(points, t, self._knots(breaks), self.tolerance, ring=self.ring)
            reached = fit.reached
            if reached:
                break
            off = norm(curve_points(fit.curve, t) - points)
            span = np.clip(np.searchsorted(breaks, t, side="right") - 1, 0, len(breaks) - 2)
            worst = np.zeros(len(breaks) - 1)
            np.maximum.at(worst, span, off)
            halved = (worst > max(self.tolerance, 0.1 * worst.max())) & (
                np.bincount(span, minlength=len(worst)) > 2 * self.degree
            )
            if not halved.any():
                return None
            breaks = np.sort(np.append(breaks, 0.5 * (breaks[:-1] + breaks[1:])[halved]))
        if not reached:
            return None
        for needless in breaks[1:-1].tolist():
            fewer = breaks[breaks != needless]
            fit, found = fit_on_knots(points, t, self._knots(fewer), self.tolerance, ring=self.ring)
            if fit.reached:
                breaks, t = fewer, found
        return breaks, np.interp(self.t, start, t)


def simplify(
    curve: Curve, degree: int = 5, tolerance: float = 0.02, spans: int | Array | None = None, hurry: bool = False
) -> Fit:
    """The curve with the fewest CVs of a degree within a tolerance (mm); both ends stay."""
    t = samples(curve, max(12, -(-240 // curve.spans)))
    points = curve_points(curve, t)
    even = fit_points(points, degree, tolerance, spans, hurry=hurry)
    if hurry:
        return even
    # Where the curve's own parameters are what a lower degree or fewer spans had, they give it back exactly.
    own = fit_points(points, degree, tolerance, spans, (t - t[0]) / (t[-1] - t[0]))
    best = min(own, even, key=lambda f: (len(f.curve.control) if f.reached else 10_000, f.deviation))
    # Between the points it was fitted to a curve may stray a little more: told is how far it really does.
    told = _true_deviation(curve, best, tolerance)
    if told.reached or not best.reached or spans is not None:
        return told
    tighter = fit_points(points, degree, tolerance * tolerance / told.deviation * 0.98)
    return _true_deviation(curve, tighter, tolerance)


def _true_deviation(curve: Curve, fit: Fit, tolerance: float) -> Fit:
    found = deviation(curve, fit.curve)
    distance = max(found.distance, fit.deviation)
    place = found.point if found.distance >= fit.deviation else fit.place
    return Fit(fit.curve, distance, place, distance <= tolerance)


def rebuild(curve: Curve, degree: int, spans: int) -> Fit:
    """The curve on other degree and spans; raising the degree of the same spans moves nothing.

    >>> bow = Curve.bezier([[0, 0, 0], [1, 2, 0], [3, 2, 0], [4, 0, 0]])
    >>> made = rebuild(bow, 5, 1)
    >>> made.curve.degree, made.deviation < 1e-9
    (5, True)
    """
    from pamble.core.spline.knots import raise_degree

    if curve.weights is None and degree >= curve.degree and spans == curve.spans and curve.spans == 1:
        same = raise_degree(curve, degree - curve.degree) if degree > curve.degree else curve
        return Fit(same, 0.0, curve.control[0], True)
    return simplify(curve, degree, 0.0, spans)
