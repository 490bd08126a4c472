"""Trimming: what cuts a face, the regions it leaves, and the faces that hold the chosen ones."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.edit import extend
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.branches import Branch, find_branches, smooth_runs
from pamble.core.faces.crossing.fit import FittedBranch, fit_branch
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.cut_ends import CutCurve, ending_on, meeting_ends
from pamble.core.faces.face import Face
from pamble.core.faces.inside import held
from pamble.core.faces.regions.arrange import Arrangement, arrange
from pamble.core.faces.regions.choose import Complaint, Pick, Region, chosen, complaints, regions
from pamble.core.faces.regions.cut import face_of, faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.planes import Plane
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extend import grown

_RUNS_ON = 10.0
"""Distance between the ends of two cuts, over their tolerance, up to which one runs on in the other."""

_GROWN = 0.25
"""By how much of its size a cutting surface is extended on every side, if asked."""


@dataclass(frozen=True)
class Cutter:
    """What cuts. name: lasting name of the edges that it makes; label: its name in words; shape: a face, a curve or a
    plane. direction: along which a curve is projected, None for the face's normal. extend: whether a cut that ends
    inside the face is carried on: faces by their own curvature, curves straight.
    """

    name: str
    label: str
    shape: Face | Curve | Plane
    direction: Array | None = None
    extend: bool = False


@dataclass(frozen=True)
class Divided:
    """A face with its cutters laid on it: the arrangement, its regions (largest first), and what is wrong."""

    face: Face
    arrangement: Arrangement
    regions: tuple[Region, ...]
    complaints: tuple[Complaint, ...]

    def keeping(self, picks: Sequence[Pick]) -> list[Face]:
        """Faces that hold the picked regions, the largest first. Raises `GeometryError` if there are none."""
        return self.holding(self.kept(picks))

    def holding(self, numbers: Sequence[int]) -> list[Face]:
        """Faces that hold the regions of these numbers, the largest first. Raises `GeometryError` if there are none."""
        return faces_of(self.face.surface, self.arrangement, numbers)

    def together(self, numbers: Sequence[int]) -> Face:
        """One face of the regions of these numbers, in however many pieces. Raises `GeometryError` without any."""
        return face_of(self.face.surface, self.arrangement, numbers)

    def kept(self, picks: Sequence[Pick]) -> list[int]:
        """Numbers of the picked regions. Raises `GeometryError` for a pick that names none."""
        return chosen(self.arrangement, self.regions, picks)


Meet = Callable[[Surface, Surface], Sequence[tuple[FittedBranch, bool]]]
"""Gives fitted branches of the intersection of two surfaces; the flag says that ``on_b`` belongs to the first."""


def divide(
    face: Face, cutters: Sequence[Cutter], tolerance: float, meet: Meet | None = None, quick: bool = False
) -> Divided:
    """Lay cutters on a face and find its regions.

    tolerance: of the cuts, mm. meet: where intersections of surfaces come from, so that two faces that cut each other
    share them and they can follow; by default they are found anew. quick: what is wrong with a cutter is looked for
    only where nothing is cut, and places of regions are somewhere in them. Raises `GeometryError` in words.

    >>> deck = Face(Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]]))
    >>> cut = Cutter("t:line", "Line", Curve.line([20, -5, 0], [20, 45, 0]))
    >>> [round(r.area) for r in divide(deck, [cut], 1e-4).regions]
    [1600, 800]
    """
    near = _RUNS_ON * tolerance
    own = [cut_curves(face, _carried_on(c, cutters, face, near), tolerance, meet) for c in cutters]
    missed = [(c.name, c.label) for c, cuts in zip(cutters, own, strict=True) if not cuts]
    made_by = [c for c, cuts in zip(cutters, own, strict=True) for _ in cuts]
    border, scale = border_sources(face), plane_scale(face.surface)

    def laid(cuts: list[CutCurve]) -> tuple[Arrangement, tuple[Region, ...]]:
        sources = [
            Source(c.name, cut.on_face, cut.space, cutter=c.name, label=c.label)
            for c, cut in zip(made_by, cuts, strict=True)
        ]
        made = arrange([*border, *sources], scale)
        return made, tuple(regions(made, face.surface, quick))

    met = meeting_ends([cut for cuts in own for cut in cuts], scale, near)
    made, found = laid(met)
    if met and len(found) < 2 and (brought := ending_on(met, border, scale)) is not None:
        made, found = laid(brought)
    wrong = () if quick and len(found) > 1 else tuple(complaints(made, face.surface, missed))
    return Divided(face, made, found, wrong)


def cut_curves(face: Face, cutter: Cutter, tolerance: float, meet: Meet | None = None) -> list[CutCurve]:
    """The curves along which a cutter meets a face's surface; of a trimmed cutter only what is left of it."""
    shape = cutter.shape
    if isinstance(shape, Curve):
        fits = curve_onto(face.surface, shape, cutter.direction, tolerance)
        return [CutCurve(f.on_a, f.space) for f in fits]
    if isinstance(shape, Plane):
        other = Face(plane_patch(shape, face.surface))
    else:
        other = Face(grown(shape.surface, _GROWN)) if cutter.extend else shape
    out = []
    for fit, swapped in (meet or fresh_meet(tolerance))(face.surface, other.surface):
        mine, theirs = (fit.on_b, fit.on_a) if swapped else (fit.on_a, fit.on_b)
        out += [CutCurve(_part(mine, *s), _part(fit.space, *s)) for s in held(other, theirs)]
    return out


