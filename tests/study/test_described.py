"""Tools as a window is told of them; a window that knows no tool by name can show every one."""

import re
from pathlib import Path
from typing import Literal, get_args

from pydantic import Field

from pamble.study.features import KINDS
from pamble.study.features.base import FeatureKind, Figure
from pamble.study.features.described import Widget, describe
from pamble.study.features.fields import choice, continuity, heading, hold, number, unseen
from pamble.study.features.point_curve import DirectionData
from pamble.study.features.trim_faces import RegionPick
from pamble.study.references import EdgeRef, FaceRef, Place, PlaneRef, Point
from pamble.study.stored import CurveData, Stored

WEB = Path(__file__).parents[2] / "web/src"


class Everything(Stored):
    """A tool with a field for every widget."""

    line: EdgeRef = choice("A line")
    lines: list[EdgeRef] = Field([], title="Lines", json_schema_extra={"one_of": "some", "once": True})
    face: FaceRef | None = choice("A face", None)
    faces: list[FaceRef] = Field([], title="Faces", json_schema_extra={"one_of": "some"})
    plane: PlaneRef | None = choice("A plane", None)
    planes: list[PlaneRef] = choice("Planes", [])
    regions: list[RegionPick] | None = choice("Keep", None)
    way: Point = heading("Along", (0.0, 0.0, 1.0), facing=True)
    place: Place = choice("Place", (0.0, 0.0, 0.0), placed=True)
    points: list[Point] = Field([], title="Points", min_length=2)
    curve: CurveData | None = choice("CVs", None, widget="cvs")
    at: list[float] = Field([0.5], title="At", min_length=1)
    corner: tuple[float, float] = choice("Corner", (0.0, 0.0))
    size: float = number("Size", 12.0, "mm", when=("shape", "round"), gt=0, le=90)
    spans: int | None = number("Spans", None, ge=1, found="spans")
    full: tuple[float | None, float | None] = choice(
        "Fullness", (None, None), widget="slider", sides=("line", "face"), found="full", soft=[0.2, 2.0]
    )
    smooth: int = continuity("At the line")
    each: list[int] = choice("Of each line", [], widget="continuities", limits={"maximum": 2})
    own: list[float | None] = choice("Own size", [], widget="number each", unit="mm")
    held: int | None = hold("Hold")
    shape: Literal["round", "square"] = choice("Shape", "round", labels={"round": "true radius"})
    closed: bool = choice("Closed", False)
    relations: list[str] = choice("Relations", [], widget="relations")
    directions: list[DirectionData] = choice("Directions", [], widget="directions")
    scale: float = number("Scale", 1.0, widget="picture scale")
    asset: str = unseen("")


TOLD = describe(
    FeatureKind(
        "everything",
        "Everything",
        "construction",
        Everything,
        lambda *_: None,
        "plan",
        key="E",
        figures=(Figure("gap", "Gap", "mm"),),
    )
)
FIELDS = {f.name: f for f in TOLD.fields}


def test_a_made_up_tool_uses_every_widget_and_each_is_told():
    assert {f.widget for f in TOLD.fields} == set(get_args(Widget))
    odd = {"way": "point", "at": "numbers", "corner": "numbers", "size": "number", "spans": "number", "full": "slider"}
    odd |= {
        "smooth": "continuity",
        "held": "continuity",
        "shape": "choice",
        "closed": "switch",
        "curve": "cvs",
        "each": "continuities",
        "own": "number each",
    }
    odd |= {"scale": "picture scale", "asset": "none"}
    assert FIELDS["each"].most == 2
    assert {name: f.widget for name, f in FIELDS.items()} == {name: odd.get(name, name) for name in FIELDS}


def test_fields_tell_units_limits_and_what_may_be_left_out():
    size, spans, full = FIELDS["size"], FIELDS["spans"], FIELDS["full"]
    assert (size.unit, size.low, size.high, size.fallback, size.optional) == ("mm", 0, 90, 12.0, False)
    assert size.when == {"shape": ["round"]}
    assert (spans.optional, spans.whole, spans.found) == (True, True, "spans")
    assert (full.sides, full.soft, full.optional) == (("line", "face"), (0.2, 2.0), True)
    assert (FIELDS["line"].required, FIELDS["place"].required, FIELDS["place"].placed) == (True, False, True)
    assert FIELDS["shape"].labels == {"round": "true radius"}
    assert (FIELDS["held"].most, FIELDS["smooth"].most) == (2, 3)
    assert TOLD.fields[-1].name == "spans"  # Numbers of the fit stand last.


def test_keys_of_tools_are_their_own():
    keys = [k.key for k in KINDS.values() if k.key]
    assert len(keys) == len(set(keys))
    taken = set(re.findall(r"keys: '(.)'", (WEB / "ui/bar/commands.ts").read_text()))
    assert not taken & set(keys)


def test_the_window_knows_no_tool_by_name():
    """A word like "mesh" is also what an object is: names count that only a tool has."""
    objects = {"face", "mesh", "picture", "line"}
    names = "|".join(sorted(k for k in KINDS if k not in objects))
    known = re.compile(rf"['\"`]({names})['\"`]|\b({names})\s*:")
    found = []
    for file in WEB.rglob("*.ts*"):
        if "generated" in file.parts or ".test." in file.name:
            continue
        for number_, text in enumerate(file.read_text().splitlines(), 1):
            if known.search(text) and "op: 'move_cvs'" not in text:
                found.append(f"{file.relative_to(WEB)}:{number_}: {text.strip()}")
    assert not found
