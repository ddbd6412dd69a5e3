"""What stands in a report, before it has a form: sections of sentences, tables and pictures. The
same sentences as on the check sheet."""

from __future__ import annotations

import datetime
import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

import labilis
from labilis.judge.evidence.base import Evidence
from labilis.judge.figures import critical_text, error_text, force_text, settled_words
from labilis.judge.hand.checks_of_member import Taken, raised
from labilis.judge.ladder import Rung, rungs
from labilis.judge.line_forces import along_members, table
from labilis.judge.line_forces import heads as line_heads
from labilis.judge.screening import HEADS, HOW, screened_cells
from labilis.judge.studies import figure_words, study_words
from labilis.model import Picture, Project, shown
from labilis.report.blocks import Block, Figure, Source, Table, Words, come_from, plain
from labilis.report.improving import Improved, improve_blocks
from labilis.report.own_pictures import picture_bytes
from labilis.results.findings import ModesFindings
from labilis.results.stress_measures import von_mises
from labilis.run.keys import stage_keys
from labilis.run.report import CaseReport, ProjectReport
from labilis.run.settling import settled
from labilis.words import stations
from labilis.words.part import part_sentences, scribe_sentences
from labilis.words.trace import trace_sentences

MARKS = {"good": "✓", "caution": "▬", "bad": "✗", "not judged": "○"}
_SHORT = ("verdict", "part", "supports", "loads", "modes", "limits")
_TITLES = {
    "verdict": "Verdict",
    "part": "Part and materials",
    "supports": "Supports",
    "loads": "Loads and cases",
    "mesh": "Mesh",
    "strength": "Strength",
    "screening": "Screening",
    "modes": "Modes",
    "hand checks": "Hand checks",
    "trace": "Trace at large deflection",
    "studies": "Studies",
    "improve": "Trials and designs",
    "evidence": "Evidence",
    "limits": "What this answer does not cover",
}
_MOST_MODES = 4  # pictures of modes of a case
_LITTLE = 5e-4  # of the largest reaction: what is less is nothing
Tone = Literal["", "good", "bad", "caution", "quiet"]


@dataclass(frozen=True)
class Section:
    """key, title and what stands in it."""

    key: str
    title: str
    blocks: tuple[Block, ...]


@dataclass(frozen=True)
class Head:
    """What stands on top: title; rows (name, text) of the document's data; verdict in words with
    its tone."""

    title: str
    rows: tuple[tuple[str, str], ...]
    verdict: str
    tone: str
    status: str
    logo: bytes = b""


@dataclass(frozen=True)
class Content:
    """The whole of it; paper; model: the statements in the JSON form; figures: what `verify`
    compares; printed: how often each of them stands on the pages, as it is written there."""

    head: Head
    sections: tuple[Section, ...]
    paper: str
    model: str
    figures: dict[str, Any] = field(default_factory=dict)
    printed: dict[str, int] = field(default_factory=dict)
    files: dict[str, tuple[str, bytes]] = field(default_factory=dict)


Pictures = Callable[..., bytes]


def _makers(
    project: Project,
    report: ProjectReport,
    results: Mapping[str, Any],
    pictures: Pictures | None,
    improved: Improved | None,
) -> dict[str, Callable[[], list[Block]]]:
    """What makes each section, in the order they are printed."""

    def of_cases(key: str, make: Callable[[CaseReport], list[Block]]) -> list[Block]:
        return [
            block for case in report.cases for block in come_from(make(case), key, case.facts.case)
        ]

    return {
        "verdict": lambda: of_cases("verdict", _verdict) or [Words("Nothing was run.", "caution")],
        "part": lambda: _part(project, report, results, pictures),
        "supports": lambda: [
            Words(plain(sentence), point=True) for sentence in stations.support_sentences(project)
        ],
        "loads": lambda: _loads(project),
        "mesh": lambda: _mesh(project, report, results, pictures),
        "strength": lambda: of_cases(
            "strength", lambda case: _strength(case, report, results, pictures)
        ),
        "screening": lambda: of_cases("screening", _screening),
        "modes": lambda: of_cases(
            "modes", lambda case: _modes(case, project, report, results, pictures)
        ),
        "hand checks": lambda: of_cases("hand checks", _hand),
        "trace": lambda: of_cases(
            "trace", lambda case: _trace(case, project, report, results, pictures)
        ),
        "studies": lambda: of_cases("studies", lambda case: _studies(case, project, results)),
        "improve": lambda: list(improve_blocks(improved)),
        "evidence": lambda: of_cases("evidence", _evidence),
        "limits": lambda: _limits(project, report),
    }


