"""Boundary representation to nodes and elements (plain arrays): TetGen, element order, zones,
quality, estimates.

The only room that imports TetGen.
"""

from labilis.mesh.bonds import Bonds, find_bonds
from labilis.mesh.estimate import (
    MeshEstimate,
    Zone,
    available_memory,
    estimate,
    planned_sizes,
    proposed_size,
)
from labilis.mesh.extrusion import find_sweep
from labilis.mesh.mesh import QUAD_CUTS, Cells, Mesh
from labilis.mesh.part_mesh import mesh_part
from labilis.mesh.planar import inside
from labilis.mesh.quality import MeshQuality, measure_quality
from labilis.mesh.section import mesh_section
from labilis.mesh.sheets import mesh_sheets
from labilis.mesh.sweep import sweep_body
from labilis.mesh.tetrahedra import mesh_body

__all__ = [
    "QUAD_CUTS",
    "Bonds",
    "Cells",
    "Mesh",
    "MeshEstimate",
    "MeshQuality",
    "Zone",
    "available_memory",
    "estimate",
    "find_bonds",
    "find_sweep",
    "inside",
    "measure_quality",
    "mesh_body",
    "mesh_part",
    "mesh_section",
    "mesh_sheets",
    "planned_sizes",
    "proposed_size",
    "sweep_body",
]
