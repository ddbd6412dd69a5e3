"""Parts of the validation cases, built by OpenCASCADE and written as STEP; faces keep the marks
where boxes met."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from itertools import pairwise
from pathlib import Path
from typing import Any


def marked_box(xs: Sequence[float], ys: Sequence[float], zs: Sequence[float]) -> Any:
    """A box made of the cells between the given coordinates: its faces carry edges where cells
    meet."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
    from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox
    from OCP.gp import gp_Pnt

    whole = None
    for x0, x1 in pairwise(xs):
        for y0, y1 in pairwise(ys):
            for z0, z1 in pairwise(zs):
                cell = BRepPrimAPI_MakeBox(gp_Pnt(x0, y0, z0), gp_Pnt(x1, y1, z1)).Shape()
                whole = cell if whole is None else BRepAlgoAPI_Fuse(whole, cell).Shape()
    return whole


def fused(*boxes: Any) -> Any:
    """Several shapes as one, faces in one plane joined."""
    from OCP.BRepAlgoAPI import BRepAlgoAPI_Fuse
    from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain

    whole = boxes[0]
    for other in boxes[1:]:
        whole = BRepAlgoAPI_Fuse(whole, other).Shape()
    joined = ShapeUpgrade_UnifySameDomain(whole, True, True, False)
    joined.Build()
    return joined.Shape()


def step_bytes(shape: Any) -> bytes:
    """A shape as STEP."""
    with tempfile.TemporaryDirectory() as folder:
        return write_step(shape, Path(folder) / "out.step")


def write_step(shape: Any, path: Path) -> bytes:
    """Write a shape as STEP and give its bytes."""
    from OCP.Message import Message, Message_PrinterOStream
    from OCP.STEPControl import STEPControl_AsIs, STEPControl_Writer

    Message.DefaultMessenger_s().RemovePrinters(Message_PrinterOStream.get_type_descriptor_s())
    writer = STEPControl_Writer()
    writer.Transfer(shape, STEPControl_AsIs)
    return written(writer, path)


def written(writer: Any, path: Path) -> bytes:
    """What a STEP writer has, in a file (whose name may hold what the library cannot write) and
    as bytes."""
    with tempfile.TemporaryDirectory() as folder:
        part = Path(folder) / "part.step"
        writer.Write(str(part))
        data = part.read_bytes()
    path.write_bytes(data)
    return data
