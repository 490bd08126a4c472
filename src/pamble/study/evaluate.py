"""Evaluation of a study: each feature runs only when what it is made from has really changed."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import orjson
from pydantic import ValidationError

from pamble.core.errors import PambleError, StudyError
from pamble.core.faces.face import Face
from pamble.core.spline.curve import Curve
from pamble.study.data import referenced
from pamble.study.dimensions import dimension_values, resolved
from pamble.study.document import Feature, Study, first_problem
from pamble.study.features import KINDS, Context, Inputs, Made
from pamble.study.features.base import described


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


def made_version(made: Made) -> str:
    """Hash of the numbers of what a feature made."""
    digest = hashlib.blake2b(digest_size=12)
    for curve in made.curves:
        digest.update(bytes([curve.degree]))
        for part in (curve.knots, curve.control, curve.weights):
            if part is not None:
                digest.update(part.tobytes())
    if made.face is not None:
        _add_face(digest, made.face)
    if made.plane is not None:
        digest.update(made.plane.origin.tobytes() + made.plane.x.tobytes() + made.plane.y.tobytes())
    if made.mesh is not None:
        digest.update(made.mesh.vertices.tobytes() + made.mesh.triangles.tobytes())
    return digest.hexdigest()


def _add_face(digest: hashlib.blake2b, face: Face) -> None:
    s = face.surface
    digest.update(bytes([s.degree_u, s.degree_v, len(face.loops)]))
    for array in (s.knots_u, s.knots_v, s.control, s.weights):
        if array is not None:
            digest.update(array.tobytes())
    for edge in face.edges if face.loops else ():
        digest.update(edge.name.encode() + edge.pcurve.control.tobytes() + edge.space.control.tobytes())


class Evaluator:
    """Keeps the state of every feature between evaluations. assets: bulk stored with the study, by name."""

    def __init__(self, assets: dict[str, bytes] | None = None) -> None:
        self.states: dict[str, State] = {}
        self.assets = {} if assets is None else assets

    def evaluate(self, study: Study) -> set[str]:
        """Bring all features up to date; returns the ids whose shape, problem or facts changed."""
        states, changed = self._walk(study, preview=False, watched=None)
        gone = set(self.states) - set(states)
        self.states = states
        return changed | gone

    def preview(self, study: Study, watched: Collection[str] | None = None) -> tuple[dict[str, State], set[str]]:
        """States of a study that is not kept, and the ids that differ from the kept ones.

        watched: features whose figures are looked at; those of others stay as they were. All when None.
        """
        return self._walk(study, preview=True, watched=watched)

    def _walk(
        self, study: Study, *, preview: bool, watched: Collection[str] | None
    ) -> tuple[dict[str, State], set[str]]:
        states: dict[str, State] = {}
        changed: set[str] = set()
        names = {f.id: f.name for f in study.features}
        values, circle = _values(study)
        for feature in study.features:
            old = self.states.get(feature.id)
            unseen = watched is not None and feature.id not in watched
            state = self._step(feature, states, old, names, (values, circle), preview, unseen)
            states[feature.id] = state
            if old is None or state is not old:
                changed.add(feature.id)
        return states, changed

    def _step(
        self,
        feature: Feature,
        states: Mapping[str, State],
        old: State | None,
        names: Mapping[str, str],
        dimensions: tuple[Mapping[str, float], str | None],
        preview: bool,
        unseen: bool,
    ) -> State:
        last = old.made if old else None
        if not feature.on:
            # The last shape is kept out of sight, so that switching on again shows it at once.
            return old if old and old.key == "off" else State(last, None, False, "off", "off")
        kind = KINDS.get(feature.kind)
        if kind is None:
            return State(last, f"This Pamble has no tool {feature.kind!r}.", True, "unknown", "unknown")
        try:
            given = resolved(feature.params, dimensions[0], kind.bulk)
            params = kind.params.model_validate(given)
        except ValidationError as error:
            return State(last, first_problem(error), True, "bad", "bad")
        except StudyError as error:
            return State(last, dimensions[1] or str(error), True, "bad", "bad")
        inputs, versions, missing = {}, [], None
        for reference in referenced(params):
            source = states.get(reference)
            missing = missing or _missing(reference, source, names)
            if source is not None and source.made is not None:
                inputs[reference] = source.made
                versions.append(source.version)
        key = _key(feature.kind, given, versions, missing)
        if old is not None and old.key == key and not (old.problem and preview):
            return old
        if missing is not None:
            return State(last, missing, True, old.version if old else "none", key)
        try:
            made = kind.run(params, Inputs(inputs, names), Context(preview, last, self.assets))
            made = described(made, preview, last if unseen else None)
        except PambleError as error:
            return State(last, str(error), True, old.version if old else "none", key)
        except Exception as error:  # a fault of ours must not take the study with it
            words = f"Pamble failed at this step ({type(error).__name__}: {error}). The shape is the last good one."
            return State(last, words, True, old.version if old else "none", key)
        return State(made, None, False, made_version(made), key)


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


def _values(study: Study) -> tuple[dict[str, float], str | None]:
    """Values of the dimensions, or the words that say why they have none."""
    try:
        return dimension_values(study.dimensions), None
    except StudyError as error:
        return {}, str(error)


def _key(kind: str, params: dict[str, object], versions: list[str], missing: str | None) -> str:
    data = orjson.dumps([kind, params, versions, missing], option=orjson.OPT_SERIALIZE_NUMPY)
    return hashlib.blake2b(data, digest_size=12).hexdigest()


def exported(study: Study, states: Mapping[str, State]) -> dict[str, list[tuple[str, Face | Curve]]]:
    """Named faces and curves of all features that are switched on and have a shape, by id."""
    out: dict[str, list[tuple[str, Face | Curve]]] = {}
    for feature in study.features:
        made = states[feature.id].made if feature.on and feature.id in states else None
        if made is None:
            continue
        many = len(made.curves) > 1
        items: list[tuple[str, Face | Curve]] = [
            (f"{feature.name} {i + 1}" if many else feature.name, c) for i, c in enumerate(made.curves)
        ]
        if made.face is not None:
            items = [(feature.name, made.face), *items]
        if items:
            out[feature.id] = items
    return out
