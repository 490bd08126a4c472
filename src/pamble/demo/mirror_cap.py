"""Parcel-van mirror cap, crown and flank: two overbuilt primaries, ready for the blend along the character line.

A made-up part. The facing edges run 20 to 35 mm apart, are curved out of plane, and the angle of the crease between
the primaries is not even along the length.
"""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array
from pamble.core.spline.surface import Surface
from pamble.study.document import Feature, Study
from pamble.study.features.face import FaceParams
from pamble.study.stored import FaceData, SurfaceData

TITLE = "Parcel-van mirror cap, crown and flank"


def _net(across: list[tuple[float, float]], stations: Array, sweep: Array, lift: Array, lean: Array) -> Surface:
    """CVs from a section (distance out, height), carried along x with sweep (mm), lift (mm) and lean (degrees)."""
    section = np.array(across)
    turn = np.radians(lean)
    y = np.cos(turn)[:, None] * section[:, 0] - np.sin(turn)[:, None] * section[:, 1] + sweep[:, None]
    z = np.sin(turn)[:, None] * section[:, 0] + np.cos(turn)[:, None] * section[:, 1] + lift[:, None]
    x = np.broadcast_to(stations[:, None], y.shape)
    # The side of the cap looks to the front view; running u against x keeps the normals outside.
    return Surface.bezier(np.stack([x, -y, z], axis=2)[::-1])


def crown() -> Surface:
    """The upper primary, degree 5 along and 3 across."""
    return _net(
        [(-158.0, 12.0), (-108.0, 15.5), (-55.0, 8.5), (-4.0, -6.0)],
        np.array([-152.0, -92.0, -31.0, 31.0, 93.0, 150.0]),
        np.array([-5.0, 3.0, 8.0, 8.5, 2.0, -9.0]),
        np.array([58.0, 75.0, 83.0, 83.5, 73.0, 51.0]),
        np.array([-2.0, -3.5, -5.0, -5.5, -8.0, -9.0]),
    )


def flank() -> Surface:
    """The side primary, degree 4 along and 3 across."""
    return _net(
        [(8.0, -25.5), (15.0, -72.0), (15.5, -119.0), (5.0, -166.0)],
        np.array([-150.0, -77.0, 1.0, 78.0, 152.0]),
        np.array([-3.0, 14.0, 21.5, 10.0, -7.0]),
        np.array([63.0, 74.5, 80.5, 76.0, 47.0]),
        np.array([5.0, 1.0, -4.0, 2.0, 7.0]),
    )


def study() -> Study:
    """The two primaries as a study."""
    return Study(name=TITLE, features=[primary("crown", "Crown", crown()), primary("flank", "Flank", flank())])


def primary(id: str, name: str, surface: Surface) -> Feature:
    """A step that is a face of its own, drawn by its CVs."""
    params = FaceParams(face=FaceData(surface=SurfaceData.of(surface))).model_dump(mode="json")
    return Feature(id=id, kind="face", name=name, role="primary", params=params)