def content_of(
    project: Project,
    report: ProjectReport,
    results: Mapping[str, Any],
    pictures: Pictures | None = None,
    files: Mapping[str, bytes] | None = None,
    today: str = "",
    improved: Improved | None = None,
) -> Content:
    """The report of a project that was run. `pictures` draws (see `labilis.report.pictures.draw`);
    without it there are none. `improved`: what was tried of it."""
    plan = project.report

    makers = _makers(project, report, results, pictures, improved)
    found = []
    for key, make in makers.items():
        if key in plan.left_out or (plan.form == "short" and key not in _SHORT):
            continue
        blocks = make()
        note = plan.notes.get(key)  # type: ignore[call-overload]
        if note:
            blocks = [Words(note, "note"), *blocks]
        blocks += [_own_picture(item, files or {}) for item in plan.pictures if item.section == key]
        if blocks:
            found.append(Section(key, _TITLES[key], tuple(come_from(blocks, key))))
    from labilis.report.verify import figures_of_report, printed_in

    head, sections, figures = (
        _head(project, report, today, files or {}),
        tuple(_numbered(found)),
        figures_of_report(report),
    )
    return Content(
        head,
        sections,
        plan.paper,
        project.to_json(),
        figures,
        printed_in(_text_of(sections), figures),
        {
            item.sha256: (item.file, (files or {})[item.sha256])
            for item in project.geometry
            if item.sha256 in (files or {})
        },
    )


def _text_of(sections: Sequence[Section]) -> str:
    """All words and numbers of the pages."""
    parts: list[str] = []
    for section in sections:
        parts.append(section.title)
        for block in section.blocks:
            if isinstance(block, Words):
                parts.append(block.text)
            elif isinstance(block, Table):
                parts += [
                    block.caption,
                    *block.heads,
                    *(cell for row in block.rows for cell in row),
                ]
            else:
                parts += [re.sub(r"<[^>]+>", " ", block.svg), block.caption]
    return "\n".join(parts)


def _head(project: Project, report: ProjectReport, today: str, files: Mapping[str, bytes]) -> Head:
    plan = project.report
    meets = {
        True: ("Meets what is asked of it", "good"),
        False: ("Does not meet what is asked of it", "bad"),
        None: ("No verdict yet", "caution"),
    }[report.meets]
    rows = (
        ("Number", plan.number),
        ("Revision", plan.revision),
        ("Date", plan.date or today or datetime.date.today().isoformat()),
        ("Prepared for", plan.prepared_for),
        ("Author", plan.author),
        ("Checked by", plan.checked_by),
        ("Approved by", plan.approved_by),
        ("Scenario", project.scenario),
        ("Design", project.design if project.variants else ""),
        ("Made with", f"Labilis {labilis.__version__}"),
    )
    logo = b"" if plan.logo is None else picture_bytes(plan.logo, files)
    return Head(
        plan.title or project.name,
        tuple((name, text) for name, text in rows if text),
        *meets,
        plan.status,
        logo,
    )


def _own_picture(item: Picture, files: Mapping[str, bytes]) -> Figure:
    return Figure(item.caption, item.caption, picture_bytes(item, files))


def _numbered(found: list[Section]) -> list[Section]:
    """Tables and figures with their numbers, through the whole report."""
    counts = {"Table": 0, "Figure": 0}

    def number(block: Block) -> Block:
        if isinstance(block, Words):
            return block
        kind = "Table" if isinstance(block, Table) else "Figure"
        counts[kind] += 1
        return replace(block, caption=f"{kind} {counts[kind]}. {block.caption}")

    return [
        replace(section, blocks=tuple(number(block) for block in section.blocks))
        for section in found
    ]


