"""The kernel of an open study: a synchronous object that holds the study, follows changes and answers in frames."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping, Sequence, Set
from typing import Any

from pamble.core.errors import StudyError
from pamble.core.faces.meshing.moving import MovingMesh
from pamble.study.apply import apply
from pamble.study.document import Study, read_study_file
from pamble.study.evaluate import Evaluator, resumed
from pamble.study.figures import moved_by
from pamble.study.history import in_sight
from pamble.study.ledger import Ledger, LedgerKeeper
from pamble.study.ledger_packing import LEDGER, ledger_key, pack_ledger, unpack_ledger
from pamble.study.lights import bank_for
from pamble.study.migrate import migrated
from pamble.study.moving import moving_op
from pamble.study.operations import BreakFree, MoveCvs, Op, Reshape, SetParams, Several, Solve, parse_op
from pamble.study.packing import pack_made
from pamble.study.picture import Snapshot, draw, part_reach
from pamble.study.questions import Questions
from pamble.study.solving import Solved, solve_for
from pamble.study.standing import broken_free, held_by_others, laid_op, relaid, standing_curve
from pamble.study.states import Evaluation

FULL_STEPS, DRAG_STEPS = 48, 24
"""Steps of the display grid at rest and while the pointer is down."""

FULL_SAMPLES, DRAG_SAMPLES = 200, 60
"""Samples along a seam at rest and while the pointer is down."""

_LEDGERS = 8
"""Ledgers of former states that are remembered."""


class Kernel(Questions):
    """One open study. Every public method is one message, those of `Questions` too; none touches the web or the store.

    A change is prepared whole, displayed and measured, before it takes the place of what was: until it is accepted
    nothing has happened.
    """

    def __init__(
        self,
        study: dict[str, Any] | bytes,
        assets: Mapping[str, bytes] | None = None,
        results: Mapping[str, tuple[str, bytes]] | None = None,
    ) -> None:
        if isinstance(study, bytes):
            document, assets = read_study_file(study)
        else:
            document = Study.model_validate(migrated(study))
        self._packed = dict(assets or {})
        self._evaluator = Evaluator(self._packed)
        self._keeper = LedgerKeeper()
        self._prepared: Snapshot | None = None
        self._reach: float | None = None
        self._ledgers: dict[str, Ledger] = {}
        self._found = resumed(self._evaluator, document, results or {})
        now = self._evaluator.evaluate(document, self._found)
        self._take(Snapshot(document, now, self._first_ledger(document, now, results or {})))

    def _first_ledger(self, study: Study, now: Evaluation, results: Mapping[str, tuple[str, bytes]]) -> Ledger:
        """The ledger as it was stored with these results, else made anew."""
        self._ledger_stored, data = results.get(LEDGER, ("", b""))
        stored = unpack_ledger(data) if self._ledger_stored == ledger_key(study, now) else None
        if stored is not None:
            return self._keeper.resumed(study, now, stored)
        self._ledger_stored = ""
        return self._keeper.kept(study, now, Ledger(), set(now.world), FULL_SAMPLES)

    def _ledger(self, study: Study, now: Evaluation, changed: Set[str]) -> Ledger:
        """The ledger of a study that is not kept yet; what was seen before, as after an undo, is not measured anew."""
        before, key = self._snapshot, ledger_key(study, now)
        self._ledgers[ledger_key(before.study, before.now)] = before.ledger
        for old in list(self._ledgers)[:-_LEDGERS]:
            del self._ledgers[old]
        known = self._ledgers.get(key)
        if known is not None:
            return self._keeper.resumed(study, now, known)
        return self._keeper.kept(study, now, before.ledger, changed, FULL_SAMPLES)

    def _take(self, snapshot: Snapshot) -> None:
        self._snapshot = snapshot
        self._shown = snapshot.now
        self._prepared = None
        self._moving: dict[str, MovingMesh] = {}
        self._reach = part_reach(snapshot.now)
        compiled = {f.id: self._evaluator.compiler.known(f) for f in snapshot.study.features}
        changing = [id for id, c in compiled.items() if c is not None and c.changed]
        self._unseen = set(compiled) - in_sight(snapshot.study, changing)

    def made_anew(self) -> dict[str, tuple[str, bytes]]:
        """Results of steps that were not stored when the study was loaded, and the ledger as it stands, to be stored;
        each once.
        """
        found, self._found = self._found, self._snapshot.now
        out, key = self._results(self._snapshot, found), ledger_key(self.study, self.now)
        if key != self._ledger_stored:
            self._ledger_stored = key
            out[LEDGER] = (key, pack_ledger(self._snapshot.ledger))
        else:
            self._keeper.look_ahead(self.now)
        return out

    def document(self) -> dict[str, Any]:
        """The study as plain data."""
        return self.study.model_dump()

    def frame(self) -> bytes:
        """The kept state whole: all shapes, all steps, all seams."""
        return draw(
            self._snapshot, objects=None, steps=None, before=None, detail=FULL_STEPS, reach=self._reach, preview=False
        )

    def preview(
        self,
        op: dict[str, Any],
        combs: Sequence[dict[str, Any]] = (),
        watched: Collection[str] | None = None,
        seq: int | None = None,
        lights: Mapping[str, Any] | None = None,
        rest: bool = True,
    ) -> bytes:
        """What an operation would make, coarse and quick; nothing is kept. Raises `StudyError`.

        watched: the steps whose curves' figures are looked at, all when None. seq: the number that the frame answers.
        lights: those whose lines are shown. rest: all steps follow, however long they take.
        """
        kept = self._snapshot
        study, _, _ = self._changed(parse_op(op, kept.study))
        now = self._evaluator.preview(study, kept.now, watched, self._unseen, rest=rest)
        self._shown = now
        changed = now.changed_objects(kept.now)
        ledger = self._keeper.previewed(study, now, kept.ledger, changed, DRAG_SAMPLES)
        return draw(
            Snapshot(study, now, ledger),
            objects=changed,
            steps=now.changed_steps(kept.now),
            before=kept.ledger,
            detail=DRAG_STEPS,
            reach=self._reach,
            preview=True,
            combs=combs,
            lights=None if lights is None else bank_for(now, lights),
            seq=seq,
            moving=self._moving,
        )

    def prepare(self, op: dict[str, Any]) -> dict[str, Any]:
        """Work a change out, whole, without keeping it. Returns the operation as it is to be stored, its inverse, the
        document, results to be stored by step, and the frame. Raises `PambleError`: then nothing has changed.
        """
        kept, asked = self._snapshot, parse_op(op, self.study)
        solved = self._solved(asked) if isinstance(asked, Solve) else None
        study, done, inverse = self._changed(asked if solved is None else solved.op)
        now = self._evaluator.evaluate(study, kept.now)
        follow = relaid(study, now)
        if follow is not None:
            (study, back), done = apply(study, follow), Several(ops=[done, follow])
            now, inverse = self._evaluator.evaluate(study, now), Several(ops=[back, inverse])
        changed = now.changed_objects(kept.now)
        prepared = Snapshot(study, now, self._ledger(study, now, changed))
        said = moved_by(kept.now, now, asked.id) if isinstance(asked, (Reshape, BreakFree)) else None
        if solved is not None:
            said = f"{solved.by} is {solved.value:.6g} now; {solved.measure} comes to {solved.reached:.6g}."
        reach = part_reach(now)
        # Where the part has grown or shrunk by half, every edge is drawn by another measure.
        frame = draw(
            prepared,
            objects=changed if reach == self._reach else set(now.world) | changed,
            steps=now.changed_steps(kept.now),
            before=kept.ledger,
            detail=FULL_STEPS,
            reach=reach,
            preview=False,
            said=said,
        )
        self._prepared = prepared
        return {
            "op": done.model_dump(),
            "inverse": inverse.model_dump(),
            "document": study.model_dump(),
            "results": self._results(prepared, kept.now),
            "frame": frame,
        }

    def _solved(self, op: Solve) -> Solved:
        low = -math.inf if op.low is None else op.low
        high = math.inf if op.high is None else op.high
        return solve_for(self.study, op.measure, op.aim, op.by, self._evaluator, low=low, high=high, before=self.now)

    def accept(self) -> None:
        """The prepared change takes its place: it has been stored. Raises `StudyError` if there is none."""
        if self._prepared is None:
            raise StudyError("There is no change to accept.")
        self._take(self._prepared)

    def discard(self) -> None:
        """The prepared change is dropped."""
        self._prepared = None

    def commit(self, op: dict[str, Any]) -> dict[str, Any]:
        """Prepare a change and accept it at once: for those who store nothing."""
        done = self.prepare(op)
        self.accept()
        return done

    def _results(self, after: Snapshot, before: Evaluation) -> dict[str, tuple[str, bytes]]:
        """Good results of steps that read something, those that differ from before."""
        out = {}
        for feature in after.study.features:
            state = after.now.states[feature.id]
            old = before.states.get(feature.id)
            if state.status != "fresh" or state.made is None or (old is not None and old.made is state.made):
                continue
            compiled = self._evaluator.compiler.known(feature)
            data = pack_made(state.made) if compiled is not None and compiled.reads else None
            if data is not None:
                out[feature.id] = (state.key, data)
        return out

    def _changed(self, op: Op) -> tuple[Study, Op, Op]:
        """The study after an operation, the operation as it is carried out, and its inverse.

        A curve that is held by other objects is changed from where it is, not from where it was drawn.
        """
        study, now = self.study, self.now
        done = moving_op(study, now, op) if isinstance(op, MoveCvs) else laid_op(now, op)
        if isinstance(done, BreakFree):
            done = broken_free(study, now, done.id)
            return _with_done(done, *apply(study, done))
        held = done.id if isinstance(done, (MoveCvs, Reshape)) and self._held(done.id) else None
        if held is None:
            return _with_done(done, *apply(study, done))
        changed, inverse = apply(standing_curve(study, held, now.world[held].shape), done)
        assert isinstance(inverse, SetParams)
        old = study.feature(held).params
        back = inverse.model_copy(update={"changes": {k: old[k] for k in inverse.changes}})
        new = changed.feature(held).params
        # Stored is where the curve went, not how: done again it must not depend on where it stood.
        return changed, SetParams(id=held, changes={k: new[k] for k in inverse.changes}), back

    def _held(self, id: str) -> bool:
        state = self.now.states.get(id)
        return state is not None and state.status == "fresh" and held_by_others(self.study.feature(id))

    def keep(self, asset: str, packed: bytes) -> None:
        """Know a mesh or picture that a step is about to name."""
        self._packed[asset] = packed


MESSAGES: tuple[str, ...] = (
    "document",
    "frame",
    "preview",
    "prepare",
    "accept",
    "discard",
    "made_anew",
    "dependents",
    "probe",
    "locate",
    "why",
    "round_hole",
    "hole_under",
    "about_crease",
    "ways",
    "way_built",
    "combs",
    "lights",
    "keep",
)
"""Methods of the kernel that may be called by message."""


def _with_done(done: Op, study: Study, inverse: Op) -> tuple[Study, Op, Op]:
    return study, done, inverse
