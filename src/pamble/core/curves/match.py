"""Match: move the end of a curve so that it meets another, G0 to G3."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.curves.jets import CurveJets, JointFigures, end_jet, joint_figures
from pamble.core.errors import BlendError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives
from pamble.core.spline.knots import curve_part, raise_degree, reverse_curve


@dataclass(frozen=True)
class Match:
    """The matched curve, the joint, how far each CV moved (n,) mm, and whether the degree was raised."""

    curve: Curve
    joint: JointFigures
    moved: Array
    raised: int


def match_end(curve: Curve, end: int, target: CurveJets, continuity: int = 2, spread: bool = False) -> Match:
    """Move the end (0 start, 1 end) of ``curve`` to the jet ``target``, which leaves its own curve toward this one.

    Only the first continuity + 1 CVs move; with ``spread`` the rest give way smoothly and the far end holds its own
    position, tangent and curvature. The degree is raised where there are too few CVs. Speed and acceleration along
    the curve stay as they were: only what the joint asks for changes. Raises `BlendError` for a rational curve.
    """
    if curve.weights is not None:
        raise BlendError("A rational curve cannot be matched by its CVs: rebuild it as a polynomial one first.")
    if not 0 <= continuity <= 3:
        raise BlendError(f"G{continuity} is not known: G0, G1, G2 and G3 are.")
    work = reverse_curve(curve) if end == 1 else curve
    work = curve_part(work, *work.domain)
    wanted = 2 * (continuity + 1) if spread else continuity + 2
    raised = 0
    if len(work.control) < wanted:
        raised = wanted - len(work.control)
        work = raise_degree(work, raised)
    if work.degree < continuity:
        raise BlendError(f"Degree {work.degree} cannot carry G{continuity}.")
    n, rows = len(work.control), continuity + 1
    start = np.array([work.domain[0]])
    own = curve_derivatives(work, start, 3)[:, 0]
    # The curve begins where the target ends and runs on in its direction.
    derivatives = _wanted(own, target, continuity)
    system = basis.matrix(work.knots, work.degree, start, continuity)[:, 0, :rows]
    first = np.linalg.solve(system, derivatives)
    control = work.control.copy()
    change = first - control[:rows]
    control[:rows] = first
    if spread:
        control += _spread(change, n, rows)
        control[:rows] = first
    made = Curve(work.degree, work.knots, control)
    moved = norm(made.control - work.control)
    if end == 1:
        made, moved = reverse_curve(made), moved[::-1]
    size = float(norm(np.diff(work.control, axis=0)).sum())
    return Match(made, joint_figures(end_jet(made, end), target, size), moved, raised)


def _wanted(own: Array, target: CurveJets, continuity: int) -> Array:
    """Derivatives by the curve's own parameter that the joint asks for, position first."""
    point, tangent, bend, change = target.point[0], target.tangent[0], target.bend[0], target.change[0]
    speed = float(np.linalg.norm(own[1]))
    along = own[1] / max(speed, 1e-12)
    s2 = float(own[2] @ along)
    old_bend = (own[2] - s2 * along) / max(speed, 1e-12) ** 2
    s3 = float(own[3] @ along) + speed**3 * float(old_bend @ old_bend)
    out = [point, speed * tangent, s2 * tangent + speed**2 * bend]
    out.append(s3 * tangent + 3 * speed * s2 * bend + speed**3 * change)
    return np.array(out[: continuity + 1])


def _spread(change: Array, n: int, rows: int) -> Array:
    """Movement of all CVs that begins as ``change``, ends in as many rows at rest, and is even between."""
    third = np.diff(np.eye(n), 3, axis=0) if n > 3 else np.diff(np.eye(n), 1, axis=0)
    free = np.arange(rows, n - rows)
    out = np.zeros((n, change.shape[1]))
    out[:rows] = change
    if len(free):
        a = third[:, free]
        out[free] = np.linalg.lstsq(a, -third[:, :rows] @ change, rcond=None)[0]
    return out


def average_ends(a: Curve, end_a: int, b: Curve, end_b: int, continuity: int = 2) -> tuple[Match, Match]:
    """Match two ends halfway: both move to the mean of their points, directions and curvature vectors."""
    ja, jb = end_jet(a, end_a), end_jet(b, end_b).turned()
    tangent = ja.tangent + jb.tangent
    if float(norm(tangent)[0]) < 1e-6:
        raise BlendError("The two ends run into each other head on: turn one of them round first.")
    tangent = tangent / norm(tangent)[:, None]

    def across(v: Array) -> Array:
        return v - dot(v, tangent)[:, None] * tangent

    bend = across(0.5 * (ja.bend + jb.bend))
    change = across(0.5 * (ja.change + jb.change)) - dot(bend, bend)[:, None] * tangent
    mean = CurveJets(0.5 * (ja.point + jb.point), tangent, bend, change)
    return (
        match_end(a, end_a, mean.turned(), continuity),
        match_end(b, end_b, mean, continuity),
    )
