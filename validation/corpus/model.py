"""A part of the corpus as a user's files: STEP and JSON, with supports and loads on the faces of
the solids."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from labilis.run.picking import make_pick
from labilis.shape import build_body, read_step
from labilis.shape.step import solids_of
from validation.corpus import drawing as d
from validation.corpus.part import Part, end_rows
from validation.parts import written


@dataclass(frozen=True)
class Faces:
    """Faces of all bodies of a part one after the other, to choose from in the part's own axes."""

    kind: Any
    direction: Any
    centroid: Any
    radius: Any
    inner: Any

    def facing(self, direction: tuple[float, float, float], cosine: float) -> Any:
        """Plane faces that look one way."""
        return np.flatnonzero(
            (self.kind == "plane") & (self.direction @ np.array(direction, dtype=float) > cosine)
        )

    def top_of(self, direction: tuple[float, float, float]) -> Any:
        """The plane faces that lie furthest one way and look there."""
        rows = self.facing(direction, 0.99)
        along = self.centroid[rows] @ np.array(direction, dtype=float)
        return rows[along > along.max() - 1e-6]

    def plane_ends(self) -> Any:
        """Of a turned strap: its second end, the plane face that looks least along z and -y."""
        rows = np.flatnonzero((self.kind == "plane") & (np.abs(self.direction[:, 2]) < 0.1))
        return rows[[int(np.argmax(self.direction[rows, 1] - 1e-3 * self.centroid[rows, 0]))]]

    def outer_ball(self) -> Any:
        """Balls seen from outside."""
        return np.flatnonzero((self.kind == "sphere") & ~self.inner)

    def inner_round_across(self, axis: int) -> Any:
        """Round faces whose axis runs across x, y or z."""
        return np.flatnonzero((self.kind == "cylinder") & (np.abs(self.direction[:, axis]) < 0.1))

    def bores_along(self, direction: tuple[float, float, float]) -> Any:
        """Small bores along a direction in the lowest body."""
        rows = np.flatnonzero(
            (self.kind == "cylinder")
            & self.inner
            & (np.abs(self.direction @ np.array(direction)) > 0.99)
        )
        low = self.centroid[rows, 2]
        return rows[low < low.min() + 1e-6]

    def upper_rim(self, height: float) -> Any:
        """Plane faces at about a height that do not look sideways only."""
        rows = np.flatnonzero(
            (self.kind == "plane")
            & (np.abs(self.centroid[:, 2] - height) < 6)
            & (self.direction[:, 2] > 0.2)
        )
        return rows


def placed(part: Part) -> tuple[list[tuple[str, Any]], np.ndarray]:
    """(bodies where the part stands, its axis there)."""
    axis = np.array(part.axis, dtype=float)
    if part.place is None:
        return part.bodies, axis
    degrees, shift = part.place
    about = np.array([1.0, 2.0, 3.0]) / np.sqrt(14.0)
    bodies = [
        (name, d.shifted(d.turned(shape, (1, 2, 3), degrees), *shift))
        for name, shape in part.bodies
    ]
    a = np.radians(degrees)
    turned = (
        axis * np.cos(a)
        + np.cross(about, axis) * np.sin(a)
        + about * (about @ axis) * (1 - np.cos(a))
    )
    return bodies, turned


