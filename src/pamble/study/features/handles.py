"""Handles on the part, made from what a tool knows: each changes one number or point of its parameters."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arrays import Array, floats
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, surface_points
from pamble.core.spline.surface import Surface
from pamble.study.objects import PartHandle

_SHOWN = 33
"""Points of the line along which a handle slides."""


def pull(
    field: str, label: str, value: float, origin: Array, direction: Array, *, index: int = -1, per_mm: float = 1.0,
    limits: tuple[float, float] = (0.0, 1e5), unit: str = "mm",
) -> PartHandle:  # fmt: skip
    """A length that is pulled out of ``origin`` (3,) along ``direction`` (3,); the handle stands at its end.

    per_mm: by how much the number changes for a millimetre.
    """
    way = floats(direction) / max(float(np.linalg.norm(direction)), 1e-12)
    at = floats(origin) + way * value / per_mm
    return PartHandle("pull", field, index, label, at, way, value, *limits, unit=unit, per_mm=per_mm)


def slide(
    field: str, label: str, value: float, along: Callable[[Array], Array], *, index: int = -1,
    limits: tuple[float, float] = (0.0, 1.0), unit: str = "", side: str = "",
) -> PartHandle:  # fmt: skip
    """A number that runs along a line; ``along`` gives points (m, 3) at values (m,). side: the field that names what it
    belongs to.
    """
    line = along(np.linspace(*limits, _SHOWN))
    at = along(np.array([np.clip(value, *limits)]))[0]
    return PartHandle("slide", field, index, label, at, np.zeros(3), value, *limits, unit=unit, line=line, side=side)


def move(
    field: str, label: str, point: Array, normal: Array, along: tuple[str, ...] = (), *, index: int = -1
) -> PartHandle:
    """A point that moves in the plane through it, square to ``normal``. along: other points that move with it; then
    ``field`` is moved by as much, and not to the place of the handle.
    """
    at, n = floats(point), floats(normal) / max(float(np.linalg.norm(normal)), 1e-12)
    return PartHandle("move", field, index, label, at, n, 0.0, -1e9, 1e9, unit="mm", along=along)


def turn(
    field: str, label: str, degrees: float, centre: Array, axis: Array, point: Array,
    limits: tuple[float, float] = (-3600.0, 3600.0), *, index: int = -1,
) -> PartHandle:  # fmt: skip
    """An angle about an axis through ``centre``; the handle stands at ``point``, which turns with it."""
    n = floats(axis) / max(float(np.linalg.norm(axis)), 1e-12)
    return PartHandle("turn", field, index, label, floats(point), n, degrees, *limits, unit="°", centre=floats(centre))


def way(field: str, label: str, turned: bool, line: Curve, *, index: int = -1) -> PartHandle:
    """The way that a line runs, an arrow at its start: a click turns it. index: what the list holds when it is turned;
    below zero the field is a switch.
    """
    d = curve_derivatives(line, line.domain[:1], 1)[:, 0]
    heading = d[1] / max(float(np.linalg.norm(d[1])), 1e-12)
    return PartHandle("way", field, index, label, d[0], heading, float(turned), 0.0, 1.0)


def iso_handles(surface: Surface, held: str, at: list[float]) -> tuple[PartHandle, ...]:
    """Handles that slide iso-curves over the middle of a surface; at: fractions of the held parameter's domain."""
    (u0, u1), (v0, v1) = surface.domain

    def along(s: Array) -> Array:
        middle = np.full(len(s), 0.5)
        u, v = (s, middle) if held == "u" else (middle, s)
        return surface_points(surface, u0 + u * (u1 - u0), v0 + v * (v1 - v0))

    return tuple(slide("at", f"Iso-curve {i + 1}", x, along, index=i) for i, x in enumerate(at))
