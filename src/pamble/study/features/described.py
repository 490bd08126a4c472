"""What a window needs to know of a tool to draw its card, fill it by picks, and show what it found: nothing of it is
known to the window by name.
"""

from __future__ import annotations

from typing import Any, Literal, get_args

from pydantic import BaseModel

from pamble.study.features.base import Action, FeatureKind, Figure

Widget = Literal[
    "line", "lines", "face", "faces", "plane", "planes", "regions", "point", "place", "points", "cvs", "numbers",
    "number", "number each", "slider", "continuity", "continuities", "choice", "switch", "relations", "directions",
    "picture scale", "none",
]  # fmt: skip
"""How a field is shown and filled. place: a point that may hang on a line or a CV. cvs: the CVs of a curve, clicked."""

_REFS = {
    "RegionPick": "regions",
    "EdgeRef": "line",
    "ChangedEdgeRef": "line",
    "FaceRef": "face",
    "ChangedFaceRef": "face",
    "PlaneRef": "plane",
}
_LAST = ("degree", "tolerance", "spans")
"""Numbers of the fit stand last: they are rarely touched."""


class ToolField(BaseModel):
    """A field of a tool's card.

    optional: may be left open. required: must be given. placed: has a default, and a click on the part asks for it
    all the same. whole: a whole number. labels: words of the choices. direction: may be taken from the view.
    facing: taken from the view where a point is placed. least: fewest entries of a list; most: highest continuity;
    low, high: limits of a number. soft: range of a slider. once: a list that takes one pick, and more only when
    asked to. waits: one that takes none unasked. one_of: fields of the same word, of which one is filled. lies: the
    plane on which what is drawn lies. turns: a click on a face that is picked already turns the choice. open: a
    list of numbers that may grow. when: choices for which the field counts. fallback: its default. fold: title
    under which it is folded away with others. sides: of a pair, the two fields that name what each belongs to.
    rounds: edges that can be completed to those round a hole; every: faces that can be completed to all; beside: the
    field of edges, or the face, whose neighbours over a seam are put in too; within: the number by which those about
    the ends of an edge come along, as far as three times that. ends: the choice of "start" or "end" that a curve picked
    near one of its ends fills too. found: the figure of the result that says what an open one came to. unset: what an
    open point is called. counted: of a number each, the field that says how many there are.
    """

    name: str
    widget: Widget
    title: str
    unit: str
    optional: bool
    required: bool
    placed: bool
    whole: bool
    choices: list[str]
    labels: dict[str, str]
    direction: bool
    facing: bool
    least: int
    most: int
    low: float | None
    high: float | None
    soft: tuple[float, float] | None
    once: bool
    waits: bool
    one_of: str | None
    open: bool
    lies: bool
    turns: bool
    when: dict[str, list[str]] | None
    fallback: Any
    fold: str
    sides: tuple[str, str] | None
    ends: str
    rounds: bool
    every: bool
    beside: str
    within: str
    found: str
    unset: str
    counted: str


class ToolFigure(BaseModel):
    """A figure of a result. key: its name in the facts. each: label of an entry of a list, with {n} for its number.

    parts: of a figure in several parts, their names and units. negative: label where the number is below zero. fills:
    of sketches, a choice, its word that makes them count, and the field that takes the name of the picked one.
    """

    key: str
    label: str
    unit: str
    form: str
    each: str
    negative: str
    parts: list[tuple[str, str]]
    fills: tuple[str, str, str] | None


class ToolNumber(BaseModel):
    """A number that an action takes; see `AskedNumber`."""

    unit: str
    low: float
    high: float
    whole: bool
    shows: str


class ToolAction(BaseModel):
    """A named change of a curve; see `Action`."""

    name: str
    label: str
    about: str
    at: str
    recounts: bool
    asks: ToolNumber | None


class ToolInfo(BaseModel):
    """A tool: where it stands, its key, what it asks for, its fields and figures.

    section: heading under which it is listed; "" for those that stand in the row. makes: what it makes: curve, face,
    plane, mesh, picture, or nothing. movable: its CVs can be moved; points: they are points that the curve runs
    through. actions: named changes of the whole curve. doing: what may be done while it is shown and not yet kept.
    """

    kind: str
    label: str
    role: str
    stage: str | None
    section: str
    key: str
    ask: str
    doing: str
    makes: str
    movable: bool
    points: bool
    actions: list[ToolAction]
    fields: list[ToolField]
    figures: list[ToolFigure]


