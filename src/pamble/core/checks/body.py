"""What faces are together: their area, whether they close, the volume they hold, and which of them are turned."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, norm
from pamble.core.checks.integral import NODES, Integrand, by_gauss, integral
from pamble.core.checks.measured import measure_seams, sample_seams
from pamble.core.checks.seams import OpenEdge, Seam, find_seams, part_diagonal
from pamble.core.faces.face import Face
from pamble.core.tolerances import SEAM_SEARCH

_ALONG = 17
"""Places along a seam at which it is looked to which side both faces point."""


@dataclass(frozen=True)
class Body:
    """area: mm². volume: mm³, None where the faces do not close. open: stretches of edges that meet nothing, mm.
    turned: numbers of the faces whose normals point to the other side than the first one's of their piece. pieces: how
    many the faces fall into.
    """

    area: float
    volume: float | None
    open: tuple[OpenEdge, ...]
    turned: tuple[int, ...]
    pieces: int

    @property
    def closed(self) -> bool:
        return self.volume is not None


def body_of(faces: Sequence[Face], search: float = SEAM_SEARCH) -> Body:
    """Look at faces as one body. search: how far apart edges are that meet, mm.

    >>> from pamble.core.spline.surface import Surface
    >>> deck = Face(Surface.bezier([[[0, 0, 0], [0, 4, 0]], [[6, 0, 0], [6, 4, 0]]]))
    >>> body = body_of([deck])
    >>> round(body.area, 9), body.closed
    (24.0, False)
    """
    seams, left = find_seams(faces, search)
    flip, piece = _sides(faces, seams)
    about = np.mean([f.surface.control.reshape(-1, 3).mean(axis=0) for f in faces], axis=0) if faces else np.zeros(3)
    sums = np.array([integral(f, _area_and_flux(about)) for f in faces]).reshape(-1, 2)
    # Each closed piece counts, whichever way its normals point.
    flux = np.zeros(max(piece, default=-1) + 1)
    np.add.at(flux, piece, flip * sums[:, 1])
    volume = None if left or not len(faces) else float(np.abs(flux).sum())
    turned = tuple(np.flatnonzero(flip < 0).tolist())
    return Body(float(sums[:, 0].sum()), volume, tuple(left), turned, len(flux))


def inside_out(faces: Sequence[Face], search: float = SEAM_SEARCH) -> list[int]:
    """Numbers of the faces whose normals point into the body: where faces close, else to the other side than those of
    most of their piece, by area. search: how far apart edges are that meet, mm.
    """
    seams, left = find_seams(faces, search)
    flip, piece = _sides(faces, seams)
    owner, open_pieces = np.array(piece), {piece[o.face] for o in left}
    out = list[int]()
    for number in dict.fromkeys(piece):
        own = np.flatnonzero(owner == number)
        if number in open_pieces and (flip[own] > 0).all():
            continue
        here = [faces[i] for i in own.tolist()]
        about = np.mean([f.surface.control.reshape(-1, 3).mean(axis=0) for f in here], axis=0)
        sums = np.array([by_gauss(f, _area_and_flux(about), NODES[0]) for f in here])
        outward = float(flip[own] @ sums[:, 0 if number in open_pieces else 1])
        out += own[flip[own] * outward < 0].tolist()
    return sorted(out)


def _area_and_flux(about: Array) -> Integrand:
    """Area, and the volume of the cone over it from a point (3,): all cones of a closed body make up its volume."""

    def values(d: Array) -> Array:
        full = cross(d[1, 0], d[0, 1])
        return np.stack([norm(full), np.vecdot(d[0, 0] - about, full) / 3.0], axis=-1)

    return values


def _sides(faces: Sequence[Face], seams: Sequence[Seam]) -> tuple[Array, list[int]]:
    """For each face +1, or -1 where its normal points to the other side than that of the first of its piece; and the
    number of its piece.
    """
    beside: dict[int, list[tuple[int, float]]] = {i: [] for i in range(len(faces))}
    diagonal = part_diagonal(list(faces)) if faces else 1.0
    found = measure_seams(sample_seams(seams, _ALONG, exact=False), diagonal, exact=False) if seams else []
    for seam, measured in zip(seams, found, strict=True):
        a, b = seam.faces
        sign = -1.0 if measured.figures.opposed else 1.0
        beside[a].append((b, sign))
        beside[b].append((a, sign))
    flip, piece = np.zeros(len(faces)), [-1] * len(faces)
    for start in range(len(faces)):
        if piece[start] >= 0:
            continue
        number = max(piece) + 1
        flip[start], piece[start], waiting = 1.0, number, [start]
        while waiting:
            i = waiting.pop()
            for j, sign in beside[i]:
                if piece[j] < 0:
                    flip[j], piece[j] = flip[i] * sign, number
                    waiting.append(j)
    return flip, piece
