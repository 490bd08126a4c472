"""Reference picture on a principal plane, scaled by two known points."""

from __future__ import annotations

from typing import Literal

from pamble.core.errors import ReferenceLost
from pamble.study.features.base import Context, FeatureKind, Inputs, Made
from pamble.study.features.fields import choice, number, unseen
from pamble.study.stored import Stored


class PictureParams(Stored):
    """asset: the name under which it is stored with the study. Seen along ``axis`` from its positive end (y: from the
    front) the picture lies upright. corner: its lower left corner in the plane, mm. fade: 0 full, 1 not seen at all.
    """

    asset: str = unseen()
    source: str | None = unseen(None)
    width: int = unseen(ge=1)
    height: int = unseen(ge=1)
    axis: Literal["x", "y", "z"] = choice("Plane square to", "y")
    offset: float = number("Offset", 0.0, "mm")
    corner: tuple[float, float] = choice("Lower left corner", (0.0, 0.0))
    mm_per_pixel: float = number("Scale", 1.0, "mm/px", widget="picture scale", gt=0)
    fade: float = number("Fade", 0.5, ge=0, le=1)


def run(params: PictureParams, inputs: Inputs, context: Context) -> Made:
    """Nothing to build: the picture is shown as it is placed."""
    if params.asset not in context.assets:
        raise ReferenceLost("The data of this picture is not stored with the study: load it from its file again.")
    size = [params.width * params.mm_per_pixel, params.height * params.mm_per_pixel]
    return Made(facts={"brief": "picture", "size": size})


KIND = FeatureKind("picture", "Reference picture", "construction", PictureParams, run, makes="picture")
