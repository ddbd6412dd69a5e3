"""Reading STEP (AP203, AP214, AP242): solids with their names, converted to mm."""

from __future__ import annotations

import re
import tempfile
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np

from labilis.model import LabilisError

_POINT = re.compile(rb"CARTESIAN_POINT\s*\(\s*'[^']*'\s*,\s*\(([^()]*)\)")
_FARTHEST = 1e13  # in the file's own unit


def silence() -> None:
    """OpenCASCADE prints its progress to standard output; a piped `--json` must stay clean."""
    from OCP.Message import Message, Message_PrinterOStream

    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())


def warm_up() -> None:
    """Load OpenCASCADE before it is needed; it takes most of a second."""
    import OCP.STEPCAFControl  # noqa: F401


def _label_name(label: Any) -> str:
    from OCP.TDataStd import TDataStd_Name

    name = TDataStd_Name()
    if label.FindAttribute(TDataStd_Name.GetID_s(), name):
        text = name.Get().ToExtString().strip()
        return "" if text.startswith("Open CASCADE STEP translator") else text
    return ""


def _walk(tool: Any, label: Any, location: Any, name: str, found: list[tuple[str, Any]]) -> None:
    from OCP.TDF import TDF_Label, TDF_LabelSequence
    from OCP.XCAFDoc import XCAFDoc_ShapeTool

    if XCAFDoc_ShapeTool.IsAssembly_s(label):
        parts = TDF_LabelSequence()
        XCAFDoc_ShapeTool.GetComponents_s(label, parts)
        for index in range(1, parts.Length() + 1):
            component, referred = parts.Value(index), TDF_Label()
            if XCAFDoc_ShapeTool.GetReferredShape_s(component, referred):
                placed = location.Multiplied(XCAFDoc_ShapeTool.GetLocation_s(component))
                own = _label_name(referred) or _label_name(component)
                _walk(
                    tool, referred, placed, f"{name}/{own}" if name and own else own or name, found
                )
        return
    found.append((name, XCAFDoc_ShapeTool.GetShape_s(label).Moved(location)))


def solids_of(shape: Any) -> list[Any]:
    """Solids in a shape."""
    from OCP.TopAbs import TopAbs_SOLID
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    explorer, solids = TopExp_Explorer(shape, TopAbs_SOLID), []
    while explorer.More():
        solids.append(TopoDS.Solid_s(explorer.Current()))
        explorer.Next()
    return solids


def loose_faces(shape: Any) -> list[Any]:
    """Faces in a shape that belong to no solid."""
    from OCP.TopAbs import TopAbs_FACE, TopAbs_SOLID
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    explorer, faces = TopExp_Explorer(shape, TopAbs_FACE, TopAbs_SOLID), []
    while explorer.More():
        faces.append(TopoDS.Face_s(explorer.Current()))
        explorer.Next()
    return faces


def gathered(faces: list[Any]) -> Any:
    """Shapes as one compound."""
    from OCP.BRep import BRep_Builder
    from OCP.TopoDS import TopoDS_Compound

    whole, builder = TopoDS_Compound(), BRep_Builder()
    builder.MakeCompound(whole)
    for face in faces:
        builder.Add(whole, face)
    return whole


def volume_of(solid: Any) -> float:
    """Volume of a shape, mm³."""
    from OCP.BRepGProp import BRepGProp
    from OCP.GProp import GProp_GProps

    properties = GProp_GProps()
    BRepGProp.VolumeProperties_s(solid, properties)
    return float(properties.Mass())


def read_step(data: bytes, file: str = "part.step") -> tuple[list[tuple[str, Any]], str]:
    """Bodies of a STEP file as (name, shape), coordinates in mm, and the file's own length unit:
    solids, and surfaces that belong to none. The last few files are kept; the shapes are the
    caller's own, one shape in several places still one.

    Raises LabilisError for text that is not STEP, and for a file without bodies.
    """
    bodies, unit = _read(data, file)
    return _copies(bodies), unit


