"""Hashes of what each result was made from, so that a result whose inputs changed is known to be
out of date."""

from __future__ import annotations

import hashlib
import json
from collections import deque
from dataclasses import dataclass
from typing import Any

from labilis.model import LabilisError, Piece, Project
from labilis.model.standing import frame_of
from labilis.results.memo import once_for

STAGES = ("shape", "mesh", "strength", "modes", "trace")
_VERSION = 35  # raise when a result's content changes its meaning

# of a trace: where it ends and what is found on the way, not the path itself
_ENDS = {
    "steps",
    "target",
    "deflection",
    "plastic_strain",
    "strain",
    "fall",
    "beyond_yield",
    "modes_at",
}
_STEPS = ("first", "shortest", "longest")


@dataclass(frozen=True)
class StageKeys:
    """Keys of the results that fit the present statements; '' where statements are still missing
    or wrong."""

    shape: str = ""
    sections: str = ""
    members: str = ""
    mesh: str = ""
    system: str = ""
    strength: str = ""
    modes: str = ""
    trace: str = ""
    path: str = ""
    converge: str = ""
    amplitude: str = ""
    tilt: str = ""
    cross: str = ""
    contact: str = ""
    settled: str = ""


def hash_of(*parts: Any) -> str:
    """Key of what is given, in canonical form, and of the version of what runs find."""
    text = json.dumps([_VERSION, *parts], sort_keys=True, default=str)
    return hashlib.sha256(text.encode()).hexdigest()[:32]


def shape_key(project: Project) -> str:
    """Key of what is shown: the pieces that carry load and those set aside."""
    return hash_of(
        "shown",
        _carrying_key(project),
        [_piece_part(project, piece) for piece in project.pieces if piece.set_aside],
    )


@once_for
def _carrying_key(project: Project) -> str:
    """Key of the shape of all pieces that carry load."""
    check_active(project)
    return hash_of(
        "shape",
        [_piece_part(project, piece) for piece in project.active_pieces],
        project.released,
        [project.evaluated(scribe) for scribe in project.scribes],
    )


def _piece_part(project: Project, piece: Piece) -> list[Any]:
    source = next((item.sha256 for item in project.geometry if item.file == piece.geometry), "")
    known = _evaluated.get(id(piece))
    if known is None or known[0] is not piece or known[1] is not project.parameters:
        found = project.evaluated(piece, ("material", "acts_as"))
        known = _evaluated[id(piece)] = (piece, project.parameters, found)
        while len(_evaluated) > _MOST_PIECES:
            _evaluated.pop(next(iter(_evaluated)))
    return [known[2], source, _standing(project, piece)]


def _standing(project: Project, piece: Piece) -> Any:
    """Where a piece is that stands on another, which may carry no load itself; None for others."""
    if piece.place.on is None:
        return None
    try:
        return frame_of(project, piece)
    except LabilisError as error:  # told when the part is built
        return str(error)


_MOST_PIECES = 4096
# what pieces mean with the parameters they were evaluated with: objects that never change, kept so
# that their numbers stay theirs
_evaluated: dict[int, tuple[Piece, dict[str, str], dict[str, Any]]] = {}


def check_active(project: Project) -> None:
    """Raises LabilisError when no piece carries load."""
    if not project.pieces:
        raise LabilisError(
            "There is no part yet.",
            "part",
            "Open a STEP file or make a piece from a recipe.",
            "no-part",
        )
    if not project.active_pieces:
        raise LabilisError("Every piece is set aside.", "part", "Bring one back.", "no-part")


def _regions(project: Project, names: set[str]) -> list[Any]:
    return [region.model_dump() for region in project.regions if region.name in names]


def _mesh_parts(project: Project) -> list[Any]:
    plan = project.mesh
    zones = [
        (_regions(project, {zone.region}), project.number(zone, "size")) for zone in plan.zones
    ]
    size, weld = project.number_if(plan, "size"), project.number_if(plan, "weld_gap")
    bolts = [
        (bolt.faces, _regions(project, set(bolt.through)))
        for bolt in project.bolts
        if bolt.faces == "apart"
    ]
    seams = [(seam.to, _regions(project, {seam.along})) for seam in project.seams]
    fineness = project.number_if(plan, "fineness")
    return [bolts, seams, size, weld, plan.order, plan.solids, zones, fineness]


