"""The blend of the demo part: its figures and how long it takes. Usage: .venv/bin/python -m benchmarks.edge_blend"""

from __future__ import annotations

from benchmarks.timing import line, median
from pamble.core.faces.face import natural_edge
from pamble.core.joining.blend import build_blend, preview_blend
from pamble.core.joining.spec import BlendSpec
from pamble.demo import DEMOS
from pamble.demo.mirror_cap import crown, flank
from pamble.study.kernel import Kernel


def main() -> None:
    """Print the table."""
    a, b = natural_edge(crown(), "v1"), natural_edge(flank(), "v0")
    for continuity in ((1, 1), (2, 2), (3, 3)):
        spec = BlendSpec(continuity)
        made = build_blend(a, b, spec)
        names = "-".join(f"G{g}" for g in continuity)
        for side, r in zip(("crown", "flank"), made.residuals or (), strict=True):
            print(
                f"{names} {side}: gap {r.gap:.1e} mm, angle {r.angle:.4f}°, curvature {r.curvature:.3f} %, "
                f"{made.spans} spans of degree {spec.degree}"
            )
        full = median(lambda spec=spec: build_blend(a, b, spec))
        line(f"{names} kept", full)
        knots = made.surface.knots_u
        line(f"{names} preview", median(lambda spec=spec, knots=knots: preview_blend(a, b, spec, knots)), full)

    kernel = Kernel(DEMOS["mirror-cap"].study().model_dump())
    params = {
        "first": {"feature": "crown", "edge": "v1"},
        "second": {"feature": "flank", "edge": "v0"},
    }
    feature = {"id": "b1", "kind": "edge_blend", "name": "Blend", "role": "secondary", "params": params}
    kernel.commit({"op": "add_features", "features": [feature]})
    move = {"op": "move_cvs", "id": "crown", "cvs": [{"i": 2, "j": 2, "to": [30, 55, 92]}]}
    line("a CV moved: kernel, blend, seam figures, frame", median(lambda: kernel.preview(move)))


if __name__ == "__main__":
    main()
