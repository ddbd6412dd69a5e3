"""Hashes of what each result was made from, so that a result whose inputs changed is known to be out of date."""
from __future__ import annotations

import hashlib
import json
from collections import deque
from dataclasses import dataclass
from typing import Any

from labilis.model import LabilisError, Piece, Project

STAGES = ("shape", "mesh", "strength", "modes", "trace")
_VERSION = 15  # raise when a result's content changes its meaning

# of a trace: where it ends and what is found on the way, not the path itself
_ENDS = {"steps", "target", "deflection", "plastic_strain", "strain", "fall", "beyond_yield", "modes_at"}
_STEPS = ("first", "shortest", "longest")


@dataclass(frozen=True)
class StageKeys:
    """Keys of the results that fit the present statements; '' where statements are still missing or wrong."""

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
    numbers = _numbers(project)
    return hash_of("shown", _carrying_key(project), [_piece_part(project, piece, numbers) for piece in project.pieces if piece.set_aside])


def _carrying_key(project: Project) -> str:
    """Key of the shape of all pieces that carry load."""
    check_active(project)
    numbers = _numbers(project)
    return hash_of("shape", [_piece_part(project, piece, numbers) for piece in project.active_pieces], project.released,
                 [[scribe.model_dump(), [project.value(text, kind) for text, kind in scribe.quantities()]] for scribe in project.scribes])


def _numbers(project: Project) -> dict[str, list[float]]:
    """Values of all that is stated of each piece, by its name."""
    found: dict[str, list[float]] = {piece.name: [] for piece in project.pieces}
    for where, text, kind in project.stated_quantities():
        if where.startswith("pieces/"):
            name = where.split("/")[1]
            if name not in found:  # a name with a stroke in it
                name = max((known for known in found if where.startswith(f"pieces/{known}/")), key=len)
            found[name].append(project.value(text, kind))
    return found


def _piece_part(project: Project, piece: Piece, numbers: dict[str, list[float]]) -> list[Any]:
    source = next((item.sha256 for item in project.geometry if item.file == piece.geometry), "")
    return [piece.model_dump(exclude={"material", "acts_as"}), numbers[piece.name], source]


def check_active(project: Project) -> None:
    """Raises LabilisError when no piece carries load."""
    if not project.pieces:
        raise LabilisError("There is no part yet.", "part", "Open a STEP file or make a piece from a recipe.", "no-part")
    if not project.active_pieces:
        raise LabilisError("Every piece is set aside.", "part", "Bring one back.", "no-part")


def _regions(project: Project, names: set[str]) -> list[Any]:
    return [region.model_dump() for region in project.regions if region.name in names]


def _mesh_parts(project: Project) -> list[Any]:
    plan = project.mesh
    zones = [(_regions(project, {zone.region}), project.value(zone.size, "length")) for zone in plan.zones]
    size, weld = (None if text is None else project.value(text, "length") for text in (plan.size, plan.weld_gap))
    bolts = [(bolt.faces, _regions(project, set(bolt.through))) for bolt in project.bolts if bolt.faces == "apart"]
    seams = [(seam.to, _regions(project, {seam.along})) for seam in project.seams]
    fineness = None if plan.fineness is None else project.value(plan.fineness, "number")
    return [bolts, seams, size, weld, plan.order, plan.solids, zones, fineness]


def _material_parts(project: Project) -> list[Any]:
    found = []
    for piece in project.active_pieces:
        material = next((item for item in project.materials if item.name == piece.material), None)
        found.append(None if material is None else [
            None if text is None else project.value(text, kind) for text, kind in
            ((material.youngs_modulus, "stress"), (material.poisson_ratio, "number"), (material.density, "density"),
             (material.expansion, "expansion"))])
    return found


