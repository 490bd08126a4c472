"""The seam ledger of a study: seams that features promise and seams that geometry finds, with their figures."""

from __future__ import annotations

from collections.abc import Mapping, Set
from dataclasses import dataclass
from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.checks.report import seam_state
from pamble.core.checks.seams import MeasuredSeam, Seam, find_seams, measure_seam, part_diagonal
from pamble.core.faces.face import Face
from pamble.study.document import Study
from pamble.study.evaluate import State

_CREASE = 5.0
"""Angle in degrees above which a found seam is taken for a crease: its proposed target is G0."""

_ORDER = {"over": 0, "close": 1, "holds": 2}


@dataclass(frozen=True)
class LedgerSeam:
    """A seam by the names of its two edges. declared: continuity that a feature promises, or None for a found one.

    span: range of the first edge's parameter, as a fraction of its domain, so that it survives changes of shape.
    """

    a: tuple[str, str]
    b: tuple[str, str]
    span: tuple[float, float]
    declared: int | None

    @property
    def key(self) -> str:
        """Lasting name of the seam."""
        return "|".join(sorted((".".join(self.a), ".".join(self.b)))) + ("" if self.whole else f"@{self.span[0]:.2f}")

    @property
    def whole(self) -> bool:
        return self.declared is not None or self.span == (0.0, 1.0)


@dataclass(frozen=True)
class LedgerRow:
    """A measured seam with its target and judgement. plot: (m, 7) as length, gap, angle, curvature, x, y, z."""

    seam: LedgerSeam
    row: dict[str, Any]
    plot: Array


class Ledger:
    """Keeps the list of seams and their figures between evaluations."""

    def __init__(self) -> None:
        self.seams: list[LedgerSeam] = []
        self.rows: dict[str, LedgerRow] = {}
        self._angles: dict[str, float] = {}

    def rebuild(self, study: Study, states: Mapping[str, State]) -> None:
        """Find all seams again; figures are measured by `measure`."""
        faces = visible_faces(study, states)
        declared = _declared(faces, states)
        taken = {frozenset((s.a, s.b)) for s in declared}
        ids = list(faces)
        found = (_found(seam, ids) for seam in find_seams([faces[i] for i in ids])[0])
        self.seams = declared + [s for s in found if frozenset((s.a, s.b)) not in taken]
        keys = {s.key for s in self.seams}
        self.rows = {k: r for k, r in self.rows.items() if k in keys}

    def update(self, study: Study, states: Mapping[str, State], changed: Set[str], samples: int) -> None:
        """Measure anew what touches a changed feature, and keep it."""
        self.rows = self.measured(study, states, self.seams, changed, samples)

    def preview(
        self, study: Study, states: Mapping[str, State], changed: Set[str], samples: int
    ) -> dict[str, LedgerRow]:
        """Rows of a study that is not kept: promised seams as they would be, found ones as they were found."""
        faces = visible_faces(study, states)
        seams = _declared(faces, states) + [s for s in self.seams if s.declared is None]
        return self.measured(study, states, seams, changed, samples)

    def measured(
        self, study: Study, states: Mapping[str, State], seams: list[LedgerSeam], changed: Set[str], samples: int
    ) -> dict[str, LedgerRow]:
        """Rows of ``seams``: kept ones where neither side changed, new ones elsewhere."""
        faces = visible_faces(study, states)
        if not faces:
            return {}
        diagonal = part_diagonal(list(faces.values()))
        out = {}
        for seam in seams:
            if seam.a[0] not in faces or seam.b[0] not in faces:
                continue
            old = self.rows.get(seam.key)
            fresh = old is not None and seam.a[0] not in changed and seam.b[0] not in changed
            out[seam.key] = old if old is not None and fresh else self._row(study, faces, seam, diagonal, samples)
        return out

    def _row(
        self, study: Study, faces: Mapping[str, Face], seam: LedgerSeam, diagonal: float, samples: int
    ) -> LedgerRow:
        names = {f.id: f.name for f in study.features}
        edge = faces[seam.a[0]].edge(seam.a[1])
        start, end = edge.domain
        reach = (start + seam.span[0] * (end - start), start + seam.span[1] * (end - start))
        order = 3 if seam.declared == 3 else 2
        m = measure_seam(
            Seam((0, 0), edge, faces[seam.b[0]].edge(seam.b[1]), reach), diagonal, samples=samples, order=order
        )
        f = m.figures
        plot = np.column_stack([m.length, f.gap, f.angle, f.curvature, m.points])
        largest = (float(f.gap.max()), float(f.angle.max()), float(f.curvature.max()))
        target = study.seam_targets.get(seam.key, seam.declared)
        if target is None:
            angle = self._angles.setdefault(seam.key, largest[1])
            target = 0 if angle > _CREASE else 1
        limits = study.limits.tolerances()
        ratios = [largest[0] / limits.gap, largest[1] / limits.angle, largest[2] / limits.curvature]
        row = {
            "key": seam.key,
            "name": f"{names[seam.a[0]]} · {names[seam.b[0]]}",
            "a": {"feature": seam.a[0], "edge": seam.a[1]},
            "b": {"feature": seam.b[0], "edge": seam.b[1]},
            "target": target,
            "promised": seam.declared,
            "gap": _worst(m, f.gap),
            "angle": _worst(m, f.angle),
            "curvature": {**_worst(m, f.curvature), "absolute": float(f.curvature_abs.max())},
            "rate": float(f.rate.max()) if order == 3 else None,
            "length": float(m.length[-1]),
            "opposed": f.opposed,
            "state": seam_state(target, *largest, limits),
            "ratio": max(ratios[: min(target, 2) + 1]),
        }
        return LedgerRow(seam, row, plot)


def _declared(faces: Mapping[str, Face], states: Mapping[str, State]) -> list[LedgerSeam]:
    """Seams that features promise, both sides present."""
    return [
        LedgerSeam((id, s.edge), (s.feature, s.other), (0.0, 1.0), s.continuity)
        for id in faces
        if (made := states[id].made) is not None
        for s in made.seams
        if s.feature in faces
    ]


def _found(seam: Seam, ids: list[str]) -> LedgerSeam:
    start, end = seam.a.domain
    span = tuple(round((t - start) / (end - start), 9) for t in seam.t)
    return LedgerSeam((ids[seam.faces[0]], seam.a.name), (ids[seam.faces[1]], seam.b.name), (span[0], span[1]), None)


def _worst(m: MeasuredSeam, values: Array) -> dict[str, Any]:
    value, at, place = m.worst(values)
    return {"max": value, "at": at, "point": place.tolist()}


def visible_faces(study: Study, states: Mapping[str, State]) -> dict[str, Face]:
    """Faces of all features that are switched on and have a shape, by id."""
    out = {}
    for feature in study.features:
        state = states.get(feature.id)
        if feature.on and state is not None and state.made is not None and state.made.face is not None:
            out[feature.id] = state.made.face
    return out


def worst_first(rows: list[LedgerRow]) -> list[LedgerRow]:
    """Seams over their limits first, the worst of them on top."""
    return sorted(rows, key=lambda r: (_ORDER[r.row["state"]], -r.row["ratio"]))
