"""A hole of five to eight sides cut back to four: its border, what is proposed, and the faces trimmed to it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.corners.outline import Outline, left_by
from pamble.core.corners.over_corner import SMOOTH, Bordering, OverCorner, line_over
from pamble.core.errors import GeometryError
from pamble.core.faces.cut_back import Cut, cut_back
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.faces.frames import frames
from pamble.core.faces.pieces import pieces_of
from pamble.core.patches.closed import closed
from pamble.core.patches.loop import Asked
from pamble.core.patches.running import taken_together
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points

_MEETS = 0.01
"""Distance, mm, within which the cut of one face goes on in that of the next."""


@dataclass(frozen=True)
class Border:
    """The sides of a hole head to tail; edges that run on into each other are one. edges: those of each side, with the
    numbers of their faces; touching: numbers of further faces that have a corner where it starts.
    """

    sides: tuple[Bordering, ...]
    edges: tuple[tuple[tuple[int, Edge], ...], ...]
    touching: tuple[tuple[int, ...], ...]

    def faces(self, side: int) -> list[int]:
        """Numbers of the faces beside a side."""
        return _numbers(self.edges[side])


def border(part: Mapping[int, Face], edges: Sequence[tuple[int, Edge]]) -> Border:
    """The border of a hole of edges, each with the number of its face, in any order. Raises `GeometryError` where they
    do not close.
    """
    together = taken_together([Asked(e) for _, e in edges])
    c = closed(together.asked)
    rows = tuple(tuple(edges[m] for m in together.members[n]) for n in c.order)
    ends = {n: np.concatenate([curve_points(e.space, e.space.domain) for e in f.edges]) for n, f in part.items()}
    sides, touching = [], []
    for k, placed in enumerate(c.sides):
        beside = {n for row in (rows[k - 1], rows[k]) for n in _numbers(row)}
        near = [n for n, x in ends.items() if n not in beside and norm(x - placed.side.ends[0]).min() < _MEETS]
        touching.append(tuple(near))
        sides.append(Bordering(placed, tuple(part[n] for n in _numbers(rows[k])), tuple(part[n] for n in near)))
    return Border(tuple(sides), rows, tuple(touching))


def chosen(hole: Border, corners: Sequence[int], depths: Sequence[float | None]) -> Outline:
    """The outline with these corners gone, each by its depth, mm, None for the calmest line."""
    return left_by(hole.sides, [line_over(hole.sides, k, d) for k, d in zip(corners, depths, strict=True)])


def cut_to(part: Mapping[int, Face], hole: Border, outline: Outline, name: str) -> dict[int, Face]:
    """The faces that the lines of an outline cut, by their numbers. name: of the edges they make.

    Raises `GeometryError` where a line leaves the faces, or meets a crease between them.
    """
    cuts: dict[int, list[Cut]] = {}
    corners: dict[int, list[Array]] = {}
    for over in outline.lines:
        k = over.corner
        for n in dict.fromkeys([*hole.faces(k - 1), *hole.faces(k)]):
            gone = tuple(e for row in (hole.edges[k - 1], hole.edges[k]) for m, e in row if m == n)
            cuts.setdefault(n, []).append(Cut(_name(name, over), gone, (over.line,)))
        for n in hole.touching[k]:
            # However narrow its tip is: it lies between the sides' faces, on the side of the line that goes.
            cuts.setdefault(n, []).append(Cut(_name(name, over), (), (over.line,)))
            corners.setdefault(n, []).append(over.place)
    helps = "the line leaves it; put it deeper or less deep."
    cut = {n: cut_back(part[n], row, corners.get(n, ()), "line over the corner", helps) for n, row in cuts.items()}
    changed = {n: pieces_of(face)[0] for n, face in cut.items()}
    for over in outline.lines:
        _check_run(over, list(changed.values()), _name(name, over))
    return changed


def left_open(changed: Mapping[int, Face], hole: Border, outline: Outline, name: str) -> list[tuple[int, Edge]]:
    """The edges round what is left of a hole, with the numbers of their faces, once `cut_to` has changed these."""
    gone = {k for x in outline.lines for k in ((x.corner - 1) % len(hole.sides), x.corner)}
    cut = {_name(name, x) for x in outline.lines}
    out = [(n, e) for n, f in changed.items() for e in f.edges if base_name(e.name) in cut]
    for n, e in (row for k, side in enumerate(hole.edges) if k not in gone for row in side):
        middle = curve_points(e.space, [0.5 * sum(e.space.domain)])
        own = [x for x in changed[n].edges if base_name(x.name) not in cut] if n in changed else [e]
        out.append((n, min(own, key=lambda x: float(to_curve(x.space, middle).distance[0]))))
    return out


def _numbers(row: Sequence[tuple[int, Edge]]) -> list[int]:
    return list(dict.fromkeys(n for n, _ in row))


def _name(name: str, over: OverCorner) -> str:
    return f"{name}-{over.corner + 1}"


def _check_run(over: OverCorner, faces: Sequence[Face], name: str) -> None:
    """That the cut goes over the faces in one smooth run from end to end."""
    own = [e for f in faces for e in f.edges if base_name(e.name) == name]
    ends = [frames(e, np.array(e.domain), remember=False) for e in own]
    points = np.array([f.position for f in ends]).reshape(-1, 3)
    normals = np.array([f.normal for f in ends]).reshape(-1, 3)
    free = []
    for i, (p, n) in enumerate(zip(points, normals, strict=True)):
        near = [j for j in range(len(points)) if j // 2 != i // 2 and norm((points[j] - p)[None])[0] < _MEETS]
        if not near:
            free.append(i)
        for j in near:
            angle = float(np.degrees(np.arccos(np.clip(abs(normals[j] @ n), 0, 1))))
            if angle > SMOOTH:
                x, y, z = p
                raise GeometryError(
                    f"The faces meet at {angle:.2f}° where the line crosses from one to the other, near "
                    f"({x:.2f}, {y:.2f}, {z:.2f}) mm: a corner would stay there. Cut at another corner."
                )
    if len(free) != 2:
        ends_of_line = curve_points(over.line, over.line.domain)
        far = [float(norm(ends_of_line - points[i]).min()) for i in free]
        x, y, z = points[free[int(np.argmax(far))]] if free else over.place
        raise GeometryError(
            f"The line over the corner leaves the faces beside the hole near ({x:.2f}, {y:.2f}, {z:.2f}) mm: put it "
            "less deep, or cut at another corner."
        )
