"""Curves that stand elsewhere than their numbers say, because what they hang on has moved: their numbers follow.

A change of such a curve starts from where it stands. A curve that lies on a plane is written anew whenever the plane
has moved, so that its numbers are always those of the part.
"""

from __future__ import annotations

from typing import Any

from pamble.core.errors import StudyError
from pamble.core.planes import Plane
from pamble.study.apply import replaced
from pamble.study.document import Feature, Study
from pamble.study.features import KINDS
from pamble.study.features.laying import Laid, carried, frame_of, same_frame
from pamble.study.history import needed_steps
from pamble.study.objects import Shape
from pamble.study.operations import AddFeatures, Op, RemoveFeatures, ReplaceFeature, SetParams, Several
from pamble.study.states import Evaluation
from pamble.study.stored import CurveData


def held_by_others(feature: Feature) -> bool:
    """Whether a curve's own CVs or points are bound to other objects, so that it stands elsewhere than it was drawn."""
    return feature.kind in ("cv_curve", "point_curve") and bool(needed_steps(feature))


def standing_curve(study: Study, id: str, shape: Shape) -> Study:
    """The study with a curve drawn where it stands."""
    feature = study.feature(id)
    if feature.kind == "cv_curve":
        new: dict[str, Any] = {"curve": CurveData.of(shape.curves[0]).model_dump()}
    else:
        where = shape.net.tolist()
        points = [w if isinstance(p, list) else p for p, w in zip(feature.params["points"], where, strict=True)]
        new = {"points": points, "where": where}
    return replaced(study, feature.model_copy(update={"params": {**feature.params, **new}}))


def broken_free(study: Study, now: Evaluation, id: str) -> Op:
    """The operation that makes a derived curve one that is drawn by its CVs. Raises `StudyError`."""
    feature, standing = study.feature(id), now.world.get(id)
    if standing is None or not standing.shape.curves or standing.shape.face is not None:
        raise StudyError(f"{feature.name} has no curve that could be broken free.")
    if feature.kind == "cv_curve":
        raise StudyError(f"{feature.name} is drawn by its CVs already.")
    names = list(standing.shape.lines)
    if len(names) > 1:
        raise StudyError(f"{feature.name} has {len(names)} curves: only a single one can be broken free.")
    over = [f.id for f in study.features if f.kind == "move_curve_cvs" and f.params["curve"]["feature"] == id]
    params = {"curve": CurveData.of(standing.shape.curves[0]).model_dump()}
    ops: list[Op] = [RemoveFeatures(ids=over)] if over else []
    ops.append(ReplaceFeature(feature=feature.model_copy(update={"kind": "cv_curve", "params": params})))
    for other in study.features:
        renamed = _renamed(other.params, id, names[0])
        if other.id not in (id, *over) and renamed != other.params:
            ops.append(SetParams(id=other.id, changes={k: v for k, v in renamed.items() if v != other.params[k]}))
    return Several(ops=ops)


def _renamed(value: Any, id: str, name: str) -> Any:
    """Parameters in which the line of an object is called as that of a CV curve is."""
    if isinstance(value, dict):
        if value.get("feature") == id and value.get("edge") == name:
            return {**value, "edge": "c0"}
        return {k: _renamed(v, id, name) for k, v in value.items()}
    return [_renamed(v, id, name) for v in value] if isinstance(value, list) else value


def laid_op(now: Evaluation, op: Op) -> Op:
    """The operation with the place of every plane on which something is laid by it."""
    if isinstance(op, AddFeatures):
        return op.model_copy(update={"features": [_laid(now, f) for f in op.features]})
    if isinstance(op, SetParams) and "plane" in op.changes and "laid" not in op.changes:
        plane = _plane(now, op.changes["plane"])
        changes = {**op.changes, "laid": None if plane is None else frame_of(plane)}
        return op.model_copy(update={"changes": changes})
    return op


def _laid(now: Evaluation, feature: Feature) -> Feature:
    plane = _plane(now, feature.params.get("plane")) if _may_lie(feature) else None
    if plane is None or feature.params.get("laid") is not None:
        return feature
    return feature.model_copy(update={"params": {**feature.params, "laid": frame_of(plane)}})


def _may_lie(feature: Feature) -> bool:
    return feature.kind in KINDS and issubclass(KINDS[feature.kind].params, Laid)


def _plane(now: Evaluation, ref: Any) -> Plane | None:
    standing = now.world.get(ref["feature"]) if isinstance(ref, dict) and "feature" in ref else None
    return None if standing is None else standing.shape.plane


def relaid(study: Study, now: Evaluation) -> Several | None:
    """The operation that writes anew what lies on planes that have moved; None if none has."""
    ops: list[Op] = []
    for feature in study.built:
        laid = feature.params.get("laid") if _may_lie(feature) else None
        plane = _plane(now, feature.params.get("plane")) if laid is not None else None
        state = now.states.get(feature.id)
        if plane is None or state is None or state.status != "fresh" or same_frame(laid, frame_of(plane)):
            continue
        kind = KINDS[feature.kind].params
        assert issubclass(kind, Laid)
        new = carried(kind, feature.params, plane)
        ops.append(SetParams(id=feature.id, changes={k: v for k, v in new.items() if v != feature.params.get(k)}))
    return Several(ops=ops) if ops else None
