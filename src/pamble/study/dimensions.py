"""Named dimensions and arithmetic: a number in a study may be written as an expression, "=R + 0.5"."""

from __future__ import annotations

import ast
import math
import operator
from collections.abc import Callable, Mapping
from typing import Any

from pamble.core.errors import StudyError

_TWO: dict[type, Callable[[float, float], float]] = {
    ast.Add: operator.add,
    ast.Sub: operator.sub,
    ast.Mult: operator.mul,
    ast.Div: operator.truediv,
    ast.Pow: operator.pow,
}
_ONE: dict[type, Callable[[float], float]] = {ast.UAdd: operator.pos, ast.USub: operator.neg}
_FUNCTIONS: dict[str, Callable[..., float]] = {
    "sqrt": math.sqrt,
    "abs": abs,
    "min": min,
    "max": max,
    "sin": lambda x: math.sin(math.radians(x)),
    "cos": lambda x: math.cos(math.radians(x)),
    "tan": lambda x: math.tan(math.radians(x)),
}
"""Functions of expressions; angles in degrees."""


def evaluate(text: str, values: Mapping[str, float]) -> float:
    """Value of an expression with named values. Raises `StudyError` in words."""
    try:
        tree = ast.parse(text.strip(), mode="eval")
        value = float(_value(tree.body, values))
    except StudyError:
        raise
    except ZeroDivisionError as error:
        raise StudyError(f"{text.strip()}: division by zero.") from error
    except (SyntaxError, ValueError, TypeError, OverflowError, RecursionError) as error:
        raise StudyError(f"{text.strip()!r} is no expression: numbers, names, + - * / ** and brackets work.") from error
    if not math.isfinite(value):
        raise StudyError(f"{text.strip()} is not a finite number.")
    return value


def _value(node: ast.expr, values: Mapping[str, float]) -> float:
    match node:
        case ast.Constant(value=int() | float() as number) if not isinstance(number, bool):
            return float(number)
        case ast.Name(id=name):
            if name not in values:
                have = ", ".join(values) or "none yet"
                raise StudyError(f"There is no dimension {name}: there are {have}.")
            return values[name]
        case ast.BinOp(op=op, left=left, right=right) if type(op) in _TWO:
            a, b = _value(left, values), _value(right, values)
            if isinstance(op, ast.Pow) and (abs(b) > 64 or abs(a) > 1e9):
                raise StudyError("A power this large is not worked out.")
            return _TWO[type(op)](a, b)
        case ast.UnaryOp(op=op, operand=operand) if type(op) in _ONE:
            return _ONE[type(op)](_value(operand, values))
        case ast.Call(func=ast.Name(id=name), args=args, keywords=[]) if name in _FUNCTIONS:
            return float(_FUNCTIONS[name](*(_value(a, values) for a in args)))
    raise ValueError("not arithmetic")


def dimension_values(written: Mapping[str, str]) -> dict[str, float]:
    """Values of all dimensions; one may be written in terms of others. Raises `StudyError` for circles."""
    values: dict[str, float] = {}
    waiting = dict(written)
    while waiting:
        problem: StudyError | None = None
        for name, text in list(waiting.items()):
            try:
                values[name] = evaluate(text, values)
            except StudyError as error:
                problem = StudyError(f"Dimension {name}: {error}")
                if not _names(text) & waiting.keys():
                    raise problem from error
                continue
            del waiting[name]
        if problem is not None and not any(not (_names(t) & waiting.keys()) for t in waiting.values()):
            raise StudyError(f"The dimensions {', '.join(waiting)} are written in terms of each other in a circle.")
    return values


def _names(text: str) -> set[str]:
    try:
        return {n.id for n in ast.walk(ast.parse(text.strip(), mode="eval")) if isinstance(n, ast.Name)}
    except SyntaxError:
        return set()


def resolved(params: Any, values: Mapping[str, float], bulk: tuple[str, ...] = ()) -> Any:
    """Parameters with every text that begins with "=" replaced by its value; ``bulk`` is passed over."""
    if isinstance(params, str) and params.startswith("="):
        return evaluate(params[1:], values)
    if isinstance(params, dict):
        return {k: v if k in bulk else resolved(v, values) for k, v in params.items()}
    if isinstance(params, list):
        return [resolved(v, values) for v in params]
    return params


def names_used(params: Any) -> set[str]:
    """Names of the dimensions that parameters are written in terms of."""
    if isinstance(params, str):
        return _names(params[1:]) if params.startswith("=") else set()
    if isinstance(params, dict):
        return {n for v in params.values() for n in names_used(v)}
    if isinstance(params, list) and not (params and isinstance(params[0], float)):
        return {n for v in params for n in names_used(v)}
    return set()
