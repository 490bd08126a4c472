"""Evaluation of a study: each feature runs only when what it is made from has really changed."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass

import orjson
from pydantic import ValidationError

from pamble.build.features import KINDS, Context, Made
from pamble.build.study import Feature, Study, first_problem
from pamble.core.errors import PambleError
from pamble.core.faces.face import Face


@dataclass(frozen=True)
class State:
    """A feature after evaluation. made: its result, or the last good one when ``problem`` says what failed.

    version: hash of the result; equal hashes mean equal shapes.
    """

    made: Made | None
    problem: str | None
    stale: bool
    version: str
    key: str = ""


def face_version(face: Face) -> str:
    """Hash of a face's numbers."""
    digest = hashlib.blake2b(digest_size=12)
    s = face.surface
    digest.update(bytes([s.degree_u, s.degree_v, len(face.loops)]))
    for array in (s.knots_u, s.knots_v, s.control, s.weights):
        if array is not None:
            digest.update(array.tobytes())
    for edge in face.edges if face.loops else ():
        digest.update(edge.name.encode() + edge.pcurve.control.tobytes() + edge.space.control.tobytes())
    return digest.hexdigest()


class Evaluator:
    """Keeps the state of every feature between evaluations."""

    def __init__(self) -> None:
        self.states: dict[str, State] = {}

    def evaluate(self, study: Study) -> set[str]:
        """Bring all features up to date; returns the ids whose shape, problem or facts changed."""
        states, changed = self._walk(study, preview=False)
        gone = set(self.states) - set(states)
        self.states = states
        return changed | gone

    def preview(self, study: Study) -> tuple[dict[str, State], set[str]]:
        """States of a study that is not kept, and the ids that differ from the kept ones."""
        return self._walk(study, preview=True)

    def _walk(self, study: Study, *, preview: bool) -> tuple[dict[str, State], set[str]]:
        states: dict[str, State] = {}
        changed: set[str] = set()
        names = {f.id: f.name for f in study.features}
        for feature in study.features:
            old = self.states.get(feature.id)
            state = self._step(feature, states, old, names, preview)
            states[feature.id] = state
            if old is None or state is not old:
                changed.add(feature.id)
        return states, changed

    def _step(
        self, feature: Feature, states: Mapping[str, State], old: State | None, names: Mapping[str, str], preview: bool
    ) -> State:
        last = old.made if old else None
        if not feature.on:
            # The last shape is kept out of sight, so that switching on again shows it at once.
            return old if old and old.key == "off" else State(last, None, False, "off", "off")
        kind = KINDS.get(feature.kind)
        if kind is None:
            return State(last, f"This Pamble has no tool {feature.kind!r}.", True, "unknown", "unknown")
        try:
            params = kind.params.model_validate(feature.params)
        except ValidationError as error:
            return State(last, first_problem(error), True, "bad", "bad")
        inputs, versions, missing = {}, [], None
        for reference in kind.references(params):
            source = states.get(reference)
            missing = missing or _missing(reference, source, names)
            if source is not None and source.made is not None:
                inputs[reference] = source.made.face
                versions.append(source.version)
        key = _key(feature, versions, missing)
        if old is not None and old.key == key and not (old.problem and preview):
            return old
        if missing is not None:
            return State(last, missing, True, old.version if old else "none", key)
        try:
            made = kind.run(params, inputs, Context(preview, last, names))
        except PambleError as error:
            return State(last, str(error), True, old.version if old else "none", key)
        except Exception as error:  # a fault of ours must not take the study with it
            words = f"Pamble failed at this step ({type(error).__name__}: {error}). The shape is the last good one."
            return State(last, words, True, old.version if old else "none", key)
        return State(made, None, False, face_version(made.face), key)


def _missing(reference: str, source: State | None, names: Mapping[str, str]) -> str | None:
    name = names.get(reference, reference)
    if source is None:
        return f"{name} is no longer there, or comes later in the build: pick another edge."
    if source.key == "off":
        return f"{name} is switched off: switch it on, or pick another edge."
    if source.made is None:
        return f"{name} has no shape: mend it first."
    if source.stale:
        return f"{name} is stale: mend it first."
    return None


def _key(feature: Feature, versions: list[str], missing: str | None) -> str:
    data = orjson.dumps([feature.kind, feature.params, versions, missing], option=orjson.OPT_SERIALIZE_NUMPY)
    return hashlib.blake2b(data, digest_size=12).hexdigest()
