"""What would mend what keeps a hole from being closed well: steps to be put in before, each by one click."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.fit import fit_points, simplify
from pamble.core.curves.least_squares import Fit
from pamble.core.curves.measure import samples
from pamble.core.faces.face import Edge
from pamble.core.patches.loop import CONTRADICTS, Corner
from pamble.core.remember import Remembered
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.tolerances import SEAM_SEARCH
from pamble.study.inputs import Inputs
from pamble.study.references import EdgeRef, FaceRef

_MANY, _TIMES = 12, 2
"""CVs of an edge from which it is looked at, and how many times more than are needed are told."""

_ALLOWED = 0.01
"""Deviation, mm, within which an edge is made simple."""

_DEGREE, CALM = 5, 8
"""Degree of a simple edge, and CVs up to which an edge is calm, or a blend along it."""

_SLIDES, _ABOUT = (0.01, 0.03, 0.1, 0.3, 1.0, 3.0), 0.9
"""Distances, mm, by which an edge may slide on its face, and share of what a fit misses that another may reach."""

_MOST = 4

_SIMPLER: Remembered[Curve, float, Fit] = Remembered(8)

Remedy = dict[str, Any]
"""A step by its kind, name and parameters, and what it does in words."""


def remedies_for(
    inputs: Inputs, refs: Sequence[EdgeRef], members: Sequence[Sequence[int]], corners: Sequence[Corner]
) -> list[Remedy]:
    """Steps that would mend corners of a hole at which its neighbours ask for different curvatures.

    refs: the edges round it. members: of which of them each side consists.
    """
    out: list[Remedy] = []
    for corner in corners:
        if corner.bends is None or max(corner.bends, corner.twist or 0.0) <= CONTRADICTS:
            continue
        a, b = (min((refs[n] for n in members[i]), key=lambda r: _from(inputs, r, corner)) for i in corner.sides)
        if a.feature != b.feature:
            out += _along_seam(inputs, a, b, corner.point) or _by_rows(inputs, a, b)
    return [r for k, r in enumerate(out) if r not in out[:k]][:_MOST]


def simpler_edges(inputs: Inputs, refs: Sequence[EdgeRef]) -> tuple[list[str], list[Remedy]]:
    """Words and steps for cut edges that have many more CVs than they need."""
    words, out = [], []
    for ref in refs:
        made = _simpler(inputs, ref, _ALLOWED)
        if made is not None:
            name, (before, after, _) = inputs.name(ref.feature), made
            words.append(f"An edge of {name} has {before} CVs where {after} hold it within {_ALLOWED:g} mm.")
            params = {"edges": [ref.model_dump()], "tolerance": _ALLOWED}
            out.append(_step("simplify_edges", "Simplify edges", f"Simplify the edge of {name}", params))
    return words[:_MOST], out[:_MOST]


def sliding_edges(inputs: Inputs, refs: Sequence[EdgeRef]) -> list[Remedy]:
    """Steps that let the edges of a blend slide on their faces, which are trimmed to them: by the least that makes them
    calm.
    """
    out = []
    for ref in refs:
        for far in _slides(inputs.edge(ref)):
            made = _simpler(inputs, ref, far)
            if made is not None and made[1] <= CALM:
                before, after, moved = made
                name = inputs.name(ref.feature)
                words = f"Let the edge slide on {name}, by {moved:.2g} mm: {after} CVs for {before}"
                params = {"edges": [ref.model_dump()], "tolerance": far}
                out.append(_step("simplify_edges", "Simplify edges", words, params))
                break
    return out[:_MOST]


def _slides(edge: Edge) -> list[float]:
    """Distances, mm, by which an edge may have to slide to be calm: none within which so few CVs do not hold it."""
    if not _looked_at(edge):
        return []
    points = curve_points(edge.space, samples(edge.space, 12))
    calm = _SIMPLER.get(edge.space, 0.0, lambda: fit_points(points, _DEGREE, spans=CALM - _DEGREE))
    return [far for far in _SLIDES if far > _ABOUT * calm.deviation]


def _looked_at(edge: Edge) -> bool:
    return not edge.natural and len(edge.space.control) >= _MANY


def _simpler(inputs: Inputs, ref: EdgeRef, within: float) -> tuple[int, int, float] | None:
    """CVs of a cut edge, how many less hold it within a distance, mm, and how far off it they are; None where they are
    not much less.
    """
    edge = inputs.edge(ref)
    if not _looked_at(edge):
        return None
    # While a step in work is dragged its edges stay what they are.
    made = _SIMPLER.get(edge.space, within, lambda: simplify(edge.space, _DEGREE, within))
    count, enough = len(edge.space.control), len(made.curve.control)
    return (count, enough, made.deviation) if made.reached and _TIMES * enough < count else None


def _step(kind: str, name: str, label: str, params: dict[str, Any]) -> Remedy:
    return {"kind": kind, "name": name, "label": label, "params": params}


def _from(inputs: Inputs, ref: EdgeRef, corner: Corner) -> float:
    return float(norm(_ends(inputs.edge(ref)) - corner.point).min())


def _ends(edge: Edge) -> Array:
    return curve_points(edge.space, np.array(edge.space.domain))


def _along_seam(inputs: Inputs, a: EdgeRef, b: EdgeRef, at: Array) -> list[Remedy]:
    """Both faces share a seam that ends at the corner: where that is G2, so is the corner."""
    pairs = [
        (one, other)
        for one in _running_to(inputs, a, at)
        for other in _running_to(inputs, b, at)
        if _beside(one, other) or _beside(other, one)
    ]
    out = []
    for one, other in pairs[:1]:
        for (mine, ref), (theirs, to) in (((one, a), (other, b)), ((other, b), (one, a))):
            if _whole(inputs, ref, mine):
                words = f"Match {inputs.name(ref.feature)} to {inputs.name(to.feature)} along their seam"
                params = {
                    "edge": {"feature": ref.feature, "edge": mine.name},
                    "to": {"feature": to.feature, "edge": theirs.name},
                    "continuity": 2,
                }
                out.append(_step("match_face", "Match", words, params))
    return out


def _by_rows(inputs: Inputs, a: EdgeRef, b: EdgeRef) -> list[Remedy]:
    """No seam is shared: the rows of one beside the hole give way."""
    return [
        _step(
            "mend_corner",
            "Mend a corner",
            f"Let {inputs.name(ref.feature)} give way at the corner with {inputs.name(to.feature)}",
            {"edge": ref.model_dump(), "to": to.model_dump()},
        )
        for ref, to in ((a, b), (b, a))
        if _whole(inputs, ref, inputs.edge(ref))
    ]


def _running_to(inputs: Inputs, ref: EdgeRef, at: Array) -> list[Edge]:
    """Other edges of the face that end at a point."""
    edges = inputs.face(FaceRef(feature=ref.feature)).edges
    return [e for e in edges if e.name != ref.edge and norm(_ends(e) - at).min() < SEAM_SEARCH]


def _beside(one: Edge, other: Edge) -> bool:
    """Whether one edge lies on another all along."""
    places = np.linspace(*one.space.domain, 7)
    return bool(to_curve(other.space, curve_points(one.space, places)).distance.max() < SEAM_SEARCH)


def _whole(inputs: Inputs, ref: EdgeRef, edge: Edge) -> bool:
    """Whether the rows of a face beside an edge can be moved."""
    face = inputs.face(FaceRef(feature=ref.feature))
    return face.natural and edge.natural and face.surface.weights is None
