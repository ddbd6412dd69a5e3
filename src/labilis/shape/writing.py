"""The part as it is stated, as a STEP file: solids of recipes and of imported bodies under the
names of their pieces."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping
from pathlib import Path

from labilis.model import LabilisError, Project
from labilis.shape.part import build_part
from labilis.shape.step import silence


def step_of(project: Project, files: Mapping[str, bytes]) -> bytes:
    """STEP (AP214, mm) of every piece and copy, those set aside among them, as it was drawn or
    built: shells with their thickness, without scribes. Raises LabilisError where a piece has no
    solid."""
    from OCP.Interface import Interface_Static
    from OCP.STEPCAFControl import STEPCAFControl_Writer
    from OCP.STEPControl import STEPControl_AsIs
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TDataStd import TDataStd_Name
    from OCP.TDocStd import TDocStd_Document
    from OCP.XCAFDoc import XCAFDoc_DocumentTool

    as_solid = {
        "mesh_as": "solid",
        "material": None,
        "thickness": None,
        "releases": (),
        "warping": "found",
        "set_aside": False,
    }
    bodies = []
    # by itself: solids of sheets that meet in a mid-line overlap by half a thickness, as they
    # should
    for piece in project.pieces:
        bare = Project(
            parameters=project.parameters,
            geometry=project.geometry,
            pieces=(piece.model_copy(update=as_solid),),
        )
        part = build_part(bare, files)
        bodies += [
            (part.bodies[number], solid.solid)
            for number, solid in zip(part.solid_bodies, part.solids)
        ]
    if not bodies:
        raise LabilisError(
            "There is no solid to write.", "pieces", "State a piece first.", "no-solid"
        )
    silence()
    Interface_Static.SetCVal_s("write.step.schema", "AP214IS")
    Interface_Static.SetCVal_s("write.step.unit", "MM")
    document = TDocStd_Document(TCollection_ExtendedString("labilis"))
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    for name, solid in bodies:
        TDataStd_Name.Set_s(tool.AddShape(solid, False), TCollection_ExtendedString(name, True))
    writer = STEPCAFControl_Writer()
    writer.SetNameMode(True)
    if not writer.Transfer(document, STEPControl_AsIs):
        raise LabilisError(
            "The part cannot be put into a STEP file.",
            "pieces",
            "Look at its pieces one by one.",
            "step-write",
        )
    with tempfile.TemporaryDirectory(prefix="labilis-") as folder:
        path = Path(folder) / "part.step"
        writer.Write(str(path))
        return path.read_bytes()
