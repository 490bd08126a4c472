"""Parts of several faces that grow in a study: overbuilt decks trimmed by walls, pipes, domes, mirrored halves, bosses
and pockets, two decks with a blend from hole to hole, rims round closed curves; their edges filleted.

Usage: .venv/bin/python -m benchmarks.parts [how many, or from-to]. Each is exported, read back, sewn and checked by
OpenCASCADE: closed, valid, and of the areas that Pamble tells.
"""

from __future__ import annotations

import numpy as np

from benchmarks.growing import Bench, Ref, Refused, profile, tried
from pamble.core.arrays import Array
from pamble.core.spline.evaluate import curve_points

_UP = [0, 0, 1.0]
_SECTIONS = ("ball", "g2", "g3", "rho")


def face_ref(id: str) -> Ref:
    return {"feature": id}


def edge_ref(id: str, name: str) -> Ref:
    return {"feature": id, "edge": name}


def line(bench: Bench, id: str, control: Array, degree: int) -> Ref:
    bench.add(id, "cv_curve", curve={"degree": degree, "control": control.tolist()})
    return edge_ref(id, "c0")


def deck(bench: Bench, id: str, height: float, half: float, bulge: float) -> str:
    """A freeform deck larger than the part, by one of three ways."""
    rng, how = bench.rng, str(bench.rng.choice(["loft", "sweep", "patch"]))
    x = np.linspace(-half, half, int(rng.choice([4, 6])))
    degree = len(x) - 1
    bow = height + bulge * (1 - (x / half) ** 2 * rng.uniform(0.3, 1))
    if how == "loft":
        lines = []
        for i, y in enumerate(np.linspace(-half, half, int(rng.integers(3, 5)))):
            z = bow - rng.uniform(0, 0.5) * bulge * (y / half) ** 2
            lines.append(line(bench, f"{id}-{i}", np.column_stack([x, y + 0 * x, z]), degree))
        bench.add(id, "loft", sections=lines)
    elif how == "sweep":
        section = line(bench, f"{id}-s", np.column_stack([x, 0 * x - half, bow]), degree)
        y, fall = np.linspace(-half, half, 4), rng.uniform(0, 0.6) * bulge * np.array([0, 1, 1.2, 0])
        rail = line(bench, f"{id}-r", np.column_stack([0 * y - half, y, bow[0] + fall]), 3)
        bench.add(id, "sweep", rail=rail, sections=[section], way="fixed")
    else:
        u, v = np.meshgrid(x, x, indexing="ij")
        z = height + bulge * (1 - 0.6 * (u / half) ** 2 - 0.4 * (v / half) ** 2)
        net = np.stack([u, v, z + rng.uniform(-0.1, 0.1, u.shape) * bulge], axis=2)
        rims = (net[0], net[:, -1], net[-1], net[:, 0])
        bench.add(id, "boundary_patch", edges=[line(bench, f"{id}-{k}", r, degree) for k, r in enumerate(rims)])
    return how


def _overbuilt(bench: Bench) -> str:
    kind, size = profile(bench, "rim", 0.0, 1.0, ("rectangle", "ellipse", "spline"))
    draft = float(bench.rng.choice([0.0, bench.between(1, 8), -bench.between(1, 5)]))
    height, bulge = bench.between(0.3, 0.6) * size, bench.between(0.05, 0.3) * size
    how = deck(bench, "deck", height, 110.0, bulge)
    walls = bench.add("wall", "extrude", curve=edge_ref("rim", "c0"), forward=height + bulge + 15, draft=draft)
    keep = [{"feature": "deck", "at": [0.5, 0.5]}, *({"feature": w, "at": [0.37, 0.08]} for w in walls)]
    others = [face_ref(w) for w in walls]
    bench.add("cut", "trim_faces", faces=[face_ref("deck")], by_faces=others, each_other=True, keep=keep)
    bench.add("floor", "cap", edges=[edge_ref(w, "v0") for w in walls])
    section, radius = str(bench.rng.choice(_SECTIONS)), bench.between(0.03, 0.15) * min(size, height)
    bench.add("round", "fillet", edges=bench.edges("deck"), faces=others, radius=radius, section=section)
    return f"{kind} with draft {draft:.1f}°, {how}, {section} {radius:.2f} mm"


def _outline(bench: Bench, id: str, kind: str, middle: Array, size: float) -> None:
    """A closed curve about a place, so many mm to each side."""
    rng, flat = bench.rng, {"centre": middle.tolist(), "normal": _UP}
    if kind == "ellipse":
        bench.add(id, "ellipse", **flat, radius=size, second=size * bench.between(0.5, 1))
    elif kind == "rectangle":
        corner = bench.between(0.15, 0.35) * size
        bench.add(id, "rectangle", **flat, width=2 * size, height=size * bench.between(0.8, 2), corner=corner)
    else:
        n = int(rng.integers(5, 8))
        t, r = np.linspace(0, 2 * np.pi, n, endpoint=False), rng.uniform(0.75, 1.1, n) * size
        ring = np.column_stack([r * np.cos(t), r * np.sin(t), 0 * t]) + middle
        bench.add(id, "point_curve", points=ring.tolist(), closed=True)


