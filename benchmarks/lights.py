"""Light lines of a part of 20 faces, exact and as they follow a drag. Usage: .venv/bin/python -m benchmarks.lights"""

from __future__ import annotations

import numpy as np

from benchmarks.timing import line, median
from pamble.core.faces.face import Face
from pamble.core.lights.bank import bank, shown
from pamble.core.lights.lines import light_lines
from pamble.core.spline.closest import to_surface
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_derivatives
from tests.core.patches.grounds import ground


def main() -> None:
    """Print the table."""
    faces = [Face(ground(seed, 60)) for seed in range(20)]
    lights = bank("highlight", np.array([0, 0, 1.0]), np.array([0, 1.0, 0]), 150.0, 2000.0)
    found = [x for face in faces for x in light_lines(face, lights)]
    print(f"{len(found)} lines, {sum(len(x.points) for x in found)} points")
    for quick, steps in ((False, 64), (True, 24)):
        off = 0.0
        for face in faces[:4]:
            for x in light_lines(face, lights, steps, quick):
                foot = to_surface(face.surface, x.points)
                d = surface_derivatives(face.surface, foot.u, foot.v, 1)
                off = max(off, float(np.abs(shown(lights, d[0, 0], normals(d), (), ())[0] - x.number).max()))
        each = median(lambda q=quick, s=steps: [light_lines(face, lights, s, q) for face in faces], 5)
        line("while a drag lasts" if quick else "exact", each)
        print(f"  off their light by at most {off:.1e} of the distance between two")


if __name__ == "__main__":
    main()
