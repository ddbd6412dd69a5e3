"""Statements to boundary representation, through OpenCASCADE (`OCP`, imported late: it takes most
of a second).

Reads STEP, names and measures faces and edges, finds picked regions again, cuts sections. The only
room that imports OCP; what leaves it towards the window is plain arrays (`BodyShape.view`).
"""

from labilis.shape.face_tables import EdgeTable, FaceTable, ShapeView, Tessellation
from labilis.shape.part import PartShape, build_part
from labilis.shape.proposal import BodyInfo, list_bodies
from labilis.shape.regions import RegionMatch, find_region, pick_of_edge, pick_of_face
from labilis.shape.sections import SectionScan, scan_sections
from labilis.shape.step import read_step
from labilis.shape.topology import BodyShape, build_body

__all__ = [
    "BodyInfo",
    "BodyShape",
    "EdgeTable",
    "FaceTable",
    "PartShape",
    "RegionMatch",
    "SectionScan",
    "ShapeView",
    "Tessellation",
    "build_body",
    "build_part",
    "find_region",
    "list_bodies",
    "pick_of_edge",
    "pick_of_face",
    "read_step",
    "scan_sections",
]
