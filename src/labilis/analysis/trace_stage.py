"""The trace stage of a run: the imperfect part followed along its load-deflection path."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import cast

import numpy as np

from labilis.analysis.case_loads import LoadScene, load_forces
from labilis.analysis.constraints import Tied, make_tied, ties_about
from labilis.analysis.elements import element_order, make_blocks
from labilis.analysis.materials import material_of
from labilis.analysis.regions import Floats, Ints
from labilis.analysis.trace_record import TraceRecord, probes_of
from labilis.mechanics.blocks import ElementBlock, StiffBlock
from labilis.mechanics.line_block import LineBlock
from labilis.mechanics.plastic import YieldLaw
from labilis.mechanics.residual import rolled_i
from labilis.mesh import Bonds, Mesh
from labilis.model import LabilisError, Project, TracePlan, shown
from labilis.results.checkpoint import TraceCheckpoint
from labilis.results.findings import ModesFindings, TraceFindings
from labilis.results.section_class import compact_section
from labilis.results.weaker_side import weaker_side
from labilis.shape import PartShape
from labilis.solve.system import System
from labilis.solve.trace import TraceControl, TracePoint, Tracer, TraceResult

# of a stress: sides that differ by less are alike
_ALIKE = 1e-6


def starting_amplitude(
    project: Project, plan: TracePlan, mesh: Mesh, modes: ModesFindings
) -> float:
    """Amplitude (mm) of the starting shape: as stated, or a thousandth of the largest extent of
    the bodies that move."""
    if plan.amplitude is not None:
        return project.number(plan, "amplitude", "trace/amplitude")
    moving = np.linalg.norm(modes.shapes[plan.mode - 1], axis=1) > 0.1
    if not moving.any():  # it only twists
        moving[np.concatenate([cell.elements.ravel() for cell in mesh.cells if cell.line])] = True
    # with the rest of their elements, so that a coarse mesh does not make a member shorter
    whole = [cell.elements[moving[cell.elements].any(axis=1)].ravel() for cell in mesh.cells]
    return float(np.ptp(mesh.nodes[np.concatenate(whole)], axis=0).max()) / 1000.0


def trace_stage(
    project: Project,
    case: str,
    part: PartShape,
    mesh: Mesh,
    bonds: Bonds,
    modes: ModesFindings,
    yields: dict[str, float | None],
    tell: Callable[[TraceFindings, TraceCheckpoint], None],
    resume: TraceCheckpoint | None = None,
) -> TraceFindings:
    """Follow one case, from the beginning or from where it was left off. `tell` is given what
    stands so far after every step, and what is needed to go on from there. Raises LabilisError for
    a mode that was not found and for loads that a trace does not take."""
    made = partial(_made, project, case, part, mesh, bonds, modes, yields)
    result = TraceResult()
    try:
        tracer, gathered, laws = made(
            _first_to_yield(made) if _undecided(project, mesh, modes) else ""
        )
        if resume is not None:
            gathered.take_up(resume)
        for result, point in tracer.run(None if resume is None else resume.state):
            gathered.add(point)
            if _modes_wanted(project, gathered, point):
                gathered.about_at, gathered.about = point.factor, tracer.modes_about()
            tell(gathered.findings(result, False), gathered.checkpoint(tracer.walk))
            if reason := _beyond(project, gathered, point, laws):
                result.reason = reason
                break
    except ArithmeticError as error:
        raise LabilisError(
            f"The trace did not start: {error}.",
            f"cases/{case}",
            "Look at the held loads, or at the supports.",
            "trace-start",
        ) from error
    return gathered.findings(result, True)


_Made = tuple[Tracer, TraceRecord, bool]


def _made(
    project: Project,
    case: str,
    part: PartShape,
    mesh: Mesh,
    bonds: Bonds,
    modes: ModesFindings,
    yields: dict[str, float | None],
    side: str,
) -> _Made:
    """(tracer, what gathers its path, whether anything may yield) of a part that starts to a side
    ('' as planned, else '+' or '-')."""
    mesh, twist, amplitude = _imperfect(project, mesh, modes, side)
    tied = make_tied(project, part.view, mesh, bonds)
    blocks, bodies = make_blocks(project, part, mesh, tied.numbering)
    blocks = _twisted(blocks, twist)
    system = System(mesh.nodes, (*blocks, *tied.springs), tied.ties)
    scene = LoadScene(
        project, part.view, mesh, tied.numbering, system, bodies, part.pieces, tied.held, tied.hubs
    )
    acting = _acting(project, case, scene, tied)
    ideal = float(modes.positive[0]) if len(modes.positive) else float("nan")
    yielding = project.trace.material == "yielding"
    laws = _laws(project, part, bodies, system.blocks) if yielding else []
    tracer = _tracer(scene, tied, acting, _control(project, ideal), laws)
    if project.trace.residual != "none" and laws:
        _put_residual(project, part, bodies, tracer)
    gathered = _record(project, case, part, scene, tied, tracer, modes, yields, amplitude, ideal)
    return tracer, gathered, bool(laws)


def _undecided(project: Project, mesh: Mesh, modes: ModesFindings) -> bool:
    """Whether the weaker side is asked for and buckling itself does not tell it."""
    plan = project.trace
    if plan.mode == 0 or plan.sign != "weaker" or plan.mode > len(modes.factors):
        return False
    size, row = starting_amplitude(project, plan, mesh, modes), plan.mode - 1
    return not weaker_side(abs(size), float(modes.pull[row]), float(modes.skew[row]))[0]


def _first_to_yield(made: Callable[[str], _Made]) -> str:
    """The side ('+' or '-') to which a part is nearer to yield after one step: that of a section
    whose edges lie unevenly off its middle, where buckling alone knows no difference."""
    reached = {}
    for side in ("+", "-"):
        tracer, gathered, _ = made(side)
        try:
            for number, (_, point) in enumerate(tracer.run()):
                gathered.add(point)
                if number == 1:
                    break
        except ArithmeticError:
            pass
        reached[side] = gathered.ratios[-1] if gathered.ratios else 0.0
    return "-" if reached["-"] > reached["+"] * (1 + _ALIKE) else "+"


def _tracer(
    scene: LoadScene,
    tied: Tied,
    acting: _Acting,
    control: TraceControl,
    laws: Sequence[YieldLaw | None],
) -> Tracer:
    return Tracer(
        scene.system,
        tied.numbering.places,
        partial(ties_about, tied),
        acting.nodal["growing"],
        acting.nodal["held"],
        (acting.following["growing"], acting.following["held"]),
        control,
        laws,
        acting.given.get("growing"),
        acting.given.get("held"),
        (acting.heat.get("growing"), acting.heat.get("held")),
        tied.numbering.rates,
    )


def _modes_wanted(project: Project, gathered: TraceRecord, point: TracePoint) -> bool:
    """Whether modes about this state are asked for, and can be told from it."""
    wanted = project.number_if(project.trace, "modes_at")
    return (
        wanted is not None
        and np.isnan(gathered.about_at)
        and point.factor >= wanted
        and len(gathered.factors) > 2
        and point.negative == 0
    )


def _control(project: Project, ideal: float) -> TraceControl:
    """Steps as stated, else from the ideal factor (nan without)."""
    plan = project.trace
    target = (
        project.number(plan, "target")
        if plan.target is not None
        else (1.5 * ideal if np.isfinite(ideal) else 10.0)
    )
    first = min(target, ideal if np.isfinite(ideal) else target) / 10.0
    first = first if plan.first is None else project.number(plan, "first")
    least, largest = project.number_if(plan, "shortest"), project.number_if(plan, "longest")
    return TraceControl(
        first=first,
        least=first / 500.0 if least is None else least,
        largest=max(2.0 * first, target / 20.0) if largest is None else largest,
        target=target,
        steps=plan.steps,
        iterations=plan.iterations,
        fall=project.number(plan, "fall"),
        plastic_step=project.number(plan, "plastic_strain", "trace/plastic_strain") / 4,
    )


def _record(
    project: Project,
    case: str,
    part: PartShape,
    scene: LoadScene,
    tied: Tied,
    tracer: Tracer,
    modes: ModesFindings,
    yields: dict[str, float | None],
    amplitude: float,
    ideal: float,
) -> TraceRecord:
    """What gathers the path: strengths of the elements in the blocks' order, places to follow."""
    plan, bodies = project.trace, scene.block_bodies
    # springs and bolts come after the blocks of elements
    moduli = [
        np.full(len(block.members), cast(ElementBlock, block).modulus)
        for block in scene.system.blocks[: len(bodies)]
    ]
    strength = np.concatenate(
        [
            np.array([yields.get(part.pieces[body]) or np.inf for body in body_of])
            for body_of in bodies
        ]
        + [np.full(len(spring.members), np.inf) for spring in tied.springs]
    )
    return TraceRecord(
        case,
        plan,
        amplitude,
        ideal,
        len(scene.mesh.nodes),
        strength,
        _probe(modes, plan),
        any(memory is not None for memory in tracer.memory),
        modes.growing_force,
        probes_of(project, part.view, scene.mesh, tied),
        # from the blocks' order to the mesh's
        np.argsort(element_order(project, part.pieces, scene.mesh)),
        np.concatenate(moduli),
        np.concatenate(
            [
                np.full(len(block.members), memory is None)
                for block, memory in zip(scene.system.blocks, tracer.memory)
            ]
        )
        & np.isfinite(strength),
        _allowed(project, part),
    )