def _system_parts(project: Project) -> list[Any]:
    """What the stiffness and the ties are made of, besides the mesh."""
    targets = {support.on for support in project.supports} | {spring.on for spring in project.springs}
    # every hub stiffens its region whether something acts on it or not
    regions = {project.target_region(target).name for target in targets} | {hub.region for hub in project.hubs}
    hubs = [[hub.model_dump(), [project.value(text, "length") for text in hub.at or ()]] for hub in project.hubs]
    springs = [[spring.model_dump(), [project.value(text, kind) for _, text, kind in spring.values()]] for spring in project.springs]
    bolts = [[bolt.model_dump(exclude={"edge", "grade"}), [project.value(text, kind) for _, text, kind in bolt.quantities()],
              _regions(project, set(bolt.through))] for bolt in project.bolts]
    supports = [support.model_dump() for support in project.supports]
    return [bolts, _material_parts(project), supports, hubs, springs, _regions(project, regions)]


def _strength_parts(project: Project, case_name: str) -> list[Any]:
    limits = []
    for piece in project.active_pieces:
        material = next((item for item in project.materials if item.name == piece.material), None)
        text = None if material is None else material.yield_strength
        limits.append(None if text is None else project.value(text, "stress"))
    targets = set()
    loads = []
    for name, amount in project.case_loads(case_name):
        load = project.named("loads", name)
        if hasattr(load, "on"):
            targets.add(load.on)
        values = [project.value(text, kind) for text, kind in load.quantities()]
        loads.append([_without(load.model_dump(), {text for text, _ in load.quantities()}), values, amount])
    return [limits, loads, _regions(project, {project.target_region(target).name for target in targets})]


def _without(stated: Any, texts: set[str]) -> Any:
    """What is stated, with these texts of quantities, whose values stand beside it, left out; all else stays."""
    if isinstance(stated, dict):
        return {name: _without(value, texts) for name, value in stated.items()}
    if isinstance(stated, (list, tuple)):
        return [_without(value, texts) for value in stated]
    return "" if isinstance(stated, str) and stated in texts else stated


_KNOWN = 16  # answers that are remembered: the window asks dozens of times between two edits
_remembered: deque[tuple[Project, str | None, StageKeys]] = deque(maxlen=_KNOWN)


def stage_keys(project: Project, case: str | None = None) -> StageKeys:
    """Keys for one case (the first when None), as far as the statements go. A project never changes, so that the last answers stand."""
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
            keys["strength"] = hash_of("strength", keys["system"], name, _strength_parts(project, name))
            keys["sections"] = hash_of("sections", keys["strength"])
            keys["members"] = hash_of("members", keys["strength"])
            criteria = project.criteria
            asked = [criteria.modes, criteria.sign, criteria.second_opinion, criteria.mesh_error,
                     sorted({project.required_of(piece.name) for piece in project.active_pieces})]
            keys["modes"] = hash_of("modes", keys["strength"], *asked)
            for study in ("converge", "tilt", "cross", "contact"):
                keys[study] = hash_of(study, keys["modes"])
            plan = project.trace
            shared = [keys["modes"], plan.model_dump(exclude={*_ENDS, *_STEPS}),
                      [None if (text := getattr(plan, field)) is None else project.value(text, "number") for field in _STEPS],
                      None if plan.amplitude is None else project.value(plan.amplitude, "length"),
                      [project.value(seed.amplitude, "length") for seed in plan.seeds],
                      [[[project.value(text, kind) for text, kind in zip(point, ("number", "stress"))] for point in item.hardening]
                       for item in project.materials]]
            keys["path"] = hash_of("path", *shared)
            keys["trace"] = hash_of("trace", *shared, plan.model_dump(include=_ENDS), *(
                None if text is None else project.value(text, kind)
                for text, kind in ((plan.target, "number"), (plan.strain, "number"), (plan.fall, "number"), (plan.deflection, "length"),
                                   (plan.modes_at, "number"))))
            keys["amplitude"] = hash_of("amplitude", keys["trace"])
            if project.mesh.size is None and project.mesh.fineness is None:  # of all cases: they share a mesh
                keys["settled"] = hash_of("settled", keys["system"], *asked, project.value(project.mesh.within, "number"),
                                        [[other.name, _strength_parts(project, other.name)] for other in project.cases])
    except (LabilisError, StopIteration):
        pass
    return StageKeys(**keys)
