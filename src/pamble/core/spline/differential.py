"""Differential geometry of surfaces: normals, fundamental forms, principal curvatures, directional forms.

Sign: curvature is positive where the surface bends toward its normal (S_u x S_v).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, IntArray, cross, dot, norm, unit


@dataclass(frozen=True)
class Curvatures:
    """Principal curvatures in 1/mm, ``largest`` >= ``smallest`` by sign; arrays of one shape."""

    largest: Array
    smallest: Array

    @property
    def gauss(self) -> Array:
        """Gauss curvature, 1/mm^2."""
        return self.largest * self.smallest

    @property
    def mean(self) -> Array:
        """Mean curvature, 1/mm."""
        return 0.5 * (self.largest + self.smallest)


def normals(derivatives: Array) -> Array:
    """Unit normals from derivatives as `surface_derivatives` or `surface_grid` give them (order >= 1).

    Where one partial derivative vanishes (a pole), zero vectors are returned.
    """
    return unit(cross(derivatives[1, 0], derivatives[0, 1]))


def turning_normals(derivatives: Array) -> tuple[Array, Array, Array]:
    """Unit normals and their derivatives along u and v, (..., 3) each; needs order >= 2."""
    su, sv = derivatives[1, 0], derivatives[0, 1]
    full = cross(su, sv)
    length = np.maximum(norm(full), TINY)[..., None]
    n = full / length
    nu = cross(derivatives[2, 0], sv) + cross(su, derivatives[1, 1])
    nv = cross(derivatives[1, 1], sv) + cross(su, derivatives[0, 2])
    return n, (nu - n * dot(n, nu)[..., None]) / length, (nv - n * dot(n, nv)[..., None]) / length


def fundamental_forms(derivatives: Array) -> tuple[Array, Array, Array]:
    """Normals, first form (..., 3) as E, F, G and second form (..., 3) as L, M, N; needs order >= 2.

    Source: do Carmo, Differential Geometry of Curves and Surfaces, sections 2-5 and 3-3.
    """
    su, sv = derivatives[1, 0], derivatives[0, 1]
    n = normals(derivatives)
    first = np.stack([dot(su, su), dot(su, sv), dot(sv, sv)], axis=-1)
    second = np.stack([dot(n, derivatives[2, 0]), dot(n, derivatives[1, 1]), dot(n, derivatives[0, 2])], axis=-1)
    return n, first, second


def curvatures(derivatives: Array) -> tuple[Array, Curvatures]:
    """Normals and principal curvatures; needs order >= 2. At a pole the curvatures are not a number."""
    n, first, second = fundamental_forms(derivatives)
    e, f, g = first[..., 0], first[..., 1], first[..., 2]
    l, m, q = second[..., 0], second[..., 1], second[..., 2]
    area = e * g - f * f
    with np.errstate(divide="ignore", invalid="ignore"):
        flat = np.where(area > 1e-24 * np.maximum(e * g, TINY), area, np.nan)
        mean = (e * q - 2 * f * m + g * l) / (2 * flat)
        # Half the difference of the principal curvatures as a sum of squares: no cancellation at umbilics.
        a = (e * m - f * l) / e
        b = (e * q - g * l - 2 * f * a) / 2
        root = np.sqrt(np.maximum(b * b / flat**2 + a * a / flat, 0.0))
    return n, Curvatures(mean + root, mean - root)


@dataclass(frozen=True)
class Jet:
    """What a surface does at sample points to third order, free of its parametrisation.

    point, normal: (m, 3). Directions handed to `second` and `third` are tangent vectors in space, (m, 3) or (3,).
    """

    derivatives: Array
    point: Array
    normal: Array
    dual_u: Array
    dual_v: Array

    def part(self, which: slice | IntArray) -> Jet:
        """The jet at some of the samples, (m,)."""
        d = self.derivatives[:, :, which]
        return Jet(d, self.point[which], self.normal[which], self.dual_u[which], self.dual_v[which])

    def coordinates(self, d: Array) -> tuple[Array, Array]:
        """Coordinates of a vector's tangent part in the basis S_u, S_v."""
        return dot(self.dual_u, d), dot(self.dual_v, d)

    def tangent(self, d: Array) -> Array:
        """The part of ``d`` in the tangent plane."""
        return d - dot(self.normal, d)[..., None] * self.normal

    def second(self, a: Array, b: Array) -> Array:
        """Second fundamental form II(a, b), 1/mm times the lengths of both."""
        (a1, a2), (b1, b2) = self.coordinates(a), self.coordinates(b)
        d, n = self.derivatives, self.normal
        return a1 * b1 * dot(n, d[2, 0]) + (a1 * b2 + a2 * b1) * dot(n, d[1, 1]) + a2 * b2 * dot(n, d[0, 2])

    def third(self, a: Array) -> Array:
        """Third derivative of the height over the tangent plane in direction ``a``: III(a, a, a).

        Own derivation: along the surface curve with parameters a1 t, a2 t, the height's third derivative is
        n.S_aaa, of which 3 II(S_aa, a) comes from the curve's tangential acceleration.
        """
        a1, a2 = self.coordinates(a)
        d, n = self.derivatives, self.normal
        aaa = (
            (a1**3)[..., None] * d[3, 0]
            + (3 * a1**2 * a2)[..., None] * d[2, 1]
            + (3 * a1 * a2**2)[..., None] * d[1, 2]
            + (a2**3)[..., None] * d[0, 3]
        )
        aa = (a1**2)[..., None] * d[2, 0] + (2 * a1 * a2)[..., None] * d[1, 1] + (a2**2)[..., None] * d[0, 2]
        return np.asarray(dot(n, aaa) - 3 * self.second(self.tangent(aa), a))


def jet(derivatives: Array) -> Jet:
    """Build a `Jet` from derivatives of order 2 or 3, scattered or on a grid."""
    su, sv = derivatives[1, 0], derivatives[0, 1]
    full = cross(su, sv)
    area = np.maximum(norm(full), TINY)[..., None]
    n = full / area
    return Jet(derivatives, derivatives[0, 0], n, cross(sv, n) / area, cross(n, su) / area)


def jets_abreast(parts: Sequence[Jet]) -> Jet:
    """Jets at (m,) samples each, of the same order, side by side: (k, m)."""
    rows = zip(*((p.point, p.normal, p.dual_u, p.dual_v) for p in parts), strict=True)
    return Jet(np.array([p.derivatives for p in parts]).transpose(1, 2, 0, 3, 4), *map(np.array, rows))


def stacked_jets(parts: Sequence[Jet]) -> Jet:
    """Jets at (m,) samples each, of the same order, as one."""
    rows = (np.concatenate(r) for r in zip(*((p.point, p.normal, p.dual_u, p.dual_v) for p in parts), strict=True))
    return Jet(np.concatenate([p.derivatives for p in parts], axis=2), *rows)
