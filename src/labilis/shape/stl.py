"""Reading closed STL as a solid: flat regions become one face each, round ones stay as they are
faceted. STL has no unit: mm is taken."""

from __future__ import annotations

import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from labilis.model import LabilisError
from labilis.shape.face_tables import Floats, Ints
from labilis.shape.step import solids_of, volume_of
from labilis.shape.topology import merge_points

_MOST = 60_000  # triangles
_FARTHEST = 1e7  # mm from the origin; beyond it rounding eats the part


def read_stl(data: bytes, file: str = "part.stl") -> list[tuple[str, Any]]:
    """Solids of an STL file as (name, TopoDS_Solid).

    Raises LabilisError for what is not STL, too many triangles, a surface that is not closed, and
    one that crosses itself or is flat."""
    points, triangles = _triangles(data, file)
    if len(triangles) > _MOST:
        raise LabilisError(
            f"The STL file has {len(triangles):,} triangles, more than {_MOST:,}.",
            file,
            "Export it coarser, or as STEP, which keeps round faces round.",
            "stl-size",
        )
    sides = np.sort(
        np.concatenate([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]]), axis=1
    )
    unique, count = np.unique(sides, axis=0, return_counts=True)
    if (count != 2).any():
        open_ = unique[count != 2]
        where = ", ".join(f"{c:.4g}" for c in points[open_[0]].mean(axis=0))
        raise LabilisError(
            f"The STL surface is not closed: {len(open_)} sides of triangles do not belong to two "
            "of them, the first near "
            f"({where}) mm.",
            file,
            "Repair it where it was drawn, or export STEP.",
            "stl-open",
        )
    solid = _solid(points, triangles)
    found = [
        part
        for part in solids_of(solid)
        if abs(volume_of(part)) > 1e-9 * float(np.ptp(points, axis=0).max()) ** 3
    ]
    if not found:
        raise LabilisError(
            "The STL surface encloses no volume.", file, "Check the file.", "stl-flat"
        )
    stem = Path(file).stem or "body"
    return [
        (stem if len(found) == 1 else f"{stem} {number}", part)
        for number, part in enumerate(found, 1)
    ]


def _triangles(data: bytes, file: str) -> tuple[Floats, Ints]:
    import meshio

    try:
        with tempfile.TemporaryDirectory(prefix="labilis-") as folder:
            path = Path(folder) / "part.stl"
            path.write_bytes(data)
            with np.errstate(over="ignore"):  # it tries the length that a binary file would have
                mesh = meshio.read(path)
        cells = mesh.cells_dict["triangle"]
    except (
        meshio.ReadError,
        KeyError,
        ValueError,
        IndexError,
        SystemExit,
        EOFError,
        UnicodeDecodeError,
    ) as error:
        raise LabilisError(
            "This is not an STL file.", file, "Export the part as STL or STEP.", "not-stl"
        ) from error
    if len(cells) == 0:
        raise LabilisError(
            "The STL file holds no triangles.", file, "Export the part again.", "not-stl"
        )
    points = np.asarray(mesh.points, dtype=float)
    if not np.isfinite(points).all() or np.abs(points).max() > _FARTHEST:
        raise LabilisError(
            "Corners of the STL file's triangles are no numbers, or lie beyond 10 km: it is "
            "damaged.",
            file,
            "Export the part again.",
            "stl-damaged",
        )
    points, number = merge_points(points)
    cells = number[cells]
    return points, cells[
        (cells[:, 0] != cells[:, 1]) & (cells[:, 1] != cells[:, 2]) & (cells[:, 2] != cells[:, 0])
    ]


def _solid(points: Floats, triangles: Ints) -> Any:
    """Shell of shared edges, made solid, its coplanar triangles united."""
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeShapeOnMesh, BRepBuilderAPI_MakeSolid
    from OCP.BRepLib import BRepLib
    from OCP.gp import gp_Pnt
    from OCP.Poly import Poly_Triangle, Poly_Triangulation
    from OCP.ShapeUpgrade import ShapeUpgrade_UnifySameDomain
    from OCP.TopAbs import TopAbs_SHELL
    from OCP.TopExp import TopExp_Explorer
    from OCP.TopoDS import TopoDS

    mesh = Poly_Triangulation(len(points), len(triangles), False)
    for number, point in enumerate(points, 1):
        mesh.SetNode(number, gp_Pnt(*map(float, point)))
    for number, corners in enumerate(triangles, 1):
        mesh.SetTriangle(number, Poly_Triangle(*(int(k) + 1 for k in corners)))
    maker = BRepBuilderAPI_MakeShapeOnMesh(mesh)
    maker.Build()
    shells = TopExp_Explorer(_sewn(maker.Shape()), TopAbs_SHELL)
    solids = BRepBuilderAPI_MakeSolid()
    while shells.More():
        solids.Add(TopoDS.Shell_s(shells.Current()))
        shells.Next()
    solid = solids.Solid()
    BRepLib.OrientClosedSolid_s(solid)
    unite = ShapeUpgrade_UnifySameDomain(solid, True, True, False)
    unite.SetAngularTolerance(1e-4)
    unite.Build()
    return unite.Shape()


def _sewn(shape: Any) -> Any:
    from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing

    sewing = BRepBuilderAPI_Sewing(1e-6)
    sewing.Add(shape)
    sewing.Perform()
    return sewing.SewedShape()