def _pipe(bench: Bench) -> str:
    """A section swept along a rail that runs through it."""
    rng, kind = bench.rng, str(bench.rng.choice(["ellipse", "rectangle", "spline"]))
    count, size = int(rng.choice([4, 6])), bench.between(10, 25)
    length, rail = bench.between(5, 12) * size, np.zeros((count, 3))
    rail[:, 2] = np.linspace(0, length, count)
    rail[2:] += rng.uniform(-0.12, 0.12, (count - 2, 3)) * length
    _outline(bench, "rim", kind, np.zeros(3), size)
    way = str(rng.choice(["turning", "fixed", "held"]))
    path = line(bench, "rail", rail, count - 1)
    walls = bench.add("wall", "sweep", rail=path, sections=[edge_ref("rim", "c0")], way=way, held=(1.0, 0.0, 0.0))
    for id, place in (("lid", rail[-1]), ("floor", rail[0])):
        ends = []
        for w in walls:
            away = {e.name: np.linalg.norm(e.space.control - place, axis=1).max() for e in bench.face(w).edges}
            ends.append(edge_ref(w, min(away, key=lambda name, away=away: away[name])))
        bench.add(id, "cap", edges=ends)
    section, radius = str(rng.choice(_SECTIONS)), bench.between(0.03, 0.12) * size
    both = bench.edges("lid") + bench.edges("floor")
    bench.add("round", "fillet", edges=both, faces=[face_ref(w) for w in walls], radius=radius, section=section)
    return f"pipe, {kind} {way}, {section} {radius:.2f} mm"


def _dome(bench: Bench) -> str:
    """Lofted walls round a corner each, a patch on top."""
    rng, n = bench.rng, int(bench.rng.choice([3, 4, 4, 4]))
    t, r = np.linspace(0, 2 * np.pi, n, endpoint=False) + rng.uniform(-0.15, 0.15, n), rng.uniform(40, 60, n)
    foot = np.column_stack([r * np.cos(t), r * np.sin(t), 0 * t])
    top = foot * rng.uniform(0.8, 1.1) + [0, 0, 1] * rng.uniform(25, 35, (n, 1))
    degree = int(rng.choice([2, 3]))
    s = np.linspace(0, 1, degree + 1)[:, None]
    for i in range(n):
        lines = []
        for name, ring, up in (("b", foot, 0.0), ("t", top, rng.uniform(2, 10))):
            a, b = ring[i], ring[(i + 1) % n]
            out = (a + b) * [1, 1, 0] / np.linalg.norm((a + b) * [1, 1, 0])
            bow = 4 * s * (1 - s) * (out * rng.uniform(2, 8) + [0, 0, up])
            lines.append(line(bench, f"{name}{i}", a + (b - a) * s + bow, degree))
        bench.add(f"w{i}", "loft", sections=lines)
    walls = [f"w{i}" for i in range(n)]
    bench.add("lid", "boundary_patch", edges=[edge_ref(w, "v1") for w in walls], continuity=[0] * n)
    bench.add("floor", "cap", edges=[edge_ref(w, "v0") for w in walls])
    radius, how = bench.between(0.4, 4), str(rng.choice(["all", "uprights then rim", "rim"]))
    uprights, others = [edge_ref(w, "u1") for w in walls], [face_ref(w) for w in walls]
    if how == "all":
        edges = uprights + bench.edges("lid")
        bench.add("round", "fillet", edges=edges, faces=[*others, face_ref("floor")], radius=radius)
    elif how == "rim":
        bench.add("round", "fillet", edges=bench.edges("lid"), faces=others, radius=radius)
    else:
        bench.add("corners", "fillet", edges=uprights, faces=[face_ref("lid"), face_ref("floor")], radius=radius)
        others = [face_ref(i) for i, _ in bench.faces() if i not in ("lid", "floor")]
        bench.add("round", "fillet", edges=bench.edges("lid"), faces=others, radius=0.6 * radius)
    return f"dome of {n}, {how} {radius:.2f} mm"


