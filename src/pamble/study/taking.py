"""What a study takes in from files: the operation that adds it, and what cannot be taken."""

from __future__ import annotations

import hashlib
import tempfile
import uuid
from collections.abc import Collection
from pathlib import Path
from typing import Any

from pamble.core.meshes.mesh import pack
from pamble.core.spline.curve import Curve
from pamble.study.apply import with_defaults
from pamble.study.document import Feature, read_study_file
from pamble.study.features.face import FaceParams
from pamble.study.operations import AddFeatures
from pamble.study.stored import CurveData, FaceData


def taken_from_step(data: bytes, name: str, taken: Collection[str]) -> dict[str, Any]:
    """Features for every face and loose curve of a STEP file, and the reason for every one that cannot be taken.

    taken: names that the study has already. Raises `ExchangeError`.
    """
    from pamble.core.exchange.step import read_step

    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / (Path(name).name or "import.step")
        path.write_bytes(data)
        found = read_step(path)
    names = set(taken)
    features, problems = [], []
    source = Path(name).name
    for item in found:
        if item.made is None:
            problems.append({"name": item.name, "kind": item.kind, "reason": item.problem})
            continue
        title = _free(item.name[:100], names)
        names.add(title)
        if isinstance(item.made, Curve):
            params = {"curve": CurveData.of(item.made).model_dump(mode="json"), "source": source}
            features.append(Feature(id=new_id(), kind="cv_curve", name=title, role="theoretical", params=params))
        else:
            params = FaceParams(face=FaceData.of(item.made), source=source).model_dump(mode="json")
            features.append(Feature(id=new_id(), kind="face", name=title, role="primary", params=params))
    op = AddFeatures(features=features).model_dump() if features else None
    return {"op": op, "problems": problems, "taken": len(features)}


def study_from_file(data: bytes, name: str) -> tuple[dict[str, Any], dict[str, bytes]]:
    """The document of a study file, as it is stored, and the assets in it. Raises `StudyError`."""
    study, assets = read_study_file(data)
    return with_defaults(study).model_dump(), assets


def mesh_reference(data: bytes, name: str, taken: Collection[str]) -> dict[str, Any]:
    """The operation that shows a mesh, the mesh packed for the store, and a doubt whether it is whole, or None.

    Raises `ExchangeError`.
    """
    from pamble.core.exchange.mesh import doubt, read_mesh

    made = _reference("mesh", pack(read_mesh(data, Path(name).name)), name, taken, {})
    return made | {"doubt": doubt(data, name)}


def picture_reference(data: bytes, name: str, taken: Collection[str]) -> dict[str, Any]:
    """The operation that shows a picture, 200 mm wide at first, and the picture itself. Raises `ExchangeError`."""
    from pamble.core.exchange.picture import read_picture

    picture = read_picture(data, Path(name).name)
    scale = 200.0 / picture.width
    corner = (-100.0, -0.5 * scale * picture.height)
    size = {"width": picture.width, "height": picture.height}
    return _reference("picture", data, name, taken, {**size, "mm_per_pixel": scale, "corner": corner})


def _reference(kind: str, packed: bytes, name: str, taken: Collection[str], params: dict[str, Any]) -> dict[str, Any]:
    asset = hashlib.blake2b(packed, digest_size=16).hexdigest()
    title = _free(Path(name).stem[:100] or "Reference", taken)
    params = {"asset": asset, "source": Path(name).name, **params}
    feature = Feature(id=new_id(), kind=kind, name=title, role="construction", params=params)
    return {"op": AddFeatures(features=[feature], at=[0]).model_dump(), "asset": asset, "packed": packed}


def _free(wanted: str, taken: Collection[str]) -> str:
    return next(t for t in (wanted, *(f"{wanted} {i}" for i in range(2, 9999))) if t not in taken)


def new_id() -> str:
    """A short id for a new feature."""
    return uuid.uuid4().hex[:12]
