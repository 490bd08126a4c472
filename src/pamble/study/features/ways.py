"""The ways to lay a hole out: those that were built are remembered, those that were not can be built elsewhere."""

from __future__ import annotations

import hashlib
import pickle
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass, fields, is_dataclass, replace
from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.corners.corner import lay_out
from pamble.core.corners.layouts import SIDED, Layout, sketch
from pamble.core.corners.ranked import Tried, scored
from pamble.core.errors import PambleError
from pamble.core.patches.loop import Asked
from pamble.core.spline.curve import Curve

_HOLES = 8
"""Holes of which it is remembered what was built."""

Came = Tried | str
"""What came of a layout: without its surfaces; or the words why it has none."""

_built: OrderedDict[str, dict[str, Came]] = OrderedDict()
"""What came of layouts, by the key of a hole and their names."""


@dataclass(frozen=True)
class Given:
    """What a layout needs to be built, as `lay_out` takes it."""

    asked: tuple[Asked, ...]
    diagonal: float
    degree: int
    spans: int | None
    centre: Array | None
    along: tuple[Curve, ...]

    def built(self, layout: Layout) -> Came:
        """What comes of a layout by itself."""
        try:
            made = lay_out(self.asked, self.diagonal, [layout], self.degree, self.spans, self.centre, False, self.along)
        except PambleError as error:
            return str(error)
        return replace(made.tried[0], surfaces=None)


@dataclass(frozen=True)
class Ways:
    """All layouts of a hole. key: of the hole and its feet; shown: the name of the one that stands."""

    given: Given
    layouts: tuple[Layout, ...]
    key: str
    shown: str | None = None

    @staticmethod
    def of(given: Given, layouts: Sequence[Layout]) -> Ways:
        digest = hashlib.blake2b(digest_size=16)
        _put_into(digest, (given, tuple(layouts)))
        return Ways(given, tuple(layouts), digest.hexdigest())

    def showing(self, tried: Sequence[Tried]) -> Ways:
        """What was tried is remembered; the best of it stands."""
        for t in tried:
            remember(self.key, t.layout.name, replace(t, surfaces=None))
        return replace(self, shown=tried[0].layout.name)

    def left(self) -> list[tuple[str, bytes]]:
        """Layouts that were not built: the name, and what `build` takes."""
        known = _built.get(self.key, {})
        return [(w.name, pickle.dumps((self.given, w))) for w in self.layouts if w.name not in known]

    def rows(self) -> list[dict[str, Any]]:
        """All of them for the card, the best of those that were built first, each with a sketch of its seams."""
        count = len(self.given.asked)
        if count not in SIDED:
            return []
        known = _built.get(self.key, {})
        ranked = [t for t in scored([t for t in known.values() if not isinstance(t, str)]) if t.score is not None]
        first = {t.layout.name: t for t in ranked}
        ways = {w.name: w for w in self.layouts}
        rows: list[dict[str, Any]] = []
        for name in [*first, *(n for n in ways if n not in first)]:
            row: dict[str, Any] = {
                "name": name, "patches": len(ways[name].patches), "sides": count, "sketch": sketch(ways[name], count),
            }  # fmt: skip
            if name in first:
                t = first[name]
                row |= {"cvs": t.cvs, "over": t.worst, "score": t.score, "chosen": name == self.shown}
                row["best"] = len(first) > 1 and t is ranked[0]
            elif name in known:
                words = known[name]
                row |= {"said": "no", "about": words if isinstance(words, str) else "it folds over this hole"}
            rows.append(row)
        return rows


def remember(key: str, name: str, came: Came) -> None:
    """Remember what came of a layout of a hole."""
    _built.setdefault(key, {})[name] = came
    _built.move_to_end(key)
    if len(_built) > _HOLES:
        _built.popitem(last=False)


def build(data: bytes) -> Came:
    """A layout built in another process, from what `Ways.left` gives."""
    given, layout = pickle.loads(data)
    came: Came = given.built(layout)
    return came


def _put_into(digest: Any, value: Any) -> None:
    """A value's own data, without what was worked out of it meanwhile."""
    if is_dataclass(value):
        value = tuple(getattr(value, f.name) for f in fields(value))
    if isinstance(value, tuple):
        digest.update(b"(%d" % len(value))
        for part in value:
            _put_into(digest, part)
    else:
        digest.update(value.tobytes() if isinstance(value, np.ndarray) else repr(value).encode())