def _halves(bench: Bench) -> str:
    """Half a part with its walls square to the plane in which it is mirrored; filleted before or after."""
    rng, a, b, w = bench.rng, bench.between(40, 70), bench.between(40, 70), bench.between(20, 45)
    rim = np.array([
        [-a, 0, 0], [-a, w * rng.uniform(0.3, 0.7), 0], [-a * rng.uniform(0.5, 0.8), w, 0],
        [b * rng.uniform(0.4, 0.7), w * rng.uniform(0.8, 1.2), 0], [b, w * rng.uniform(0.4, 0.8), 0], [b, 0, 0],
    ])  # fmt: skip
    curve, h = line(bench, "rim", rim, int(rng.choice([3, 5]))), bench.between(20, 40)
    if rng.random() < 0.6:
        up, x = bench.between(3, 12), np.linspace(-100, 100, 4)
        bench.add("wall", "extrude", curve=curve, forward=h + up + 10)
        lines = [
            line(bench, f"s{k}", np.column_stack([x, y + 0 * x, h - low + grown * up * (1 - (x / 100) ** 2)]), 3)
            for k, (y, low, grown) in enumerate(((0, 0, 1), (40, 1, 1), (90, 6, 0.7)))
        ]
        bench.add("lid", "loft", sections=lines, start="square")
        keep = [{"feature": "lid", "at": [0.5, 0.1]}, {"feature": "wall", "at": [0.5, 0.1]}]
        bench.add("cut", "trim_faces", faces=[face_ref("lid")], by_faces=[face_ref("wall")], each_other=True, keep=keep)
    else:
        bench.add("wall", "extrude", curve=curve, forward=h, draft=float(rng.choice([0.0, bench.between(1, 6)])))
        c = bench.face("wall").edge("v1").space.control
        bench.add("lid", "cap", edges=[edge_ref("wall", "v1"), line(bench, "chord", c[[0, -1]], 1)])
    c = bench.face("wall").edge("v0").space.control
    bench.add("floor", "cap", edges=[edge_ref("wall", "v0"), line(bench, "base", c[[0, -1]], 1)])

    def rims(*lids: str) -> list[Ref]:
        return [
            edge_ref(i, e.name) for i in lids for e in bench.face(i).edges if np.abs(e.space.control[:, 1]).max() > 1
        ]

    section, radius = str(rng.choice(_SECTIONS[:3])), bench.between(1, 5)
    if rng.random() < 0.5:
        bench.add("round", "fillet", edges=rims("lid"), faces=[face_ref("wall")], radius=radius, section=section)
        bench.add("other", "other_half", faces=[face_ref(i) for i, _ in bench.faces()], square_to="y")
        return f"halves, filleted and mirrored, {section} {radius:.2f} mm"
    lid, wall, _ = bench.add(
        "other", "other_half", faces=[face_ref(i) for i in ("lid", "wall", "floor")], square_to="y"
    )
    edges, others = rims("lid", lid), [face_ref("wall"), face_ref(wall)]
    bench.add("round", "fillet", edges=edges, faces=others, radius=radius, section=section)
    return f"halves, mirrored and filleted, {section} {radius:.2f} mm"


def _plate(bench: Bench, freeform: bool) -> list[str]:
    """A deck over walls and a floor; the walls' ids."""
    w, h = bench.between(160, 220), bench.between(140, 180)
    low = {"centre": [0, 0, -30], "normal": _UP}
    bench.add("outline", "rectangle", **low, width=w, height=h, corner=bench.between(0.1, 0.3) * h)
    if freeform:
        deck(bench, "deck", 0.0, 150.0, bench.between(4, 12))
    walls = bench.add("wall", "extrude", curve=edge_ref("outline", "c0"), forward=70.0 if freeform else 30.0)
    if freeform:
        keep = [{"feature": "deck", "at": [0.5, 0.5]}, *({"feature": x, "at": [0.37, 0.08]} for x in walls)]
        others = [face_ref(x) for x in walls]
        bench.add("cut", "trim_faces", faces=[face_ref("deck")], by_faces=others, each_other=True, keep=keep)
    else:
        bench.add("deck", "cap", edges=[edge_ref(x, "v1") for x in walls])
    bench.add("floor", "cap", edges=[edge_ref(x, "v0") for x in walls])
    return walls


