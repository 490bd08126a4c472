"""Banks of lights, and the number of the light that a point of a surface shows.

Highlight: the surface's normal is carried on until it meets the plane of a bank of parallel straight lights (Beier and
Chen, Highlight-line algorithm for realtime surface-quality assessment, Computer-Aided Design 26, 1994). Reflection: so
is the line of sight that the surface throws back (Klass, Correction of local surface irregularities using reflection
lines, Computer-Aided Design 12, 1980). Isophote: the angle between the normal and one direction (Poeschl, Detecting
surface irregularities using isophotes, Computer Aided Geometric Design 1, 1984); sources from memory. The number is a
smooth function of place and normal, which a line of light keeps at one whole value.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np

from pamble.core.arrays import Array, BoolArray, dot, unit
from pamble.core.errors import GeometryError

Kind = Literal["highlight", "reflection", "isophote"]

_GRAZING = 0.15
"""Sine of the angle to the plane of the lights below which it is not met: its lines would lie too close together."""


@dataclass(frozen=True)
class Bank:
    """Lights that run along ``along`` in a plane square to ``toward``, both (3,), one every ``spacing`` mm.

    height: of their plane above the origin, mm, along ``toward``. eye: unit direction (3,) to a viewer far off. For
    isophotes ``toward`` alone counts, and spacing is degrees.
    """

    kind: Kind
    toward: Array
    along: Array
    spacing: float
    height: float
    eye: Array

    @cached_property
    def across(self) -> Array:
        """Unit direction (3,) from one light to the next."""
        return np.cross(self.toward, self.along)


def runs_along(toward: Array, turn: float) -> Array:
    """The direction (3,) of lights turned by degrees in the plane square to ``toward``.

    At 0 they run as level as can be: along Y where they stand above or below.
    """
    n = unit(np.asarray(toward, dtype=float)[None])[0]
    level = np.array([0.0, 1.0, 0.0]) if abs(n[2]) > 0.999 else unit(np.array([[-n[1], n[0], 0.0]]))[0]
    angle = np.radians(turn)
    return np.asarray(np.cos(angle) * level + np.sin(angle) * np.cross(n, level))


def bank(kind: Kind, toward: Array, along: Array, spacing: float, height: float, eye: Array | None = None) -> Bank:
    """A bank of lights from directions of any length. Raises `GeometryError` where they do not span a plane."""
    n = unit(np.asarray(toward, dtype=float)[None])[0]
    b = np.asarray(along, dtype=float) - (np.asarray(along, dtype=float) @ n) * n
    if not n.any():
        raise GeometryError("Lights need a direction to stand in that is not zero.")
    if kind != "isophote" and np.linalg.norm(b) < 1e-6:
        raise GeometryError("The lights would run toward the part: let them run across the direction they stand in.")
    if not spacing > 0:
        raise GeometryError(f"Lights stand some way apart, not {spacing:g}.")
    e = unit((n if eye is None else np.asarray(eye, dtype=float))[None])[0]
    return Bank(kind, n, unit(b[None])[0], float(spacing), float(height), e)


def shown(lights: Bank, x: Array, n: Array, dx: tuple[Array, ...], dn: tuple[Array, ...]) -> tuple[Array, list[Array]]:
    """The number of the light shown at points (..., 3) with unit normals, and its derivatives along ways.

    dx, dn: derivatives of point and normal along each way, (..., 3). Neither depends on the side a normal points to.
    Not a number where the surface faces no light.
    """
    up = lights.toward
    with np.errstate(divide="ignore", invalid="ignore"):
        if lights.kind == "isophote":
            lean = dot(n, np.broadcast_to(up, n.shape))
            sign = np.where(lean < 0, -1.0, 1.0)
            value = np.degrees(np.arccos(np.clip(np.abs(lean), 0.0, 1.0))) / lights.spacing
            fall = -np.degrees(1.0) / np.sqrt(np.maximum(1.0 - lean * lean, 1e-300)) / lights.spacing
            seen = _seen(lean)
            return np.where(seen, value, np.nan), [fall * sign * (d @ up) for d in dn]
        ray, turned = n, dn
        if lights.kind == "reflection":
            e = lights.eye
            toward_eye = n @ e
            ray = 2.0 * toward_eye[..., None] * n - e
            turned = tuple(2.0 * ((d @ e)[..., None] * n + toward_eye[..., None] * d) for d in dn)
        rise = ray @ up
        far = (lights.height - x @ up) / rise
        value = (x @ lights.across + far * (ray @ lights.across)) / lights.spacing
        slopes = []
        for step, turn in zip(dx, turned, strict=True):
            farther = -(step @ up + far * (turn @ up)) / rise
            across = step @ lights.across + farther * (ray @ lights.across) + far * (turn @ lights.across)
            slopes.append(across / lights.spacing)
        return np.where(_seen(rise), value, np.nan), slopes


def _seen(rise: Array) -> BoolArray:
    return np.asarray(np.abs(rise) > _GRAZING)
