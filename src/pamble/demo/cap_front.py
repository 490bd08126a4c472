"""Parcel-van mirror cap with its front: crown, flank and a front slab, overbuilt, blended and cut by each other.

A made-up part, as a specialist lays it out: primaries first, with few CVs and larger than the part; the shoulder
between crown and flank, G2; then the front, which cuts them and is cut back to them. Every step stays open to change.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from pamble.core.spline.surface import Surface
from pamble.demo import mirror_cap
from pamble.demo.mirror_cap import primary
from pamble.study.document import Feature, Role, Study

TITLE = "Parcel-van mirror cap with its front"

HINT = "Pick the Crown, press C and pull one of its CVs: the shoulder and the cuts at the front follow."


def front() -> Surface:
    """The slab that closes the cap toward the mirror, bulging along x, degree 3 both ways."""
    out = np.array([70.0, -10.0, -80.0, -148.0])[:, None]
    up = np.array([-78.0, -10.0, 60.0, 130.0])[None]
    along = 130.0 - 0.0012 * (out + 70) ** 2 - 0.0010 * (up + 10) ** 2 - 0.10 * up + 0.02 * out
    return Surface.bezier(
        np.stack([along, np.broadcast_to(-out, along.shape), np.broadcast_to(up, along.shape)], axis=2)
    )


def study() -> Study:
    """The cap as a study of seven steps."""
    cut = "cap-front:front"
    return Study(
        name=TITLE,
        features=[
            primary("crown", "Crown", mirror_cap.crown()),
            primary("flank", "Flank", mirror_cap.flank()),
            _step(
                "shoulder", "edge_blend", "Shoulder", "secondary",
                first=_ref("crown", "v1"), second=_ref("flank", "v0"),
            ),
            primary("front", "Front slab", front()),
            _step(
                "cap-front", "trim_faces", "Cap cut", "primary",
                faces=[_ref("crown"), _ref("shoulder"), _ref("flank")], by_faces=[_ref("front")], extend=True,
            ),
            _step(
                "front-cap", "trim_faces", "Front cut", "primary",
                faces=[_ref("front")], by_curves=[_ref(id, cut) for id in ("crown", "shoulder", "flank")],
            ),
        ],
    )  # fmt: skip


def _step(id: str, kind: str, name: str, role: Role, **params: Any) -> Feature:
    return Feature(id=id, kind=kind, name=name, role=role, params=params)


def _ref(id: str, edge: str | None = None) -> dict[str, str]:
    return {"feature": id} if edge is None else {"feature": id, "edge": edge}