def _material_parts(project: Project) -> list[Any]:
    found = []
    for piece in project.active_pieces:
        material = next((item for item in project.materials if item.name == piece.material), None)
        found.append(
            None
            if material is None
            else [
                project.number_if(material, field)
                for field in ("youngs_modulus", "poisson_ratio", "density", "expansion")
            ]
        )
    return found


def _system_parts(project: Project) -> list[Any]:
    """What the stiffness and the ties are made of, besides the mesh."""
    targets = {support.on for support in project.supports} | {
        spring.on for spring in project.springs
    }
    # every hub stiffens its region whether something acts on it or not
    regions = {project.target_region(target).name for target in targets} | {
        hub.region for hub in project.hubs
    }
    hubs = [project.evaluated(hub) for hub in project.hubs]
    springs = [project.evaluated(spring) for spring in project.springs]
    bolts = [
        [project.evaluated(bolt, ("edge", "grade")), _regions(project, set(bolt.through))]
        for bolt in project.bolts
    ]
    supports = [support.model_dump() for support in project.supports]
    return [bolts, _material_parts(project), supports, hubs, springs, _regions(project, regions)]


def _strength_parts(project: Project, case_name: str) -> list[Any]:
    limits = []
    for piece in project.active_pieces:
        material = next((item for item in project.materials if item.name == piece.material), None)
        limits.append(None if material is None else project.number_if(material, "yield_strength"))
    targets = set()
    loads = []
    for name, amount in project.case_loads(case_name):
        load = project.named("loads", name)
        if hasattr(load, "on"):
            targets.add(load.on)
        loads.append([project.evaluated(load), amount])
    return [
        limits,
        loads,
        _regions(project, {project.target_region(target).name for target in targets}),
    ]


_KNOWN = 16  # answers that are remembered: the window asks dozens of times between two edits
_remembered: deque[tuple[Project, str | None, StageKeys]] = deque(maxlen=_KNOWN)


def stage_keys(project: Project, case: str | None = None) -> StageKeys:
    """Keys for one case (the first when None), as far as the statements go. A project never
    changes, so that the last answers stand."""
    for known, name, keys in tuple(_remembered):
        if known is project and name == case:
            return keys
    found = _stage_keys(project, case)
    _remembered.append((project, case, found))
    return found


def _stage_keys(project: Project, case: str | None) -> StageKeys:
    keys: dict[str, str] = {}
    try:
        keys["shape"] = shape_key(project)
        keys["mesh"] = hash_of("mesh", _carrying_key(project), _mesh_parts(project))
        keys["system"] = hash_of("system", keys["mesh"], _system_parts(project))
        if project.cases:
            name = case if case is not None else project.cases[0].name
            keys["strength"] = hash_of(
                "strength", keys["system"], name, _strength_parts(project, name)
            )
            keys["sections"] = hash_of("sections", keys["strength"])
            keys["members"] = hash_of("members", keys["strength"])
            criteria = project.criteria
            asked = [
                criteria.modes,
                criteria.sign,
                criteria.second_opinion,
                criteria.mesh_error,
                sorted({project.required_of(piece.name) for piece in project.active_pieces}),
            ]
            keys["modes"] = hash_of("modes", keys["strength"], *asked)
            for study in ("converge", "tilt", "cross", "contact"):
                keys[study] = hash_of(study, keys["modes"])
            plan = project.trace
            shared = [
                keys["modes"],
                project.evaluated(plan, _ENDS),
                [project.evaluated(item)["hardening"] for item in project.materials],
            ]
            keys["path"] = hash_of("path", *shared)
            keys["trace"] = hash_of(
                "trace", *shared, project.evaluated(plan, type(plan).model_fields.keys() - _ENDS)
            )
            keys["amplitude"] = hash_of("amplitude", keys["trace"])
            if (
                project.mesh.size is None and project.mesh.fineness is None
            ):  # of all cases: they share a mesh
                keys["settled"] = hash_of(
                    "settled",
                    keys["system"],
                    *asked,
                    project.number(project.mesh, "within"),
                    [[other.name, _strength_parts(project, other.name)] for other in project.cases],
                )
    except (LabilisError, StopIteration):
        pass
    return StageKeys(**keys)
