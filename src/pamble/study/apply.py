"""Operations carried out: each on a copy of the study, each giving its inverse."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import ValidationError

from pamble.core.errors import PambleError, StudyError
from pamble.study.dimensions import dimension_values, names_used, resolved
from pamble.study.document import Feature, Study, first_problem
from pamble.study.features import KINDS
from pamble.study.history import moved_step, refuse_later
from pamble.study.operations import (
    AddFeatures,
    BreakFree,
    FlagChange,
    MoveCvs,
    MovedCv,
    MoveStep,
    Op,
    RemoveFeatures,
    ReplaceFeature,
    Reshape,
    SetDimension,
    SetFlags,
    SetGroups,
    SetMarker,
    SetParams,
    SetSeamTarget,
    SetStudy,
    Several,
    Solve,
)
from pamble.study.renumber import with_numbers_kept


def checked_params(feature: Feature, dimensions: Mapping[str, float]) -> dict[str, Any]:
    """Parameters with all defaults filled in; numbers written as expressions stay so.

    Raises `StudyError` if the kind is unknown or they do not fit.
    """
    if feature.kind not in KINDS:
        raise StudyError(f"{feature.name}: this Pamble has no tool {feature.kind!r}.")
    try:
        kind = KINDS[feature.kind]
        given = resolved(feature.params, dimensions, kind.bulk)
        full = kind.params.model_validate(given).model_dump(mode="json")
    except ValidationError as error:
        raise StudyError(f"{feature.name}: {first_problem(error, kind.params)}.") from error
    except StudyError as error:
        raise StudyError(f"{feature.name}: {error}") from error
    kept: dict[str, Any] = _as_written(feature.params, full)
    return kept


def _as_written(raw: Any, full: Any) -> Any:
    if isinstance(raw, str) and raw.startswith("="):
        return raw
    if isinstance(raw, dict) and isinstance(full, dict):
        return {k: _as_written(raw[k], v) if k in raw else v for k, v in full.items()}
    if isinstance(raw, (list, tuple)) and isinstance(full, list) and len(raw) == len(full):
        return [_as_written(r, v) for r, v in zip(raw, full, strict=True)]
    return full


def with_defaults(study: Study) -> Study:
    """A study from a file with all parameters filled in; a step that is wrong stays as it is and says so when built."""
    try:
        values = dimension_values(study.dimensions)
    except StudyError:
        return study

    def filled(feature: Feature) -> Feature:
        try:
            return feature.model_copy(update={"params": checked_params(feature, values)})
        except StudyError:
            return feature

    return study.model_copy(update={"features": [filled(f) for f in study.features]})


def apply(study: Study, op: Op) -> tuple[Study, Op]:
    """A changed copy of the study and the operation that undoes the change. Raises `StudyError`."""
    match op:
        case AddFeatures():
            return _add(study, op)
        case RemoveFeatures():
            return _remove(study, op)
        case SetParams():
            return _set_params(study, op)
        case MoveCvs():
            return move_own_cvs(study, op)
        case Reshape():
            return _reshape(study, op)
        case ReplaceFeature():
            old_step = unlocked(study.feature(op.feature.id))
            params = checked_params(op.feature, dimension_values(study.dimensions))
            new_step = op.feature.model_copy(update={"params": params})
            return replaced(study, new_step), ReplaceFeature(feature=old_step)
        case BreakFree():
            raise StudyError("A curve is broken free where its shape is known.")
        case Solve():
            raise StudyError("A value is reached where the part is known.")
        case SetFlags():
            return _set_flags(study, op)
        case SetStudy():
            old = SetStudy(name=study.name if op.name else None, limits=study.limits if op.limits else None)
            return study.model_copy(update={k: v for k, v in (("name", op.name), ("limits", op.limits)) if v}), old
        case SetSeamTarget():
            targets = {k: v for k, v in study.seam_targets.items() if k != op.key}
            if op.target is not None:
                targets[op.key] = op.target
            old_target = SetSeamTarget(key=op.key, target=study.seam_targets.get(op.key))
            return study.model_copy(update={"seam_targets": targets}), old_target
        case SetDimension():
            return _set_dimension(study, op)
        case MoveStep():
            unlocked(study.feature(op.id))
            moved = moved_step(study, op.id, op.to)
            back: Op = MoveStep(id=op.id, to=study.place(op.id))
            return moved, _with_marker(study, moved, back)
        case SetMarker():
            if op.step is not None:
                study.feature(op.step)
            last = op.step if op.step != study.features[-1].id else None
            return study.model_copy(update={"marker": last}), SetMarker(step=study.marker)
        case Several():
            return _several(study, op)
        case SetGroups():
            before = SetGroups(groups=study.groups, active=study.active_group)
            active = op.active if any(g.id == op.active for g in op.groups) else None
            return study.model_copy(update={"groups": op.groups, "active_group": active}), before


def _several(study: Study, op: Several) -> tuple[Study, Op]:
    back: list[Op] = []
    for part in op.ops:
        study, inverse = apply(study, part)
        back.append(inverse)
    return study, Several(ops=back[::-1])


def _with_marker(before: Study, after: Study, back: Op) -> Op:
    """The way back, the marker put back too where the change moved it."""
    return back if before.marker == after.marker else Several(ops=[back, SetMarker(step=before.marker)])


def _add(study: Study, op: AddFeatures) -> tuple[Study, Op]:
    have = {f.id for f in study.features}
    values = dimension_values(study.dimensions)
    features = list(study.features)
    first = len(study.built)
    places = op.at or [first + i for i in range(len(op.features))]
    if len(places) != len(op.features):
        raise StudyError("Every feature that is added needs a place.")
    for place, feature in zip(places, op.features, strict=True):
        if feature.id in have:
            raise StudyError(f"A feature with the id {feature.id} is there already.")
        have.add(feature.id)
        features.insert(place, feature.model_copy(update={"params": checked_params(feature, values)}))
    made = study.model_copy(update={"features": features})
    if study.marker is not None and op.at is None:
        made = made.model_copy(update={"marker": op.features[-1].id})
    return made, _with_marker(study, made, RemoveFeatures(ids=[f.id for f in op.features]))


def _remove(study: Study, op: RemoveFeatures) -> tuple[Study, Op]:
    gone = [unlocked(study.feature(i)) for i in dict.fromkeys(op.ids)]
    gone.sort(key=study.features.index)
    places = [study.features.index(f) for f in gone]
    left = [f for f in study.features if f not in gone]
    made = study.model_copy(update={"features": left})
    if study.marker is not None and any(f.id == study.marker for f in gone):
        before = [f.id for f in study.built if f not in gone]
        made = made.model_copy(update={"marker": before[-1] if before else None})
    return made, _with_marker(study, made, AddFeatures(features=gone, at=places))


def unlocked(feature: Feature) -> Feature:
    if feature.locked:
        raise StudyError(f"{feature.name} is locked: unlock it first.")
    return feature


def replaced(study: Study, feature: Feature) -> Study:
    features = [feature if f.id == feature.id else f for f in study.features]
    return study.model_copy(update={"features": features})


def _set_params(study: Study, op: SetParams) -> tuple[Study, Op]:
    feature = unlocked(study.feature(op.id))
    values = dimension_values(study.dimensions)
    known = checked_params(feature, values)
    unknown = set(op.changes) - set(known)
    if unknown:
        raise StudyError(f"{feature.name} has no {', '.join(sorted(unknown))}.")
    changed = feature.model_copy(update={"params": {**known, **op.changes}})
    changed = changed.model_copy(update={"params": checked_params(changed, values)})
    changed = settled(changed, known, values, [])
    refuse_later(replaced(study, changed), changed)
    back = {k: known[k] for k in known if changed.params[k] != known[k] or k in op.changes}
    return with_numbers_kept(study, feature, changed), SetParams(id=op.id, changes=back)


def settled(feature: Feature, before: dict[str, Any], values: Mapping[str, float], moved: list[int]) -> Feature:
    """The feature with its parameters brought in order by its tool; numbers written as expressions stay so."""
    kind = KINDS[feature.kind]
    if kind.settle is None:
        return feature
    try:
        given = resolved(feature.params, values, kind.bulk)
        full = kind.settle(before, given, moved)
    except PambleError as error:
        raise StudyError(f"{feature.name}: {error}") from error
    if full is given:
        return feature
    return feature.model_copy(update={"params": _as_written(feature.params, full)})


def move_own_cvs(study: Study, op: MoveCvs) -> tuple[Study, Op]:
    """Move CVs that a step is drawn by. Raises `StudyError` where they follow from its inputs."""
    feature = unlocked(study.feature(op.id))
    path = KINDS[feature.kind].net if feature.kind in KINDS else ()
    if not path:
        raise StudyError(f"{feature.name} is made by its step: its CVs follow from its inputs and cannot be moved.")
    params = feature.params
    old: Any = params
    for key in path:
        old = old[key]
    curve = bool(old) and (isinstance(old[0], dict) or not isinstance(old[0][0], list))
    net: list[Any] = [row if isinstance(row, dict) else list(row) for row in old]
    for cv in op.cvs:
        if cv.i >= len(net) or cv.j >= (1 if curve else len(net[0])):
            raise StudyError(f"{feature.name} has no CV {cv.i}, {cv.j}.")
        if not curve:
            net[cv.i][cv.j] = list(cv.to)
        elif not isinstance(net[cv.i], dict) or cv.freed or cv.on:
            net[cv.i] = list(cv.to)
        elif len(op.cvs) == 1:
            raise StudyError(f"Point {cv.i + 1} of {feature.name} hangs on something: release it first (U).")
    new = with_hold(with_value(params, path, net), path, op)
    changed = feature.model_copy(update={"params": new})
    changed = settled(changed, params, dimension_values(study.dimensions), [cv.i for cv in op.cvs])
    refuse_later(replaced(study, changed), changed)
    moved = replaced(study, changed)
    if curve or feature.params.get("face", {}).get("loops"):
        return moved, SetParams(
            id=op.id, changes={k: params[k] for k in new if k == path[0] or new[k] != params.get(k)}
        )
    before = [MovedCv(i=cv.i, j=cv.j, to=tuple(old[cv.i][cv.j])) for cv in op.cvs]
    return moved, MoveCvs(id=op.id, cvs=before)


def with_hold(params: dict[str, Any], path: tuple[str, ...], op: MoveCvs) -> dict[str, Any]:
    """Parameters of a curve in which CVs hang on what they were put on, and no longer on what they were freed of.

    A point of a curve through points hangs by itself; a CV by a relation.
    """
    out = params
    for cv in op.cvs:
        if cv.on is None and not cv.freed:
            continue
        on = None if cv.on is None else cv.on.model_dump()
        if "relations" in out:
            others = [r for r in out["relations"] if not _hangs(r, cv.i)]
            hold = [] if on is None else [{"kind": "coincident", "cvs": [cv.i, on]}]
            out = {**out, "relations": [*others, *hold]}
        elif on is not None and path == ("points",):
            out = {**out, "points": [on if i == cv.i else p for i, p in enumerate(out["points"])]}
    return out


def _hangs(relation: dict[str, Any], cv: int) -> bool:
    """Whether a relation puts a CV on a place of another object."""
    cvs = relation.get("cvs", [])
    return relation["kind"] == "coincident" and cv in cvs and any(isinstance(c, dict) for c in cvs)


def _reshape(study: Study, op: Reshape) -> tuple[Study, Op]:
    feature = unlocked(study.feature(op.id))
    kind = KINDS.get(feature.kind)
    if kind is None or op.action not in kind.actions:
        raise StudyError(f"{feature.name} cannot be changed by {op.action!r}.")
    values = dimension_values(study.dimensions)
    known = checked_params(feature, values)
    net: Any = known
    for key in kind.net:
        net = net[key]
    if any(cv >= len(net) for cv in op.cvs):
        raise StudyError(f"{feature.name} has no CV {max(op.cvs) + 1}; it has {len(net)}.")
    try:
        made = kind.actions[op.action].run(resolved(known, values, kind.bulk), op.cvs, op.value)
    except PambleError as error:
        raise StudyError(f"{feature.name}: {error}") from error
    changed = feature.model_copy(update={"params": _as_written(known, made)})
    changed = settled(changed, known, values, op.cvs or list(range(len(net))))
    changed = changed.model_copy(update={"params": checked_params(changed, values)})
    back = {k: known[k] for k in known if changed.params[k] != known[k]}
    return with_numbers_kept(study, feature, changed), SetParams(id=op.id, changes=back)


def with_value(value: dict[str, Any], path: tuple[str, ...], new: Any) -> dict[str, Any]:
    """A copy with the value at the end of the path replaced."""
    return {**value, path[0]: new if len(path) == 1 else with_value(value[path[0]], path[1:], new)}


def _set_dimension(study: Study, op: SetDimension) -> tuple[Study, Op]:
    before = SetDimension(name=op.name, value=study.dimensions.get(op.name))
    others = {k: v for k, v in study.dimensions.items() if k != op.name}
    if op.value is None:
        using = [f.name for f in study.features if op.name in names_used(f.params)]
        if using:
            raise StudyError(f"{op.name} is used by {', '.join(using)}: change those first.")
        written = others
    else:
        written = {**study.dimensions, op.name: op.value}
    dimension_values(written)
    return study.model_copy(update={"dimensions": written}), before


def _set_flags(study: Study, op: SetFlags) -> tuple[Study, Op]:
    before = []
    for change in op.changes:
        feature = study.feature(change.id)
        new = {k: v for k, v in change.model_dump(exclude={"id"}).items() if v is not None}
        before.append(FlagChange(id=change.id, **{k: _flag(feature, k) for k in new}))
        if "group" in new:
            new["group"] = new["group"] or None
        study = replaced(study, feature.model_copy(update=new))
    return study, SetFlags(changes=before[::-1])


def _flag(feature: Feature, name: str) -> Any:
    """A flag as a change would set it: no group is an empty one."""
    value = getattr(feature, name)
    return "" if name == "group" and value is None else value
