"""The classic rows: every row interpolated from its target at the Greville points. The preview while dragging.

Meets the neighbour exactly at as many points as there are control points along the edge, and nothing in between
is negotiated; the cascade takes over when the pointer is released.
"""

from __future__ import annotations

import numpy as np
from scipy.linalg import solve

from pamble.core.arrays import Array
from pamble.core.faces.frames import frames
from pamble.core.joining.cascade import bezier_end
from pamble.core.joining.directions import leave
from pamble.core.joining.pairing import Side
from pamble.core.joining.spec import BlendSpec
from pamble.core.spline import basis
from pamble.core.spline.surface import Surface


def classic(sides: tuple[Side, Side], spec: BlendSpec, knots: Array) -> Surface:
    """Blend surface with the given knots along the edges (degree ``spec.degree``)."""
    s = basis.greville(knots, spec.degree)
    collocation = basis.matrix(knots, spec.degree, s)[0]
    sampled = [
        frames(side.edge, side.parameters(s), 3 if g > 2 else 2) for side, g in zip(sides, spec.continuity, strict=True)
    ]
    chord = sampled[1].position - sampled[0].position
    halves: list[list[Array]] = []
    for i, (side, f, g) in enumerate(zip(sides, sampled, spec.continuity, strict=True)):
        wanted = leave(side, f, chord if i == 0 else -chord, spec.full(i), spec.ends, s)
        d, j = wanted.velocity, f.jet
        e = j.second(d, d)[:, None] * f.normal + wanted.bend
        targets = [f.position, d, e]
        if g > 2:
            targets.append((3 * j.second(d, wanted.bend) + j.third(d))[:, None] * f.normal)
        rows = solve(collocation, np.concatenate(targets[: g + 1], axis=1)).reshape(len(s), g + 1, 3)
        halves.append(bezier_end(rows[:, 0], [rows[:, k] for k in range(1, g + 1)], spec.across))
    control = np.stack(halves[0] + halves[1][::-1], axis=1)
    return Surface(spec.degree, spec.across, knots, basis.uniform_knots(spec.across, 1), control)
