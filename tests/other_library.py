"""What another library, OpenCASCADE, says of the same shapes."""

from OCP.BRepAlgoAPI import BRepAlgoAPI_Section
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps

from pamble.core.faces.face import Face
from pamble.core.faces.to_shape import face_to_shape


def intersection_length(a: Face, b: Face) -> float:
    """Length in mm of the intersection of two faces."""
    section = BRepAlgoAPI_Section(face_to_shape(a), face_to_shape(b), False)
    section.ComputePCurveOn1(True)
    section.Approximation(True)
    section.Build()
    props = GProp_GProps()
    BRepGProp.LinearProperties_s(section.Shape(), props)
    return float(props.Mass())