def write_step(bodies: list[tuple[str, Any]], path: Path, unit: str = "MM") -> bytes:
    """Bodies with their names as STEP."""
    from OCP.Interface import Interface_Static
    from OCP.Message import Message, Message_PrinterOStream
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.STEPControl import STEPControl_AsIs
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDataStd import TDataStd_Name
    from OCP.TDocStd import TDocStd_Document
    from OCP.XCAFDoc import XCAFDoc_DocumentTool

    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    document = TDocStd_Document(TCollection_ExtendedString("corpus"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    for name, shape in bodies:
        solids = solids_of(shape)
        label = tool.AddShape(solids[0] if len(solids) == 1 else shape, False)
        TDataStd_Name.Set_s(label, TCollection_ExtendedString(name))
    Interface_Static.SetCVal_s("write.step.unit", unit)
    writer = STEPCAFControl_Writer()
    writer.Transfer(document, STEPControl_AsIs)
    try:
        return written(writer, path)
    finally:
        Interface_Static.SetCVal_s("write.step.unit", "MM")


def write_model(
    part: Part, folder: Path, representation: dict[str, str] | None = None, name: str = "part"
) -> Path:
    """STEP and JSON of a part; `representation` by body, all solid when None."""
    bodies, axis = placed(part)
    data = write_step(bodies, folder / "part.step", part.unit)
    read = read_step(data)[0]
    shapes = [build_body(shape) for _, shape in read]
    names, rows, views = [], [], []
    for number, ((body, _), shape) in enumerate(zip(read, shapes)):
        names.append(body)
        rows += [(number, face) for face in range(len(shape.faces))]
        views.append(shape.view)
    columns = {
        field: np.concatenate([getattr(view.faces, field) for view in views])
        for field in ("kind", "direction", "centroid", "radius", "inner")
    }
    faces = Faces(**columns)
    foot = part.foot(faces) if part.foot is not None else end_rows(faces, axis, -1.0)
    head = part.head(faces) if part.head is not None else end_rows(faces, axis, 1.0)
    if len(foot) == 0 or len(head) == 0:
        raise AssertionError("a region of the corpus found no face")

    def region(word: str, chosen: Any) -> dict[str, Any]:
        return {
            "name": word,
            "piece": names[rows[int(chosen[0])][0]],
            "picks": [
                make_pick(views[rows[int(row)][0]], "face", rows[int(row)][1]).model_dump(
                    mode="json"
                )
                for row in chosen
            ],
        }

    model: dict[str, Any] = {
        "labilis": 2,
        "name": name,
        "geometry": [{"file": "part.step"}],
        "materials": [
            {
                "name": "steel",
                "youngs_modulus": "210 GPa",
                "poisson_ratio": "0.3",
                "density": "7850 kg/m^3",
                "yield_strength": "235 MPa",
            }
        ],
        "pieces": [
            {
                "name": body,
                "geometry": "part.step",
                "body": number,
                "material": "steel",
                "mesh_as": (representation or {}).get(body, "solid"),
            }
            for number, body in enumerate(names, 1)
        ],
        "regions": [region("foot", foot), region("head", head)],
        "supports": [{"name": "held", "on": "foot", "held": ["x", "y", "z"]}],
        "criteria": {"modes": 2},
    }
    if part.load == "pressure":
        model["loads"] = [
            {"kind": "pressure", "name": "push", "on": "head", "pressure": "0.01 MPa"}
        ]
    else:
        push = [f"{-1000 * c:.9g} N" for c in axis]
        model["hubs"] = [{"name": "ram", "region": "head"}]
        model["loads"] = [{"kind": "force", "name": "push", "on": "ram", "components": push}]
        frame = _frame(axis)
        held = {
            "free": [],
            "guided": ["y", "z", "turn_x", "turn_y", "turn_z"],
            "pinned": ["y", "z", "turn_x"],
        }[part.end]
        if held:
            model["supports"].append(
                {
                    "name": "guide",
                    "on": "ram",
                    "held": held,
                    "axes": {
                        "kind": "local",
                        "x_axis": [float(c) for c in axis],
                        "xy_plane": [float(c) for c in frame],
                    },
                }
            )
    model["cases"] = [{"name": "service", "loads": [{"load": "push"}]}]
    path = folder / "model.json"
    path.write_text(json.dumps(model, indent=1), encoding="utf-8")
    return path


def _frame(axis: np.ndarray) -> np.ndarray:
    """A direction across an axis."""
    other = np.eye(3)[int(np.argmin(np.abs(axis)))]
    across = other - (other @ axis) * axis
    return np.asarray(across / np.linalg.norm(across))
