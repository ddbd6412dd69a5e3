"""The chain of stations: fills each card from the session and keeps one of them open."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from labilis.judge.spans import Sentence, Span
from labilis.judge.studies import study_words
from labilis.ui.sheet.card import Card, Mark
from labilis.words import stations
from labilis.words.part import parameter_sentences, part_sentences, scribe_sentences
from labilis.words.plan import improve_sentences
from labilis.words.report import report_sentences
from labilis.words.trace import trace_sentences

if TYPE_CHECKING:
    from labilis.app import Session

STATIONS = ("Part", "Supports", "Loads", "Mesh", "Strength", "Modes", "Trace", "Improve", "Report")


# station, what the tool says, command, its tip
_TOOLS = (
    ("Part", "open STEP…", "open_step", "New project from a STEP file"),
    (
        "Part",
        "revised file…",
        "revise",
        "Read a revised STEP or STL file: supports, loads and zones find their faces again",
    ),
    ("Part", "+ file…", "add_file", "Bring in the bodies of a further STEP or STL file"),
    ("Part", "+ piece", "piece", "A piece from a recipe: plate, folded sheet, strut, rib, block"),
    ("Part", "+ parameter", "parameter", "A named number that sizes may use in expressions"),
    (
        "Part",
        "materials",
        "grades",
        "Copy a material, keep it among own grades, import and export grades",
    ),
    ("Supports", "+ hold what is picked", "hold", "Pick a face or an edge on the stage first"),
    ("Loads", "+ force", "force", "On the picked face or edge"),
    ("Loads", "+ pressure", "pressure", "On the picked faces"),
    (
        "Loads",
        "+ other",
        "other_load",
        "Weight, a change of temperature, a displacement, loads of a table",
    ),
    (
        "Loads",
        "+ case",
        "case",
        "A further load case with all loads; cases can be combined with factors",
    ),
    ("Mesh", "mesh now", "mesh", "Make the mesh and look at it"),
    (
        "Mesh",
        "converge",
        "converge",
        "First factor with several meshes: how far the number can be believed",
    ),
    (
        "Mesh",
        "cross-check",
        "cross",
        "The first factors of the same part meshed the other way: shells as solids, thin "
        "solids as shells",
    ),
    (
        "Mesh",
        "touching faces",
        "contact",
        "The first factor with the faces that touch at bolts and seams bonded, and with them apart",
    ),
    ("Mesh", "+ zone", "zone", "Finer elements on the picked face or edge"),
    ("Strength", "run strength", "strength", "Linear static run"),
    ("Strength", "show stress", "show_stress", "Stress on the stage"),
    ("Modes", "find modes", "modes", "Run everything that is out of date, to the verdict"),
    ("Trace", "run the trace", "trace", "Follow the imperfect part of this case along its path"),
    ("Trace", "anew", "trace_anew", "From the unloaded part, not from where it was left off"),
    (
        "Trace",
        "how sensitive",
        "amplitude",
        "The verified factor over the amplitude, to both sides",
    ),
    (
        "Strength",
        "tilt",
        "tilt",
        "First factor, first yield and stress over a tilt and an offset of the largest force",
    ),
    ("Improve", "+ plan", "plan", "A trial plan over the parameters of the project"),
    (
        "Improve",
        "run the trials",
        "trials",
        "All trials of the plan that are not known yet, side by side",
    ),
    (
        "Improve",
        "try the advice",
        "advice",
        "The first piece of advice as a further design, run at once",
    ),
    (
        "Improve",
        "try a rib",
        "rib",
        "Through the crest of the plate that bulges first, along its compression, as a "
        "further design",
    ),
    (
        "Improve",
        "size it",
        "size",
        "The gauges of least mass at which every mode reaches what it must, and first "
        "yield the service load; at most 15 runs, the best becomes a design",
    ),
    ("Improve", "+ design", "design", "Keep a copy of the present statements as a further design"),
    ("Report", "look at its pages", "pages", "As they would be printed now"),
    ("Report", "+ this view", "keep_view", "What the stage shows now as a picture of the report"),
    ("Report", "logo…", "logo", "A picture at the head of the first page"),
    (
        "Report",
        "check a report…",
        "check_report",
        "Run what a report carries again: do its figures still hold?",
    ),
    (
        "Report",
        "write the report",
        "report",
        "As pages (PDF), for a browser (HTML) or to edit (DOCX)",
    ),
)


class Sheet(QScrollArea):
    """The check sheet. `station_opened` carries the station's name."""

    outline_wanted = pyqtSignal(str)
    station_opened = pyqtSignal(str)

    def __init__(self, session: Session, commands: Mapping[str, Callable[[], object]]) -> None:
        super().__init__()
        self.session = session
        self.setFixedWidth(304)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setVerticalScrollBarPolicy(
            Qt.ScrollBarPolicy.ScrollBarAlwaysOn
        )  # else sentences are cut when it comes
        ground = QWidget()
        ground.setObjectName("ground")
        column = QVBoxLayout(ground)
        column.setContentsMargins(2, 8, 8, 8)
        column.setSpacing(0)
        self.cards: dict[str, Card] = {}
        self.marks: dict[str, Mark] = {}
        for number, name in enumerate(STATIONS, 1):
            row = QHBoxLayout()
            row.setSpacing(4)
            row.setContentsMargins(0, 0, 0, 0)
            mark = Mark(number == 1, number == len(STATIONS))
            card = Card(session, number, name)
            card.opened.connect(lambda name=name: self.open_station(name))
            card.outline_wanted.connect(self.outline_wanted)
            card.plan_grew.connect(lambda: self.open_station("Improve"))
            holder = QVBoxLayout()
            holder.setContentsMargins(0, 4, 0, 4)
            holder.addWidget(card)
            row.addWidget(mark)
            row.addLayout(holder, 1)
            column.addLayout(row)
            self.cards[name], self.marks[name] = card, mark
        column.addStretch(1)
        self.setWidget(ground)
        self._tools = {
            command: self.cards[station].add_tool(words, commands[command], tip)
            for station, words, command, tip in _TOOLS
        }
        self.revise_tool = self._tools["revise"]
        self.further_tool = self._tools["add_file"]
        self.contact_tool = self._tools["contact"]
        self.anew_tool = self._tools["trace_anew"]
        self.trials_tool = self._tools["trials"]
        self.advice_tool = self._tools["advice"]
        self.rib_tool = self._tools["rib"]
        self.size_tool = self._tools["size"]
        session.improving.changed.connect(self.refresh)
        session.statements_changed.connect(self.refresh)
        session.results_changed.connect(self.refresh)
        session.run_changed.connect(self._trace_tools)
        session.case_changed.connect(self.refresh)
        self.open_name = ""
        self.refresh()
        self.open_station("Part")

    def open_station(self, name: str) -> None:
        """Open one station, shrink the others."""
        if name == self.open_name:
            return
        self.open_name = name
        for other, card in self.cards.items():
            card.set_open(other == name)
        self.refresh()
        self.ensureWidgetVisible(self.cards[name], 0, 30)
        self.station_opened.emit(name)

    def refresh(self) -> None:
        """Write all sentences anew."""
        project, lost = self.session.project, self.session.lost
        self._show("Part", self._part_sentences())
        self._show("Supports", self._support_sentences(lost))
        self._show(
            "Loads", [*stations.load_sentences(project, lost), *stations.case_sentences(project)]
        )
        self._show("Mesh", self._mesh_sentences(lost))
        self._show("Strength", self._strength_sentences())
        self._show("Modes", self._modes_sentences())
        self._show("Trace", self._trace_sentences())
        self._show("Improve", self._improve_sentences())
        self._show("Report", report_sentences(project))
        self._show_tools()
        self._trace_tools()
        self._mark()

    def _show_tools(self) -> None:
        """Tools that have something to work on."""
        session, project = self.session, self.session.project
        advice = session.improving.advice
        self.revise_tool.setVisible(bool(project.geometry))
        self.further_tool.setVisible(bool(project.pieces))
        self.contact_tool.setVisible(bool(project.bolts or project.seams))
        self.advice_tool.setVisible(any(remedy.path for remedy in advice))
        self.rib_tool.setVisible(any(remedy.adds is not None for remedy in advice))
        self.trials_tool.setVisible(bool(project.plans))
        self.size_tool.setVisible(session.improving.sizable)

    def _part_sentences(self) -> list[Sentence]:
        session, project = self.session, self.session.project
        view = session.current("shape")
        extents = (
            tuple(float(c) for c in view.extents[:, 1] - view.extents[:, 0])
            if view is not None
            else None
        )
        part = part_sentences(
            project,
            extents,  # type: ignore[arg-type]
            view.volume if view is not None else None,
            [(item.material.name, item.folder) for item in session.own_grades],
        )
        return [*part, *scribe_sentences(project), *parameter_sentences(project)]

    def _support_sentences(self, lost: Mapping[str, str]) -> list[Sentence]:
        project = self.session.project
        supports = stations.support_sentences(project, lost)
        if project.supports and self.cards["Supports"].is_open:
            supports.append(
                (
                    Span(
                        "On the stage, ticks stand for x y z and the three turns: long when held.",
                        tone="quiet",
                    ),
                )
            )
        return supports

    def _mesh_sentences(self, lost: Mapping[str, str]) -> list[Sentence]:
        session, project, report = self.session, self.session.project, self.session.case_report
        facts = report.facts if report is not None else None
        return stations.mesh_sentences(
            project,
            facts or session.report_without_case(),
            session.element_size,
            lost,
            session.mesh_cost,
        )

    def _strength_sentences(self) -> list[Sentence]:
        session, report = self.session, self.session.case_report
        facts = report.facts if report is not None else None
        strength = stations.strength_sentences(facts)
        if (facts is None or facts.strength is None) and session.out_of_date is not None:
            strength = [(Span(f"Out of date: {session.last_edit}.", tone="caution"),)]
        if report is not None and facts is not None and facts.strength is not None:
            worst = [
                item
                for item in report.evidence
                if item.name in ("balance", "held loaded direction")
            ]
            strength += [
                (Span(item.text, tone=item.state if item.state != "good" else ""),)
                for item in worst
            ]
        return strength

    def _modes_sentences(self) -> list[Sentence]:
        project, report = self.session.project, self.session.case_report
        facts = report.facts if report is not None else None
        modes = stations.modes_sentences(
            project,
            facts,
            report.driver if report is not None else "",
            report.verdict.gates if report is not None else (),
        )
        modes = modes[1:] + modes[:1] if len(modes) > 1 else modes
        modes += stations.euler_sentences(project, facts)
        if report is not None and facts is not None and facts.modes is not None:
            modes += [
                (Span(item.text, tone=item.state),)
                for item in report.evidence
                if item.state in ("bad", "caution")
            ][:3]
        return modes

    def _trace_sentences(self) -> list[Sentence]:
        session, project, report = self.session, self.session.project, self.session.case_report
        facts = report.facts if report is not None else None
        trace = trace_sentences(project, facts)
        study = session.current("amplitude")
        if study is not None and study.done:
            trace.append((Span(study_words(study)),))
        return trace

    def _improve_sentences(self) -> list[Sentence]:
        session, project = self.session, self.session.project
        improve = improve_sentences(project)
        for plan in project.plans:
            words, tone = session.improving.told(plan)
            if words:
                improve.append((Span(words, tone=tone),))
        if session.improving.sizing_words:
            tone = "good" if session.improving.sizing_kept else "caution"
            improve.append(
                (Span("Sized: ", strong=True), Span(session.improving.sizing_words, tone=tone))
            )
        advice = session.improving.advice
        for remedy in [
            *[item for item in advice if item.adds is None][:3],
            *[item for item in advice if item.adds is not None],
        ]:
            improve.append((Span("Advice: ", strong=True), remedy.span))
        if (promised := session.improving.promise) is not None:
            case = session.report.case(promised.case)
            then = case.facts.modes if case is not None else None
            found_words = (
                "not run yet"
                if then is None or not len(then.positive)
                else f"found {float(then.positive[0]):.4g}"
            )
            before = (
                f"{promised.factor:.4g} before"
                if promised.adds is not None
                else f"expected {promised.expected:.4g}"
            )
            improve.append((Span(f"{project.design}: {before}, {found_words}."),))
        return improve

    def _trace_tools(self) -> None:
        """Whether a trace begins or goes on from where it was left off."""
        left = self.session.checkpoint if self.session.running is None else None
        tool = self.cards["Trace"].tools["run the trace"]
        tool.setText("run the trace" if left is None else f"go on from step {left.steps}")
        self.anew_tool.setVisible(left is not None)
        for card in self.cards.values():
            card.arrange_tools()

    def _show(self, name: str, found: list[Sentence]) -> None:
        error = self.session.last_error
        place = error.where.split("/")[0] if error is not None else ""
        owner = {
            "part": "Part",
            "pieces": "Part",
            "scribes": "Part",
            "materials": "Part",
            "supports": "Supports",
            "regions": "Supports",
            "loads": "Loads",
            "cases": "Loads",
            "mesh": "Mesh",
            "trace": "Trace",
            "plans": "Improve",
            "variants": "Improve",
            "report": "Report",
        }.get(place)
        if error is not None and owner == name and error.code != "lost-region":
            found = [*found, (Span(str(error).removeprefix(f"{error.where}: "), tone="bad"),)]
        self.cards[name].show_sentences(found)

    def _mark(self) -> None:
        session = self.session
        project, report = session.project, session.case_report
        facts = report.facts if report is not None else None
        ready = {
            "Part": bool(project.pieces)
            and all(piece.material or piece.set_aside for piece in project.pieces),
            "Supports": bool(project.supports),
            "Loads": bool(project.loads),
            "Mesh": session.current("mesh") is not None,
            "Strength": facts is not None and facts.strength is not None,
            "Modes": facts is not None and facts.modes is not None,
            "Trace": facts is not None and facts.trace is not None and facts.trace.done,
            "Improve": any(session.improving.trials_of(plan) for plan in project.plans),
            "Report": facts is not None and facts.modes is not None,
        }
        ran_before = self.session.last_modes.get(session.case_name) is not None
        for name, mark in self.marks.items():
            state = "ready" if ready[name] else "empty"
            if not ready[name] and ran_before and name in ("Mesh", "Strength", "Modes"):
                state = "stale"
            if (
                name == "Modes"
                and ready[name]
                and report is not None
                and report.verdict.meets is False
            ):
                state = "fails"
            if (
                name == "Trace"
                and ready[name]
                and facts is not None
                and facts.trace is not None
                and facts.trace.verified < 1
            ):
                state = "fails"
            error = session.last_error
            spans = [span for label in self.cards[name].sentences for span in label.sentence]
            if any(span.blocked for span in spans):
                state = "blocked"
            if error is not None and any(
                label.sentence[-1].tone == "bad" and str(error.what) in label.sentence[-1].text
                for label in self.cards[name].sentences
            ):
                state = "blocked"
            mark.show_state(state)
