"""Evaluation: the steps are walked in order, each reads the objects as they stand before it and hands on new ones.

Nothing here is changed in place: an evaluation is a value, made from the one before it. A step runs only when its
parameters or the versions that it read are others than before.
"""

from __future__ import annotations

import hashlib
import logging
import time
from collections import OrderedDict
from collections.abc import Collection, Mapping
from typing import Any

from pamble.core.errors import PambleError, ReferenceLost, StudyError
from pamble.core.ticking import Cancelled, listening, part, tick
from pamble.study.compile import Compiled, Compiler
from pamble.study.dimensions import dimension_values
from pamble.study.document import Feature, Study
from pamble.study.features.base import Context
from pamble.study.features.figures import described
from pamble.study.inputs import EdgeLost, Inputs, Offered
from pamble.study.objects import Made
from pamble.study.packing import unpack_made
from pamble.study.references import step_of
from pamble.study.states import Evaluation, Lost, Offer, Standing, State, Status, object_names

log = logging.getLogger("pamble")

_KEPT_RESULTS = 400
"""Results that are remembered by their keys: going back to one costs nothing."""

_DEADLINE = 0.1
"""Seconds after which a preview shows what it has, while the pointer moves."""


class Evaluator:
    """Runs steps. assets: bulk stored with the study, by name. It remembers results, never the study's state."""

    def __init__(self, assets: dict[str, bytes] | None = None) -> None:
        self.assets = {} if assets is None else assets
        self.compiler = Compiler()
        self.memories: dict[str, Any] = {}
        self._results: OrderedDict[str, Made] = OrderedDict()

    def evaluate(self, study: Study, before: Evaluation | None = None) -> Evaluation:
        """All steps brought up to date, exact. Raises `Cancelled` if it was stopped: then nothing has changed."""
        out = _Walk(self, study, before or Evaluation(), preview=False).run()
        self.compiler.forget_others(study.features)
        return out

    def preview(
        self,
        study: Study,
        before: Evaluation,
        watched: Collection[str] | None = None,
        skipped: Collection[str] = (),
        *,
        rest: bool = True,
    ) -> Evaluation:
        """A study that is not kept, quickly.

        watched: steps whose figures are looked at; those of others stay as they were, none do when None. skipped: steps
        that nobody sees: they stay as they were. rest: there is time for every step. Raises `Cancelled` if it was
        stopped.
        """
        deadline = float("inf") if rest else _DEADLINE
        return _Walk(self, study, before, preview=True, watched=watched, skipped=skipped, deadline=deadline).run()

    def remember(self, key: str, made: Made) -> None:
        """Keep a result by its key."""
        self._results[key] = made
        self._results.move_to_end(key)
        while len(self._results) > _KEPT_RESULTS:
            self._results.popitem(last=False)

    def remembered(self, key: str) -> Made | None:
        """A result that was kept."""
        return self._results.get(key)


def resumed(evaluator: Evaluator, study: Study, results: Mapping[str, tuple[str, bytes]]) -> Evaluation:
    """What was stored of earlier runs: last good results by step, each with the key that it came from."""
    states = {}
    for feature in study.features:
        key, data = results.get(feature.id, ("", b""))
        made = unpack_made(data) if data else None
        if made is not None:
            states[feature.id] = State("fresh", made, None, key)
            evaluator.remember(key, made)
    return Evaluation(states)


