"""Fillet: creases rounded by a rolling ball, or with a blended section; all faces beside them are trimmed back, and a
ball lies where three of one radius meet.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import product
from typing import Annotated, Any

import numpy as np
from pydantic import Field

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, base_name
from pamble.core.fillets.crease import Crease, crease
from pamble.core.fillets.ends import end_edges
from pamble.core.fillets.figured import FilletFace
from pamble.core.fillets.fillet import fillet
from pamble.core.fillets.filleted import Fillet
from pamble.core.fillets.shape import Section
from pamble.core.fillets.strip import Ask, followed
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.study.features.base import Context, DeclaredSeam, FeatureKind, Figure, Inputs, Made, Shape
from pamble.study.features.fields import choice, number
from pamble.study.features.figures import JOINTS
from pamble.study.features.handles import pull, slide
from pamble.study.objects import PartHandle, object_id
from pamble.study.references import ChangedEdgeRef, ChangedFaceRef, FaceRef
from pamble.study.stored import Stored

_ALONG = 0.01
"""Distance, mm, within which the middle of an edge that a contact cut lies on the side of its fillet."""

_BY_RADIUS = ("section", "ball", "rho", "g2", "g3")


class FilletParams(Stored):
    """edges: the creases, each as an edge of one of the faces beside it; faces: the others along them, and those that
    stand across their ends and are to be cut back too; with no edges, two faces that need not touch. radius_end: at the
    end of a crease, as at its start when null. radii: each crease's own, in their order; null, or a shorter list, for
    the radius of all. at, radii_at: shares of a crease's length, rising, and the radii there, evenly between its ends
    where the list is shorter; for creases that have none of their own. chord, rho: of the sections of these kinds. gap:
    only cut the faces back.
    """

    edges: list[ChangedEdgeRef] = Field([], title="Creases", json_schema_extra={"one_of": "crease"})
    faces: list[ChangedFaceRef] = Field(
        [],
        title="Other faces",
        json_schema_extra={"once": True, "beside": "edges", "within": "radius", "one_of": "crease"},
    )
    section: Section = choice(
        "Section",
        "ball",
        labels={"ball": "round", "chord": "round, of one width", "rho": "conic", "g2": "G2", "g3": "G3"},
    )
    radius: float = number("Radius", 10.0, "mm", when=_BY_RADIUS, gt=0, le=1e5)
    radius_end: float | None = number("At its end", None, "mm", when=_BY_RADIUS, gt=0, le=1e5)
    radii: list[Annotated[float, Field(gt=0, le=1e5)] | None] = choice(
        "Own radius", [], _BY_RADIUS, widget="number each", unit="mm", limits={"minimum": 1e-3}
    )
    at: list[Annotated[float, Field(gt=0, lt=1)]] = choice("Points along it", [], _BY_RADIUS)
    radii_at: list[Annotated[float, Field(gt=0, le=1e5)]] = choice("Radii there", [], _BY_RADIUS, unit="mm")
    chord: float = number("Width", 10.0, "mm", when=("section", "chord"), gt=0, le=1e5)
    rho: float = number("Rho", 0.5, when=("section", "rho"), gt=0, lt=1)
    gap: bool = choice("Leave the gap open", False)

    @property
    def own(self) -> list[float | None]:
        """The radius of its own of every crease, None where it has none; of the one between two faces."""
        count = max(1, len(self.edges))
        return [*self.radii, *[None] * count][:count]

    def laws(self) -> list[tuple[float, float]]:
        """Radius at the start and the end of every crease."""
        if self.section == "chord":
            return [(self.chord, self.chord)] * len(self.own)
        return [(self.radius, self._end) if r is None else (r, r) for r in self.own]

    def between(self) -> list[tuple[tuple[float, float], ...]]:
        """Points along every crease with their radii."""
        if self.section == "chord":
            return [()] * len(self.own)
        if len(self.at) < len(self.radii_at):
            raise GeometryError(f"There are {len(self.radii_at)} radii along a crease and {len(self.at)} points.")
        rest = self.at[len(self.radii_at) :]
        there = [*self.radii_at, *(self.radius + s * (self._end - self.radius) for s in rest)]
        points = tuple(zip(self.at, there, strict=True))
        return [points if r is None else () for r in self.own]

    @property
    def _end(self) -> float:
        return self.radius if self.radius_end is None else self.radius_end


def run(params: FilletParams, inputs: Inputs, context: Context) -> Made:
    """Build the fillets and trim the faces beside them."""
    inputs.different(params.edges)
    ids = list(dict.fromkeys(ref.feature for ref in (*params.edges, *params.faces)))
    part = [inputs.face(FaceRef(feature=i)) for i in ids]
    asked = _asked(params, inputs, context.step, ids)
    diagonal = max(face.surface.diagonal for face in part)
    made = fillet(part, asked, params.section, params.chord, diagonal, params.rho, params.gap, context.quick)
    order = {"g2": 2, "g3": 3}.get(params.section, 1)
    shapes = [row.face for row in made.faces] + list(made.corners)
    left = [(n, object_id(context.step, _slot(len(shapes) + i)), f) for i, (n, f) in enumerate(made.pieces)]
    one = {n: next((own for own in made.together if n in own), {n}) for n in made.changed}
    beside = {
        n: [(ids[k], made.changed[k]) for k in own] + [(id, f) for m, id, f in left if m in own]
        for n, own in one.items()
    }
    seams = tuple(
        seam
        for k, row in enumerate(made.faces)
        for side, n in zip(("v0", "v1"), row.beside, strict=True)
        for own in row.face.edges
        if own.side == side
        for seam in _seams(beside[n], row, own, order, _slot(k))
    )
    trimmed = [(ids[n], face) for n, face in made.changed.items()]
    seams += tuple(seam for pair in made.mitres for seam in _mitred(pair, shapes, trimmed, context.step))
    shapes += [piece for _, _, piece in left]
    return Made(
        {_slot(i): Shape(face) for i, face in enumerate(shapes)},
        {ids[n]: Shape(face) for n, face in made.changed.items()},
        seams,
        () if params.section == "chord" else tuple(_handles(params, part, asked)),
        _facts(made),
        made.warnings if context.quick else (*made.warnings, *made.unsound()),
        removes=tuple(ids[n] for n in sorted(made.gone)),
    )


def _slot(index: int) -> str:
    return "" if index == 0 else f"{index + 1}"


def _asked(params: FilletParams, inputs: Inputs, step: str, ids: list[str]) -> list[Ask]:
    if not params.edges:
        if len(ids) != 2:
            raise GeometryError("Pick the edge of a crease, or two faces that the fillet is to lie between.")
        return [Ask(0, None, params.laws()[0], f"{step}:apart", params.between()[0], 1)]
    names = _names(params, inputs, step)
    return [
        Ask(ids.index(ref.feature), inputs.edge(ref), law, name, between)
        for ref, law, name, between in zip(params.edges, params.laws(), names, params.between(), strict=True)
    ]


def _names(params: FilletParams, inputs: Inputs, step: str) -> list[str]:
    """Lasting names of the edges that each crease's contacts cut."""
    plain = [base_name(inputs.edge(ref).name).replace(":", "_") for ref in params.edges]
    owned = [f"{ref.feature}_{name}" for ref, name in zip(params.edges, plain, strict=True)]
    return [f"{step}:{name}" for name in (plain[0], *owned[1:])]


