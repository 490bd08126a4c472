"""CVs that other steps name by number, when a curve gets more or fewer of them: the names follow the CVs."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import StudyError
from pamble.study.document import Feature, Study
from pamble.study.features import KINDS

_SAME = 1e-9
"""Distance, as a fraction of the net's size, within which a CV is the same one."""


def with_numbers_kept(study: Study, before: Feature, after: Feature) -> Study:
    """The study with ``after`` in it; steps that name CVs of it name the same ones as before.

    Raises `StudyError` if one that is named is gone.
    """
    new = study.model_copy(update={"features": [after if f.id == after.id else f for f in study.features]})
    old_net, new_net = _net(before), _net(after)
    if old_net is None or new_net is None:
        return new
    naming = [f for f in new.features if f.id != after.id and _names(f.params, after.id)]
    if not naming:
        return new
    numbers = _numbers(old_net, new_net)

    def renamed(value: Any, who: Feature) -> Any:
        if isinstance(value, list):
            return [renamed(v, who) for v in value]
        if not isinstance(value, dict):
            return value
        if value.get("feature") != after.id or "cv" not in value:
            return {k: renamed(v, who) for k, v in value.items()}
        number = numbers.get(value["cv"])
        if number is None:
            raise StudyError(
                f"{who.name} follows CV {value['cv'] + 1} of {after.name}, which would go: release it first."
            )
        return {**value, "cv": number}

    own = {f.id: f.model_copy(update={"params": renamed(f.params, f)}) for f in naming}
    return new.model_copy(update={"features": [own.get(f.id, f) for f in new.features]})


def _net(feature: Feature) -> Array | None:
    """CVs of a curve, (n, 3), where they are plain numbers."""
    value: Any = feature.params
    for key in KINDS[feature.kind].net if feature.kind in KINDS else ():
        value = value[key]
    try:
        net = np.array(value, dtype=float)
    except (TypeError, ValueError):
        return None
    return net if net.ndim == 2 and len(net) else None


def _names(value: Any, id: str) -> bool:
    if isinstance(value, Mapping):
        return (value.get("feature") == id and "cv" in value) or any(_names(v, id) for v in value.values())
    return isinstance(value, list) and any(_names(v, id) for v in value)


def _numbers(old: Array, new: Array) -> dict[int, int]:
    """New numbers of the CVs that are still there, by old number; the last stays the last."""
    n, m = len(old), len(new)
    if n == m:
        turned = np.allclose(new, old[::-1]) and not np.allclose(new, old)
        return {i: m - 1 - i if turned else i for i in range(n)}
    limit = _SAME * max(1.0, float(np.abs(old).max()))
    away = np.abs(old[:, None] - new[None]).max(axis=2)
    # Of CVs on one spot the one at a like place in the row is meant.
    like = np.abs(np.arange(n)[:, None] / max(1, n - 1) - np.arange(m)[None] / max(1, m - 1))
    best = np.where(away <= limit, like, np.inf)
    found = {i: int(best[i].argmin()) for i in range(n) if np.isfinite(best[i]).any()}
    return found | {0: 0, n - 1: m - 1}
