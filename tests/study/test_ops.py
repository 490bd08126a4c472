"""Operations on a study: inverse, order, words."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from pamble.core.errors import StudyError
from pamble.demo.mirror_cap import study
from pamble.study.apply import apply
from pamble.study.document import Study, study_from_json, study_to_json
from pamble.study.history import dependents
from pamble.study.operations import parse_op

BLEND = {
    "id": "b1",
    "kind": "edge_blend",
    "name": "Shoulder",
    "role": "secondary",
    "params": {"first": {"feature": "crown", "edge": "v1"}, "second": {"feature": "flank", "edge": "v0"}},
}
ADD = {"op": "add_features", "features": [BLEND]}


def with_blend() -> Study:
    return apply(study(), parse_op(ADD))[0]


OPS = st.sampled_from(
    [
        {"op": "remove_features", "ids": ["crown", "b1"]},
        {"op": "set_params", "id": "b1", "changes": {"continuity": [3, 1], "spans": 4}},
        {
            "op": "move_cvs",
            "id": "flank",
            "cvs": [{"i": 1, "j": 2, "to": [1, 2, 3]}, {"i": 1, "j": 2, "to": [4, 5, 6]}],
        },
        {"op": "set_flags", "changes": [{"id": "crown", "hidden": True}, {"id": "b1", "name": "Edge", "on": False}]},
        {"op": "set_study", "name": "Other", "limits": {"gap": 0.5}},
        {"op": "set_seam_target", "key": "a|b", "target": 3},
        {"op": "set_groups", "groups": [{"id": "g", "name": "Shell", "role": "primary"}], "active": "g"},
        {"op": "set_flags", "changes": [{"id": "crown", "group": "g"}, {"id": "flank", "locked": True}]},
        {"op": "add_features", "features": [{**BLEND, "id": "b2"}], "at": [0]},
    ]
)


@given(OPS)
def test_inverse_takes_every_operation_back(op):
    before = with_blend()
    after, inverse = apply(before, parse_op(op))
    assert after != before
    back, again = apply(after, inverse)
    assert study_to_json(back) == study_to_json(before)
    assert study_to_json(apply(back, again)[0]) == study_to_json(after)


@pytest.mark.parametrize(
    ("op", "words"),
    [
        ({"op": "paint"}, "cannot be understood"),
        ({"op": "remove_features", "ids": ["gone"]}, "no feature gone"),
        ({"op": "set_params", "id": "b1", "changes": {"fullness": [0, 1]}}, "fullness lies between"),
        (
            {"op": "set_params", "id": "b1", "changes": {"spans": 99}},
            "Shoulder: Spans: a number of at most 40 is needed",
        ),
        ({"op": "set_params", "id": "b1", "changes": {"wobble": 1}}, "has no wobble"),
        ({"op": "move_cvs", "id": "b1", "cvs": [{"i": 0, "j": 0, "to": [0, 0, 0]}]}, "follow from its inputs"),
        ({"op": "move_cvs", "id": "crown", "cvs": [{"i": 9, "j": 0, "to": [0, 0, 0]}]}, "has no CV 9, 0"),
        ({"op": "add_features", "features": [BLEND]}, "is there already"),
        ({"op": "add_features", "features": [{**BLEND, "id": "x", "kind": "magic"}]}, "no tool 'magic'"),
    ],
)
def test_bad_operations_are_refused_in_words_and_change_nothing(op, words):
    before = with_blend()
    data = study_to_json(before)
    with pytest.raises(StudyError, match=words):
        apply(before, parse_op(op))
    assert study_to_json(before) == data


def test_dependents_are_found_through_others():
    s = with_blend()
    assert dependents(s, ["crown"]) == ["b1"]
    second = {**BLEND, "id": "b2", "params": {**BLEND["params"], "second": {"feature": "b1", "edge": "u0"}}}
    s = apply(s, parse_op({"op": "add_features", "features": [second]}))[0]
    assert dependents(s, ["flank"]) == ["b1", "b2"]


@pytest.mark.parametrize(
    ("damage", "words"),
    [
        (lambda d: d[: len(d) // 2], "breaks off"),
        (lambda d: b"[]", "no study file"),
        (lambda d: d.replace(b'"format_version": 3', b'"format_version": 99'), "version 99"),
        (lambda d: d.replace(b'"role": "primary"', b'"role": "boss"'), "role"),
        (lambda d: d.replace(b'"hidden"', b'"hiden"'), "hiden"),
    ],
)
def test_a_damaged_study_file_is_refused_with_the_place(damage, words):
    data = study_to_json(with_blend())
    assert study_from_json(data) == with_blend()
    with pytest.raises(StudyError, match=words):
        study_from_json(damage(data))