def _seated(bench: Bench) -> str:
    """A boss on a deck, or a pocket in it: foot and rim filleted, and at times the deck's rim."""
    rng, freeform, down = bench.rng, bench.rng.random() < 0.6, bench.rng.random() < 0.5
    walls, kind = _plate(bench, freeform), str(bench.rng.choice(["ellipse", "rectangle", "spline"]))
    middle, size = np.array([bench.between(-20, 20), bench.between(-10, 10), -20]), bench.between(20, 30)
    _outline(bench, "seat", kind, middle, size)
    draft = float(rng.choice([0.0, bench.between(1, 5) * (1 if down else -1)]))
    boss = bench.add("boss", "extrude", curve=edge_ref("seat", "c0"), forward=60.0, draft=draft)
    place = [0.72, 0.5] if freeform else [0.5, 0.18]
    keep = [{"feature": "deck", "at": place}, *({"feature": x, "at": [0.37, 0.05 if down else 0.95]} for x in boss)]
    others = [face_ref(x) for x in boss]
    bench.add("into", "trim_faces", faces=[face_ref("deck")], by_faces=others, each_other=True, keep=keep)
    bench.add("top", "cap", edges=[edge_ref(x, "v0" if down else "v1") for x in boss])
    radius, section = bench.between(1, 4), str(rng.choice(["ball", *_SECTIONS]))
    foot = [e for e in bench.edges("deck") if "into" in e["edge"]]
    bench.add("foot", "fillet", edges=foot, faces=others, radius=radius, section=section)
    bench.add("rim", "fillet", edges=bench.edges("top"), faces=others, radius=0.8 * radius, section=section)
    if rng.random() < 0.5:
        outer = [e for e in bench.edges("deck") if "foot" not in e["edge"]]
        bench.add("round", "fillet", edges=outer, faces=[face_ref(x) for x in walls], radius=bench.between(2, 5))
    return f"{'pocket' if down else 'boss'}, {kind} with draft {draft:.1f}°, {section} {radius:.2f} mm"


def _tunnel(bench: Bench) -> str:
    """Two decks in a wall, a blend from a hole in one to a hole in the other."""
    rng = bench.rng
    deck(bench, "deck", 0.0, 150.0, bench.between(4, 12))
    deck(bench, "under", -bench.between(30, 40), 150.0, -bench.between(2, 8))
    bench.add("outline", "rectangle", centre=[0, 0, -80], normal=_UP, width=200, height=150, corner=30)
    walls = bench.add("wall", "extrude", curve=edge_ref("outline", "c0"), forward=120)
    decks, others = [face_ref("deck"), face_ref("under")], [face_ref(x) for x in walls]
    keep = [{"feature": "deck", "at": [0.5, 0.5]}, {"feature": "under", "at": [0.5, 0.5]}]
    keep += [{"feature": x, "at": [0.37, 0.5]} for x in walls]
    bench.add("cut", "trim_faces", faces=decks, by_faces=others, each_other=True, keep=keep)
    size, x, y = bench.between(20, 35), bench.between(-15, 15), bench.between(-10, 10)
    ends = []
    for k, (own, grown) in enumerate((("deck", 1.0), ("under", bench.between(0.7, 1.2)))):
        radii = {"radius": size * grown, "second": size * grown * bench.between(0.6, 1)}
        bench.add(f"o{k}", "ellipse", centre=[x + k * bench.between(-5, 5), y, 0], normal=_UP, **radii)
        keep = [{"feature": own, "at": [0.7, 0.7]}]
        along = {"along": "direction", "direction": tuple(_UP), "keep": keep}
        bench.add(f"h{k}", "trim_faces", faces=[face_ref(own)], by_curves=[edge_ref(f"o{k}", "c0")], **along)
        ends.append(next(e for e in bench.edges(own) if f"h{k}" in e["edge"]))
    meets = tuple(int(g) for g in rng.choice([1, 2, 2, 3], 2))
    bench.add("blend", "edge_blend", first=ends[0], second=ends[1], continuity=meets)
    outer = [e for e in bench.edges("deck") if "cut" in e["edge"]]
    bench.add("round", "fillet", edges=outer, faces=others, radius=bench.between(2, 4))
    return f"tunnel, G{meets[0]} and G{meets[1]}"


def _rim(bench: Bench) -> str:
    """A sweep between a closed curve and its offset, with a cap below."""
    kind, size = profile(bench, "rim", 0.0, 1.0, ("rectangle", "ellipse", "spline"))
    bench.add("inner", "offset_curve", curve=edge_ref("rim", "c0"), distance=bench.between(0.08, 0.15) * size)
    first, last = (
        curve_points(c, [c.domain[0]])[0] for c in (bench.kernel.now.world[i].shape.curves[0] for i in ("rim", "inner"))
    )
    up = np.array([0, 0, bench.between(0.05, 0.2) * size])
    arch = line(bench, "arch", np.array([first, first + up, last + up, last]), 3)
    lip = bench.add("lip", "sweep", rail=edge_ref("rim", "c0"), second=edge_ref("inner", "c0"), sections=[arch])
    if len(lip) > 1 or not bench.face(lip[0]).surface.closed[1]:
        raise Refused("The rim does not close.")
    bench.add("under", "cap", edges=[edge_ref(lip[0], side) for side in ("u0", "u1")])
    return f"rim round {kind}"


if __name__ == "__main__":
    tried((_overbuilt, _pipe, _dome, _halves, _seated, _tunnel, _rim))
