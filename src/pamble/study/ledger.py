"""The seam ledger of a study: seams that steps promise and seams that geometry finds, with their figures.

A ledger is a value: an update gives a new one, and rows of seams that nothing touched go on unchanged.
"""

from __future__ import annotations

import logging
import time
from collections import Counter
from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.checks.judge import judged, proposed_target
from pamble.core.checks.measured import MeasuredSeam, SampledSeam, Worst, measure_seams, sample_seams
from pamble.core.checks.seams import Seam, SeamFinder, part_diagonal
from pamble.core.errors import PambleError
from pamble.core.faces.face import Edge, Face
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.document import Study
from pamble.study.states import Evaluation, object_names

log = logging.getLogger("pamble")

_DEADLINE = 0.012
"""Seconds after which a preview leaves the figures of found seams as they were."""

_BATCH = 8
"""Found seams that are measured in one go, with a look at the clock between."""

_ORDER = {"over": 0, "close": 1, "holds": 2}


@dataclass(frozen=True)
class LedgerSeam:
    """A seam by the names of its two edges. declared: continuity that a step promises, or None for a found one.

    span: range of the first edge's parameter, as a fraction of its domain, so that it survives changes of shape.
    number: of the stretch, where the same two edges meet several times. part: whether it runs as far as the second edge
    does along the first. by: the step that promises it.
    """

    a: tuple[str, str]
    b: tuple[str, str]
    span: tuple[float, float]
    declared: int | None
    number: int = 1
    part: bool = False
    by: str = ""

    def between(self, faces: Mapping[str, Face]) -> Seam:
        """The seam on faces by object."""
        edge, other = faces[self.a[0]].edge(self.a[1]), faces[self.b[0]].edge(self.b[1])
        start, end = edge.domain
        if self.part:
            return Seam((0, 0), edge, other, _along(edge, other))
        low, high = (start + share * (end - start) for share in self.span)
        return Seam((0, 0), edge, other, (low, high))

    @cached_property
    def key(self) -> str:
        """Lasting name of the seam."""
        return "|".join(sorted((".".join(self.a), ".".join(self.b)))) + ("" if self.number == 1 else f"#{self.number}")


@dataclass(frozen=True, eq=False)
class LedgerRow:
    """A measured seam with its target and judgement. plot: (m, 7) as length, gap, angle, curvature, x, y, z."""

    seam: LedgerSeam
    row: dict[str, Any]
    plot: Array


@dataclass(frozen=True, eq=False)
class Ledger:
    """seams: all that there are; rows: their figures by key; diagonal: of the part they are measured against, mm."""

    seams: tuple[LedgerSeam, ...] = ()
    rows: Mapping[str, LedgerRow] = field(default_factory=dict)
    diagonal: float = 0.0

    def worst_first(self) -> list[LedgerRow]:
        """Seams over their limits first, the worst of them on top."""
        return sorted(self.rows.values(), key=lambda r: (_ORDER[r.row["state"]], -r.row["ratio"]))


@dataclass(frozen=True)
class _Told:
    """What rows tell of objects: names in words, and which of them stand as their last good shape."""

    names: Mapping[str, str]
    stale: Set[str]


class LedgerKeeper:
    """Finds and measures seams; it remembers which edges were found to meet, never the study's state."""

    def __init__(self) -> None:
        self._finder = SeamFinder()

    def kept(self, study: Study, now: Evaluation, before: Ledger, changed: Set[str], samples: int) -> Ledger:
        """All seams found anew; figures measured where a face changed."""
        faces = standing_faces(now)
        declared = _declared(faces, now)
        taken = {frozenset((s.a, s.b)) for s in declared}
        ids = list(faces)
        found = [_found(seam, ids) for seam in self._finder.find([faces[i] for i in ids])[0]]
        rest = [s for s in found if frozenset((s.a, s.b)) not in taken]
        seams = (*declared, *_numbered(rest))
        diagonal = part_diagonal(list(faces.values())) if faces else 0.0
        rows = measured(study, now, faces, seams, before, changed, samples, diagonal, anew=True)
        return Ledger(seams, rows, diagonal)

    def resumed(self, study: Study, now: Evaluation, stored: Ledger) -> Ledger:
        """A ledger that was stored with these very results, its rows with the limits and names of today."""
        rows = measured(study, now, standing_faces(now), stored.seams, stored, set(), 0, stored.diagonal, anew=True)
        return Ledger(stored.seams, rows, stored.diagonal)

    def look_ahead(self, now: Evaluation) -> None:
        """Find what meets, so that the next change need look at what it changed alone."""
        self._finder.find(list(standing_faces(now).values()))

    def previewed(self, study: Study, now: Evaluation, before: Ledger, changed: Set[str], samples: int) -> Ledger:
        """A study that is not kept: promised seams as they would be, found ones as they were found."""
        faces = standing_faces(now)
        seams = (*_declared(faces, now), *(s for s in before.seams if s.declared is None))
        until = time.perf_counter() + _DEADLINE
        diagonal = before.diagonal or (part_diagonal(list(faces.values())) if faces else 0.0)
        rows = measured(study, now, faces, seams, before, changed, samples, diagonal, until=until)
        return Ledger(seams, rows, diagonal)