# --- sections
# --------------------------------------------------------------------------------------------------
def _verdict(case: CaseReport) -> list[Block]:
    found: list[Block] = []
    tone = {True: "good", False: "bad", None: "caution"}[case.verdict.meets]
    found.append(
        Words(f"{case.facts.case}: {case.verdict.headline}. {_capital(case.verdict.detail)}.", tone)
    )
    if case.verdict.gates:
        rows = tuple(
            (
                gate.name.replace(" ", "\u00a0"),
                "left out" if gate.left_out else gate.state,
                gate.left_out or gate.reason or "–",
            )
            for gate in case.verdict.gates
        )
        found.append(
            Table(
                f"Gates of the verdict on {case.facts.case}", ("gate", "", "why"), rows, (0, 1, 2)
            )
        )
    ladder = _ladder(case)
    if ladder is not None:
        found.append(ladder)
    return found


def _part(
    project: Project, report: ProjectReport, results: Mapping[str, Any], pictures: Pictures | None
) -> list[Block]:
    view = results.get(stage_keys(settled(project, results)).shape)
    extents = (
        None if view is None else tuple(float(c) for c in view.extents[:, 1] - view.extents[:, 0])
    )
    found: list[Block] = [
        Words(plain(sentence), point=True)
        for sentence in [
            *part_sentences(project, extents, None if view is None else view.volume),  # type: ignore[arg-type]
            *scribe_sentences(project),
        ]
    ]
    if project.parameters:
        found.append(
            Table("Parameters", ("name", "value"), tuple(project.parameters.items()), (0, 1))
        )
    if pictures is not None and view is not None and report.mesh is not None:
        case = report.cases[0].facts.case if report.cases else ""
        found.append(
            Figure(
                f"The part with its supports and the loads of {case}",
                "The part seen from a corner, z upward, with marks of "
                "supports and arrows of loads.",
                pictures("part", project, report, results, case),
            )
        )
    return found


def _loads(project: Project) -> list[Block]:
    return [
        Words(plain(sentence), point=True)
        for sentence in (*stations.load_sentences(project), *stations.case_sentences(project))
    ]


def _mesh(
    project: Project, report: ProjectReport, results: Mapping[str, Any], pictures: Pictures | None
) -> list[Block]:
    mesh = report.mesh
    if mesh is None:
        return []
    facts = report.cases[0].facts if report.cases else None
    found: list[Block] = [
        Words(plain(sentence), point=True)
        for sentence in stations.mesh_sentences(project, facts, mesh.size)
    ]
    if report.settled is not None:
        found.append(Words(settled_words(report.settled), point=True))
    if pictures is not None:
        found.append(
            Figure(
                "The mesh",
                "The elements of the part seen from a corner.",
                pictures("mesh", project, report, results, ""),
                wide=False,
            )
        )
    return found


def _strength(
    case: CaseReport, report: ProjectReport, results: Mapping[str, Any], pictures: Pictures | None
) -> list[Block]:
    found: list[Block] = []
    strength = case.facts.strength
    if strength is None:
        return found
    found += [
        Words(f"{case.facts.case}: {plain(sentence)}")
        for sentence in stations.strength_sentences(case.facts)
    ]
    total = [(name, row[:3]) for name, row in strength.holding]
    largest = max((float(abs(row).max()) for _, row in total), default=0.0)
    rows = [
        (
            name,
            *(
                f"{0.0 if abs(value) < _LITTLE * largest else shown.value(value, 'force'):.5g}"
                for value in row
            ),
        )
        for name, row in total
    ]
    rows.append(
        (
            "loads",
            *(f"{shown.value(value, 'force'):.5g}" for value in strength.applied.sum(axis=0)[:3]),
        )
    )
    found.append(
        Table(
            f"Reactions under the service load, {case.facts.case}",
            ("support", *(shown.axis(f"{axis}, N")[0] for axis in "xyz")),
            tuple(rows),
        )
    )
    found += _lines(case)
    if pictures is not None:
        most = float(von_mises(strength.stress).max(initial=0.0))
        found.append(
            Figure(
                f"Von Mises stress under the service load, {case.facts.case}; 0 to "
                f"{shown.stress(most)}",
                f"Stress on the part, largest {shown.stress(most)}.",
                pictures("stress", case.facts.project, report, results, case.facts.case),
                wide=False,
            )
        )
    return found


