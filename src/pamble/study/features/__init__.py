"""The tools. A new one is a file here and a line in `KINDS`."""

from pamble.study.features import (
    blend_curve,
    change_curve,
    change_face,
    copy_curve,
    corner_curve,
    cv_curve,
    edge_blend,
    face,
    face_curve,
    fit_curve,
    match_curve,
    measures,
    mesh,
    mid_curve,
    move_curve_cvs,
    move_cvs,
    offset_curve,
    picture,
    planes,
    point_curve,
    project_curve,
    section_curve,
    shapes,
    trim_faces,
    two_view,
)
from pamble.study.features.base import FeatureKind

KINDS: dict[str, FeatureKind] = {
    k.kind: k
    for k in (
        face.KIND,
        mesh.KIND,
        picture.KIND,
        *planes.KINDS,
        cv_curve.KIND,
        point_curve.KIND,
        two_view.KIND,
        blend_curve.KIND,
        match_curve.KIND,
        offset_curve.KIND,
        offset_curve.ON_FACE,
        mid_curve.KIND,
        fit_curve.KIND,
        corner_curve.KIND,
        *change_curve.KINDS,
        copy_curve.KIND,
        project_curve.KIND,
        *face_curve.KINDS,
        *section_curve.KINDS,
        *shapes.KINDS,
        trim_faces.KIND,
        move_cvs.KIND,
        move_curve_cvs.KIND,
        *change_face.KINDS,
        edge_blend.KIND,
        *measures.KINDS,
    )
}

__all__ = ["KINDS", "FeatureKind"]
