"""A measured value is reached by one number of the build, against closed forms; what cannot be reached is told."""

import json

import numpy as np
import pytest

from pamble.cli.main import main
from pamble.core.errors import StudyError
from pamble.study.apply import apply
from pamble.study.document import Study, study_to_json
from pamble.study.evaluate import Evaluator
from pamble.study.frame import read_frame
from pamble.study.kernel import Kernel
from pamble.study.operations import SetParams
from pamble.study.solving import solve_for


def step(id, kind, **params):
    return {"id": id, "kind": kind, "name": id.title(), "role": "construction", "params": params}


@pytest.fixture
def study() -> Study:
    """A rounded rectangle that is as wide as a dimension says, its length, an arc over a chord."""
    line = {"feature": "rim", "edge": "c0"}
    features = [
        step("rim", "rectangle", centre=[0, 0, 0], normal=[0, 0, 1], width="=w + 20", height=60.0, corner=15.0),
        step("reach", "measure_width", lines=[line], direction=[1, 0, 0]),
        step("bow", "arc", by="radius", start=[0, 0, 0], end=[60, 0, 0], normal=[0, 0, 1], radius=50.0),
    ]
    return Study(name="Tray", features=features, dimensions={"w": "100"})


def test_a_width_a_length_and_a_radius_are_reached_exactly(study):
    made = solve_for(study, "Reach", 148.0, "w", Evaluator())
    assert made.value == pytest.approx(128, abs=1e-9)
    # Arc length 2 R asin(chord / 2 R) = 70 over a chord of 60.
    arc = solve_for(study, "Bow.length", 70.0, "Bow.radius", Evaluator())
    assert 2 * arc.value * np.arcsin(30 / arc.value) == pytest.approx(70, abs=1e-7)
    end = solve_for(study, "Bow.length", 70.0, "Bow.end.x", Evaluator())
    assert 2 * 50 * np.arcsin(end.value / 100) == pytest.approx(70, abs=1e-7)
    assert end.op.changes["end"][1:] == [0.0, 0.0]
    corner = solve_for(study, "rim.length", 330.0, "Rim.corner", Evaluator())
    assert 2 * (120 + 60) - (8 - 2 * np.pi) * corner.value == pytest.approx(330, abs=2e-3)


def test_what_cannot_be_reached_is_said_with_the_nearest_and_what_stops_it(study):
    with pytest.raises(StudyError, match=r"does not come to 200: the nearest is .*At .* is too small for ends"):
        solve_for(study, "Bow.length", 200.0, "Bow.radius", Evaluator())
    with pytest.raises(StudyError, match=r"the nearest is 140.*It may go no further"):
        solve_for(study, "Reach", 148.0, "w", Evaluator(), low=90, high=120)
    with pytest.raises(StudyError, match=r"hardly changes with Bow\.radius"):
        solve_for(study, "Reach", 148.0, "Bow.radius", Evaluator())
    with pytest.raises(StudyError, match="There is no measure Depth: steps that measure are Reach"):
        solve_for(study, "Depth", 1.0, "w", Evaluator())
    with pytest.raises(StudyError, match="There is no number h"):
        solve_for(study, "Reach", 1.0, "h", Evaluator())
    with pytest.raises(StudyError, match="Bow has no figure colour: it has"):
        solve_for(study, "Bow.colour", 1.0, "w", Evaluator())


@pytest.fixture
def leaning() -> Study:
    """A line from a point on the x axis to (37.3, 10, 0): never shorter than 10; and an ellipse."""
    features = [
        step("leg", "line", start=["=w", 0, 0], end=[37.3, 10, 0]),
        step("oval", "ellipse", centre=[0, 0, 0], normal=[0, 0, 1], radius=50.0, second=20.0),
    ]
    return Study(name="Leg", features=features, dimensions={"w": "100"})


