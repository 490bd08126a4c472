"""Parameters of a step made ready to run: expressions worked out, checked, hashed; once for each value."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import orjson
from pydantic import ValidationError

from pamble.core.errors import StudyError
from pamble.study.dimensions import resolved
from pamble.study.document import Feature, first_problem
from pamble.study.features import KINDS
from pamble.study.features.base import FeatureKind
from pamble.study.references import ChangedEdgeRef, ChangedFaceRef, Ref, found_refs
from pamble.study.stored import Stored


@dataclass(frozen=True, eq=False)
class Compiled:
    """kind and params: ready to run. refs: all references in them; changed: ids of the objects that the step changes.

    digest: hash of kind and values. problem: why it cannot be run; then there are no params.
    """

    kind: FeatureKind | None
    params: Stored | None
    refs: tuple[Ref, ...]
    changed: tuple[str, ...]
    digest: str
    problem: str | None = None

    @property
    def reads(self) -> tuple[str, ...]:
        """Ids of the objects that the step reads, each once."""
        return tuple(dict.fromkeys(r.feature for r in self.refs))


class Compiler:
    """Keeps what it compiled for as long as the parameters are in use.

    Parameters of a study are never written to: the same object means the same values.
    """

    def __init__(self) -> None:
        self._kept: dict[int, tuple[Any, Mapping[str, float], Compiled]] = {}

    def compiled(self, feature: Feature, values: Mapping[str, float]) -> Compiled:
        """The step ready to run with these values of the dimensions."""
        found = self._kept.get(id(feature.params))
        if found is not None and found[0] is feature.params and (found[1] is values or found[1] == values):
            return found[2]
        made = _compiled(feature, values)
        self._kept[id(feature.params)] = (feature.params, values, made)
        return made

    def known(self, feature: Feature) -> Compiled | None:
        """What was compiled last of a step."""
        found = self._kept.get(id(feature.params))
        return found[2] if found is not None and found[0] is feature.params else None

    def forget_others(self, features: list[Feature]) -> None:
        """Keep only what belongs to these steps."""
        own = {id(f.params) for f in features}
        self._kept = {k: v for k, v in self._kept.items() if k in own}


def _compiled(feature: Feature, values: Mapping[str, float]) -> Compiled:
    kind = KINDS.get(feature.kind)
    if kind is None:
        return Compiled(None, None, (), (), "unknown", f"This Pamble has no tool {feature.kind!r}.")
    try:
        given = resolved(feature.params, values, kind.bulk)
        params = kind.params.model_validate(given)
    except ValidationError as error:
        return Compiled(kind, None, (), (), "bad", first_problem(error, kind.params))
    except StudyError as error:
        return Compiled(kind, None, (), (), "bad", str(error))
    data = orjson.dumps([feature.kind, given], option=orjson.OPT_SERIALIZE_NUMPY)
    refs = tuple(found_refs(params))
    changed = tuple(dict.fromkeys(r.feature for r in refs if isinstance(r, (ChangedFaceRef, ChangedEdgeRef))))
    return Compiled(kind, params, refs, changed, hashlib.blake2b(data, digest_size=12).hexdigest())