def _allowed(project: Project, part: PartShape) -> tuple[float, float]:
    """(largest motion, mm, largest plastic strain) that the plan allows."""
    plan = project.trace
    stated = plan.deflection is not None
    return (
        project.number(plan, "deflection", "trace/deflection") if stated else 0.05 * part.view.size,
        project.number(plan, "plastic_strain", "trace/plastic_strain"),
    )


def _beyond(project: Project, gathered: TraceRecord, point: TracePoint, laws: bool) -> str:
    """The bound of the plan that the last point has passed, '' while it keeps to all."""
    plan, yielding = project.trace, gathered.yielding
    ends = (
        ("plastic", gathered.plastic[-1] > gathered.plastic_strain),
        ("line", gathered.elastic_ratios[-1] > plan.beyond_yield and laws),
        ("yield", not yielding and gathered.ratios[-1] > plan.beyond_yield),
        ("strain", not yielding and gathered.strained(point) > project.number(plan, "strain")),
        ("deflection", gathered.largest[-1] > gathered.deflection),
    )
    return next((name for name, reached in ends if reached), "")


@dataclass
class _Acting:
    """What acts in a case, growing and held each by itself: forces on nodes (3 n,); pressures that
    follow; prescribed motions; thermal growth of each block."""

    nodal: dict[str, Floats]
    following: dict[str, list]
    given: dict[str, Floats]
    heat: dict[str, list[Floats]]


