"""Changes of a CV curve as a whole: degree, spans, inserted and deleted CVs, polygon offset and evened out."""

from __future__ import annotations

from typing import Any

import numpy as np

from pamble.core.curves.fit import rebuild
from pamble.core.curves.polygon import even_out, offset_polygon
from pamble.core.errors import GeometryError, StudyError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import insert_knots, raise_degree, reverse_curve
from pamble.study.features.base import Action, AskedNumber
from pamble.study.stored import CurveData

Params = dict[str, Any]


def _curve(params: Params) -> Curve:
    return CurveData.model_validate(params["curve"]).curve()


def _with(params: Params, curve: Curve) -> Params:
    """The parameters with another curve. Relations count CVs by number: those that name the ends alone move along."""
    old, new = len(params["curve"]["control"]), len(curve.control)
    relations = params.get("relations", [])
    if old != new and relations:
        relations = [{**r, "cvs": [_renumbered(cv, old, new) for cv in r.get("cvs", [])]} for r in relations]
    return {**params, "curve": CurveData.of(curve).model_dump(), "relations": relations}


def _renumbered(cv: Any, old: int, new: int) -> Any:
    """The number of an end CV after the count has changed; one of another curve stays."""
    if isinstance(cv, dict) or cv == 0:
        return cv
    if cv == old - 1:
        return new - 1
    raise StudyError(f"A relation names CV {cv + 1}, and the number of CVs changes: remove that relation first.")


def _whole(value: float | None, low: int, high: int, what: str) -> int:
    if value is None or not low <= round(value) <= high:
        raise StudyError(f"{what} is a whole number from {low} to {high}.")
    return round(value)


def _degree(params: Params, cvs: list[int], value: float | None) -> Params:
    """Raised exactly; lowered by the nearest curve of the lower degree with as many spans."""
    curve, degree = _curve(params), _whole(value, 1, 9, "The degree")
    if degree >= curve.degree:
        return _with(params, raise_degree(curve, degree - curve.degree) if degree > curve.degree else curve)
    return _with(params, rebuild(curve, degree, curve.spans).curve)


def _spans(params: Params, cvs: list[int], value: float | None) -> Params:
    """The nearest curve of the same degree with other spans."""
    curve = _curve(params)
    return _with(params, rebuild(curve, curve.degree, _whole(value, 1, 60, "The number of spans")).curve)


def _insert(params: Params, cvs: list[int], value: float | None) -> Params:
    """A knot beside the picked CV, in the middle of the span it rules most: one CV more, and nothing moves."""
    curve = _curve(params)
    place = basis.greville(curve.knots, curve.degree)[cvs[0]] if cvs else np.mean(curve.domain)
    breaks = basis.breaks(curve.knots, curve.degree)
    i = int(np.clip(np.searchsorted(breaks, place, side="right") - 1, 0, len(breaks) - 2))
    return _with(params, insert_knots(curve, np.array([0.5 * (breaks[i] + breaks[i + 1])])))


def _delete(params: Params, cvs: list[int], value: float | None) -> Params:
    """The nearest curve without the picked CVs: fewer spans while there are several, else a lower degree."""
    curve = _curve(params)
    if not cvs:
        raise StudyError("Pick the CVs to delete first.")
    left = len(curve.control) - len(set(cvs))
    if left < 2:
        raise StudyError("A curve keeps at least two CVs: delete the curve itself instead.")
    degree = min(curve.degree, left - 1)
    return _with(params, rebuild(curve, degree, left - degree).curve)


def _offset(params: Params, cvs: list[int], value: float | None) -> Params:
    """All legs moved parallel by a distance in the plane of the polygon."""
    curve = _curve(params)
    control = offset_polygon(curve.control, value or 0.0)
    return _with(params, Curve(curve.degree, curve.knots, control, curve.weights))


def _even(params: Params, cvs: list[int], value: float | None) -> Params:
    """The picked CVs, or all but two at either end, moved to an even progress of the polygon."""
    curve = _curve(params)
    if not cvs and len(curve.control) < 5:
        raise GeometryError("With four CVs or fewer there is none between the ends to even out: pick one.")
    return _with(params, Curve(curve.degree, curve.knots, even_out(curve, np.array(cvs, dtype=int)), curve.weights))


def _reverse(params: Params, cvs: list[int], value: float | None) -> Params:
    turned, last = _with(params, reverse_curve(_curve(params))), len(params["curve"]["control"]) - 1
    relations = [
        {**r, "end": 1 - r.get("end", 0), "cvs": [cv if isinstance(cv, dict) else last - cv for cv in r.get("cvs", [])]}
        for r in params.get("relations", [])
    ]
    holds = {"hold_start": params.get("hold_end"), "hold_end": params.get("hold_start")}
    return {**turned, **holds, "relations": relations}


ACTIONS = {
    "degree": Action(_degree, "Degree", at="whole", asks=AskedNumber("", 1, 9, True, "degree")),
    "spans": Action(_spans, "Spans", at="whole", asks=AskedNumber("", 1, 60, True, "spans")),
    "offset": Action(_offset, "Offset the polygon", at="whole", asks=AskedNumber("mm", -1e5, 1e5)),
    "even": Action(_even, "Even out", "The CVs between move to an even progress of the polygon"),
    "insert": Action(_insert, "Insert a knot", "One CV more, and nothing moves", recounts=True),
    "delete": Action(
        _delete, "Delete", "The nearest curve with fewer CVs; how far it moves is said", at="cvs", recounts=True
    ),
    "reverse": Action(_reverse, "Reverse", "The curve runs the other way", at="whole"),
}
