"""Hashes of what each result was made from, so that a result whose inputs changed is known to be out of date."""
from __future__ import annotations

import hashlib
import json
from dataclasses import dataclass
from typing import Any

from labilis.model import ForceLoad, LabilisError, Project

STAGES = ("shape", "mesh", "strength", "modes")
_VERSION = 3  # raise when a result's content changes its meaning


@dataclass(frozen=True)
class StageKeys:
    """Keys of the results that fit the present statements; '' where statements are still missing or wrong."""

    shape: str = ""
    sections: str = ""
    mesh: str = ""
    strength: str = ""
    modes: str = ""


def _hash(*parts: Any) -> str:
    text = json.dumps([_VERSION, *parts], sort_keys=True, default=str)
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def shape_key(project: Project) -> str:
    """Key of the active piece's body."""
    piece = active_piece(project)
    geometry = next(item for item in project.geometry if item.file == piece.geometry)
    return _hash("shape", geometry.sha256, piece.body)


def active_piece(project: Project) -> Any:
    """The one piece that carries load. Raises LabilisError when there is none or more than one."""
    active = project.active_pieces
    if not project.pieces:
        raise LabilisError("There is no part yet.", "part", "Open a STEP file.", "no-part")
    if not active:
        raise LabilisError("Every piece is set aside.", "part", "Bring one back.", "no-part")
    if len(active) > 1:
        raise LabilisError(f"{len(active)} pieces carry load; this version checks one at a time.", "part",
                           "Set the others aside.", "many-pieces")
    return active[0]


def _regions(project: Project, names: set[str]) -> list[Any]:
    return [region.model_dump() for region in project.regions if region.name in names]


def _mesh_parts(project: Project) -> list[Any]:
    plan = project.mesh
    zones = [(_regions(project, {zone.region}), project.value(zone.size, "length")) for zone in plan.zones]
    return [None if plan.size is None else project.value(plan.size, "length"), plan.order, zones]


def _strength_parts(project: Project, case_name: str) -> list[Any]:
    piece, case = active_piece(project), project.case(case_name)
    material = next((item for item in project.materials if item.name == piece.material), None)
    numbers = None if material is None else [
        None if text is None else project.value(text, kind) for text, kind in
        ((material.youngs_modulus, "stress"), (material.poisson_ratio, "number"), (material.yield_strength, "stress"))]
    targets = {support.on for support in project.supports}
    loads = []
    for entry in case.loads:
        load = project.named("loads", entry.load)
        targets.add(load.on)
        values = ([project.value(text, "force") for text in load.components or (load.normal,)]
                  if isinstance(load, ForceLoad) else [project.value(load.pressure, "stress")])
        shape = {key: value for key, value in load.model_dump().items() if key not in ("components", "normal", "pressure")}
        loads.append([shape, values, project.value(entry.factor, "number"), getattr(load, "normal", None) is not None])
    # every hub stiffens its region whether something acts on it or not
    regions = {project.target_region(target).name for target in targets} | {hub.region for hub in project.hubs}
    return [numbers, [support.model_dump() for support in project.supports], [hub.model_dump() for hub in project.hubs],
            _regions(project, regions), loads]


def stage_keys(project: Project, case: str | None = None) -> StageKeys:
    """Keys for one case (the first when None), as far as the statements go."""
    keys: dict[str, str] = {}
    try:
        keys["shape"] = shape_key(project)
        keys["mesh"] = _hash("mesh", keys["shape"], _mesh_parts(project))
        if project.cases:
            name = case if case is not None else project.cases[0].name
            keys["strength"] = _hash("strength", keys["mesh"], name, _strength_parts(project, name))
            keys["sections"] = _hash("sections", keys["strength"])
            criteria = project.criteria
            keys["modes"] = _hash("modes", keys["strength"], criteria.modes, criteria.sign, criteria.second_opinion,
                                  project.value(criteria.required_factor, "number"))
    except (LabilisError, StopIteration):
        pass
    return StageKeys(**keys)
