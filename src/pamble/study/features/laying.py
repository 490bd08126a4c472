"""Curves that lie on a plane of the study: drawn there, they go with it until they are freed."""

from __future__ import annotations

from typing import Any, ClassVar, Self

import numpy as np

from pamble.core.arrays import Array
from pamble.core.planes import Plane
from pamble.study.features.fields import choice, unseen
from pamble.study.inputs import Inputs
from pamble.study.references import PlaneRef, Point
from pamble.study.stored import Stored

Frame = tuple[Point, Point, Point]
"""Origin, x and y axis of a plane as it stood."""

_SAME = 1e-9


class Laid(Stored):
    """Base of curves that may lie on a plane. laid: where the plane stood when the numbers were given.

    POINTS, WAYS: parameters that are points, or lists of them, and those that are directions; a dot leads inside.
    """

    POINTS: ClassVar[tuple[str, ...]] = ()
    WAYS: ClassVar[tuple[str, ...]] = ()

    plane: PlaneRef | None = choice("Lies on", None, lies=True)
    laid: Frame | None = unseen(None)

    def standing(self, inputs: Inputs) -> Self:
        """The parameters where the plane has taken them. Raises `ReferenceLost`."""
        if self.plane is None or self.laid is None:
            return self
        now = inputs.plane(self.plane)
        if same_frame(self.laid, frame_of(now)):
            return self
        return type(self).model_validate(carried(type(self), self.model_dump(), now))


def frame_of(plane: Plane) -> Frame:
    """The plane as it is stored."""
    return tuple(tuple(float(v) for v in a) for a in (plane.origin, plane.x, plane.y))  # type: ignore[return-value]


def same_frame(a: Any, b: Any) -> bool:
    """Whether a plane stands where it stood."""
    return bool(np.allclose(np.array(a), np.array(b), rtol=0, atol=_SAME))


def carried(kind: type[Laid], params: dict[str, Any], now: Plane) -> dict[str, Any]:
    """Parameters with all points and directions taken along from where the plane stood to where it stands.

    A number that stays the same stays as it is written.
    """
    origin, x, y = (np.array(v) for v in params["laid"])
    before, after = np.array([x, y, np.cross(x, y)]), np.array([now.x, now.y, now.normal])
    turn = before.T @ after
    shift = now.origin - origin @ turn
    out = {**params, "laid": [list(v) for v in frame_of(now)]}
    for path in kind.POINTS:
        out = _changed(out, path.split("."), turn, shift)
    for path in kind.WAYS:
        out = _changed(out, path.split("."), turn, np.zeros(3))
    return out


def _changed(value: Any, path: list[str], turn: Array, shift: Array) -> Any:
    if path and isinstance(value, dict):
        return {**value, path[0]: _changed(value.get(path[0]), path[1:], turn, shift)}
    if isinstance(value, (list, tuple)):
        if value and not isinstance(value[0], (list, tuple, dict)):
            return _carried(value, turn, shift)
        return [_changed(v, path, turn, shift) for v in value]
    return value


def _carried(point: Any, turn: Array, shift: Array) -> list[Any]:
    """A point that is taken along; one with a number that is written as an expression loses it where it changes."""
    if any(isinstance(v, str) for v in point):
        return list(point)
    new = np.array(point, dtype=float) @ turn + shift
    return [old if abs(v - old) < _SAME else float(v) for old, v in zip(point, new.tolist(), strict=True)]