def fresh_meet(tolerance: float) -> Meet:
    """Intersections found anew, every kink an end."""

    def meet(a: Surface, b: Surface) -> list[tuple[FittedBranch, bool]]:
        return [(f, False) for f in fitted(a, b, find_branches(a, b), tolerance)]

    return meet


def fitted(
    a: Surface, b: Surface, branches: Sequence[Branch], tolerance: float, start: Sequence[tuple[int, ...]] = (),
    quick: bool = False,
) -> list[FittedBranch]:  # fmt: skip
    """Fitted runs of branches, cut at their kinks. start: spans of each from which the search goes on."""
    runs = [run for branch in branches for run in smooth_runs(branch)]
    return [fit_branch(a, b, run, tolerance, start[i] if i < len(start) else (), quick) for i, run in enumerate(runs)]


def _part(curve: Curve, start: float, end: float) -> Curve:
    return curve if (start, end) == curve.domain else curve_part(curve, start, end)


def plane_patch(plane: Plane, surface: Surface) -> Surface:
    """A piece of a plane that covers all of a surface, with room round it."""
    points = surface.control.reshape(-1, 3) - plane.origin
    x, y = points @ plane.x, points @ plane.y
    room = 0.05 * surface.diagonal + 1.0
    corners = [
        [plane.origin + a * plane.x + b * plane.y for b in (y.min() - room, y.max() + room)]
        for a in (x.min() - room, x.max() + room)
    ]
    return Surface.bezier(corners)


def _carried_on(cutter: Cutter, beside: Sequence[Cutter], face: Face, near: float) -> Cutter:
    """A curve that is to be extended carried straight on, as far as the face is large, at each end at which no other
    curve ends within ``near`` mm; a closed one stays, and so do faces and planes.
    """
    curve = cutter.shape
    if not isinstance(curve, Curve) or not cutter.extend:
        return cutter
    ends = curve_points(curve, curve.domain)
    if float(np.linalg.norm(ends[1] - ends[0])) < 1e-7:
        return cutter
    others = [p for c in beside if isinstance(c.shape, Curve) and c is not cutter for p in c.shape.control[[0, -1]]]
    reach = 0.5 * face.surface.diagonal
    for end in (0, 1):
        if not others or norm(np.array(others) - ends[end]).min() > near:
            curve = extend(curve, end, reach, "straight")
    return replace(cutter, shape=curve)


def proposed(divided: Divided) -> Pick:
    """The region that is kept when nothing was picked: the largest."""
    if not divided.regions:
        raise GeometryError("The face has no region left.")
    best = divided.regions[0]
    return Pick(best.at, dict(best.sides))
