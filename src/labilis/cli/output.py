"""Reports as text and as JSON."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

from labilis.judge.bolts import bolt_checks
from labilis.judge.evidence import Evidence
from labilis.judge.evidence.base import CaseFacts
from labilis.judge.figures import critical_text, error_text, force_text, settled_words
from labilis.judge.hand.euler import EulerCheck
from labilis.judge.line_forces import CARRIED, Carried, Floats, along_members, largest
from labilis.judge.overall import overall_checks
from labilis.model import Project, shown
from labilis.results.findings import (
    ConvergenceFindings,
    ModesFindings,
    StrengthFindings,
    StudyFindings,
    TraceFindings,
)
from labilis.results.stress_measures import von_mises
from labilis.run.report import CaseReport, ProjectReport

_MARK = {"good": "✓", "caution": "▬", "bad": "✗", "not judged": "○"}


def _line_key(what: Carried) -> str:
    """'My_nmm', 'direct_stress_mpa'."""
    if what.kind == "stress":
        return "direct_stress_mpa"
    return f"{what.symbol}_{'n' if what.kind == 'force' else 'nmm'}"


def verdict_word(meets: bool | None) -> str:
    """'meets', 'does not meet' or 'open'."""
    return {True: "meets", False: "does not meet", None: "open"}[meets]


def _number(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def _case_json(report: CaseReport) -> dict[str, Any]:
    facts = report.facts
    data: dict[str, Any] = {
        "name": facts.case,
        "verdict": verdict_word(report.verdict.meets),
        "headline": report.verdict.headline,
        "required_factor": facts.required,
    }
    if facts.strength is not None:
        data["strength"] = _strength_json(facts, facts.strength)
    if facts.modes is not None:
        data |= _modes_json(report, facts.modes)
    if facts.strength is not None and facts.mesh is not None and len(facts.strength.line_names):
        data["lines"] = _lines_json(facts.strength, facts.mesh.nodes)
    if facts.screened:
        data["screening"] = _screening_json(facts)
    checks = report.hand_checks()
    if checks:
        data["hand_checks"] = [
            {
                "check": item.form.key,
                "member": item.member,
                "load_n": None if item.outcome is None else item.outcome.load,
                "factor": _number(item.factor),
                "difference_percent": _number(item.difference),
                "problem": item.problem,
            }
            for item in checks
        ]
    if report.euler is not None:
        data["euler"] = _euler_json(report.euler)
    if facts.trace is not None:
        data["trace"] = _trace_json(facts.trace)
    data["evidence"] = [
        {
            "name": item.name,
            "figure": item.figure,
            "unit": item.unit,
            "state": item.state,
            "text": item.text,
            "causes": _causes(item),
        }
        for item in report.evidence
    ]
    return data


def _forces(names: Any, reactions: Any) -> dict[str, list[float]]:
    """Force under the service load by name."""
    return {
        str(name): [float(c) for c in force[:, :3].sum(axis=0)]
        for name, force in zip(names, reactions)
    }


def _strength_json(facts: CaseFacts, strength: StrengthFindings) -> dict[str, Any]:
    return {
        "max_displacement_mm": strength.max_displacement,
        "max_von_mises_mpa": float(von_mises(strength.stress).max()),
        "reaction_n": _forces(strength.supports, strength.reaction),
        "spring_reaction_n": _forces(strength.springs, strength.spring_reaction),
        "yield_factor": _number(strength.yield_factor),
        "wall_yield_factor": _number(strength.strength_factor),
        "yield_mesh_error": _number(facts.yield_error),
        "sections_yield_factor": _number(strength.sections_yield),
        "sections_mesh_error": _number(
            math.nan if facts.modes is None else facts.modes.section_error
        ),
        "peak": strength.peak,
        "bolts": _bolts_json(facts),
    }


def _bolts_json(facts: CaseFacts) -> list[dict[str, Any]]:
    return [
        {
            "name": item.name,
            "between": list(item.pieces),
            "shear_n": item.shear,
            "pull_n": item.pull,
            "used_in_shear_and_pull": item.used,
            "used_in_bearing": _number(item.bearing),
            "factor": _number(item.factor),
        }
        for item in bolt_checks(facts)
    ]


def _modes_json(report: CaseReport, modes: ModesFindings) -> dict[str, Any]:
    """Modes with what was judged from them: gates, overall checks, the second opinion."""
    facts = report.facts
    data: dict[str, Any] = {
        "modes": _factors_json(facts, modes),
        "modes_complete": modes.complete,
    }
    if not math.isnan(modes.antisymmetric):
        data["antisymmetric_factor"] = _number(modes.antisymmetric)
    data["gates"] = [
        {
            "gate": gate.name,
            "state": gate.state,
            "reason": gate.reason,
            "left_out": gate.left_out,
        }
        for gate in report.verdict.gates
    ]
    data["overall_checks"] = [
        {
            "mode": item.mode + 1,
            "slenderness": item.slenderness,
            "curve": item.curve,
            "reduction": item.reduction,
            "factor": item.factor,
        }
        for item in overall_checks(facts)[0]
    ]
    data["second_opinion_factor"] = _number(modes.second_opinion)
    return data


def _factors_json(facts: CaseFacts, modes: ModesFindings) -> list[dict[str, Any]]:
    return [
        {
            "number": number,
            "factor": float(factor),
            "critical_load_n": float(factor * modes.growing_force) or None,
            "driver": modes.drivers[number - 1],
            "kind": str(kind),
            "required_factor": facts.required_for(number - 1),
            "meets": facts.meets(number - 1),
            "residual": float(residual),
            "mesh_error": _number(float(modes.mesh_error[number - 1]))
            if len(modes.mesh_error)
            else None,
        }
        for number, (factor, kind, residual) in enumerate(
            zip(modes.factors, facts.kinds, modes.residuals), 1
        )
    ]


def _lines_json(strength: StrengthFindings, nodes: Floats) -> list[dict[str, Any]]:
    return [
        {
            "member": member.name,
            **{
                _line_key(what): dict(zip(("largest", "at_mm"), largest(member, column)))
                for column, what in enumerate(CARRIED)
            },
        }
        for member in along_members(strength, nodes)
    ]


def _screening_json(facts: CaseFacts) -> list[dict[str, Any]]:
    return [
        {
            "member": item.name,
            "compression_n": item.compression,
            "slenderness": item.slenderness,
            "width_over_thickness": item.ratio,
            "member_factor": _number(item.member),
            "wall_factor": _number(item.wall),
            "look_closer": item.closer,
            "reason": item.reason,
        }
        for item in facts.screened
    ]


def _euler_json(check: EulerCheck) -> dict[str, Any]:
    return {
        "factor": check.governing.factor,
        "critical_load_n": check.governing.critical_load,
        "ends": check.governing.ends.name,
        "effective_length_factor": check.governing.ends.k,
        "length_mm": check.length,
        "second_moment_mm4": check.governing.second_moment,
        "youngs_modulus_mpa": check.modulus,
        "difference_percent": _number(check.difference),
    }


def _trace_json(trace: TraceFindings) -> dict[str, Any]:
    return {
        "verified_factor": trace.verified,
        "limit_factor": _number(trace.limit),
        "bifurcation_factor": _number(trace.bifurcation),
        "first_yield_factor": _number(trace.first_yield),
        "line_yield_factor": _number(trace.elastic_yield),
        "reason_stopped": trace.reason,
        "mode": trace.mode,
        "amplitude_mm": trace.amplitude,
        "loss_against_ideal": _number(trace.loss),
        "cut_backs": trace.cut_backs,
        "modes_about": None
        if not math.isfinite(trace.about_at)
        else {
            "at_factor": trace.about_at,
            "total_factors": [float(value) for value in trace.about],
        },
        "yielding": trace.yielding,
        "plastic_strain": float(trace.plastic[-1]),
        "curve": _curve_json(trace),
    }


def _curve_json(trace: TraceFindings) -> list[dict[str, Any]]:
    return [
        {
            "factor": float(f),
            "probe_mm": float(u),
            "max_displacement_mm": float(m),
            "max_von_mises_mpa": float(s),
            "iterations": int(i),
            "negative_pivots": int(n),
            "places": {
                str(place): {
                    **{f"{axis}_mm": _number(float(value)) for axis, value in zip("xyz", moved)},
                    **({} if math.isnan(moved[3]) else {"turn_deg": float(moved[3])}),
                }
                for place, moved in zip(trace.places, at)
            },
        }
        for f, u, m, s, i, n, at in zip(
            trace.factors,
            trace.probe,
            trace.largest,
            trace.peak,
            trace.iterations,
            trace.negative,
            trace.probes,
        )
    ]


def _causes(item: Evidence) -> list[dict[str, str]]:
    return [{"text": words, "station": station} for words, station in item.causes]


def as_json(report: ProjectReport, timing: Mapping[str, float]) -> dict[str, Any]:
    """The whole report with explicit units in the key names."""
    mesh = report.mesh
    return {
        "verdict": verdict_word(report.meets),
        "cases": [_case_json(case) for case in report.cases],
        "mesh": None
        if mesh is None
        else {
            "nodes": len(mesh.nodes),
            "elements": mesh.count,
            "unknowns": mesh.unknowns,
            "order": mesh.order,
            "size_mm": _number(mesh.size),
            "found_by": _settled_json(report),
        },
        "evidence": [
            {
                "case": case.facts.case,
                "name": item.name,
                "figure": item.figure,
                "unit": item.unit,
                "state": item.state,
                "text": item.text,
                "causes": _causes(item),
            }
            for case in report.cases
            for item in case.evidence
        ],
        "timing_s": {name: round(value, 4) for name, value in timing.items()},
    }


def _settled_json(report: ProjectReport) -> list[dict[str, Any]] | None:
    """The meshes that were tried, None where the size is stated."""
    found = report.settled
    return (
        None
        if found is None
        else [
            {
                "times_finer": _number(fine),
                "size_mm": _number(size),
                "unknowns": int(unknowns),
                "factor": _number(factor),
                "mesh_error": _number(error),
            }
            for fine, size, unknowns, factor, error in zip(
                found.fineness_tried, found.sizes, found.unknowns, found.factors, found.errors
            )
        ]
    )


def print_report(project: Project, report: ProjectReport, timing: Mapping[str, float]) -> None:
    """The report for people, on standard output."""
    from rich.console import Console

    console = Console(highlight=False, width=None if Console().is_terminal else 110)
    title = f"{project.name}" + (f", {project.scenario}" if project.scenario else "")
    console.print(title, style="bold")
    if report.mesh is not None:
        console.print(
            f"{report.mesh.words}, {len(report.mesh.nodes):,} nodes, "
            f"{report.mesh.unknowns:,} unknowns"
        )
    found_by = report.settled
    if found_by is not None and found_by.fineness != 1.0:
        console.print(settled_words(found_by))
    for case in report.cases:
        facts = case.facts
        console.print(f"\nLoad case [bold]{facts.case}[/]")
        if facts.strength is not None:
            _print_strength(console, facts.strength, facts.yield_error)
        if facts.modes is not None and len(facts.modes.factors):
            _print_modes(console, case, facts.modes)
        if case.euler is not None:
            _print_euler(console, case.euler)
        print_hand(console, case)
        for item in case.evidence:
            console.print(
                f"  {_MARK[item.state]} {item.name}: {item.figure} {item.unit}. {item.text}",
                soft_wrap=True,
            )
            for words, station in item.causes:
                console.print(f"      {words} See {station.capitalize()}.", soft_wrap=True)
        style = {True: "bold green", False: "bold red", None: "bold yellow"}[case.verdict.meets]
        console.print(f"  [{style}]{case.verdict.headline}[/]: {case.verdict.detail}")
    console.print(f"\nRun took {timing.get('total', 0.0):.1f} s.")


def _print_euler(console: Any, check: EulerCheck) -> None:
    plane = check.governing
    console.print(
        f"  Euler, {plane.ends.name}: π² · {shown.stress(check.modulus)} · "
        f"{shown.second_moment(plane.second_moment)} / "
        f"({plane.ends.k:g} · {shown.length(check.length)})² = "
        f"{force_text(plane.critical_load)}, "
        f"factor {plane.factor:.4g}"
    )


def _print_modes(console: Any, case: CaseReport, modes: ModesFindings) -> None:
    from rich.table import Table

    facts = case.facts
    table = Table(
        "mode",
        "factor",
        "critical load",
        "driver",
        "kind",
        "required",
        "verdict",
        box=None,
        pad_edge=True,
    )
    for number, (factor, kind) in enumerate(zip(modes.factors, facts.kinds), 1):
        needed = facts.required_for(number - 1)
        verdict = (
            "load must reverse"
            if factor < 0
            else "the trace decides"
            if facts.meets(number - 1) is None
            else "meets"
            if facts.meets(number - 1)
            else f"under by {100 * (1 - factor / needed):.0f} %"
        )
        table.add_row(
            str(number),
            f"{factor:.4g}",
            critical_text(float(factor), modes.growing_force),
            case.drivers[number - 1],
            str(kind),
            f"{needed:.4g}",
            verdict,
        )
    console.print(table)


def _print_strength(console: Any, strength: StrengthFindings, off: float) -> None:
    known = "" if math.isnan(off) else f" ± {error_text(off)}"
    console.print(
        f"  displacement {shown.length(strength.max_displacement, 3)}, largest von Mises "
        "stress "
        f"{shown.stress(von_mises(strength.stress).max(), 3)}"
        + (
            f", first yield at {strength.strength_factor:.4g}{known} × the load"
            if math.isfinite(strength.strength_factor)
            else ""
        )
        + (
            f" (a peak of the idealisation, within a wall of {strength.peak}, at "
            f"{strength.yield_factor:.4g})"
            if strength.peak
            else ""
        )
    )


def print_hand(console: Any, case: CaseReport) -> None:
    """Hand checks that gave something, a line each."""
    for item in case.hand_checks():
        if item.outcome is None or not math.isfinite(item.factor):
            continue
        typed = [taken.symbol.name for taken in item.taken if taken.typed]
        beside = (
            f", model {item.difference:+.1f} %"
            if math.isfinite(item.difference)
            else ", what the real member carries"
            if (item.form.real)
            else ""
        )
        console.print(
            f"  {item.form.title} for {item.member}: {force_text(item.outcome.load)}, factor "
            f"{item.factor:.4g}{beside}" + (f" ({', '.join(typed)} typed)" if typed else ""),
            soft_wrap=True,
        )


def print_screening(project: Project, report: ProjectReport) -> None:
    """Which pieces to look at, before any buckling run."""
    from rich.console import Console
    from rich.table import Table

    console = Console(highlight=False, width=None if Console().is_terminal else 130)
    for case in report.cases:
        console.print(f"Load case [bold]{case.facts.case}[/]")
        table = Table(
            "piece",
            "compression",
            "L / i",
            "b / t",
            "as a member",
            "its walls",
            "",
            box=None,
            pad_edge=True,
        )
        for item in case.facts.screened:
            rough = [
                f"{value:.3g}" if value < 1e3 else "> 1000" if math.isfinite(value) else "–"
                for value in (item.member, item.wall)
            ]
            push = (
                force_text(item.compression)
                if item.compression >= 0
                else f"{force_text(-item.compression)} pull"
            )
            name = item.name + (f" (worst of {item.alike})" if item.alike > 1 else "")
            table.add_row(
                name,
                push,
                f"{item.slenderness:.0f}",
                f"{item.ratio:.0f}" if item.ratio else "–",
                *rough,
                ("look closer: " if item.closer else "leave it: ") + item.reason,
            )
        console.print(table)


def convergence_json(found: ConvergenceFindings) -> dict[str, Any]:
    """A convergence study with units in the key names."""
    return {
        "case": found.case,
        "meshes": [
            {
                "size_mm": float(size),
                "elements": int(elements),
                "unknowns": int(unknowns),
                "factor": float(factor),
            }
            for size, elements, unknowns, factor in zip(
                found.sizes, found.elements, found.unknowns, found.factors
            )
        ],
        "extrapolated_factor": _number(found.limit),
        "band": _number(found.band),
        "order": _number(found.order),
    }


def cross_json(found: StudyFindings) -> dict[str, Any]:
    """A cross-check with units in the key names."""
    return {
        "case": found.case,
        "ways": [
            {
                "meshed_as": str(label),
                "factors": [_number(value) for value in row[:3]],
                "mesh_error_percent": _number(row[3]),
                "unknowns": int(row[4]),
            }
            for label, row in zip(found.labels, found.figures.tolist())
        ],
    }


def contact_json(found: StudyFindings) -> dict[str, Any]:
    """A study of the faces that touch with units in the key names; factor null where it falls
    apart."""
    return {
        "case": found.case,
        "joints": [
            {
                "faces": str(label),
                "factor": _number(row[0]) if row[0] > 0 else None,
                "mesh_error_percent": _number(row[1]),
            }
            for label, row in zip(found.labels, found.figures.tolist())
        ],
    }


def print_study(found: StudyFindings) -> None:
    """A cross-check, or a study of the faces that touch, for people."""
    from rich.console import Console
    from rich.table import Table

    from labilis.judge.studies import figure_words, study_words

    console = Console(highlight=False)
    table = Table(
        "meshed as" if found.kind == "cross" else "joints",
        *(str(column) for column in found.columns),
        box=None,
        pad_edge=True,
    )
    for label, row in zip(found.labels, found.figures.tolist()):
        table.add_row(
            str(label),
            *(figure_words(str(column), value) for column, value in zip(found.columns, row)),
        )
    console.print(f"Load case [bold]{found.case}[/]")
    console.print(table)
    console.print(study_words(found))


def print_convergence(found: ConvergenceFindings) -> None:
    """A convergence study for people."""
    from rich.console import Console
    from rich.table import Table

    from labilis.words.stations import convergence_words

    console = Console(highlight=False)
    table = Table("size", "elements", "unknowns", "first factor", "change", box=None, pad_edge=True)
    before = None
    for size, elements, unknowns, factor in zip(
        found.sizes, found.elements, found.unknowns, found.factors
    ):
        change = "" if before is None else f"{100 * (factor / before - 1):+.2f} %"
        table.add_row(
            shown.length(size, 3), f"{elements:,}", f"{unknowns:,}", f"{factor:.5g}", change
        )
        before = factor
    console.print(f"Load case [bold]{found.case}[/]")
    console.print(table)
    console.print(convergence_words(found))
