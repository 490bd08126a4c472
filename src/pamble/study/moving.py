"""CVs moved on any object: where the change is to be kept.

A curve or face that its step draws by its CVs is changed there, as long as its surface has not been changed since.
Every other one gets a step of its own that holds the change, laid over whatever the steps before it make. It stands
right behind the step that gave the face its surface, so that trims follow.
"""

from __future__ import annotations

import uuid
from typing import Any

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.overlay import laid_over
from pamble.core.errors import StudyError
from pamble.core.faces.face import Face
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.overlay import Overlay, overlay_of
from pamble.study.document import Feature, Study
from pamble.study.features import KINDS
from pamble.study.features.move_cvs import MoveCvsParams
from pamble.study.objects import Shape
from pamble.study.operations import AddFeatures, MoveCvs, MovedCv, Op, SetParams
from pamble.study.references import step_of
from pamble.study.states import Evaluation
from pamble.study.stored import CurveData, SurfaceData


def moving_op(study: Study, evaluation: Evaluation, op: MoveCvs) -> Op:
    """The operation that moves CVs of an object where its change belongs. Raises `StudyError`."""
    standing = evaluation.world.get(op.id)
    if standing is None:
        raise StudyError("This object has no shape: there is nothing to move.")
    face = standing.shape.face
    if op.mirror is not None:
        net = standing.shape.net[:, None] if face is None else face.surface.control
        op = _mirrored(op, net, study.feature(step_of(op.id)).name)
    maker = study.feature(step_of(op.id))
    own = maker.id == op.id and maker.kind in KINDS and bool(KINDS[maker.kind].net)
    if face is None:
        over = _over_curve(study, op.id)
        if op.over and (over is not None or not own):
            raise StudyError(f"The CVs of {maker.name} are there already: show them with C.")
        return op if own and over is None and not op.over else _curve_op(study, standing.shape, maker, over, op)
    last = _last_changer(study, evaluation, op.id)
    if last is None and own:
        return op
    if last is not None and last.kind == "move_cvs":
        return _again(last, face, op)
    name = _free(f"CVs of {maker.name}", study)
    change = overlay_of(face.surface, _displaced(face.surface, op, maker.name))
    params = {"face": {"feature": op.id}, "change": _stored(change)}
    feature = Feature(id=op.step or uuid.uuid4().hex[:12], kind="move_cvs", name=name, role=maker.role, params=params)
    # Right behind what gave the face its surface: trims, and all else that comes later, follow.
    place = study.place((last or maker).id) + 1
    return AddFeatures(features=[feature.model_copy(update={"group": maker.group})], at=[place])


def _over_curve(study: Study, id: str) -> Feature | None:
    """The step that holds a change over a curve."""
    holding = (f for f in study.built if f.kind == "move_curve_cvs" and f.params["curve"]["feature"] == id and f.on)
    return next(holding, None)


def _curve_op(study: Study, shape: Shape, maker: Feature, over: Feature | None, op: MoveCvs) -> Op:
    """The change of a curve that its step does not draw by its CVs, held in a step behind it."""
    if not shape.curves:
        raise StudyError(f"{maker.name} has no CVs that could be moved.")
    curve = shape.curves[0]
    movement = np.zeros_like(curve.control)
    for cv in op.cvs:
        if cv.i >= len(movement) or cv.j:
            raise StudyError(f"{maker.name} has no CV {cv.i}, {cv.j}.")
        movement[cv.i] = np.array(cv.to) - curve.control[cv.i]
    change = Curve(curve.degree, curve.knots, movement)
    if over is not None:
        before = CurveData.model_validate(over.params["change"]).curve()
        return SetParams(id=over.id, changes={"change": CurveData.of(laid_over(before, change)).model_dump()})
    edge = next(iter(shape.lines))
    params = {"curve": {"feature": op.id, "edge": edge}, "change": CurveData.of(change).model_dump()}
    name = _free(f"CVs of {maker.name}", study)
    id = op.step or uuid.uuid4().hex[:12]
    feature = Feature(id=id, kind="move_curve_cvs", name=name, role=maker.role, group=maker.group, params=params)
    return AddFeatures(features=[feature], at=[study.place(maker.id) + 1])


_SAME = 1e-4
"""Distance, as a fraction of the net's size, within which a CV lies mirrored to another."""


def _mirrored(op: MoveCvs, net: Array, name: str) -> MoveCvs:
    """The movement with that of the CVs that lie mirrored. Raises `StudyError` where there is none."""
    axis = "xyz".index(op.mirror or "x")
    turn = np.ones(3)
    turn[axis] = -1.0
    rows, columns, _ = net.shape
    flat = net.reshape(-1, 3)
    size = float(np.linalg.norm(np.ptp(flat, axis=0)))
    moved = {(cv.i, cv.j): np.array(cv.to) for cv in op.cvs}
    own = dict(moved)
    for (i, j), to in own.items():
        if i >= rows or j >= columns:
            raise StudyError(f"{name} has no CV {i}, {j}.")
        away = np.linalg.norm(flat - net[i, j] * turn, axis=1)
        partner = int(np.argmin(away))
        if away[partner] > _SAME * size:
            raise StudyError(
                f"{name} is not the same on both sides of {op.mirror} = 0: CV {i + 1}, {j + 1} has no twin."
            )
        at = divmod(partner, columns)
        if at == (i, j):
            moved[at] = np.where(np.arange(3) == axis, 0.0, to)
        elif at not in own:
            moved[at] = to * turn
    cvs = [MovedCv(i=i, j=j, to=(float(p[0]), float(p[1]), float(p[2]))) for (i, j), p in moved.items()]
    return op.model_copy(update={"cvs": cvs, "mirror": None})


def _last_changer(study: Study, evaluation: Evaluation, id: str) -> Feature | None:
    """The last step that gave a face another surface; trims leave the surface as it is."""
    last, surface = None, None
    for feature in study.built:
        state = evaluation.states.get(feature.id)
        if state is None or not state.hands_on or state.made is None:
            continue
        shape = state.made.objects(feature.id).get(id)
        if shape is None or shape.face is None:
            continue
        if surface is not None and not _same_net(surface, shape.face.surface):
            last = feature
        surface = shape.face.surface
    return last


def _same_net(a: Surface, b: Surface) -> bool:
    return a is b or (a.control.shape == b.control.shape and np.array_equal(a.control, b.control))


def _displaced(surface: Surface, op: MoveCvs, name: str) -> Any:
    out = np.zeros_like(surface.control)
    n, m, _ = surface.control.shape
    for cv in op.cvs:
        if cv.i >= n or cv.j >= m:
            raise StudyError(f"{name} has no CV {cv.i}, {cv.j}.")
        out[cv.i, cv.j] = np.array(cv.to) - surface.control[cv.i, cv.j]
    return out


def _again(step: Feature, face: Face, op: MoveCvs) -> Op:
    """More movement in a step that moves CVs already; what it holds at the sides stays held."""
    params = MoveCvsParams.model_validate(step.params)
    more = _displaced(face.surface, op, step.name)
    held = params.held_rows(more)
    change = params.overlay().on(face.surface).control + held
    return SetParams(id=step.id, changes={"change": _stored(overlay_of(face.surface, change))})


def _stored(change: Overlay) -> dict[str, Any]:
    return SurfaceData.of(change.surface).model_dump()


def _free(wanted: str, study: Study) -> str:
    taken = {f.name for f in study.features}
    return next(t for t in (wanted, *(f"{wanted} {i}" for i in range(2, 9999))) if t not in taken)
