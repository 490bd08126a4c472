"""An empty study that tests of steps build in, and what they read from it."""

from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps

from pamble.core.faces.to_shape import face_to_shape
from pamble.study.features import KINDS


def add(kernel, id, kind, **params):
    """The state of a step put at the end of the history."""
    feature = {"id": id, "kind": kind, "name": id, "role": KINDS[kind].role, "params": params}
    kernel.commit({"op": "add_features", "features": [feature]})
    return kernel.now.states[id]


def line(feature, edge="c0"):
    return {"feature": feature, "edge": edge}


def face(kernel, id):
    return kernel.now.world[id].shape.face


def area(kernel, id) -> float:
    """By OpenCASCADE."""
    props = GProp_GProps()
    BRepGProp.SurfaceProperties_s(face_to_shape(face(kernel, id)), props, 1e-9)
    return float(props.Mass())
