"""What is stated: project, pieces, materials, regions, supports, loads, mesh plan, criteria.

Immutable pydantic objects whose quantities are strings with units or expressions of named parameters. Nothing here knows
geometry, meshes or results.
"""
from labilis.model.errors import LabilisError
from labilis.model.project import (
    CaseLoad,
    Criteria,
    EulerChoice,
    Geometry,
    Hub,
    LoadCase,
    MeshPlan,
    MeshZone,
    Piece,
    Project,
    load_project,
)
from labilis.model.regions import Pick, Region
from labilis.model.statements import (
    CylindricalAxes,
    ForceLoad,
    GlobalAxes,
    Load,
    LocalAxes,
    Material,
    NormalAxes,
    PressureLoad,
    Support,
)

__all__ = [
    "CaseLoad", "Criteria", "CylindricalAxes", "EulerChoice", "ForceLoad", "Geometry", "GlobalAxes", "Hub",
    "LabilisError", "Load", "LoadCase", "LocalAxes", "Material", "MeshPlan", "MeshZone", "NormalAxes", "Pick", "Piece",
    "PressureLoad", "Project", "Region", "Support", "load_project",
]
