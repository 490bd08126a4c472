"""Reach a measured value of a study by changing one of its numbers."""

from __future__ import annotations

from argparse import Namespace
from pathlib import Path
from typing import Any

from pamble.cli.commands import numbers
from pamble.core.errors import ExchangeError, PambleError
from pamble.study.apply import apply
from pamble.study.document import read_study_file, study_to_json
from pamble.study.evaluate import Evaluator
from pamble.study.solving import solve_for


def solve(given: Namespace) -> tuple[dict[str, Any], str]:
    """Find the value; the study with it is written if a file is named."""
    path = Path(given.file)
    if not path.is_file():
        raise ExchangeError(f"There is no file {path.name}.")
    study, assets = read_study_file(path.read_bytes())
    measure, equals, value = given.wanted.rpartition("=")
    try:
        aim = float(value)
    except ValueError:
        aim = float("nan")
    if not equals or not abs(aim) < 1e12:
        raise PambleError(f"--for {given.wanted}: write NAME=VALUE, as Width=148.")
    limits = (-1e12, 1e12) if given.between is None else tuple(numbers(given.between, 2, "--between"))
    evaluator = Evaluator(assets)
    before = evaluator.evaluate(study)
    made = solve_for(study, measure, aim, given.by, evaluator, low=limits[0], high=limits[1], before=before)
    out: dict[str, Any] = {
        "study": study.name,
        "for": measure,
        "aim": aim,
        "reached": made.reached,
        "by": given.by,
        "value": made.value,
        "tried": made.tried,
    }
    if given.out is not None:
        changed, _ = apply(study, made.op)
        Path(given.out).write_bytes(study_to_json(changed, assets))
        out["file"] = Path(given.out).name
    return out, f"{made.measure} = {made.reached:.9g} with {made.by} = {made.value:.12g} ({made.tried} tried)"