class _Walk:
    """One evaluation on its way."""

    def __init__(
        self,
        evaluator: Evaluator,
        study: Study,
        before: Evaluation,
        *,
        preview: bool,
        watched: Collection[str] | None = None,
        skipped: Collection[str] = (),
        deadline: float = float("inf"),
    ) -> None:
        self.evaluator, self.study, self.before, self.preview = evaluator, study, before, preview
        self.watched, self.skipped, self.deadline, self.late = watched, skipped, deadline, False
        self.names = object_names(study, before)
        self.values, self.circle = _values(study)
        self.world: dict[str, Standing] = {}
        self.gone: dict[str, str] = {}
        self.states: dict[str, State] = {}
        self.ran: list[str] = []

    def run(self) -> Evaluation:
        start, count = time.perf_counter(), max(1, len(self.study.features))
        last = len(self.study.built)
        for i, feature in enumerate(self.study.features):
            tick(i / count)
            old = self.before.states.get(feature.id)
            late = time.perf_counter() - start > self.deadline
            if i >= last or not feature.on:
                status: Status = "beyond" if i >= last else "off"
                state = old if old is not None and old.status == status else _resting(status, old)
            elif old is not None and old.status != "off" and (feature.id in self.skipped or late):
                self.late = self.late or (late and feature.id not in self.skipped)
                state = old
            else:
                inner = part(i / count, (i + 1) / count)
                if inner is None:
                    state = self._step(feature, old)
                else:
                    with listening(inner):
                        state = self._step(feature, old)
            self._hand_on(feature.id, state)
        return Evaluation(self.states, self.world, tuple(self.ran), self.late)

    def _hand_on(self, id: str, state: State) -> None:
        self.states[id] = state
        if not state.hands_on or state.made is None:
            return
        for object_id, shape in state.made.objects(id).items():
            now = self.world.get(object_id)
            if object_id in state.made.changes and now is None:
                continue
            # What nothing has touched stands as it stood: the same object tells that nothing changed.
            old = self.before.world.get(object_id)
            if old is not None and old.shape is shape and old.stale == state.stale and old.by == id:
                self.world[object_id] = old
            else:
                self.world[object_id] = Standing(shape, state.stale, id)
        for object_id in state.made.removes:
            self.world.pop(object_id, None)
            self.gone[object_id] = id

    def _step(self, feature: Feature, old: State | None) -> State:
        last = old.made if old else None
        compiled = self.evaluator.compiler.compiled(feature, self.values)
        if compiled.problem is not None:
            return _same(old, State("failed", last, self.circle or compiled.problem, compiled.digest))
        missing = self._missing(compiled)
        if missing is not None:
            status, words, lost = missing
            return _same(old, State(status, last, words, f"{compiled.digest}-", lost))
        read = {id: self.world[id] for id in compiled.reads}
        stale = [id for id, standing in read.items() if standing.stale]
        key = _key(feature.id, compiled, read, self.study.limits.fit)
        if old is not None and old.key == key and old.status in ("fresh", "failed", "lost") and not stale:
            return old
        if stale and last is not None:
            words = f"{self.names.get(stale[0], stale[0])} is not up to date: this step waits."
            return _same(old, State("behind", last, words, old.key if old else ""))
        made = None if self.preview else self.evaluator.remembered(key)
        if made is None:
            run = self._run(feature, compiled, read, old)
            if isinstance(run, State):
                return _same(old, State(run.status, last, run.problem, key, run.lost, run.offer))
            made = run
            if not self.preview:
                self.evaluator.remember(key, made)
        if stale:
            return State("behind", made, f"{self.names.get(stale[0], stale[0])} is not up to date.", key)
        return State("fresh", made, None, key)

    def _run(
        self, feature: Feature, compiled: Compiled, read: Mapping[str, Standing], old: State | None
    ) -> Made | State:
        assert compiled.kind is not None
        kept = self.before.states.get(feature.id)
        last = old.made if old else None
        inputs = Inputs({id: s.shape for id, s in read.items()}, self.names)
        memory = self.evaluator.memories.get(feature.id) if self.preview else None
        context = Context(
            feature.id, self.preview, kept.made if kept else None, memory, self.study.limits.fit, self.evaluator.assets
        )
        self.ran.append(feature.id)
        unseen = self.watched is not None and feature.id not in self.watched
        try:
            made = compiled.kind.run(compiled.params, inputs, context)
            self.evaluator.memories[feature.id] = made.memory
            return described(made, self.preview, last if unseen else None)
        except Cancelled:
            raise
        except EdgeLost as error:
            return State("lost", problem=str(error), lost=Lost(error.feature, error.edge, error.candidates))
        except ReferenceLost as error:
            return State("lost", problem=str(error))
        except Offered as error:
            return State("failed", problem=str(error), offer=Offer(error.label, error.changes))
        except PambleError as error:
            return State("failed", problem=str(error))
        except Exception as error:  # a fault of ours must not take the study with it
            log.exception("step failed: %s, %s", feature.kind, feature.id)
            return State("failed", problem=f"Pamble failed at this step ({type(error).__name__}: {error}).")

    def _missing(self, compiled: Compiled) -> tuple[Status, str, Lost | None] | None:
        """Why something that the step reads is not there, in words."""
        for ref in compiled.refs:
            if ref.feature in self.world:
                continue
            id = ref.feature
            name = self.names.get(id, id)
            if id in self.gone:
                by = self.names.get(self.gone[id], self.gone[id])
                return "lost", f"{name} is part of another face since {by}: pick that.", Lost(id, "", ())
            step = step_of(id)
            state = self.states.get(step)
            if state is None:
                there = any(f.id == step for f in self.study.features)
                if there:
                    words = f"{name} comes later in the build: move this step behind it, or pick another."
                else:
                    words = f"{name} is no longer there: pick another."
                return "lost", words, Lost(id, getattr(ref, "edge", ""), ())
            if state.status == "off":
                return "behind", f"{name} is switched off: switch it on, or pick another.", None
            if state.made is None:
                return "behind", f"{name} has no shape: mend it first.", None
            return "lost", f"{name} is no longer made by its step: pick another.", Lost(id, "", ())
        return None


def _resting(status: Status, old: State | None) -> State:
    return State(status, old.made if old else None, None, old.key if old else "")


def _same(old: State | None, new: State) -> State:
    """The old state where the new one says the same: then nothing has changed."""
    if old is None or (old.status, old.problem, old.key, old.lost) != (new.status, new.problem, new.key, new.lost):
        return new
    return old if old.made is new.made else new


def _key(step: str, compiled: Compiled, read: Mapping[str, Standing], fit: float) -> str:
    """The step counts too: what it cuts bears its name."""
    digest = hashlib.blake2b(f"{step}:{compiled.digest}".encode(), digest_size=12)
    for id, standing in read.items():
        digest.update(f"{id}:{standing.shape.version}".encode())
    digest.update(str(fit).encode())
    return digest.hexdigest()


def _values(study: Study) -> tuple[dict[str, float], str | None]:
    """Values of the dimensions, or the words that say why they have none."""
    try:
        return dimension_values(study.dimensions), None
    except StudyError as error:
        return {}, str(error)
