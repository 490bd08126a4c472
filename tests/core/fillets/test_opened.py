"""A shell that closed before is told to be open where it does no more; what was open before is not."""

from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox

from pamble.core.faces.face import Face
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.fillets.opened import told_open
from pamble.core.spline.knots import surface_part


def test_edges_that_meet_nothing_are_told_where_all_did_before():
    box = [face_from_shape(s) for s in shape_faces(BRepPrimAPI_MakeBox(40.0, 30.0, 20.0).Shape())]
    (u0, u1), _ = box[0].surface.domain
    less = {0: Face(surface_part(box[0].surface, u=(u0, 0.5 * (u0 + u1))))}
    assert told_open(box, {0: box[0]}, frozenset(), []) == []
    (words,) = told_open(box, less, frozenset(), [])
    # A face of 20 x 30 cut in half: its new edge, and what the faces beside it had along the other half.
    assert "is open near" in words
    assert any(f"edges of {length:.2f} mm" in words for length in (30 + 30 + 10 + 10, 20 + 20 + 15 + 15))
    rest = {0: Face(surface_part(box[0].surface, u=(0.5 * (u0 + u1), u1)))}
    assert told_open(box, less, frozenset(), list(rest.values())) == []
    assert told_open(box[:1], less, frozenset(), []) == []