def _lines(case: CaseReport) -> list[Block]:
    """What lines carry at most."""
    facts = case.facts
    if facts.strength is None or facts.mesh is None or not len(facts.strength.line_names):
        return []
    rows = tuple(
        tuple(words for words, _ in cells)
        for cells in table(facts.project, along_members(facts.strength, facts.mesh.nodes))
    )
    return [
        Table(
            f"Lines under the service load, {facts.case}: the largest in size of each",
            line_heads(),
            rows,
            (0,),
        )
    ]


def _screening(case: CaseReport) -> list[Block]:
    """Where to look closer, by rough factors."""
    items = case.facts.screened
    if not items:
        return []
    rows = tuple(tuple(words for words, _ in screened_cells(item)) for item in items)
    return [
        Words(f"{case.facts.case}: {HOW}"),
        Table(
            f"Screening of {case.facts.case}, rough factors on the growing load",
            HEADS,
            rows,
            (0, 1, 7),
        ),
    ]


def _mode_rows(case: CaseReport, modes: ModesFindings) -> list[tuple[str, ...]]:
    """The table of modes, a row each."""
    rows: list[tuple[str, ...]] = []
    for number, (factor, kind) in enumerate(zip(modes.factors, case.facts.kinds)):
        error = float(modes.mesh_error[number]) if len(modes.mesh_error) else math.nan
        needed = case.facts.required_for(number)
        meets = case.facts.meets(number)
        said = (
            "load must reverse"
            if factor < 0
            else "the trace decides"
            if meets is None
            else "meets"
            if meets
            else f"under by {100 * (1 - factor / needed):.0f} %"
        )
        half, _ = case.half_waves[number]
        rows.append(
            (
                str(number + 1),
                f"{factor:.5g}",
                f"± {error_text(error)}" if math.isfinite(error) else "not known",
                critical_text(float(factor), modes.growing_force),
                modes.drivers[number],
                str(kind),
                f"{float(format(shown.value(half, 'length'), '.3g')):g}"
                if math.isfinite(half)
                else "–",
                f"{needed:.4g}",
                said,
            )
        )
    return rows


def _mode_figures(
    case: CaseReport,
    modes: ModesFindings,
    project: Project,
    report: ProjectReport,
    results: Mapping[str, Any],
    pictures: Pictures,
) -> list[Block]:
    """Pictures of the first modes."""
    found: list[Block] = []
    for number in range(
        min(len(modes.factors), _MOST_MODES if project.report.form == "long" else 1)
    ):
        what = (
            f"factor {modes.factors[number]:.4g}, {case.facts.kinds[number]} of "
            f"{modes.drivers[number]}"
        )
        found.append(
            Figure(
                f"Mode {number + 1} of {case.facts.case}: {what}. Movement without unit, drawn "
                "larger",
                f"The part bulging in mode {number + 1}.",
                pictures("mode", project, report, results, case.facts.case, number),
                wide=False,
                source=Source(mode=number),
            )
        )
    return found


def _modes(
    case: CaseReport,
    project: Project,
    report: ProjectReport,
    results: Mapping[str, Any],
    pictures: Pictures | None,
) -> list[Block]:
    found: list[Block] = []
    modes = case.facts.modes
    if modes is None:
        return found
    rows = _mode_rows(case, modes)
    if modes.held_unstable:
        found.append(
            Words(
                f"{case.facts.case}: the part goes unstable under its held loads alone; there is "
                "no factor.",
                "bad",
            )
        )
        return found
    if not rows:
        found.append(
            Words(f"{case.facts.case}: no factor; this load cannot make the part unstable.", "good")
        )
        return found
    found.append(
        Table(
            f"Modes of {case.facts.case}, elastic and ideal",
            (
                "mode",
                "factor",
                "mesh error",
                "critical load",
                "driver",
                "kind",
                shown.axis("half wave, mm")[0],
                "required",
                "",
            ),
            tuple(rows),
            (4, 5, 8),
            each=tuple(Source(mode=number) for number in range(len(rows))),
        )
    )
    if pictures is not None:
        found += _mode_figures(case, modes, project, report, results, pictures)
    return found


