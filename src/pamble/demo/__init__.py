"""Demo studies: made-up parts, as code that builds them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from pamble.core.faces.face import Face
from pamble.demo import cap_front, mirror_cap, steam_iron, van_cap
from pamble.study.document import Study
from pamble.study.evaluate import Evaluator
from pamble.study.states import exported


@dataclass(frozen=True)
class Demo:
    """A demo by title, the function that builds its study, and what to try first in it."""

    title: str
    study: Callable[[], Study]
    hint: str = ""


DEMOS = {
    "steam-iron": Demo(steam_iron.TITLE, steam_iron.study, steam_iron.HINT),
    "van-cap": Demo(van_cap.TITLE, van_cap.study, van_cap.HINT),
    "mirror-cap-front": Demo(cap_front.TITLE, cap_front.study, cap_front.HINT),
    "mirror-cap": Demo(mirror_cap.TITLE, mirror_cap.study, "Press B, then pick the edges that face each other."),
}
"""Demo studies by short name."""


def demo_faces(name: str) -> list[tuple[str, Face]]:
    """Named faces of a demo, built."""
    study = DEMOS[name].study()
    made = exported(study, Evaluator().evaluate(study))
    return [(name, shape) for items in made.values() for name, shape in items if isinstance(shape, Face)]