def _copies(bodies: Sequence[tuple[str, Any]]) -> list[tuple[str, Any]]:
    """Shapes of their own, since what works on shapes may widen their tolerances."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Copy
    from OCP.TopLoc import TopLoc_Location

    made: list[tuple[Any, Any]] = []
    found = []
    for name, shape in bodies:
        copy = next((copy for known, copy in made if known.IsPartner(shape)), None)
        if copy is None:
            copy = BRepBuilderAPI_Copy(shape.Located(TopLoc_Location())).Shape()
            made.append((shape, copy))
        found.append((name, copy.Located(shape.Location()).Oriented(shape.Orientation())))
    return found


@lru_cache(maxsize=4)
def _read(data: bytes, file: str) -> tuple[tuple[tuple[str, Any], ...], str]:
    _check_text(data, file)
    from OCP.IFSelect import IFSelect_RetDone
    from OCP.Interface import Interface_Static
    from OCP.STEPCAFControl import STEPCAFControl_Reader
    from OCP.TCollection import TCollection_ExtendedString
    from OCP.TColStd import TColStd_SequenceOfAsciiString
    from OCP.TDF import TDF_LabelSequence
    from OCP.TDocStd import TDocStd_Document
    from OCP.TopLoc import TopLoc_Location
    from OCP.XCAFDoc import XCAFDoc_DocumentTool, XCAFDoc_ShapeTool

    silence()
    reader = STEPCAFControl_Reader()
    Interface_Static.SetCVal_s("xstep.cascade.unit", "MM")
    reader.SetNameMode(True)
    with tempfile.TemporaryDirectory(prefix="labilis-") as folder:
        path = Path(folder) / "part.step"
        path.write_bytes(data)
        status = reader.ReadFile(str(path))
    if status != IFSelect_RetDone:
        raise LabilisError(
            "The STEP file cannot be read; it is damaged or cut short.",
            file,
            "Export the part again.",
            "step-damaged",
        )
    lengths, angles, solid_angles = (TColStd_SequenceOfAsciiString() for _ in range(3))
    reader.Reader().FileUnits(lengths, angles, solid_angles)
    unit = lengths.Value(1).ToCString() if lengths.Length() else "millimetre"
    document = TDocStd_Document(TCollection_ExtendedString("labilis"))
    if not reader.Transfer(document):
        raise LabilisError(
            "The STEP file holds no bodies.", file, "Export the part as solids.", "step-empty"
        )
    tool = XCAFDoc_DocumentTool.ShapeTool_s(document.Main())
    roots = TDF_LabelSequence()
    tool.GetFreeShapes(roots)
    found: list[tuple[str, Any]] = []
    several = roots.Length() > 1  # one assembly that holds all of it says nothing
    for index in range(1, roots.Length() + 1):
        root = roots.Value(index)
        whole = XCAFDoc_ShapeTool.IsAssembly_s(root) and not several
        _walk(tool, root, TopLoc_Location(), "" if whole else _label_name(root), found)
    bodies: list[tuple[str, Any]] = []
    for name, shape in found:
        solids = solids_of(shape)
        loose = loose_faces(shape)
        several = len(solids) + bool(loose) > 1
        for index, body in enumerate([*solids, *([gathered(loose)] if loose else [])], 1):
            bodies.append((f"{name or 'body'} {index}" if several else name or "body", body))
    if not bodies:
        raise LabilisError(
            "The STEP file holds no bodies.", file, "Export the part as solids.", "step-empty"
        )
    return tuple(bodies), unit.lower()


def _check_text(data: bytes, file: str) -> None:
    """Raises LabilisError for what is no STEP file, before any reader sees it."""
    if not data.strip():
        raise LabilisError(
            "The file is empty.", file, "Export the part again as STEP.", "step-empty"
        )
    if b"ISO-10303-21" not in data[:4096]:
        raise LabilisError(
            "This is not a STEP file: it does not begin with ISO-10303-21.",
            file,
            "Export the part as STEP (AP203, AP214 or AP242).",
            "not-step",
        )
    _check_points(data, file)


def _check_points(data: bytes, file: str) -> None:
    """Raises LabilisError where a coordinate is no number, or beyond all bounds: the reader
    takes those and may never end."""
    texts = b",".join(_POINT.findall(data)).split(b",")
    try:
        numbers = np.array(texts, dtype=float) if texts != [b""] else np.zeros(0)
    except ValueError:
        numbers = np.array([np.nan])
    if not (np.abs(numbers) < _FARTHEST).all():
        raise LabilisError(
            "A coordinate in the STEP file is no number, or beyond all bounds; it is damaged.",
            file,
            "Export the part again.",
            "step-damaged",
        )


@contextmanager
def damaged(file: str) -> Iterator[None]:
    """What the geometry library cannot do with a file becomes a LabilisError."""
    try:
        yield
    except Exception as error:
        if not type(error).__module__.startswith("OCP."):
            raise
        raise LabilisError(
            f"The geometry of the file cannot be worked with ({type(error).__name__}); it is "
            "damaged.",
            file,
            "Repair it where it was drawn, and export it again.",
            "geometry-damaged",
        ) from error


def read_bodies(data: bytes, file: str) -> tuple[list[tuple[str, Any]], str]:
    """Solids of a STEP or STL file, told by its name, and the file's length unit."""
    with damaged(file):
        if file.lower().endswith(".stl"):
            from labilis.shape.stl import read_stl

            return read_stl(data, file), "millimetre (taken, STL has no unit)"
        return read_step(data, file)
