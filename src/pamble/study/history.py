"""The order of the build: what hangs on what, where a step may stand, and the marker."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from pamble.core.errors import StudyError
from pamble.study.document import Feature, Study
from pamble.study.features import KINDS
from pamble.study.references import cut_by, raw_refs, step_of


def needed_steps(feature: Feature) -> list[str]:
    """Steps that a step hangs on by its parameters: those that made what it points to, and that cut its edges."""
    bulk = KINDS[feature.kind].bulk if feature.kind in KINDS else ()
    found: list[str] = []
    for ref in raw_refs({k: v for k, v in feature.params.items() if k not in bulk}):
        found.append(step_of(ref["feature"]))
        cut = cut_by(ref["edge"]) if isinstance(ref.get("edge"), str) else None
        if cut is not None and cut != feature.id:
            found.append(cut)
    return list(dict.fromkeys(found))


def dependents(study: Study, ids: Sequence[str]) -> list[str]:
    """Ids of all steps that hang on any of ``ids``, directly or through others, in the order of the build."""
    reached = set(ids)
    for feature in study.features:
        if reached.intersection(needed_steps(feature)):
            reached.add(feature.id)
    return [f.id for f in study.features if f.id in reached and f.id not in ids]


def bearing_on(study: Study, id: str, changed: Callable[[Feature], Sequence[str]]) -> Study:
    """The study without the steps that have no part in what one of them makes. changed: objects that a step changes."""
    feature, reached = study.feature(id), {id}
    if feature not in study.built:
        return study
    steps = study.features[: study.place(id) + 1]
    for step in reversed(steps):
        if step.id in reached or reached.intersection(map(step_of, changed(step))):
            reached.update((step.id, *needed_steps(step)))
    return study.model_copy(update={"features": [f for f in steps if f.id in reached], "marker": None})


def in_sight(study: Study, shown: Sequence[str]) -> set[str]:
    """Steps that are shown, and all that they hang on, or that change what they show."""
    reached = set(shown)
    needs = {f.id: needed_steps(f) for f in study.features}
    for feature in reversed(study.features):
        if feature.id in reached or not feature.hidden:
            reached.add(feature.id)
            reached.update(needs[feature.id])
    return reached


def order_problem(study: Study, moved: Feature) -> str | None:
    """Why a step cannot stand where it stands: it needs a later one, or an earlier one needs it."""
    place = study.place(moved.id)
    earlier = {f.id for f in study.features[:place]}
    later = {f.id: f.name for f in study.features[place + 1 :]}
    ahead = [later[n] for n in needed_steps(moved) if n in later]
    if ahead:
        return f"{moved.name} needs {ahead[0]}, which comes later in the build."
    behind = [f.name for f in study.features if f.id in earlier and moved.id in needed_steps(f)]
    if behind:
        return f"{behind[0]} needs {moved.name}, and comes earlier in the build."
    return None


def moved_step(study: Study, id: str, to: int) -> Study:
    """The study with a step at another place. Raises `StudyError` if it cannot stand there."""
    feature = study.feature(id)
    rest = [f for f in study.features if f.id != id]
    to = min(to, len(rest))
    out = study.model_copy(update={"features": [*rest[:to], feature, *rest[to:]]})
    problem = order_problem(out, feature)
    if problem is not None:
        raise StudyError(f"{feature.name} cannot stand there: {problem}")
    if study.marker == id:
        before = study.place(id) - 1
        out = out.model_copy(update={"marker": study.features[before].id if before >= 0 else None})
    return out


def refuse_later(study: Study, feature: Feature) -> None:
    """Raise `StudyError` if a step points to itself, to one that hangs on it, or to one that comes later."""
    needs = needed_steps(feature)
    if feature.id in needs:
        raise StudyError(f"{feature.name} cannot be made from itself: pick another.")
    behind = dependents(study, [feature.id])
    names = {f.id: f.name for f in study.features}
    circle = [names[n] for n in needs if n in behind]
    if circle:
        raise StudyError(f"{circle[0]} is made from {feature.name}: the two would hang on each other in a circle.")
    place = study.place(feature.id)
    later = [f.name for f in study.features[place + 1 :] if f.id in needs]
    if later:
        raise StudyError(
            f"{later[0]} comes later in the build than {feature.name}: move {feature.name} behind it first."
        )