def _hand(case: CaseReport) -> list[Block]:
    found: list[Block] = []
    checks = [
        item
        for item in case.hand_checks()
        if item.outcome is not None and math.isfinite(item.factor)
    ]
    if not checks:
        return found
    rows = tuple(
        (
            item.form.title,
            item.form.formula,
            "; ".join(_put_in(taken) for taken in item.taken if taken.value is not None),
            force_text(item.outcome.load),  # type: ignore[union-attr]
            f"{item.factor:.4g}",
            f"{item.difference:+.1f} %" if math.isfinite(item.difference) else "real part",
            item.form.source,
        )
        for item in checks
    )
    found.append(
        Table(
            f"Hand checks of {checks[0].member}, {case.facts.case}",
            ("check", "formula", "numbers put in", "load", "factor", "model beside it", "source"),
            rows,
            (0, 1, 2, 6),
        )
    )
    return found


def _trace(
    case: CaseReport,
    project: Project,
    report: ProjectReport,
    results: Mapping[str, Any],
    pictures: Pictures | None,
) -> list[Block]:
    found: list[Block] = []
    trace = case.facts.trace
    if trace is None or not trace.done:
        return found
    found += [Words(plain(sentence)) for sentence in trace_sentences(project, case.facts)]
    found.append(_curve(case))
    if pictures is not None:
        found.append(
            Figure(
                f"The part at the end of the trace of {case.facts.case}, {trace.factors[-1]:.4g} × "
                "the service load, true "
                "scale",
                "The deformed part at the end of its path.",
                pictures("trace", project, report, results, case.facts.case),
            )
        )
    return found


_STUDIES = {
    "amplitude": ("amplitude", "Verified factor over the amplitude of the starting shape"),
    "tilt": ("misalignment", "First factor and first yield over a misalignment of the load"),
    "cross": ("meshed as", "The same part meshed the other way"),
    "contact": ("joints", "Faces that touch at bolts and seams, bonded and apart"),
}


def _studies(case: CaseReport, project: Project, results: Mapping[str, Any]) -> list[Block]:
    """What was varied: each study with its sentence and its figures."""
    found: list[Block] = []
    fine = settled(project, results)
    keys = stage_keys(fine, case.facts.case)
    meshes = results.get(keys.converge)
    if meshes is not None and meshes.done:
        rows = [
            (
                f"{shown.value(float(size), 'length'):.3g}",
                f"{int(count):,}",
                f"{int(unknowns):,}",
                f"{float(factor):.5g}",
            )
            for size, count, unknowns, factor in zip(
                meshes.sizes, meshes.elements, meshes.unknowns, meshes.factors
            )
        ]
        found += [
            Words(f"{case.facts.case}: {stations.convergence_words(meshes)}"),
            Table(
                f"First factor of {case.facts.case} over meshes",
                (shown.axis("element size, mm")[0], "elements", "unknowns", "first factor"),
                tuple(rows),
                (),
            ),
        ]
    for kind, (what, caption) in _STUDIES.items():
        study = results.get(getattr(keys, kind))
        if study is None or not study.done:
            continue
        figures = [
            tuple(
                figure_words(str(column), float(value)) for column, value in zip(study.columns, row)
            )
            for row in study.figures
        ]
        found += [
            Words(f"{case.facts.case}: {study_words(study)}"),
            Table(
                f"{caption}, {case.facts.case}",
                (what, *(shown.axis(str(column))[0] for column in study.columns)),
                tuple(
                    (shown.restated(str(label)), *row) for label, row in zip(study.labels, figures)
                ),
            ),
        ]
    return found


def _evidence(case: CaseReport) -> list[Block]:
    found: list[Block] = []
    rows = tuple(
        (MARKS[item.state], item.name, f"{item.figure} {item.unit}".strip(), item.text)
        for item in case.evidence
    )
    if rows:
        found.append(
            Table(
                f"Evidence on {case.facts.case}: ✓ good, ▬ with care, ✗ bad, ○ not judged",
                ("", "evidence", "figure", "what it says"),
                rows,
                (0, 1, 2, 3),
            )
        )
    return found


