"""What is stated: project, pieces, materials, regions, supports, loads, mesh plan, criteria.

Immutable pydantic objects whose quantities are strings with units or expressions of named parameters. Nothing here knows
geometry, meshes or results.
"""
from labilis.model.errors import LabilisError
from labilis.model.project import (
    CaseLoad,
    CasePart,
    Criteria,
    EulerChoice,
    Geometry,
    Hub,
    LoadCase,
    MeshPlan,
    MeshZone,
    Piece,
    Project,
    TracePlan,
    load_project,
)
from labilis.model.recipes import (
    Block,
    Copies,
    Corner,
    Cut,
    FoldedSheet,
    LineCopies,
    MirrorCopy,
    Opening,
    Place,
    Plate,
    Pocket,
    Recipe,
    Rib,
    RingCopies,
    Section,
    Strut,
    Turn,
)
from labilis.model.regions import Pick, Region
from labilis.model.statements import (
    CylindricalAxes,
    ForceLoad,
    GlobalAxes,
    LineLoad,
    Load,
    LocalAxes,
    Material,
    MomentLoad,
    MoveLoad,
    NormalAxes,
    PressureLoad,
    Spring,
    Support,
    TemperatureLoad,
    WeightLoad,
)

__all__ = [
    "Block", "CaseLoad", "CasePart", "Copies", "Corner", "Criteria", "Cut", "CylindricalAxes", "EulerChoice", "FoldedSheet",
    "ForceLoad", "Geometry", "GlobalAxes", "Hub", "LabilisError", "LineCopies", "LineLoad", "Load", "LoadCase", "LocalAxes",
    "Material", "MeshPlan", "MeshZone", "MirrorCopy", "MomentLoad", "MoveLoad", "NormalAxes", "Opening", "Pick", "Piece", "Place",
    "Plate", "Pocket", "PressureLoad", "Project", "Recipe", "Region", "Rib", "RingCopies", "Section", "Spring", "Strut",
    "Support", "TemperatureLoad", "TracePlan", "Turn", "WeightLoad", "load_project",
]
