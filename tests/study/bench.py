"""An empty study that tests of steps build in, and what they read from it."""

from pamble.study.features import KINDS
from tests.other_library import face_area


def step(id, kind, **params):
    return {"id": id, "kind": kind, "name": id, "role": KINDS[kind].role, "params": params}


def add(kernel, id, kind, **params):
    """The state of a step put at the end of the history."""
    kernel.commit({"op": "add_features", "features": [step(id, kind, **params)]})
    return kernel.now.states[id]


def line(feature, edge="c0"):
    return {"feature": feature, "edge": edge}


def face(kernel, id):
    return kernel.now.world[id].shape.face


def area(kernel, id) -> float:
    """By OpenCASCADE."""
    return face_area(face(kernel, id))