def test_what_is_reached_only_about_a_least_or_largest_value_is_found_there(leaning):
    made = solve_for(leaning, "Leg.length", 10.001, "w", Evaluator())
    # Pythagoras, on the side of the value of now.
    assert made.value == pytest.approx(37.3 + np.sqrt(10.001**2 - 100), abs=1e-7)
    # The least radius of an ellipse is b²/a, and the circle's where both are one.
    widest = solve_for(leaning, "Oval.least_radius", 49.0, "Oval.second", Evaluator())
    assert widest.value == pytest.approx(np.sqrt(49 * 50), abs=1e-6)
    with pytest.raises(StudyError, match=r"does not come to 9\.9: the nearest is 10, with w at 37\.3\.$"):
        solve_for(leaning, "Leg.length", 9.9, "w", Evaluator())
    with pytest.raises(StudyError, match=r"comes? to 51: the nearest is 50, with Oval\.second at 50\."):
        solve_for(leaning, "Oval.least_radius", 51.0, "Oval.second", Evaluator())


def test_a_figure_that_jumps_over_its_aim_is_not_said_to_reach_it(leaning):
    study, _ = apply(leaning, SetParams(id="oval", changes={"degrees": 250.0}))
    curves = Evaluator().evaluate(study).states["oval"].made.facts["curves"]
    with pytest.raises(StudyError, match=r"Oval\.cvs does not come to \d+\.5: .*jumps over it there"):
        solve_for(study, "Oval.cvs", curves[0]["cvs"] - 0.5, "Oval.degrees", Evaluator())


def test_in_the_window_it_is_one_step_that_is_stored_as_the_change_it_came_to(study):
    kernel = Kernel(study.model_dump())
    solve = {"op": "solve", "measure": "reach", "aim": 148.0, "by": "w", "low": None, "high": None}
    done = kernel.commit(solve)
    assert (done["op"]["op"], float(done["op"]["value"])) == ("set_dimension", pytest.approx(128, abs=1e-9))
    assert read_frame(done["frame"])[0]["said"] == "w is 128 now; Reach comes to 148."
    kernel.commit(done["inverse"])
    assert kernel.study.dimensions == {"w": "100"}
    with pytest.raises(StudyError, match="hardly changes"):
        kernel.commit({**solve, "by": "bow.radius"})
    assert kernel.study.dimensions == {"w": "100"}


def test_the_command_writes_the_study_with_the_value(study, tmp_path, capsys):
    path, out = tmp_path / "tray.json", tmp_path / "wider.json"
    path.write_bytes(study_to_json(study, {}))
    assert main(["solve", str(path), "--for", "Reach=148", "--by", "w", "-o", str(out), "--json"]) == 0
    assert json.loads(capsys.readouterr().out)["value"] == pytest.approx(128, abs=1e-9)
    assert float(json.loads(out.read_text())["dimensions"]["w"]) == pytest.approx(128, abs=1e-9)
    assert main(["solve", str(path), "--for", "Reach", "--by", "w"]) == 2
    assert "write NAME=VALUE" in capsys.readouterr().err


def test_a_figure_that_is_not_everywhere_is_told_as_what_stops_it():
    """A tube between its caps has a volume only while it is as long as they are apart, within a quarter millimetre."""
    line = {"feature": "rim", "edge": "c0"}
    features = [
        step("rim", "ellipse", centre=[0, 0, 0], normal=[0, 0, 1], radius=10.0),
        step("tube", "extrude", curve=line, forward=30.0),
        step("gauge", "extrude", curve=line, forward=30.0),
        step("floor", "cap", edges=[{"feature": "gauge", "edge": "v0"}]),
        step("lid", "cap", edges=[{"feature": "gauge", "edge": "v1"}]),
        step("body", "measure_body", faces=[{"feature": f} for f in ("tube", "floor", "lid")]),
    ]
    study = Study(name="Tube", features=features)
    with pytest.raises(StudyError, match=r"the nearest is 9\d{3}.*there is nothing to measure"):
        solve_for(study, "Body.volume", 20000.0, "Tube.forward", Evaluator())
    with pytest.raises(StudyError, match=r"Body has no figure heft: it has area"):
        solve_for(study, "Body.heft", 20000.0, "Tube.forward", Evaluator())