def describe(kind: FeatureKind) -> ToolInfo:
    """All that a window needs to know of a tool."""
    fields = _fields(kind)
    ordered = [f for f in fields if f.name not in _LAST] + [f for f in fields if f.name in _LAST]
    return ToolInfo(
        kind=kind.kind,
        label=kind.label,
        role=kind.role,
        stage=kind.stage,
        section=kind.section,
        key=kind.key,
        ask=kind.ask,
        doing=kind.doing,
        makes=kind.makes,
        movable=bool(kind.net),
        points=kind.net == ("points",),
        actions=[ToolAction(name=name, **_plain(action)) for name, action in kind.actions.items()],
        fields=ordered,
        figures=[_figure(f) for f in kind.figures],
    )


def _plain(action: Action) -> dict[str, Any]:
    own = {k: v for k, v in vars(action).items() if k not in ("run", "asks")}
    return own | {"asks": None if action.asks is None else ToolNumber(**vars(action.asks))}


def _figure(f: Figure) -> ToolFigure:
    return ToolFigure(
        key=f.key,
        label=f.label,
        unit=f.unit,
        form=f.form,
        each=f.each,
        negative=f.negative,
        parts=list(f.parts),
        fills=f.fills,
    )


def _fields(kind: FeatureKind) -> list[ToolField]:
    schema = kind.params.model_json_schema()
    needed = schema.get("required", [])
    return [_field(name, own, name in needed) for name, own in schema.get("properties", {}).items()]


def _field(name: str, own: dict[str, Any], required: bool) -> ToolField:
    kinds = own.get("anyOf", [own])
    real = next((k for k in kinds if k.get("type") != "null"), own)
    pair = real.get("prefixItems") if own.get("sides") else None
    # Of a pair with a value for each side, one entry says what both are.
    item = _without_null(pair[0]) if pair else real
    widget = own.get("widget") or ("none" if own.get("unseen") else _widget(item, kinds, own))
    if widget not in get_args(Widget):
        raise ValueError(f"There is no widget {widget!r}.")
    return ToolField(
        name=name,
        widget=widget,
        title=own.get("title", name),
        unit=own.get("unit", ""),
        optional=any(k.get("type") == "null" for k in (pair[0].get("anyOf", []) if pair else kinds)),
        required=required,
        placed=own.get("placed", False),
        whole=item.get("type") == "integer",
        choices=real.get("enum", []),
        labels=own.get("labels", {}),
        direction=own.get("direction", False),
        facing=own.get("facing", False),
        least=real.get("minItems", 0),
        most=int(own.get("limits", item).get("maximum", 3)),
        low=_limit(own, item, "minimum", "exclusiveMinimum"),
        high=_limit(own, item, "maximum", "exclusiveMaximum"),
        soft=own.get("soft"),
        once=own.get("once", False),
        waits=own.get("waits", False),
        one_of=own.get("one_of"),
        open=real.get("type") == "array" and "prefixItems" not in real,
        lies=own.get("lies", False),
        turns=own.get("turns", False),
        when=own.get("when"),
        fallback=own.get("default"),
        fold=own.get("fold", ""),
        sides=own.get("sides"),
        ends=own.get("ends", ""),
        rounds=own.get("rounds", False),
        every=own.get("every", False),
        beside=own.get("beside", ""),
        within=own.get("within", ""),
        found=own.get("found", ""),
        unset=own.get("unset", "as proposed"),
        counted=own.get("counted", ""),
    )


def _without_null(schema: dict[str, Any]) -> dict[str, Any]:
    return next((k for k in schema.get("anyOf", [schema]) if k.get("type") != "null"), schema)


def _limit(own: dict[str, Any], item: dict[str, Any], *names: str) -> float | None:
    return next((float(s[n]) for s in (own.get("limits", {}), item) for n in names if n in s), None)


def _widget(item: dict[str, Any], kinds: list[dict[str, Any]], own: dict[str, Any]) -> str:
    refs = [k["$ref"].rsplit("/", 1)[1] for k in kinds if "$ref" in k]
    if "OnLine" in refs:
        return "place"
    inner = item.get("items", {})
    ref = (item.get("$ref") or inner.get("$ref") or "").rsplit("/", 1)[-1]
    if ref in _REFS:
        return _REFS[ref] + ("s" if inner and ref != "RegionPick" else "")
    if own.get("continuity"):
        return "continuity"
    if "enum" in item:
        return "choice"
    plain = {"boolean": "switch", "number": "number", "integer": "number"}.get(item.get("type", ""))
    if plain:
        return plain
    if item.get("type") != "array":
        return "none"
    if "prefixItems" in item:
        return "point" if len(item["prefixItems"]) == 3 else "numbers"
    return "points" if "prefixItems" in inner else "numbers" if inner.get("type") == "number" else "none"