def measured(
    study: Study,
    now: Evaluation,
    faces: Mapping[str, Face],
    seams: Sequence[LedgerSeam],
    before: Ledger,
    changed: Set[str],
    samples: int,
    diagonal: float,
    anew: bool = False,
    until: float = np.inf,
) -> dict[str, LedgerRow]:
    """Rows of ``seams``: kept ones where neither side changed, new ones elsewhere. A fault of one is its own.

    anew: whether figures are exact and targets of found seams are proposed anew; else they are for the moment, from the
    samples alone. until: the moment, as `time.perf_counter`, after which found seams keep their old figures.
    """
    told = _Told(object_names(study, now), frozenset(id for id, x in now.world.items() if x.stale))
    out: dict[str, LedgerRow | None] = {}
    promised: list[LedgerSeam] = []
    found: list[LedgerSeam] = []
    for seam in seams:
        if seam.a[0] not in faces or seam.b[0] not in faces:
            continue
        old = before.rows.get(seam.key)
        if old is not None and seam.a[0] not in changed and seam.b[0] not in changed:
            out[seam.key] = _judged_again(study, old, told)
            continue
        (found if seam.declared is None else promised).append(seam)
        out[seam.key] = None  # Its place in the order.
    for batch in (promised, *(found[i : i + _BATCH] for i in range(0, len(found), _BATCH))):
        late = batch is not promised and time.perf_counter() > until
        kept = {s.key: old for s in batch if late and (old := before.rows.get(s.key)) is not None}
        out |= {key: _judged_again(study, old, told) for key, old in kept.items()}
        sampled = _sampled(study, faces, [s for s in batch if s.key not in kept], samples, anew)
        figures = measure_seams([s for _, s in sampled], diagonal, exact=anew)
        for (seam, one), m in zip(sampled, figures, strict=True):
            out[seam.key] = _row(study, seam, one.order, m, None if anew else before.rows.get(seam.key), told)
    return {key: row for key, row in out.items() if row is not None}


def _sampled(
    study: Study, faces: Mapping[str, Face], asked: Sequence[LedgerSeam], samples: int, exact: bool
) -> list[tuple[LedgerSeam, SampledSeam]]:
    """Samples of all seams, those of one order in one go."""
    out = []
    for order in (2, 3):
        alike = [s for s in asked if (study.seam_targets.get(s.key, s.declared) == 3) == (order == 3)]
        out += _in_one_go(faces, alike, samples, order, exact) if alike else []
    return out


def _in_one_go(
    faces: Mapping[str, Face], asked: Sequence[LedgerSeam], samples: int, order: int, exact: bool
) -> list[tuple[LedgerSeam, SampledSeam]]:
    """If all of them together fail they are sampled one by one: a fault of one is its own."""
    try:
        sampled = sample_seams([s.between(faces) for s in asked], samples, order, exact)
        return list(zip(asked, sampled, strict=True))
    except Exception as fault:
        if len(asked) > 1:
            return [one for seam in asked for one in _in_one_go(faces, [seam], samples, order, exact)]
        if not isinstance(fault, PambleError):  # Else the edge is gone: the step that asks for it says so.
            log.exception("seam cannot be measured: %s", asked[0].key)
        return []


