"""Solve for: a measured value is reached by changing one number of the build."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from scipy.optimize import brentq, minimize_scalar

from pamble.core.errors import StudyError
from pamble.study.apply import apply, checked_params
from pamble.study.dimensions import dimension_values
from pamble.study.document import Feature, Study
from pamble.study.evaluate import Evaluator
from pamble.study.history import bearing_on
from pamble.study.operations import Op, SetDimension, SetParams
from pamble.study.states import Evaluation

_LOOKED = 40
"""Values tried before it is said that the aim cannot be reached."""

_GROWS, _NARROW = 1.7, 1e-3
"""How much farther each step goes, and the share of the way up to which a wall is come near by steps."""

_CLOSE = 1e-9
"""Share of the aim, or mm, within which it counts as reached."""

_JUMPS = 1e-6
"""The same beyond which a measure that comes to both sides of its aim jumps over it."""

_CLOSED_IN, _MOST = 1e-8, 50
"""Share of a stretch to which the nearest value is closed in on, and evaluations for it at most."""


@dataclass(frozen=True)
class Solved:
    """op: the change that reaches the aim; by, value: the number in words, and what it comes to; measure, reached: the
    same of what is measured; tried: evaluations.
    """

    op: Op
    by: str
    value: float
    measure: str
    reached: float
    tried: int


class _Wall(Exception):
    """A value at which the part cannot be built, or not be measured; its words."""


class _Across(Exception):
    """A value on the other side of the aim was found."""


def solve_for(
    study: Study, measure: str, aim: float, by: str, evaluator: Evaluator, *,
    low: float = -math.inf, high: float = math.inf, before: Evaluation | None = None,
) -> Solved:  # fmt: skip
    """The change of one number with which a measure comes to ``aim``.

    measure: name of a step that measures, or ``step.figure`` for a figure of its facts, such as ``Rim.length``. by:
    name of a dimension, or ``step.number`` for a number of a step's card. The nearest value to the one of now is
    sought, within low and high. A number within a point or a pair is written with its axis or place,
    ``Line.end.x``, ``Blend.fullness.0``. Raises `StudyError` with the nearest that can be reached, and what stops
    it.
    """
    by, start, change = _number(study, by)
    measure, step, figure = _measure(study, measure)
    dimensions = dimension_values(study.dimensions)
    seen: dict[float, float] = {}
    walls: dict[float, str] = {}

    def touched(feature: Feature) -> tuple[str, ...]:
        return evaluator.compiler.compiled(feature, dimensions).changed

    def off(x: float) -> float:
        if x not in seen:
            try:
                changed, _ = apply(study, change(x))
            except StudyError as error:
                raise _Wall(str(error)) from error
            now = evaluator.evaluate(bearing_on(changed, step.id, touched), before)
            state = now.states[step.id]
            problem = next((s.problem for s in now.states.values() if s.problem), None)
            if state.made is None or state.status != "fresh":
                raise _Wall(problem or "it cannot be measured")
            try:
                value = figure(state.made.facts)
            except StudyError:
                # A figure that was there to begin with is not everywhere: a body that opens has no volume.
                if not seen:
                    raise
                value = None
            if value is None or not math.isfinite(value):
                raise _Wall("there is nothing to measure")
            seen[x] = value
        return seen[x] - aim

    try:
        first = off(start)
    except _Wall as wall:
        raise StudyError(f"{measure} cannot be measured as the part stands: {wall}.") from wall
    close = _CLOSE * max(1.0, abs(aim))
    root = start
    if abs(first) > close:
        bracket = _bracket(off, start, first, low, high, walls) or _closer(off, start, seen, walls, aim, (low, high))
        root = min(seen, key=lambda x: abs(seen[x] - aim)) if bracket is None else _root(off, bracket, walls)
        if abs(seen[root] - aim) > (close if bracket is None else _JUMPS * max(1.0, abs(aim))):
            raise StudyError(_unreached(measure, aim, by, seen, walls, low, high, bracket is not None))
    return Solved(change(root), by, root, measure, seen[root], len(seen))


def _bracket(
    off: Callable[[float], float], start: float, first: float, low: float, high: float, walls: dict[float, str]
) -> tuple[float, float] | None:
    """Two values with the aim between them, the nearest to the start that are found."""
    ends = {1.0: (start, first), -1.0: (start, first)}
    steps = dict.fromkeys((1.0, -1.0), 0.02 * abs(start) or 1.0)
    grows = dict.fromkeys((1.0, -1.0), _GROWS)
    for _ in range(_LOOKED):
        open_ways = [w for w in ends if steps[w] > _NARROW * max(abs(start), abs(ends[w][0] - start))]
        if not open_ways:
            return None
        # The way on which less has been gone is tried first, and that which comes nearer when both are alike.
        way = min(open_ways, key=lambda w: (abs(ends[w][0] - start), abs(ends[w][1])))
        last, value = ends[way]
        x = min(max(last + way * steps[way], low), high)
        if x == last:
            steps[way] = 0.0
            continue
        try:
            new = off(x)
        except _Wall as wall:
            walls[x] = str(wall)
            steps[way] *= 0.3
            grows[way] = 1.0
            continue
        if new == 0 or (new < 0) != (value < 0):
            return (last, x) if last < x else (x, last)
        ends[way] = (x, new)
        steps[way] *= grows[way]
    return None


def _closer(
    off: Callable[[float], float], start: float, seen: Mapping[float, float], walls: dict[float, str], aim: float,
    limits: tuple[float, float],
) -> tuple[float, float] | None:  # fmt: skip
    """Close in on the value that comes nearest, between those beside it; if the aim is passed on the way, two with it
    between them, on the side of the start.
    """
    best = min(seen, key=lambda x: abs(seen[x] - aim))
    below, side = seen[best] < aim, {*seen, *walls, *limits} - {-math.inf, math.inf}
    low = max((x for x in side if x < best), default=best)
    high = min((x for x in side if x > best), default=best)

    def away(x: float) -> float:
        try:
            value = off(x)
        except _Wall as wall:
            walls[x] = str(wall)
            return max(abs(y - aim) for y in seen.values())
        if (value < 0) != below:
            raise _Across(x)
        return abs(value)

    if low == high:
        return None
    try:
        fine = _CLOSED_IN * (high - low)
        minimize_scalar(away, bounds=(low, high), method="bounded", options={"xatol": fine, "maxiter": _MOST})
    except _Across as found:
        x: float = found.args[0]
        before = [y for y in seen if (seen[y] < aim) == below and (start - x) * (y - x) > 0]
        y = min(before or [best], key=lambda y: abs(y - x))
        return (x, y) if x < y else (y, x)
    return None


def _root(off: Callable[[float], float], bracket: tuple[float, float], walls: dict[float, str]) -> float:
    """The value between two at which the aim is reached, or the one of them that is nearer, where the part cannot be
    built between them.
    """
    try:
        root = float(brentq(off, *bracket, xtol=1e-12, rtol=4 * 2.3e-16, maxiter=100))
        off(root)
        return root
    except _Wall as wall:
        walls[sum(bracket) / 2] = str(wall)
        return min(bracket, key=lambda x: abs(off(x)))


def _unreached(
    measure: str, aim: float, by: str, seen: Mapping[float, float], walls: Mapping[float, str], low: float, high: float,
    jumps: bool,
) -> str:  # fmt: skip
    x = min(seen, key=lambda x: abs(seen[x] - aim))
    words = f"{measure} does not come to {aim:g}: the nearest is {seen[x]:.6g}, with {by} at {x:.6g}."
    if max(seen.values()) - min(seen.values()) < _CLOSE:
        return f"{words} It hardly changes with {by}."
    if walls:
        at = min(walls, key=lambda w: abs(w - x))
        return f"{words} At {at:.6g} {walls[at].rstrip('.')}."
    if jumps:
        return f"{words} It jumps over it there."
    return f"{words} It may go no further." if x in (low, high) else words


def _named(study: Study, name: str) -> Feature | None:
    found = [f for f in study.features if name in (f.id, f.name)]
    if len(found) > 1 and len({f.id for f in found}) > 1:
        raise StudyError(f"{len(found)} steps are called {name}: name one by its id.")
    return found[0] if found else None


def _measure(study: Study, measure: str) -> tuple[str, Feature, Callable[[Mapping[str, Any]], float | None]]:
    step = _named(study, measure)
    if step is not None:
        return step.name, step, _measured_value(step.name)
    name, dot, figure = measure.rpartition(".")
    step = _named(study, name) if dot else None
    if step is None:
        have = ", ".join(f.name for f in study.features if f.kind.startswith("measure_")) or "none yet"
        raise StudyError(f"There is no measure {measure}: steps that measure are {have}.")
    return f"{step.name}.{figure}", step, _figure_value(step.name, figure)


def _measured_value(measure: str) -> Callable[[Mapping[str, Any]], float | None]:
    def value(facts: Mapping[str, Any]) -> float | None:
        if "measured" not in facts:
            raise StudyError(f"{measure} measures nothing: name one of its figures, as {measure}.length.")
        found: float | None = facts["measured"]["value"]
        return found

    return value


def _figure_value(name: str, figure: str) -> Callable[[Mapping[str, Any]], float | None]:
    def value(facts: Mapping[str, Any]) -> float | None:
        curves = facts.get("curves") or [{}]
        found = facts.get(figure, curves[0].get(figure))
        if isinstance(found, (list, dict, str, bool)) or (found is None and figure not in (*facts, *curves[0])):
            have = [k for k, v in {**facts, **curves[0]}.items() if isinstance(v, (int, float)) and k != "rational"]
            raise StudyError(f"{name} has no figure {figure}: it has {', '.join(have) or 'none'}.")
        return None if found is None else float(found)

    return value


def _number(study: Study, by: str) -> tuple[str, float, Callable[[float], Op]]:
    values = dimension_values(study.dimensions)
    if by in study.dimensions:
        return by, values[by], lambda x: SetDimension(name=by, value=repr(float(x)))
    parts = by.split(".")
    # Names of steps may hold dots: the longest that is one is meant.
    names = [(_named(study, ".".join(parts[:k])), parts[k:]) for k in range(len(parts) - 1, 0, -1)]
    found = next(((step, path) for step, path in names if step is not None), None)
    if found is None:
        have = ", ".join(study.dimensions) or "none yet"
        raise StudyError(f"There is no number {by}: write a dimension ({have}), or step.number.")
    step, (top, *path) = found
    params = checked_params(step, values)
    now = _within(params.get(top), path)
    if isinstance(now, bool) or not isinstance(now, (int, float)):
        have = ", ".join(k for k, v in params.items() if isinstance(v, (int, float)) and not isinstance(v, bool))
        raise StudyError(f"{step.name} has no number {'.'.join([top, *path])}: it has {have or 'none'}.")
    words = ".".join([step.name, top, *path])
    return words, float(now), lambda x: SetParams(id=step.id, changes={top: _replaced(params[top], path, float(x))})


_AXES = ("x", "y", "z")


def _within(value: Any, path: Sequence[str]) -> Any:
    """What stands in a value behind names and axes; None if there is nothing."""
    for name in path:
        if isinstance(value, dict):
            value = value.get(name)
        elif isinstance(value, (list, tuple)) and (at := _place(name)) is not None and at < len(value):
            value = value[at]
        else:
            return None
    return value


def _place(name: str) -> int | None:
    """The place in a list that an axis or a number, from 0, names."""
    return _AXES.index(name) if name in _AXES else int(name) if name.isdecimal() else None


def _replaced(value: Any, path: Sequence[str], new: float) -> Any:
    if not path:
        return new
    name, *rest = path
    if isinstance(value, dict):
        return {**value, name: _replaced(value[name], rest, new)}
    at = _place(name)
    return [_replaced(v, rest, new) if i == at else v for i, v in enumerate(value)]