def _facts(made: Fillet) -> dict[str, Any]:
    figures = [row.figures for row in made.faces]
    errors = [f.radius for f in figures if f.radius is not None]
    return {
        "least_radius": made.radii[0],
        "largest_radius": made.radii[1],
        "joints": [
            {"gap": f.gap[i], "angle": f.angle[i], "curvature": f.curvature[i]} for f in figures for i in (0, 1)
        ],
    } | ({"radius_error": max(errors)} if errors else {})


def _handles(params: FilletParams, part: list[Face], asked: list[Ask]) -> Iterator[PartHandle]:
    """One for the radius of all, at the first crease that has none of its own, and one for each that has."""
    own = params.own
    common = own.index(None) if None in own else -1
    for k, (ask, radius) in enumerate(zip(asked, own, strict=True)):
        if radius is None and k != common:
            continue
        found = followed(part, ask)
        c = crease(found.runs[0].first, found.runs[0].second, 21)
        where = c.points[10], np.asarray(c.into[0][10] + c.into[1][10])
        if radius is None:
            yield pull("radius", "Radius", params.radius, *where, limits=(1e-3, 1e5))
            yield from _points(params, c, found.turned)
        else:
            yield pull("radii", f"Radius {k + 1}", radius, *where, index=k, limits=(1e-3, 1e5))


