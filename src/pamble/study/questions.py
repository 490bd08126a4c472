"""What is asked of the kernel of an open study: answers from what stands, nothing is changed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from pamble.core.errors import StudyError
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import surface_derivatives
from pamble.study.document import Study
from pamble.study.features.ways import Came, Ways, remember
from pamble.study.figures import place_on
from pamble.study.frame import FrameWriter
from pamble.study.history import dependents
from pamble.study.lights import bank_for, crossed_seams, put_lights
from pamble.study.objects import Shape
from pamble.study.picture import Snapshot, put_combs
from pamble.study.states import Evaluation
from pamble.study.tracing import about_crease, hole_under, round_hole, why

LIGHT_STEPS = 64
"""Steps of the grid on which light lines are found."""


class Questions:
    """Answers from a study as it is kept; every public method is one message."""

    _snapshot: Snapshot
    _shown: Evaluation

    @property
    def study(self) -> Study:
        """The study as it is kept."""
        return self._snapshot.study

    @property
    def now(self) -> Evaluation:
        """What was made of it."""
        return self._snapshot.now

    def dependents(self, ids: list[str]) -> list[dict[str, str]]:
        """What hangs on steps, by id and name, in build order."""
        return [{"id": i, "name": self.study.feature(i).name} for i in dependents(self.study, ids)]

    def probe(self, id: str, u: float, v: float) -> dict[str, Any]:
        """Exact point, normal and curvatures of an object's surface."""
        face = self._shape(id).face
        if face is None:
            raise StudyError("Only a face has curvature to measure here.")
        d = surface_derivatives(face.surface, [u], [v], 2)
        n, k = curvatures(d)
        largest, smallest = float(k.largest[0]), float(k.smallest[0])
        steepest = max(abs(largest), abs(smallest))
        return {
            "point": d[0, 0, 0].tolist(),
            "normal": n[0].tolist(),
            "largest": _finite(largest),
            "smallest": _finite(smallest),
            "gauss": _finite(largest * smallest),
            "mean": _finite(0.5 * (largest + smallest)),
            "radius": _finite(1.0 / steepest) if steepest > 0 else None,
        }

    def locate(self, id: str, edge: str | None, point: list[float]) -> dict[str, Any]:
        """The exact place on a line, or on a face when ``edge`` is null, nearest to a point that was seen there.

        at: fraction of the line's length.
        """
        return place_on(self._shape(id), edge, np.array(point, dtype=float))

    def why(self, key: str) -> dict[str, Any]:
        """Why a seam of the ledger, by its key, is not quiet."""
        return why(self.study, self.now, self._snapshot.ledger, key)

    def round_hole(self, id: str, edge: str) -> list[dict[str, str]]:
        """All edges round the hole that an edge borders."""
        return round_hole(self.study, self.now, id, edge)

    def about_crease(self, id: str, edge: str, within: float) -> list[str]:
        """The faces along the crease through an edge, and those within so many mm of its ends."""
        return about_crease(self.now, id, edge, within)

    def hole_under(self, point: list[float], way: list[float], behind: list[float] | None) -> list[dict[str, str]]:
        """All edges round the hole that one looks into through a point, ``way`` leading to the eye. behind: a place
        that covers what lies farther back.
        """
        at, back = np.array(point, dtype=float), np.array(way, dtype=float)
        size = float(np.linalg.norm(back))
        if size == 0.0:
            raise StudyError("A direction to look along has a length.")
        hidden = -np.inf if behind is None else float((np.array(behind) - at) @ back) / size
        return hole_under(self.study, self.now, at, back, hidden)

    def ways(self, id: str) -> tuple[str, list[dict[str, Any]], list[tuple[str, bytes]]]:
        """Other ways in which a step as it was shown last could be made: their key, how they stand, and of those that
        were not built the name and what builds them.
        """
        found = self._ways_of(id)
        return ("", [], []) if found is None else (found.key, found.rows(), found.left())

    def way_built(self, id: str, key: str, name: str, came: Came) -> list[dict[str, Any]] | None:
        """Take what came of one of them; how they stand then, None where the step is shown otherwise by now."""
        remember(key, name, came)
        found = self._ways_of(id)
        return found.rows() if found is not None and found.key == key else None

    def _ways_of(self, id: str) -> Ways | None:
        state = self._shown.states.get(id)
        return None if state is None or state.made is None else state.made.ways

    def combs(self, wanted: list[dict[str, Any]], seq: int | None = None) -> bytes:
        """Curvature combs of edges as they are kept, in a frame. An edge that is gone is left out."""
        writer = FrameWriter()
        return writer.finish({"type": "combs", "seq": seq, "combs": put_combs(writer, self.now, wanted)})

    def lights(self, wanted: Mapping[str, Any], seq: int | None = None) -> bytes:
        """Light lines of all faces as they are kept, and what they do at seams, in a frame. Raises `GeometryError`."""
        writer, now = FrameWriter(), self.now
        lights = bank_for(now, wanted)
        header = {
            "type": "lights",
            "seq": seq,
            "lights": put_lights(writer, now, lights, None, LIGHT_STEPS),
            "seams": crossed_seams(now, self._snapshot.ledger, lights),
            "spacing": lights.spacing,
            "height": lights.height,
        }
        return writer.finish(header)

    def _shape(self, id: str) -> Shape:
        standing = self.now.world.get(id)
        if standing is None:
            raise StudyError("This object has no shape to measure.")
        return standing.shape


def _finite(value: float) -> float | None:
    return value if np.isfinite(value) else None