def _limits(project: Project, report: ProjectReport) -> list[Block]:
    """What an answer of this kind leaves out, and what this one has open."""
    found = [
        Words(
            "Factors of modes are of the ideal, elastic part: an imperfect, yielding one carries "
            "less. What it carries is said by "
            "the overall check or by a trace, where there is one.",
            point=True,
        ),
        Words(
            "Nothing is said of fatigue, impact, vibration, bolts' threads and heads beyond what "
            "is stated, weld throats, corrosion "
            "or creep.",
            point=True,
        ),
    ]
    open_ = [
        (case, item)
        for case in report.cases
        for item in case.evidence
        if item.state == "not judged"
    ]
    found += [
        Words(f"{case.facts.case}, not judged: {item.text}", point=True)
        for case, item in _once(open_)
    ]
    found += [
        Words(f"The gate {gate} was left out: {reason}", "caution", True)
        for gate, reason in project.criteria.left_out.items()
    ]
    found += [
        Words(f"Doubted and meant so ({name}): {reason}", "caution", True)
        for name, reason in project.criteria.meant.items()
    ]
    aside = [piece.name for piece in project.pieces if piece.set_aside]
    if aside:
        found.append(Words(f"Set aside, not part of the model: {', '.join(aside)}.", point=True))
    return list(found)


def _put_in(taken: Taken) -> str:
    """'A = 92.7 mm²', with '(typed)' or '(usual)' behind what is not the model's."""
    said = " (typed)" if taken.typed else " (usual)" if taken.assumed else ""
    return f"{taken.symbol.name} = {raised(taken.text)}{said}"


def _once(rows: Sequence[tuple[CaseReport, Evidence]]) -> list[tuple[CaseReport, Evidence]]:
    seen: set[str] = set()
    return [(case, item) for case, item in rows if not (item.text in seen or seen.add(item.text))]  # type: ignore[func-returns-value]


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:].rstrip(".")


# --- drawings
# --------------------------------------------------------------------------------------------------
_INK, _QUIET, _GOOD, _BAD, _CAUTION, _LINE = (
    "#1F2428",
    "#6A7178",
    "#0F6B63",
    "#B93A1E",
    "#A66A00",
    "#D8D4C8",
)


def _ladder(case: CaseReport) -> Figure | None:
    """The factor ladder as a drawing: factors on a logarithmic line, their names beside it."""
    force = case.facts.modes.growing_force if case.facts.modes is not None else 0.0
    steps = [
        rung
        for rung in rungs(case.facts, force_text(force) if force else "")
        if rung.factor > 0 and math.isfinite(rung.factor)
    ]
    if len(steps) < 3:
        return None
    low, high = min(rung.factor for rung in steps) / 1.3, max(rung.factor for rung in steps) * 1.3
    height, left, pitch = max(150.0, 21.0 * len(steps) + 20.0), 60.0, 19.0

    def y_of(factor: float) -> float:
        return height - 10 - (height - 20) * math.log(factor / low) / math.log(high / low)

    places: list[float] = []
    for rung in sorted(steps, key=lambda item: -item.factor):
        wanted = y_of(rung.factor)
        places.append(max(wanted, places[-1] + pitch) if places else max(wanted, 12.0))
    over = places[-1] - (height - 8)
    height += max(over, 0.0)
    parts = [
        f'<line x1="{left}" y1="6" x2="{left}" y2="{height - 6:.1f}" stroke="{_INK}" '
        'stroke-width="1.5"/>'
    ]
    for value in _ticks(low, high):
        parts.append(
            f'<line x1="{left - 5}" y1="{y_of(value):.1f}" x2="{left}" y2="{y_of(value):.1f}" '
            f'stroke="{_INK}"/>'
            f'<text x="{left - 8}" y="{y_of(value) + 4:.1f}" text-anchor="end" '
            f'fill="{_QUIET}">{value:g}</text>'
        )
    for rung, place in zip(sorted(steps, key=lambda item: -item.factor), places):
        colour, dash = _colour(rung), ' stroke-dasharray="5 3"' if rung.kind == "hand" else ""
        parts.append(
            f'<polyline points="{left},{y_of(rung.factor):.1f} {left + 14},{y_of(rung.factor):.1f} '
            f"{left + 26},{place:.1f} "
            f'{left + 34},{place:.1f}" fill="none" stroke="{colour}" stroke-width="1.3"{dash}/>'
            f'<text x="{left + 38}" y="{place + 4:.1f}" fill="{colour}" '
            f'font-weight="600">{_escape(rung.title)}'
            f'<tspan font-weight="400" fill="{_QUIET}">  {_escape(rung.note)}</tspan></text>'
        )
    words = "; ".join(rung.title for rung in sorted(steps, key=lambda item: -item.factor))
    return Figure(
        f"Factors of {case.facts.case} on one scale, as multiples of the growing load",
        f"Ladder of factors: {words}.",
        svg=_svg(560, height, parts),
    )


