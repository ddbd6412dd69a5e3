"""Boundary representation to nodes and elements (plain arrays): TetGen, element order, zones, quality, estimates.

The only room that imports TetGen.
"""
from labilis.mesh.estimate import MeshEstimate, available_memory, estimate, proposed_size
from labilis.mesh.mesh import Mesh
from labilis.mesh.quality import MeshQuality, measure_quality
from labilis.mesh.tetrahedra import mesh_body

__all__ = ["Mesh", "MeshEstimate", "MeshQuality", "available_memory", "estimate", "measure_quality", "mesh_body",
           "proposed_size"]
