"""By how much the section that two fillets share has to lean so that both are tangent in it: along the line in which
the second forms of the faces that meet there are alike, [II](L, .) = 0.
"""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, cross, dot, unit
from pamble.core.fillets.between import Between
from pamble.core.fillets.section import arc
from pamble.core.spline.differential import Jet, jet

_JUMP, _MOST = 1e-4, 1.5
"""Jump of curvature, over the ball's, from which a section leans; and by how much it does at most."""

_STEP = 1e-4
"""Share of a crease over which the direction of its contacts is read."""


def leans(one: Between, u: float, two: Between, w: float) -> Array:
    """At either contact, (2,): how far the section leads along it over how far away from it, where the ball of one
    crease at share ``u`` goes on as that of the next at share ``w``; nothing where their curvature does not jump.
    """
    rolls = one.at(np.array([u - _STEP, u])).contacts, two.at(np.array([w, w + _STEP])).contacts
    into = arc(rolls[1])[1:]
    out = np.zeros(2)
    for k in (0, 1):
        run = unit(sum((np.diff(c.points[k], axis=0) for c in rolls), np.zeros((1, 3))))
        forms = []
        for ball, c, at in ((one, rolls[0], 1), (two, rolls[1], 0)):
            uv = c.uv[at : at + 1, 2 * k : 2 * k + 2]
            forms.append(_form(jet(ball.touched(k, np.zeros(1), uv, 2)), into[k][:1], run))
        out[k] = _alike(forms[0] - forms[1], 1.0 / float(rolls[1].radius[0]))
    return out


def _form(j: Jet, into: Array, run: Array) -> Array:
    """The second form over the directions into a fillet and along it, (2, 2), with the normal of these two."""
    sign = float(np.sign(dot(j.normal, cross(into, run))[0]))
    a, b, c = (float(j.second(x, y)[0]) for x, y in ((into, into), (into, run), (run, run)))
    return sign * np.array([[a, b], [b, c]])


def _alike(jump: Array, curvature: float) -> float:
    values, ways = np.linalg.eigh(jump)
    into, run = ways[:, int(np.argmin(np.abs(values)))]
    calm = float(np.abs(values).max()) < _JUMP * curvature
    return 0.0 if calm or abs(run) > _MOST * abs(into) else float(run / into)