def _points(params: FilletParams, c: Crease, turned: bool) -> Iterator[PartHandle]:
    """For each point along a crease one that slides along it, and one for the radius there. turned: whether the crease
    was followed against the edge that was picked.
    """
    row = slice(None, None, -1 if turned else 1)
    shares = (1.0 - c.s if turned else c.s)[row]
    points, ways = c.points[row], (c.into[0] + c.into[1])[row]

    def along(s: Array) -> Array:
        return np.stack([np.interp(s, shares, points[:, k]) for k in range(3)], axis=1)

    for i, share in enumerate(params.at):
        yield slide("at", f"Point {i + 1}", share, along, index=i, limits=(0.01, 0.99))
        if i < len(params.radii_at):
            station = int(np.argmin(np.abs(shares - share)))
            where = points[station], ways[station]
            yield pull("radii_at", f"Radius {i + 1}", params.radii_at[i], *where, index=i, limits=(1e-3, 1e5))


def _seams(beside: Sequence[tuple[str, Face]], row: FilletFace, own: Edge, order: int, slot: str) -> list[DeclaredSeam]:
    """The seams of a side of a fillet, or of a piece of one. beside: the pieces of the face there, with their objects,
    and the faces that it goes on in: one beside several fillets, or in pieces, has several edges that the contact cut.
    """
    contacts = [(id, e) for id, face in beside for e in face.edges if base_name(e.name) == row.name]
    middles = np.concatenate([curve_points(e.space, [0.5 * sum(e.space.domain)]) for _, e in contacts])
    away = to_curve(own.space, middles).distance
    along = np.flatnonzero(away <= max(away.min(), _ALONG))
    return [
        DeclaredSeam(own.name, id, edge.name, order, slot, part=len(contacts) > 1)
        for id, edge in (contacts[k] for k in along)
    ]


def _mitred(
    pair: Sequence[tuple[int, int]], fillets: Sequence[Face], beside: Sequence[tuple[str, Face]], step: str
) -> Iterator[DeclaredSeam]:
    """The seams at which two fillets end in each other, and on a face over the edge that stays sharp. pair: numbers of
    the fillets, and their start (0) or end (-1).
    """
    ends = [end_edges(fillets[k], at) for k, at in pair]
    (one, _), (two, _) = pair
    mitre = min(product(*ends), key=lambda both: max(_off(*both), _off(*both[::-1])))
    yield DeclaredSeam(mitre[0].name, object_id(step, _slot(two)), mitre[1].name, 0, _slot(one))
    for (k, _), edges, met in zip(pair, ends, mitre, strict=True):
        for own in (e for e in edges if e is not met):
            for id, face in beside:
                for edge in (e for e in face.edges if _off(own, e) < _ALONG):
                    yield DeclaredSeam(own.name, id, edge.name, 0, _slot(k))


def _off(edge: Edge, other: Edge) -> float:
    """How far the middle of an edge lies off another, mm."""
    return float(to_curve(other.space, curve_points(edge.space, [0.5 * sum(edge.space.domain)])).distance[0])


KIND = FeatureKind(
    "fillet", "Fillet", "secondary", FilletParams, run, "blends",
    "Pick the edges of creases, or two faces that need not touch.",
    makes="face", doing="Pull the handle for the radius. Enter keeps it, Esc drops it.",
    figures=(
        Figure("least_radius", "Least radius", "mm"),
        Figure("largest_radius", "Largest radius", "mm"),
        Figure("radius_error", "Radius is kept within", "mm"),
        JOINTS,
    ),
)  # fmt: skip