def _row(study: Study, seam: LedgerSeam, order: int, m: MeasuredSeam, old: LedgerRow | None, told: _Told) -> LedgerRow:
    f, w = m.figures, m.worst
    plot = np.column_stack([m.length, f.gap, f.angle, f.curvature, m.points])
    row: dict[str, Any] = {
        "key": seam.key,
        "a": {"feature": seam.a[0], "edge": seam.a[1]},
        "b": {"feature": seam.b[0], "edge": seam.b[1]},
        "promised": seam.declared,
        "by": seam.by,
        "gap": _worst(w["gap"]),
        "angle": _worst(w["angle"]),
        "curvature": {**_worst(w["curvature"]), "absolute": w["curvature_abs"].value},
        "rate": {**_worst(w["rate_percent"]), "absolute": w["rate"].value} if order == 3 else None,
        "length": float(m.length[-1]),
        "opposed": f.opposed,
    }
    # While the pointer is down a found seam keeps the target that was proposed: it must not flip in the hand.
    row["proposed"] = proposed_target(row["angle"]["max"]) if old is None else old.row["proposed"]
    return LedgerRow(seam, {**row, **_judgement(study, seam, row, told)}, plot)


def _judged_again(study: Study, old: LedgerRow, told: _Told) -> LedgerRow:
    """A row with the limits, targets, names and stale shapes of today; the same one if that changes nothing."""
    row = {**old.row, **_judgement(study, old.seam, old.row, told)}
    return old if row == old.row else replace(old, row=row)


def _judgement(study: Study, seam: LedgerSeam, row: Mapping[str, Any], told: _Told) -> dict[str, Any]:
    target = study.seam_targets.get(seam.key, seam.declared)
    target = row["proposed"] if target is None else target
    rate = row["rate"]["max"] if row["rate"] is not None else None
    state, ratio = judged(
        target, row["gap"]["max"], row["angle"]["max"], row["curvature"]["max"], rate, study.limits.tolerances()
    )
    sides = (seam.a[0], seam.b[0])
    names = [told.names.get(id, id) for id in sides]
    return {
        "target": target,
        "state": state,
        "ratio": ratio,
        "name": " · ".join(names),
        "sides": names,
        "stale": not told.stale.isdisjoint(sides),
    }


def _declared(faces: Mapping[str, Face], now: Evaluation) -> list[LedgerSeam]:
    """Seams that steps promise, both sides present. Of two steps that promise the same one the later holds."""
    seams = [
        LedgerSeam((own, s.edge), (s.feature, s.other), (0.0, 1.0), s.continuity, part=s.part, by=id)
        for id, state in now.states.items()
        if state.hands_on and state.made is not None
        for s in state.made.seams
        if (own := s.object(id)) in faces and s.feature in faces
    ]
    return list({s.key: s for s in seams}.values())


def _along(edge: Edge, other: Edge) -> tuple[float, float]:
    """The range of an edge along which a shorter one runs; on a closed edge the longer piece beside its start."""
    first, middle, last = to_curve(edge.space, curve_points(other.space, np.linspace(*other.space.domain, 3))).t
    (start, end), (low, high) = edge.domain, sorted((float(first), float(last)))
    if low <= middle <= high:
        return low, high
    return (start, low) if low - start > end - high else (high, end)


def _found(seam: Seam, ids: list[str]) -> LedgerSeam:
    start, end = seam.a.domain
    span = tuple(round((t - start) / (end - start), 9) for t in seam.t)
    return LedgerSeam((ids[seam.faces[0]], seam.a.name), (ids[seam.faces[1]], seam.b.name), (span[0], span[1]), None)


def _numbered(seams: list[LedgerSeam]) -> list[LedgerSeam]:
    """Stretches of the same two edges numbered in their order along the first."""
    count: Counter[frozenset[tuple[str, str]]] = Counter()
    out = []
    for seam in sorted(seams, key=lambda s: (s.a, s.b, s.span)):
        pair = frozenset((seam.a, seam.b))
        count[pair] += 1
        out.append(replace(seam, number=count[pair]))
    return out


def _worst(worst: Worst) -> dict[str, Any]:
    return {"max": worst.value, "at": worst.at, "point": worst.point.tolist()}


def standing_faces(now: Evaluation) -> dict[str, Face]:
    """Faces of all objects that stand, by object."""
    return {id: s.shape.face for id, s in now.world.items() if s.shape.face is not None}