def _colour(rung: Rung) -> str:
    if rung.kind == "mode":
        return _INK if rung.meets is None else _GOOD if rung.meets else _BAD
    return {"required": _BAD, "yield": _CAUTION, "verified": _GOOD, "service": _INK}.get(
        rung.kind, _QUIET
    )


def _curve(case: CaseReport) -> Figure:
    """The factor over the motion of the trace's point."""
    trace = case.facts.trace
    assert trace is not None
    under, times = shown.axis(f"motion of the point that mode {trace.mode} moves most, mm")
    points = [(abs(float(x)) * times, float(y)) for x, y in zip(trace.probe, trace.factors)]
    right, top = max(x for x, _ in points) or 1.0, max(max(y for _, y in points), 1.0) * 1.1
    bottom = min(0.0, min(y for _, y in points))

    def at(x: float, y: float) -> str:
        return f"{56 + 470 * x / right:.1f},{212 - 196 * (y - bottom) / (top - bottom):.1f}"

    parts = []
    for value in _even(bottom, top):
        place = at(0, value).split(",")[1]
        parts.append(
            f'<line x1="56" y1="{place}" x2="526" y2="{place}" stroke="{_LINE}"/>'
            f'<text x="50" y="{float(place) + 4:.1f}" text-anchor="end" '
            f'fill="{_QUIET}">{value:g}</text>'
        )
    parts += [
        f'<text x="{at(value, bottom).split(",")[0]}" y="228" text-anchor="middle" '
        f'fill="{_QUIET}">{value:g}</text>'
        for value in _even(0.0, right)
    ]
    one = at(0, 1.0).split(",")[1]
    parts.append(
        f'<line x1="56" y1="{one}" x2="526" y2="{one}" stroke="{_INK}" stroke-dasharray="6 4"/>'
        f'<text x="522" y="{float(one) - 4:.1f}" text-anchor="end" fill="{_INK}">service '
        "load</text>"
    )
    parts.append(
        f'<polyline points="{" ".join(at(x, y) for x, y in points)}" fill="none" stroke="{_GOOD}" '
        'stroke-width="2"/>'
    )
    parts += [
        f'<circle cx="{at(x, y).split(",")[0]}" cy="{at(x, y).split(",")[1]}" r="2.6" '
        f'fill="{_GOOD}"/>'
        for x, y in points
    ]
    parts += [
        f'<text x="291" y="246" text-anchor="middle" fill="{_QUIET}">{under}</text>',
        f'<text x="12" y="112" text-anchor="middle" fill="{_QUIET}" transform="rotate(-90 12 '
        '112)">times the service load</text>',
    ]
    return Figure(
        f"Trace of {case.facts.case}: load over motion, with the imperfection; verified to "
        f"{trace.verified:.4g}",
        f"Load-deflection curve, highest {max(y for _, y in points):.4g} times the service load.",
        svg=_svg(540, 252, parts),
    )


def _ticks(low: float, high: float) -> list[float]:
    found = [
        base * 10.0**power
        for power in range(math.floor(math.log10(low)), math.ceil(math.log10(high)) + 1)
        for base in (1, 2, 5)
    ]
    return [value for value in found if low <= value <= high]


def _even(low: float, high: float) -> list[float]:
    step = 10.0 ** math.floor(math.log10((high - low) / 2))
    step = next(step * k for k in (1, 2, 5) if (high - low) / (step * k) <= 6)
    return [
        round(step * k, 12)
        for k in range(math.ceil(low / step - 1e-9), math.floor(high / step + 1e-9) + 1)
    ]


def _escape(text: str) -> str:
    return text.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;")


def _svg(width: float, height: float, parts: Sequence[str]) -> str:
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {width:g} {height:.1f}" '
        f'width="{width:g}" height="{height:.1f}" '
        f'font-family="DejaVu Sans, sans-serif" font-size="11">{"".join(parts)}</svg>'
    )
