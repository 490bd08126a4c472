"""Move CVs: a change held over a face that another step makes, whatever that makes of it. Trims follow."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.twins import on_surface
from pamble.core.spline.surface import EDGES
from pamble.core.surfaces.overlay import Overlay
from pamble.study.features.base import Context, FeatureKind, Inputs, Made, changed_faces
from pamble.study.features.fields import choice, hold, number
from pamble.study.features.figures import MOVED
from pamble.study.references import ChangedFaceRef
from pamble.study.stored import Stored, SurfaceData


class HeldSides(Stored):
    """What a change of CVs keeps at the four sides: nothing, 0 position, 1 tangent, 2 curvature; so many rows of CVs
    and one more stay where they are.
    """

    hold_u0: int | None = hold("Hold at u start")
    hold_u1: int | None = hold("Hold at u end")
    hold_v0: int | None = hold("Hold at v start")
    hold_v1: int | None = hold("Hold at v end")

    def held_rows(self, movement: Array) -> Array:
        """A movement of the net (n, m, 3) without that of the rows that are held."""
        out = np.array(movement)
        for side in EDGES:
            order = getattr(self, f"hold_{side}")
            if order is None:
                continue
            rows = out if side[0] == "u" else out.transpose(1, 0, 2)
            rows[slice(0, order + 1) if side[1] == "0" else slice(-order - 1, None)] = 0.0
        return out


class MoveCvsParams(HeldSides):
    """change: movements of the CVs as a spline of their own; share: how much of the change counts."""

    face: ChangedFaceRef = choice("Face")
    change: SurfaceData
    share: float = number("Share", 1.0, ge=-2, le=2)

    def overlay(self) -> Overlay:
        """The change as it is held."""
        return Overlay(self.change.surface())


def run(params: MoveCvsParams, inputs: Inputs, context: Context) -> Made:
    """Lay the change over the face."""
    face = inputs.face(params.face)
    own = params.overlay()
    change = own.surface.with_control(params.share * params.held_rows(own.surface.control))
    made = Overlay(change).applied(face.surface)
    if made.weights is not None and not np.all(np.isfinite(made.control)):
        raise GeometryError("A CV was moved beyond all measure.")
    tolerance = 0.1 * context.fit * (10.0 if context.preview else 1.0)
    most = float(np.sqrt((change.control**2).sum(axis=2)).max())
    return changed_faces({params.face.feature: on_surface(face, made, tolerance)}, moved=most)


KIND = FeatureKind(
    "move_cvs", "Move CVs", "primary", MoveCvsParams, run, None,
    makes="change", bulk=("change",), figures=(MOVED,),
)  # fmt: skip
