"""Studies and operations written by earlier versions, brought to the form of today. The one home of such changes.

Each version of the document has one function that turns it into the next; a change of a tool's parameters is a line in
the table of its version.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

Raw = dict[str, Any]


def migrated(study: Mapping[str, Any]) -> Raw:
    """A stored study in the form of today; what is already, or comes from a later version, is left as it is."""
    out = dict(study)
    while (step := _STEPS.get(out.get("format_version", 1))) is not None:
        out = step(out)
    return out


def migrated_operation(op: Any, kind_of: Callable[[str], str]) -> Any:
    """An operation as it was stored once, its parameters in the form of today. kind_of: tells the tool of a step."""
    if not isinstance(op, dict):
        return op
    if isinstance(op.get("ops"), list):
        return {**op, "ops": [migrated_operation(one, kind_of) for one in op["ops"]]}
    if isinstance(op.get("features"), list):
        return {**op, "features": [_from_second(_from_first(f)) for f in op["features"]]}
    if op.get("op") == "set_params" and isinstance(op.get("changes"), dict):
        changed = _from_second(_from_first({"kind": kind_of(str(op.get("id"))), "params": op["changes"]}))
        return {**op, "changes": changed["params"]}
    return op


def _first_to_second(study: Raw) -> Raw:
    features = [_from_first(f) for f in study.get("features", [])]
    return {**study, "format_version": 2, "features": features}


def _second_to_third(study: Raw) -> Raw:
    features = [_from_second(f) for f in study.get("features", [])]
    return {**study, "format_version": 3, "features": features}


def _from_first(feature: Any) -> Any:
    return _changed(feature, _PARAMS_OF_FIRST)


def _from_second(feature: Any) -> Any:
    return _changed(feature, _PARAMS_OF_SECOND)


def _changed(feature: Any, table: Mapping[str, Callable[[Raw], Raw]]) -> Any:
    if not isinstance(feature, dict) or not isinstance(feature.get("params"), dict):
        return feature
    change = table.get(str(feature.get("kind")))
    return feature if change is None else {**feature, "params": change(feature["params"])}


def _one_face(params: Raw) -> Raw:
    """Tools that take several faces took one."""
    if "face" not in params or "faces" in params:
        return params
    return {**{k: v for k, v in params.items() if k != "face"}, "faces": [params["face"]]}


def _one_vector(params: Raw) -> Raw:
    """In a copy one field stood for shift, axis, normal and factors."""
    if "by" not in params:
        return params
    field = {"turn": "axis", "mirror": "normal", "scale": "factors"}.get(params.get("how", "move"), "shift")
    return {field: params["by"], **{k: v for k, v in params.items() if k != "by"}}


_PARAMS_OF_FIRST: dict[str, Callable[[Raw], Raw]] = {
    "section_curve": _one_face,
    "project_curve": _one_face,
    "copy_curve": _one_vector,
}


def _several_creases(params: Raw) -> Raw:
    """A fillet took one crease."""
    if "edge" not in params or "edges" in params:
        return params
    return {"edges": [params["edge"]], **{k: v for k, v in params.items() if k != "edge"}}


_PARAMS_OF_SECOND: dict[str, Callable[[Raw], Raw]] = {"fillet": _several_creases}

_STEPS: dict[Any, Callable[[Raw], Raw]] = {1: _first_to_second, 2: _second_to_third}