def _acting(project: Project, case: str, scene: LoadScene, tied: Tied) -> _Acting:
    total = 3 * tied.numbering.total
    found = _Acting(
        {"growing": np.zeros(total), "held": np.zeros(total)}, {"growing": [], "held": []}, {}, {}
    )
    for name, amount in project.case_loads(case):
        forces = load_forces(scene, name, amount)
        growth = project.named("loads", name).growth
        if forces.given is not None:
            found.given[growth] = found.given.get(growth, 0.0) + tied.ties.carried(forces.given)
        elif forces.growth is not None:
            present = found.heat.get(growth)
            found.heat[growth] = (
                list(forces.growth)
                if present is None
                else [one + two for one, two in zip(present, forces.growth)]
            )
        elif forces.following:
            found.following[growth] += forces.following
        else:
            found.nodal[growth] += forces.nodal
    return found


def _twisted(blocks: tuple[ElementBlock, ...], twist: Floats) -> tuple[ElementBlock, ...]:
    """Blocks whose lines are turned about their own axes by twist (l,), without stress."""
    found: list[ElementBlock] = []
    start = 0
    for block in blocks:
        if isinstance(block, LineBlock) and len(twist):
            angle = twist[start : start + len(block.elements), None]
            start += len(block.elements)
            x, y, z = np.swapaxes(block.frames, 0, 1)
            turned = (
                x,
                np.cos(angle) * y + np.sin(angle) * z,
                np.cos(angle) * z - np.sin(angle) * y,
            )
            found.append(replace(block, frames=np.stack(turned, axis=1)))
        else:
            found.append(block)
    return tuple(found)


