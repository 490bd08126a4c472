"""What another library, OpenCASCADE, says of the same shapes."""

from OCP.BRepAlgoAPI import BRepAlgoAPI_Section
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer
from OCP.TopoDS import TopoDS_Shape

from pamble.core.faces.face import Face
from pamble.core.faces.to_shape import face_to_shape


def volume(shape: TopoDS_Shape) -> float:
    """Of a solid of the boundary model, mm³."""
    found = GProp_GProps()
    BRepGProp.VolumeProperties_s(shape, found, 1e-9)
    return abs(found.Mass())


def shape_area(shape: TopoDS_Shape) -> float:
    """Area of a shape of the boundary model, mm²."""
    found = GProp_GProps()
    BRepGProp.SurfaceProperties_s(shape, found, 1e-9)
    return float(found.Mass())


def shape_length(shape: TopoDS_Shape) -> float:
    """Length of all its edges, mm."""
    found = GProp_GProps()
    BRepGProp.LinearProperties_s(shape, found)
    return float(found.Mass())


def face_area(face: Face) -> float:
    """Area of one of our faces, mm²."""
    return shape_area(face_to_shape(face))


def intersection_length(a: Face, b: Face) -> float:
    """Length in mm of the intersection of two faces."""
    section = BRepAlgoAPI_Section(face_to_shape(a), face_to_shape(b), False)
    section.ComputePCurveOn1(True)
    section.Approximation(True)
    section.Build()
    return shape_length(section.Shape())


def written(shape, path) -> str:
    """The path of a STEP file that the other library wrote of a shape."""
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(path))
    return str(path)
