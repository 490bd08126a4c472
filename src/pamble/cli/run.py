"""Build a study file without a screen: every step's figures, the seams, and the shapes as STEP."""

from __future__ import annotations

from argparse import Namespace
from pathlib import Path
from typing import Any

from pamble.core.errors import ExchangeError, PambleError
from pamble.core.exchange.step import write_step
from pamble.demo import DEMOS
from pamble.study.apply import apply
from pamble.study.dimensions import dimension_values
from pamble.study.document import Study, read_study_file
from pamble.study.evaluate import Evaluator
from pamble.study.ledger import Ledger, LedgerKeeper
from pamble.study.operations import SetDimension
from pamble.study.states import exported


def run(given: Namespace) -> tuple[dict[str, Any], str]:
    """Figures of every step; the STEP file if one was asked for. A step that fails is listed with its words."""
    read, assets = _asked(given.file)
    study = _with_dimensions(read, given.set)
    now = Evaluator(assets).evaluate(study)
    ledger = LedgerKeeper().kept(study, now, Ledger(), set(now.world), 200)
    steps = []
    for feature in study.features:
        state = now.states[feature.id]
        made = state.made
        steps.append(
            {
                "id": feature.id,
                "kind": feature.kind,
                "name": feature.name,
                "role": feature.role,
                "on": feature.on,
                "status": state.status,
                "problem": state.problem,
                "warnings": list(made.warnings) if made else [],
                "facts": dict(made.facts) if made else {},
            }
        )
    out: dict[str, Any] = {
        "study": study.name,
        "dimensions": dimension_values(study.dimensions),
        "features": steps,
        "seams": [r.row for r in ledger.worst_first()],
    }
    if given.out is not None:
        shapes = exported(study, now)
        write_step([item for items in shapes.values() for item in items], given.out, study.name)
        out["file"] = Path(given.out).name
    return out, _text(out)


def _asked(name: str) -> tuple[Study, dict[str, bytes]]:
    """A study file, or a demo by its short name."""
    path = Path(name)
    if path.is_file():
        return read_study_file(path.read_bytes())
    if name in DEMOS:
        return DEMOS[name].study(), {}
    raise ExchangeError(f"There is no file {path.name}, and no demo of that name: there are {', '.join(DEMOS)}.")


def _with_dimensions(study: Study, changes: list[str]) -> Study:
    for change in changes:
        name, equals, value = change.partition("=")
        if not equals or name not in study.dimensions:
            have = ", ".join(study.dimensions) or "none"
            raise PambleError(f"--set {change}: write NAME=VALUE with a dimension of the study; it has {have}.")
        study, _ = apply(study, SetDimension(name=name, value=value))
    return study


def _text(out: dict[str, Any]) -> str:
    lines = [out["study"], *(f"  {k} = {v:g}" for k, v in out["dimensions"].items())]
    for step in out["features"]:
        lines.append(f"  {step['name']} ({step['kind']})" + ("" if step["on"] else ", off"))
        lines += [
            f"    degree {c['degree']}, {c['cvs']} CVs, {c['length']:.2f} mm" for c in step["facts"].get("curves", [])
        ]
        if "measured" in step["facts"]:
            value, unit = step["facts"]["measured"]["value"], step["facts"]["measured"]["unit"]
            lines.append("    straight" if value is None else f"    {value:.4f} {unit}")
        lines += [f"    note: {w}" for w in step["warnings"]]
        lines += [f"    failed: {step['problem']}"] if step["problem"] else []
    for seam in out["seams"]:
        lines.append(
            f"  {seam['name']}: gap {seam['gap']['max']:.5f} mm, angle {seam['angle']['max']:.4f}°, "
            f"curvature {seam['curvature']['max']:.2f} %, {seam['state']}"
        )
    return "\n".join(lines)