def _imperfect(
    project: Project, mesh: Mesh, modes: ModesFindings, side: str
) -> tuple[Mesh, Floats, float]:
    """(mesh with the starting shape, twist (l,) of the elements of lines, amplitude of its first
    mode with its sign, mm): the largest motion anywhere, at the points of lines' sections too."""
    plan, shape = project.trace, np.zeros_like(mesh.nodes)
    twist = np.zeros(modes.twists.shape[1])
    amplitude = 0.0
    seeds = [
        (plan.mode, plan.sign, None),
        *((seed.mode, seed.sign, seed.amplitude) for seed in plan.seeds),
    ]
    for number, (mode, sign, text) in enumerate(seeds):
        if mode == 0:
            continue
        where = "trace/mode" if number == 0 else f"trace/seeds/{number - 1}"
        if mode > len(modes.factors):
            raise LabilisError(
                f"Mode {mode} was not found; there are {len(modes.factors)}.",
                where,
                "Choose another.",
                "trace-mode",
            )
        size = (
            starting_amplitude(project, plan, mesh, modes)
            if text is None
            else project.value(text, "length", where)
        )
        if sign == "weaker":
            row = mode - 1
            told, _ = weaker_side(abs(size), float(modes.pull[row]), float(modes.skew[row]))
            backwards = (told or (side if number == 0 else "+")) == "-"
        else:
            backwards = sign == "-"
        size *= -1.0 if backwards else 1.0
        amplitude = amplitude or size
        size /= float(modes.widest[mode - 1]) if len(modes.widest) else 1.0
        shape += size * modes.shapes[mode - 1]
        if len(twist):
            twist += size * modes.twists[mode - 1]
    return replace(mesh, nodes=mesh.nodes + shape), twist, amplitude


def _put_residual(
    project: Project, part: PartShape, bodies: tuple[Ints, ...], tracer: Tracer
) -> None:
    """Give the lines of I sections that yield their residual stresses, as plastic strain that was
    there before. Raises LabilisError where there is none."""
    found = False
    for memory, block, body in zip(tracer.memory, tracer.system.blocks, bodies):
        if memory is None or not isinstance(block, LineBlock):
            continue
        piece = project.named("pieces", part.pieces[int(body[0])])
        if piece.line_shape != "I":
            continue
        found = True
        section = piece.recipe.section  # type: ignore[union-attr]
        where = f"pieces/{piece.name}/recipe/section"
        width, height, flange = (
            project.number(section, name, f"{where}/{name}")
            for name in ("width", "height", "thickness")
        )
        stress = rolled_i(block.section, width, height, flange)
        most = float(np.abs(stress).max())
        if most >= memory.law.stress[0]:
            raise LabilisError(
                f"The residual stresses of rolled sections, up to {shown.stress(most)}, reach what "
                f"the material of '{piece.name}' yields at: they are of steel.",
                "trace/residual",
                "Trace without them.",
                "residual",
            )
        memory.begin((-stress / block.modulus)[:, None])
    if not found:
        raise LabilisError(
            "Residual stresses are put into lines of I sections that yield; there are none here.",
            "trace/residual",
            "Trace without them, or mesh a strut of such a section as a line; its walls have to be "
            "stout enough to yield.",
            "residual",
        )


def _laws(
    project: Project, part: PartShape, bodies: tuple[Ints, ...], blocks: Sequence[StiffBlock]
) -> list[YieldLaw | None]:
    """For each block how its material yields; None without a yield strength, and for lines whose
    walls would buckle before they have yielded all over."""
    laws: list[YieldLaw | None] = [None] * len(blocks)
    for number, body in enumerate(bodies):
        material = material_of(project, part.pieces[int(body[0])])
        if material.yield_strength is None:
            continue
        start = project.number(material, "yield_strength")
        if isinstance(blocks[number], LineBlock) and not _compact(
            part, int(body[0]), start, project.number(material, "youngs_modulus")
        ):
            continue
        points = [(0.0, start)]
        for row, (strain, stress) in enumerate(project.evaluated(material)["hardening"]):
            where = f"materials/{material.name}/hardening/{row}"
            points.append((strain, stress))
            if points[-1][0] <= points[-2][0] or points[-1][1] < points[-2][1]:
                raise LabilisError(
                    f"Point {row + 1} of the curve of '{material.name}' does not rise above the "
                    "one before.",
                    where,
                    "Give plastic strains and stresses in rising order, beyond the yield strength.",
                    "hardening",
                )
        strains, stresses = (np.array(column) for column in zip(*points))
        laws[number] = YieldLaw(
            project.number(material, "youngs_modulus"),
            project.number(material, "poisson_ratio"),
            strains,
            stresses,
        )
    return laws


def _compact(part: PartShape, body: int, strength: float, modulus: float) -> bool:
    """Whether a line may yield all over its section."""
    member = next((item for item in part.members if body in item.bodies), None)
    if member is None:
        return False
    own = member.wall
    wall = None if own is None else (own.width, own.thickness, own.edges)
    return compact_section(
        member.area, member.i_min, member.thickness, wall, member.radius, strength, modulus
    )


def _probe(modes: ModesFindings, plan: TracePlan) -> int:
    """Node that the mode moves most, -1 without a mode."""
    return int(np.linalg.norm(modes.shapes[plan.mode - 1], axis=1).argmax()) if plan.mode else -1
