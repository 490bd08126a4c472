"""Known surfaces with a hole cut into them: what a patch is to give back."""

import numpy as np

from pamble.core.curves.fit import fit_points
from pamble.core.faces.face import Edge, Face, natural_edge
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import raise_surface_degree, surface_part
from pamble.core.spline.surface import Surface


def ground(seed: int, rise: float, count: int = 7, degree: int = 5) -> Surface:
    """A freeform panel of 400 x 300 mm."""
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(0, 400, count), np.linspace(0, 300, count), indexing="ij")
    z = rise * (np.sin(x / 190 + 0.3) + np.cos(y / 111)) + rng.normal(size=x.shape) * rise * 0.12
    knots = basis.uniform_knots(degree, count - degree)
    return Surface(degree, degree, knots, knots, np.dstack([x, y, z]))


def window(surface: Surface, u=(0.35, 0.65), v=(0.3, 0.7)) -> list[Edge]:
    """The four edges round a hole between iso-curves: below, right, above, left."""
    (u0, u1), (v0, v1) = surface.domain
    u, v = [u0 + x * (u1 - u0) for x in u], [v0 + x * (v1 - v0) for x in v]
    parts = {"v1": (u, (v0, v[0])), "u0": ((u[1], u1), v), "v0": (u, (v[1], v1)), "u1": ((u0, u[0]), v)}
    return [natural_edge(surface_part(surface, tuple(a), tuple(b)), side) for side, (a, b) in parts.items()]


def knotted(seed: int) -> list[Face]:
    """Two cubic faces of 200 mm of unlike numbers of even knots, whose edges v0 face each other over a crooked gap."""
    rng, faces = np.random.default_rng(seed + 100), []
    for side in (0, 1):
        n = int(rng.integers(6, 11))
        edge = np.column_stack(
            [np.linspace(0, 200, n), np.full(n, side * 12) + rng.normal(0, 2, n), -side * 12 + rng.normal(0, 2, n)]
        )
        away = np.array((0, -20, 0) if side == 0 else (0, 3, -18))
        rows = [edge + j * away + (rng.normal(0, 1.5, (n, 3)) if j else 0) for j in range(4)]
        k = basis.uniform_knots(3, n - 3), basis.uniform_knots(3, 1)
        faces.append(Face(Surface(3, 3, *k, np.stack(rows, axis=1))))
    return faces


def hole(
    surface: Surface, sides: int, bulge: float = 0.08, turn: float = 0.3, radius: float = 0.2, centre=(0.5, 0.5)
) -> list[Edge]:
    """Edges round a hole cut anywhere, bulged outward, none of them an iso-curve."""
    angle = turn + np.arange(sides) * 2 * np.pi / sides
    tips = np.array(centre) + radius * np.stack([np.cos(angle), np.sin(angle)], axis=1)
    out = []
    for a, b in zip(tips, np.roll(tips, -1, axis=0), strict=True):
        outward = 2 * bulge * np.array([(b - a)[1], -(b - a)[0]])
        line = Curve(
            3, basis.uniform_knots(3, 1), np.array([a, a + (b - a) / 3 + outward, b - (b - a) / 3 + outward, b])
        )
        t = np.linspace(0, 1, 400)
        uv = curve_points(line, t)
        space = fit_points(surface_points(surface, uv[:, 0], uv[:, 1]), 5, 2e-5, None, t).curve
        out.append(Edge(surface, f"e{len(out)}", line, -1.0, space))
    return out


def edge(surface: Surface, name: str, *places, inward: float = 1.0) -> Edge:
    """A Bezier curve in the parameters of a surface."""
    line, t = Curve.bezier(np.array(places)), np.linspace(0, 1, 300)
    uv = curve_points(line, t)
    return Edge(surface, name, line, inward, fit_points(surface_points(surface, *uv.T), 5, 1e-6, None, t).curve)


def mitred(lift: float = 0.0) -> list[Face]:
    """Four faces round a square hole of 100 mm that share their mitres: one bowl, exactly, as its height is a quadratic
    over the plan and each face's plan bilinear. Their sides v0 lie round the hole, u1 on the u0 of the next. lift: of
    the third column of the second one, mm: its mitre to the first is no longer G2.
    """
    inner, outer = (r * np.array([(-1, -1), (1, -1), (1, 1), (-1, 1)]) for r in (50.0, 150.0))
    t = np.array([0.0, 0.5, 1.0])
    bernstein = np.array([[(1 - x) ** 2, 2 * x * (1 - x), x * x] for x in t])
    out = []
    for i in range(4):
        j = (i + 1) % 4
        rows = [(1 - t[:, None]) * a[i] + t[:, None] * a[j] for a in (inner, outer)]
        plan = (1 - t[None, :, None]) * rows[0][:, None] + t[None, :, None] * rows[1][:, None]
        x, y = plan[..., 0], plan[..., 1]
        points = np.dstack([x, y, 0.002 * x**2 + 0.001 * y**2 + 0.0007 * x * y])
        control = np.einsum("ik,jl,klc->ijc", np.linalg.inv(bernstein), np.linalg.inv(bernstein), points)
        surface = raise_surface_degree(Surface.bezier(control), 3, 3)
        if i == 1 and lift:
            control = surface.control.copy()
            control[2, :, 2] += lift
            surface = surface.with_control(control)
        out.append(Face(surface))
    return out


def twisted(edges: list[Edge], which: int, lift: float) -> Face:
    """The face of one edge round a hole, its first row inside lifted toward one end: its twist there is another's."""
    surface = edges[which].surface
    control = surface.control.copy()
    t = np.linspace(0, 1, control.shape[1])
    control[1, :, 2] += lift * t**2 * (t - 1)
    return Face(surface.with_control(control))


def wavy(e: Edge, high: float, waves: int = 9) -> Edge:
    """A cut edge that swings by some mm on its face, as one that was traced by hand."""
    t = np.linspace(*e.domain, 900)
    share = (t - t[0]) / (t[-1] - t[0])
    uv = curve_points(e.pcurve, t)
    across = np.column_stack([-np.gradient(uv[:, 1]), np.gradient(uv[:, 0])])
    across /= np.linalg.norm(across, axis=1)[:, None]
    swing = high / e.surface.diagonal * np.sin(waves * 2 * np.pi * share) * np.sin(np.pi * share)
    flat = fit_points(np.column_stack([uv + swing[:, None] * across, 0 * t]), 5, 1e-9, 40, share).curve
    line = Curve(5, flat.knots, flat.control[:, :2])
    points = surface_points(e.surface, *curve_points(line, share).T)
    return Edge(e.surface, e.name, line, e.inward, fit_points(points, 5, 1e-6, 40, share).curve)
