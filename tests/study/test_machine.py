"""Random histories: whatever was done, undone and done again, the state is that of a fresh evaluation; and a fault
anywhere in a change leaves everything as it was.
"""

import numpy as np
import pytest
from hypothesis import settings
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, initialize, invariant, precondition, rule

from pamble.core.errors import PambleError
from pamble.study import kernel as kernel_module
from pamble.study.kernel import Kernel
from tests.study.slabs import CUT, TRIM, WIDE, adds, moved, ref, slabs, step

STEPS = {
    "extend": lambda id: step(id, "extend_face", edge=ref("deck", "u1"), length=12.0),
    "wall": lambda id: step(id, "extend_face", edge=ref("wall", "v1"), length=8.0),
    "trim": lambda id: {**CUT, "id": id, "name": id},
    "curve": lambda id: step(id, "edge_curve", edge=ref("deck", "u0")),
    "turn": lambda id: step(id, "turn_face", face=ref("deck")),
    "untrim": lambda id: step(id, "untrim", face=ref("deck")),
    "section": lambda id: step(id, "section_curve", faces=[ref("deck"), ref("wall")], point=[120, 0, 0]),
}


def standing(kernel):
    """All that a study has become, to be compared."""
    objects = {id: (s.shape.version, s.stale, s.by) for id, s in kernel.now.world.items()}
    return objects, {id: (s.status, s.problem) for id, s in kernel.now.states.items()}


class Histories(RuleBasedStateMachine):
    """Operations in any order on one study, with the undo that a store would keep."""

    @initialize()
    def begin(self):
        self.kernel = slabs(wall=WIDE)
        self.undo, self.redo, self.count = [], [], 0

    def do(self, op):
        """Carry an operation out; one that is refused changes nothing."""
        before = (self.kernel.document(), standing(self.kernel))
        try:
            done = self.kernel.commit(op)
        except PambleError:
            assert (self.kernel.document(), standing(self.kernel)) == before
            return
        self.undo.append((done["inverse"], done["op"]))
        self.redo = []

    @rule(kind=st.sampled_from(sorted(STEPS)), place=st.none() | st.integers(2, 6))
    def add(self, kind, place):
        self.count += 1
        self.do(adds(STEPS[kind](f"s{self.count}"), at=None if place is None else [place]))

    @precondition(lambda self: self.kernel.study.features)
    @rule(n=st.integers(0, 9), to=st.integers(0, 9))
    def move(self, n, to):
        features = self.kernel.study.features
        self.do({"op": "move_step", "id": features[n % len(features)].id, "to": to})

    @precondition(lambda self: self.kernel.study.features)
    @rule(n=st.integers(0, 9))
    def remove(self, n):
        features = self.kernel.study.features
        self.do({"op": "remove_features", "ids": [features[n % len(features)].id]})

    @precondition(lambda self: self.kernel.study.features)
    @rule(n=st.integers(0, 9), on=st.booleans())
    def switch(self, n, on):
        features = self.kernel.study.features
        self.do({"op": "set_flags", "changes": [{"id": features[n % len(features)].id, "on": on}]})

    @rule(n=st.none() | st.integers(0, 9))
    def mark(self, n):
        features = self.kernel.study.features
        if features:
            self.do({"op": "set_marker", "step": None if n is None else features[n % len(features)].id})

    @rule(id=st.sampled_from(["deck", "wall"]), i=st.integers(0, 4), j=st.integers(0, 4), z=st.floats(-6, 6))
    def pull(self, id, i, j, z):
        if id in self.kernel.now.world:
            self.count += 1
            self.do(moved(self.kernel, id, i, j, (0, 0, round(z, 2)), step=f"s{self.count}"))

    @precondition(lambda self: self.undo)
    @rule()
    def back(self):
        inverse, op = self.undo.pop()
        self.kernel.commit(inverse)
        self.redo.append((inverse, op))

    @precondition(lambda self: self.redo)
    @rule()
    def again(self):
        inverse, op = self.redo.pop()
        self.kernel.commit(op)
        self.undo.append((inverse, op))

    @invariant()
    def good_steps_are_those_of_a_fresh_evaluation(self):
        fresh = Kernel(self.kernel.document())
        for id, state in fresh.now.states.items():
            own = self.kernel.now.states[id]
            if state.status == "fresh" == own.status:
                for object_id, shape in state.made.objects(id).items():
                    assert own.made.objects(id)[object_id].version == shape.version
            if own.status == "fresh":
                assert state.status == "fresh"

    def teardown(self):
        while getattr(self, "undo", None):
            self.kernel.commit(self.undo.pop()[0])
        if hasattr(self, "kernel"):
            assert standing(self.kernel) == standing(slabs(wall=WIDE))


TestHistories = Histories.TestCase
TestHistories.settings = settings(max_examples=10, stateful_step_count=8, deadline=None)


@pytest.mark.parametrize("part", ["draw", "measure", "run"])
def test_a_fault_in_any_part_of_a_change_leaves_everything_as_it_was(part, monkeypatch):
    kernel = slabs(TRIM)
    document, before, frame = kernel.document(), standing(kernel), kernel.frame()

    def broken(*_, **__):
        raise RuntimeError("a fault of ours")

    with monkeypatch.context() as patched:
        if part == "draw":
            patched.setattr(kernel_module, "draw", broken)
        elif part == "measure":
            patched.setattr(kernel._keeper, "kept", broken)
        else:
            patched.setattr(kernel._evaluator, "evaluate", broken)
        with pytest.raises(RuntimeError):
            kernel.commit(moved(kernel, "deck", 2, 2, (0, 0, 5)))
    assert kernel.document() == document
    assert standing(kernel) == before
    assert kernel.frame() == frame
    kernel.commit(moved(kernel, "deck", 2, 2, (0, 0, 5)))
    assert kernel.document() != document


def test_a_fault_in_the_display_or_the_figures_of_one_object_is_told_there_and_the_study_opens(monkeypatch, caplog):
    from pamble.study import ledger, picture

    kernel = slabs(TRIM)
    real = picture.put_shape

    def put(writer, shape, *more):
        if shape is kernel.now.world["wall"].shape:
            raise RuntimeError("cannot be drawn")
        return real(writer, shape, *more)

    monkeypatch.setattr(picture, "put_shape", put)
    from pamble.study.frame import read_frame

    header = read_frame(kernel.frame())[0]
    assert {o["id"] for o in header["objects"]} == {"deck"}
    assert "cannot be drawn" in next(f for f in header["features"] if f["id"] == "t")["problem"]
    assert "object cannot be drawn: wall" in caplog.text
    monkeypatch.setattr(ledger, "sample_seams", lambda *_, **__: np.zeros(3) / None)
    done = kernel.commit(moved(kernel, "deck", 2, 2, (0, 0, 5)))
    assert read_frame(done["frame"])[0]["order"] == []
    assert "seam cannot be measured" in caplog.text


def test_nothing_is_kept_until_it_is_accepted():
    kernel = slabs(TRIM)
    before = kernel.document()
    prepared = kernel.prepare(moved(kernel, "deck", 2, 2, (0, 0, 5)))
    assert kernel.document() == before
    kernel.discard()
    with pytest.raises(PambleError, match="no change to accept"):
        kernel.accept()
    kernel.prepare(prepared["op"])
    kernel.accept()
    assert kernel.document() == prepared["document"]
