"""The main window: top bar, check sheet, stage, ladder, drawer."""

from __future__ import annotations

import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QByteArray, Qt, QTimer
from PyQt6.QtGui import QCloseEvent, QKeySequence, QPixmap, QShortcut
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QMainWindow,
    QMessageBox,
    QProgressBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from labilis.app import Session
from labilis.app.building import recipes
from labilis.app.demos import demo_model
from labilis.app.preferences import (
    PAPERS,
    Paper,
    keep_window_place,
    prefer_paper,
    prefer_still,
    window_place,
)
from labilis.app.recovery import recoverable
from labilis.judge.evidence.base import CaseFacts
from labilis.judge.figures import force_text
from labilis.judge.ladder import rungs
from labilis.judge.verdict import Verdict
from labilis.model import LabilisError, shown, words_of
from labilis.results.findings import ModesFindings
from labilis.ui.begin import starts
from labilis.ui.building import offer_grades, offer_loads, offer_recipes
from labilis.ui.commands import Command, CommandBox
from labilis.ui.copying import ask_drawing
from labilis.ui.drawer.drawer import Drawer
from labilis.ui.editing import Editing
from labilis.ui.ladder.ladder import Ladder
from labilis.ui.naming import NameLabel
from labilis.ui.outline import OutlinePage
from labilis.ui.plain_text import Label, plain_tip, polish_again
from labilis.ui.preview import Preview
from labilis.ui.printing import Printer
from labilis.ui.sheet.sheet import STATIONS, Sheet
from labilis.ui.stage.stage import Stage
from labilis.ui.theme import PAPER, icon
from labilis.ui.tour import Tour

if TYPE_CHECKING:
    from labilis.report.blocks import Source
    from labilis.report.verify import Checking

_PAGES_AFTER = 500  # ms after the last change until the pages that are looked at are made anew
# station and drawer page that a section of the report comes from
_PLACES = {
    "verdict": ("Modes", "Evidence"),
    "part": ("Part", ""),
    "supports": ("Supports", ""),
    "loads": ("Loads", ""),
    "mesh": ("Mesh", ""),
    "strength": ("Strength", ""),
    "modes": ("Modes", "Modes"),
    "hand checks": ("Modes", "Hand checks"),
    "trace": ("Trace", "Trace"),
    "studies": ("Mesh", "Studies"),
    "improve": ("Improve", "Improve"),
    "evidence": ("Modes", "Evidence"),
    "screening": ("Modes", "Screening"),
    "limits": ("Report", ""),
}
PARTS = "Parts (*.step *.stp *.stl *.STEP *.STP *.STL)"
_DESIGN_WIDE, _ARROW_WIDE = 190, 36  # of the box of designs, and what its arrow takes
_TICK = 25  # ms between looks at what runs


class Window(Editing, QMainWindow):
    """One window on one session."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.setWindowTitle("Labilis")
        self.resize(1280, 800)
        self.setMinimumSize(960, 600)
        if place := window_place():
            self.restoreGeometry(QByteArray.fromBase64(place.encode()))
        self.preview: Preview | None = None
        self.printer: Printer | None = None
        # of statements and results; those that the pages were made of
        self._changes = self._pages_of = 0
        self._ticker = QTimer(self)  # takes what comes in while anything runs
        self._ticker.setInterval(_TICK)
        self._ticker.timeout.connect(session.poll)
        self._pages_timer = QTimer(self)
        self._pages_timer.setSingleShot(True)
        self._pages_timer.setInterval(_PAGES_AFTER)
        self._pages_timer.timeout.connect(lambda: self._guard(self._print_pages))
        self._preview_folder: tempfile.TemporaryDirectory[str] | None = None
        self._awaited: tuple[str, int] | None = None  # a run, and how many views were chosen then
        self._begin_pictures()
        ground = QWidget()
        ground.setObjectName("ground")
        outer = QVBoxLayout(ground)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        self.commands = self._commands()
        outer.addWidget(self._bar())
        self.banner = self._make_banner()
        outer.addWidget(self.banner)
        middle = QHBoxLayout()
        middle.setSpacing(0)
        self.stage = Stage(session)
        self._connect_begin()
        self.drawer = Drawer(session)
        self.ladder = Ladder()
        self.sheet = Sheet(session, self._tools())
        centre = QVBoxLayout()
        centre.setSpacing(0)
        centre.addWidget(self.stage, 1)
        self.outline = OutlinePage(session)
        self.outline.hide()
        self.outline.done.connect(self.leave_outline)
        centre.addWidget(self.outline, 1)
        self.tour = Tour(
            session, self.sheet.open_station, lambda: self.drawer.show_page("Evidence"), self._run
        )
        centre.addWidget(self.tour)
        centre.addWidget(self.drawer)
        middle.addWidget(self.sheet)
        middle.addLayout(centre, 1)
        middle.addWidget(self.ladder)
        outer.addLayout(middle, 1)
        self.setCentralWidget(ground)
        self._connect()
        self._keys()
        self._refresh()

    def _begin_pictures(self) -> None:
        """Nothing of the ladder's pictures is drawn yet."""
        self._pictured: ModesFindings | None = None  # whose modes the pictures show
        self._pictures: dict[int, QPixmap] = {}
        self._drawing: Iterator[QPixmap] = iter(())
        self._picture_timer = QTimer(self)
        self._picture_timer.timeout.connect(self._draw_picture)

    def _connect_begin(self) -> None:
        """What the page of an empty window asks for."""
        self.stage.begin.wanted.connect(self.load_path)
        self.stage.begin.asked.connect(
            lambda what: {
                "open": self.open_file,
                "step": self.import_step,
                "piece": lambda: offer_recipes(self, self.add_piece),
                "tour": self.first_check,
            }[what]()
        )

    def _tools(self) -> dict[str, Callable[[], object]]:
        """What the tools of the sheet do, by the names in its table."""
        return {
            "open_step": self.import_step,
            "revise": self.revise_file,
            "add_file": self.add_file,
            "hold": self.hold_picked,
            "force": lambda: self.push_picked("force"),
            "pressure": lambda: self.push_picked("pressure"),
            "mesh": lambda: self.run("mesh"),
            "zone": self.zone_picked,
            "strength": lambda: self.run("strength"),
            "show_stress": lambda: self.stage.show_view("Stress"),
            "modes": lambda: self.run("modes"),
            "trace": self.run_trace,
            "trace_anew": self.trace_anew,
            "converge": self.run_convergence,
            "amplitude": lambda: self.run_study("amplitude"),
            "tilt": lambda: self.run_study("tilt"),
            "cross": lambda: self.run_study("cross"),
            "contact": lambda: self.run_study("contact"),
            "piece": lambda: offer_recipes(self, self.add_piece),
            "grades": self.offer_grades,
            "parameter": self.add_parameter,
            "plan": self.add_plan,
            "trials": self.run_trials,
            "design": self.add_design,
            "advice": self.try_advice,
            "rib": self.try_rib,
            "size": self.size_it,
            "report": self.write_report,
            "pages": self.preview_report,
            "keep_view": self.keep_view,
            "logo": self.choose_logo,
            "check_report": self.check_report,
            "case": self.add_case,
            "other_load": lambda: offer_loads(self, self.session.project, self.add_load),
        }

    # --- building
    # ----------------------------------------------------------------------------------------------
    def _say_what_is_undone(self) -> None:
        """Undo and redo say what they take back."""
        before, after = ([], []) if self.session.file is None else self.session.file.history()
        for name, word, titles, key in (
            ("undo", "Undo", before[-1:], "Ctrl+Z"),
            ("redo", "Redo", after[:1], "Ctrl+Shift+Z"),
        ):
            self.buttons[name].setToolTip(
                plain_tip(
                    f"{word}: {titles[0]} ({key})" if titles else f"Nothing to {name} ({key})"
                )
            )

    def _identify(self, field: str, text: str) -> None:
        """Another name of the project, or of what it belongs to."""
        if field == "name" and not text:
            raise LabilisError("A project needs a name.", "name", "Type one.", "name")
        self.session.edit(
            self.session.project.changed(**{field: text}), f"{field} set to {text or 'nothing'}"
        )

    def _bar(self) -> QWidget:
        bar = QWidget()
        bar.setObjectName("bar")
        bar.setFixedHeight(44)
        row = QHBoxLayout(bar)
        row.setContentsMargins(12, 4, 10, 4)
        self.name = NameLabel("Name of the project")
        self.name.setObjectName("name")
        self.scenario = NameLabel("What the part belongs to", "belongs to…")
        self.scenario.setObjectName("note")
        for label, field in ((self.name, "name"), (self.scenario, "scenario")):
            label.typed.connect(
                lambda text, field=field: self._guard(lambda: self._identify(field, text))
            )
        row.addWidget(self.name)
        row.addWidget(self.scenario)
        row.addSpacing(8)
        self.buttons: dict[str, QToolButton] = {}
        for name, tip, call in (
            ("new", "New from a STEP file (Ctrl+N)", self.import_step),
            ("open", "Open (Ctrl+O)", self.open_file),
            ("save", "Save (Ctrl+S)", self.save),
            ("undo", "Undo (Ctrl+Z)", self.session.undo),
            ("redo", "Redo (Ctrl+Shift+Z)", self.session.redo),
        ):
            button = QToolButton()
            button.setIcon(icon(name))
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.setStyleSheet("padding: 4px;")
            button.clicked.connect(lambda _=False, call=call: call())
            row.addWidget(button)
            self.buttons[name] = button
        row.addStretch(1)
        self.case_box = QComboBox()
        self.case_box.setAccessibleName("Load case")
        self.case_box.setMinimumWidth(150)
        self.case_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.case_box.activated.connect(self._case_chosen)
        row.addWidget(self.case_box)
        self.design_box = QComboBox()
        self.design_box.setAccessibleName("Design")
        self.design_box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.design_box.setMaximumWidth(_DESIGN_WIDE)
        self.design_box.activated.connect(self._design_chosen)
        row.addWidget(self.design_box)
        row.addStretch(1)
        self.run_button = QPushButton()
        self.run_button.setObjectName("run")
        self.run_button.clicked.connect(self.run_or_stop)
        row.addWidget(self.run_button)
        row.addSpacing(6)
        self.find_box = CommandBox(self.commands, self, self._picks)
        row.addWidget(self.find_box)
        return bar

    def _make_banner(self) -> QWidget:
        banner = QWidget()
        row = QHBoxLayout(banner)
        row.setContentsMargins(14, 3, 14, 3)
        self.banner_text = Label()
        self.banner_text.setWordWrap(True)
        self.banner_progress = QProgressBar()
        self.banner_progress.setTextVisible(False)
        self.banner_progress.setFixedWidth(180)
        self.banner_fix = QPushButton()
        self.banner_fix.setObjectName("tool")
        self.banner_pause = QPushButton("pause")
        self.banner_pause.setObjectName("tool")
        self.banner_pause.setToolTip("Hold the run still, or let it go on")
        self.banner_pause.clicked.connect(lambda: self.session.pause(not self.session.paused))
        close = QToolButton()
        close.setIcon(icon("close"))
        close.setAccessibleName("Put the message away")
        close.clicked.connect(lambda: self._say(""))
        self._banner_close = close
        row.addWidget(self.banner_text, 1)
        row.addWidget(self.banner_progress)
        row.addWidget(self.banner_pause)
        row.addWidget(self.banner_fix)
        row.addWidget(close)
        banner.hide()
        return banner

    def _picks(self) -> list[Command]:
        """What can be picked by its name: regions, and what the recipes named."""
        return [
            Command(f"Pick {name}", "", lambda picks=picks: self.stage.pick_named(picks))
            for name, picks in self.session.named_parts.items()
        ]

    def _commands(self) -> list[Command]:
        return [
            *self._run_commands(),
            *self._file_commands(),
            *self._statement_commands(),
            *self._view_commands(),
            *self._page_commands(),
        ]

    def _run_commands(self) -> list[Command]:
        """Runs and studies."""
        return [
            Command("Run: find modes", "Ctrl+R", self.run_or_stop),
            Command("Run strength only", "", lambda: self.run("strength")),
            Command("Study convergence over meshes", "", self.run_convergence),
            Command(
                "Study the verified factor over the amplitude",
                "",
                lambda: self.run_study("amplitude"),
            ),
            Command(
                "Cross-check: the part meshed the other way", "", lambda: self.run_study("cross")
            ),
            Command("Study what faces that touch are worth", "", lambda: self.run_study("contact")),
            Command("Save a picture or a film", "", self.save_film),
            Command("Study a misalignment of the load", "", lambda: self.run_study("tilt")),
            Command(
                "Pause the run, or let it go on",
                "",
                lambda: self.session.pause(not self.session.paused),
            ),
            Command("Run the trace of this case", "", self.run_trace),
            Command("Run the trace anew", "", self.trace_anew),
            Command("Show the traced shape", "", lambda: self.stage.show_view("Trace")),
            Command("Mesh now", "", lambda: self.run("mesh")),
        ]

    def _file_commands(self) -> list[Command]:
        """Files, recovery and history."""
        return [
            Command("Leave the editor, drop the selection, or stop the run", "Esc", self.escape),
            Command("First check in six steps", "", self.first_check),
            Command("New from a STEP file", "Ctrl+N", self.import_step),
            *[
                Command(f"New: {name}, {words}", "", lambda path=path: self.load_path(path))
                for name, words, path in starts()
            ],
            Command("Read a revised STEP or STL file", "", self.revise_file),
            Command("Bring in the bodies of a further STEP or STL file", "", self.add_file),
            Command("Open a project or model", "Ctrl+O", self.open_file),
            Command("Save", "Ctrl+S", self.save),
            Command("Save under another name", "Ctrl+Shift+S", self.save_as),
            Command("Export the model as JSON", "", self.export_model),
            Command("Export results: VTU and CSV in a folder", "", self.export_results),
            Command("Export the part as STEP", "", self.export_part),
            Command("Recover unsaved work", "", self.recover),
            Command("Undo", "Ctrl+Z", self.session.undo),
            Command("Redo", "Ctrl+Shift+Z", self.session.redo),
        ]

    def _statement_commands(self) -> list[Command]:
        """Stations, and what is stated of the part."""
        return [
            *[
                Command(
                    f"Station {number}: {name}",
                    str(number),
                    lambda name=name: self.sheet.open_station(name),
                )
                for number, name in enumerate(STATIONS, 1)
            ],
            Command("Hold what is picked", "", self.hold_picked),
            Command("Push on what is picked", "", lambda: self.push_picked("force")),
            Command("Pressure on what is picked", "", lambda: self.push_picked("pressure")),
            *[
                Command(f"New piece: {key}", "", lambda key=key: self.add_piece(key))
                for key in recipes().all
            ],
            *[
                Command(
                    f"Scribe on what is picked: {words}",
                    "",
                    lambda way=way: self.scribe_picked(way),
                )
                for way, words in (
                    ("lengthwise", "a line along it"),
                    ("crosswise", "a line across it"),
                    ("circle", "a circle"),
                )
            ],
            Command("Edit an outline in plan", "", self.edit_first_outline),
            Command("Add the weight of all pieces", "", self.add_weight),
            Command("Loads and cases of a table (CSV)", "", self.load_table),
            Command("Finer mesh on what is picked", "", self.zone_picked),
            Command("Add a load case", "", self.add_case),
        ]

    def _view_commands(self) -> list[Command]:
        """What the stage shows, and how."""
        look = {
            "x": "Look along x",
            "y": "Look along y",
            "z": "Look along z",
            "i": "Look from a corner",
        }
        return [
            Command("Show the shape", "", lambda: self.stage.show_view("Shape")),
            Command("Show the mesh", "", lambda: self.stage.show_view("Mesh")),
            Command("Show the stress", "", lambda: self.stage.show_view("Stress")),
            Command("Show the mode", "", lambda: self.stage.show_view("Mode")),
            *[
                Command(f"Cut across {name}", "", lambda axis=axis: self.stage.cut.choose(axis))
                for axis, name in enumerate("xyz")
            ],
            Command("Nothing cut off", "", lambda: self.stage.cut.choose(None)),
            Command("Next mode", "]", lambda: self.stage.step_mode(1)),
            Command("Previous mode", "[", lambda: self.stage.step_mode(-1)),
            Command("Play or pause", "Space", lambda: self.stage.playback.toggle()),
            Command("True scale of the movement", "T", lambda: self.stage.playback.toggle_true()),
            Command(
                "Ghost of the undeformed part", "G", lambda: self.stage.playback.ghost.toggle()
            ),
            Command("Fit the part into the view", "F", lambda: self.stage.fit()),
            *[
                Command(
                    words, f"V, {letter.upper()}", lambda letter=letter: self.stage.look(letter)
                )
                for letter, words in look.items()
            ],
            Command("Save the factor ladder as a picture or a page", "", self.save_ladder),
        ]

    def _page_commands(self) -> list[Command]:
        """Trials, report, pages of the drawer, units."""
        return [
            Command("Add a trial plan", "", self.add_plan),
            Command("Run the trials", "", self.run_trials),
            Command("Keep this design and go on with a copy", "", self.add_design),
            Command("Try the first piece of advice", "", self.try_advice),
            Command("Try a rib on what bulges", "", self.try_rib),
            Command("Write the report", "Ctrl+P", self.write_report),
            Command("Keep this view for the report", "", self.keep_view),
            Command("Logo of the report", "", self.choose_logo),
            Command("Check whether a report still holds", "", self.check_report),
            Command("Look at the report's pages", "", self.preview_report),
            Command("Size it: the lightest gauges that keep what is asked for", "", self.size_it),
            Command(
                "Designs side by side",
                "",
                lambda: (self.drawer.show_page("Improve"), self.drawer.improve.choose("designs")),
            ),
            Command("Hand checks", "", lambda: self.drawer.show_page("Hand checks")),
            Command("Screening", "", lambda: self.drawer.show_page("Screening")),
            Command("Evidence", "", lambda: self.drawer.show_page("Evidence")),
            Command("Journal", "", lambda: self.drawer.show_page("Journal")),
            Command("Fold or unfold the drawer", "D", lambda: self.drawer.toggle()),
            *[
                Command(
                    f"Show figures in {name.replace('-', ' ')}",
                    "",
                    lambda name=name: self.session.show_in(name),
                )
                for name in shown.NAMES
            ],
            *[
                Command(f"Paper: {name}", "", lambda name=name: self.choose_paper(name))
                for name in PAPERS
            ],
            Command("Modes move by themselves", "", lambda: self.choose_motion(False)),
            Command(
                "Modes stand still until they are played", "", lambda: self.choose_motion(True)
            ),
            Command("List the keys", "?", self.list_keys),
        ]

    def _keys(self) -> None:
        for command in self.commands:
            if command.key:
                shortcut = QShortcut(QKeySequence(command.key), self)
                shortcut.activated.connect(command.call)
        QShortcut(QKeySequence("Ctrl+K"), self).activated.connect(self.find_box.setFocus)

    def _connect(self) -> None:
        session = self.session
        session.statements_changed.connect(self._refresh)
        session.results_changed.connect(self._refresh)
        session.case_changed.connect(self._refresh)
        session.file_changed.connect(self._refresh)
        session.run_changed.connect(self._run_changed)
        session.problem.connect(self.show_problem)
        self.stage.hold_wanted.connect(self.hold_picked)
        self.stage.push_wanted.connect(self.push_picked)
        self.stage.join_wanted.connect(self.join_picked)
        self.stage.scribe_wanted.connect(self.scribe_picked)
        self.stage.region_wanted.connect(self.give_picked)
        self.stage.put_wanted.connect(self.put_picked)
        self.stage.zone_wanted.connect(self.zone_picked)
        self.stage.mode_changed.connect(self._mode_shown)
        self.stage.film_wanted.connect(self.save_film)
        self.drawer.mode_chosen.connect(lambda mode: self.stage.show_view("Mode", mode))
        self.drawer.quantity_chosen.connect(self.stage.show_quantity)
        self.drawer.station_wanted.connect(self._go_to_station)
        self.drawer.improve.design_wanted.connect(self.add_design)
        self.drawer.improve.stage_wanted.connect(self.stage.compare_designs)
        self.ladder.rung_chosen.connect(self._rung_chosen)
        self.ladder.apply_wanted.connect(self.apply_factor)
        self.sheet.station_opened.connect(self._station_opened)
        self.sheet.outline_wanted.connect(self.edit_outline)

    def showEvent(self, event: object) -> None:
        super().showEvent(event)  # type: ignore[arg-type]
        QTimer.singleShot(0, self._started)

    def _started(self) -> None:
        self.stage.start()
        self.session.worker.warm()
        waiting = recoverable()
        if waiting and not self.session.project.pieces:
            self._say(
                "There is unsaved work from a window that is gone.",
                "caution",
                "Recover it",
                self.recover,
            )

    # --- refreshing
    # ----------------------------------------------------------------------------------------------
    def _refresh(self) -> None:
        session = self.session
        project = session.project
        self.name.show_text(project.name)
        self.scenario.show_text(project.scenario)
        state = (
            "not saved under a name yet" if session.saved_path is None else str(session.saved_path)
        )
        self.name.setToolTip(plain_tip(f"Name of the project: click to change it\n{state}"))
        self._say_what_is_undone()
        self.setWindowTitle(f"{project.name} — Labilis")
        self.case_box.blockSignals(True)
        self.case_box.clear()
        self.case_box.addItems(
            [f"Case: {case.name}{self._case_mark(case.name)}" for case in project.cases]
            or ["no load case"]
        )
        self.case_box.setToolTip(plain_tip(self._worst_case()))
        names = [case.name for case in project.cases]
        if session.case_name in names:
            self.case_box.setCurrentIndex(names.index(session.case_name))
        self.case_box.blockSignals(False)
        designs = self.session.improving.designs
        self.design_box.blockSignals(True)
        self.design_box.clear()
        metrics = self.design_box.fontMetrics()
        for number, name in enumerate(designs):
            words = metrics.elidedText(
                f"Design: {name}", Qt.TextElideMode.ElideRight, _DESIGN_WIDE - _ARROW_WIDE
            )
            self.design_box.addItem(words)
            self.design_box.setItemData(number, plain_tip(name), Qt.ItemDataRole.ToolTipRole)
        self.design_box.blockSignals(False)
        self.design_box.setToolTip(plain_tip(f"Design that is shown: {project.design}"))
        self.design_box.setVisible(len(designs) > 1)
        self._run_changed()
        self._fill_ladder()

    def _case_mark(self, name: str) -> str:
        """Verdict and factor of a case, where there are several to compare."""
        report = self.session.report.case(name)
        if report is None or report.facts.modes is None or len(self.session.project.cases) < 2:
            return ""
        sign = {True: "✓", False: "✕", None: "○"}[report.verdict.meets]
        return (
            f"   {sign} {report.verdict.factor:.4g}"
            if report.verdict.factor is not None
            else f"   {sign}"
        )

    def _worst_case(self) -> str:
        """Which case comes out worst, of several."""
        judged = [case for case in self.session.report.cases if case.verdict.factor is not None]
        if len(judged) < 2:
            return "Load case that is shown"
        worst = min(judged, key=lambda case: (case.verdict.factor or 0.0) / case.verdict.required)
        return (
            f"Worst of {len(judged)} cases: {worst.facts.case}, {worst.verdict.headline}, "
            f"{worst.verdict.detail}"
        )

    def _fill_ladder(self) -> None:
        session = self.session
        report, stale = session.case_report, ""
        old = session.out_of_date
        if old is not None:
            report, stale = old, session.last_edit or "the statements changed"
        if report is None:
            nothing = (
                "Choose what to begin with."
                if not session.project.pieces
                else "Pick a face and push on it."
            )
            self.ladder.show_case(Verdict(None, "No verdict yet", nothing), (), {})
            return
        facts = report.facts
        verdict = report.verdict
        if facts.strength is None and facts.modes is None:
            self.ladder.show_case(Verdict(None, "No verdict yet", self._next_step(), None), (), {})
            return
        force = facts.strength.applied[0, :3] if facts.strength is not None else None
        service = (
            force_text(float((force**2).sum() ** 0.5)) + " growing" if force is not None else ""
        )
        self.ladder.show_case(verdict, rungs(facts, service), self._pictures_of(facts), stale)
        if self.stage.view_name == "Mode":
            self.ladder.choose_mode(self.stage.mode)

    def _pictures_of(self, facts: CaseFacts) -> dict[int, QPixmap]:
        """Pictures of the modes that are drawn already; the others follow one by one, so that the
        window answers in between."""
        view = self.session.current("shape")
        if view is None or facts.modes is None or facts.mesh is None:
            return {}
        if self._pictured is not facts.modes:
            from labilis.ui.stage.pictures import draw_modes  # which loads the 3D library

            self._pictured, self._pictures = facts.modes, {}
            self._drawing = draw_modes(view, facts.mesh, facts.modes)
            self._picture_timer.start()
        return self._pictures

    def _draw_picture(self) -> None:
        """The next picture of a mode."""
        if (picture := next(self._drawing, None)) is None:
            self._picture_timer.stop()
            return
        self._pictures[len(self._pictures)] = picture
        self.ladder.update()

    def _next_step(self) -> str:
        project = self.session.project
        if not project.supports:
            return "Pick a face on the stage and hold it."
        if not project.loads:
            return "Pick a face on the stage and push on it."
        return "Run to find the modes."

    def _run_changed(self) -> None:
        session, button = self.session, self.run_button
        if session.idle:
            self._ticker.stop()
        elif not self._ticker.isActive():
            self._ticker.start()
        busy = session.at_work
        button.setProperty("busy", "true" if busy else "false")
        if busy:
            percent = f"{100 * session.progress.fraction:.0f} %"
            button.setText(f"Stop · {percent}")
            button.setEnabled(True)
            button.setToolTip("Stop the run (Esc)")
            behind = "".join(f"; then {job.words}" for job in session.runs.waiting)
            if behind or (session.running is not None and session.running.upto != "shape"):
                left = ", paused after this step" if session.paused else self._time_left()
                self._say(
                    session.progress.text + left + behind,
                    "quiet",
                    progress=session.progress.fraction,
                )
        else:
            if self.banner.isVisible() and self.banner_progress.isVisible():
                self._say("")
            self._show_found()
            stale, total = session.stale_cases(), len(session.project.cases)
            if not session.project.pieces or not total:
                button.setText("Run")
                button.setEnabled(False)
                button.setToolTip("Nothing to run yet: " + self._next_step())
            elif stale:
                missing = not session.project.supports or not session.project.loads
                which = f"{stale} of {total} cases" if total > 1 else "1 case"
                state = "out of date" if session.last_modes else "to run"
                button.setText(f"Run: find modes ({which} {state})")
                button.setEnabled(not missing)
                button.setToolTip(plain_tip(self._next_step() + " (Ctrl+R)"))
            else:
                button.setText("Modes are up to date")
                button.setEnabled(False)
        polish_again(button)

    def _time_left(self) -> str:
        fraction, spent = (
            self.session.progress.fraction,
            time.monotonic() - self.session.run_started,
        )
        running = self.session.running
        if fraction < 0.1 or spent < 2 or running is None or running.upto == "trace":
            return ""  # how many steps a trace still takes, nobody knows
        return f", about {max(1, round(spent * (1 - fraction) / fraction))} s left"

    def _say(
        self,
        text: str,
        tone: str = "quiet",
        fix: str = "",
        call: Callable[[], None] | None = None,
        progress: float | None = None,
    ) -> None:
        self.banner.setVisible(bool(text))
        self.banner_text.setText(text)
        self.banner_text.setStyleSheet(f"color: {PAPER.tone(tone)};")
        self.banner.setStyleSheet(
            f"background: {PAPER.bad_pale if tone == 'bad' else PAPER.accent_pale};"
        )
        self.banner_progress.setVisible(progress is not None)
        self.banner_pause.setVisible(progress is not None)
        self.banner_pause.setText("go on" if self.session.paused else "pause")
        self._banner_close.setVisible(progress is None)
        if progress is not None:
            self.banner_progress.setValue(int(100 * progress))
        self.banner_fix.setVisible(bool(fix))
        self.banner_fix.setText(fix)
        if call is not None:
            try:
                self.banner_fix.clicked.disconnect()
            except TypeError:
                pass
            self.banner_fix.clicked.connect(lambda _=False: (self._say(""), call()))

    def show_problem(self, error: LabilisError) -> None:
        """A problem in words, with a button that leads to where it is mended."""
        station = {
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
        }.get(error.where.split("/")[0])
        text = f"✕ {error.what} {error.remedy}"
        if station is not None:
            self._say(text, "bad", f"to {station}", lambda: self.sheet.open_station(station))
        elif error.code in ("disk", "disk-full", "read-only"):
            self._say(text, "bad", "save under another name", self.save_as)
        else:
            self._say(text, "bad")

    # --- what the user does
    # ----------------------------------------------------------------------------------------------
    def _guard(self, call: Callable[[], None]) -> None:
        try:
            call()
        except LabilisError as error:
            self.show_problem(error)

    def choose_paper(self, name: Paper) -> None:
        """Light or dark paper, from the next window on."""
        prefer_paper(name)
        self._say(f"The window will be {name} when it is opened the next time.")

    def choose_motion(self, still: bool) -> None:
        """Whether modes move by themselves, at once and from now on."""
        prefer_still(still)
        self.stage.playback.begin(not self.stage.playback.steady)

    def edit_outline(self, piece: str) -> None:
        """The outline of a piece in plan, in the stage's place."""
        self.outline.edit_piece(piece)
        self.stage.hide()
        self.outline.show()
        self.outline.view.setFocus()

    def edit_first_outline(self) -> None:
        """The outline of what is picked, else of the first piece that has one."""
        pieces, pointing = self.session.building.drawn_pieces(), self.stage.pointing
        picked = set() if pointing is None else pointing.owners
        pieces.sort(key=lambda name: name not in picked)
        if pieces:
            self.edit_outline(pieces[0])
        else:
            self._say("No piece has an outline: plates, folded sheet and drawn sections do.")

    def leave_outline(self) -> None:
        """Back to the stage."""
        self.outline.piece_name = ""
        self.outline.hide()
        self.stage.show()

    def first_check(self) -> None:
        """The first check in six steps, on a demo."""
        self.load_path(demo_model("panel-prop"))
        self.tour.go(0)

    def _run(self) -> None:
        self.run("modes")

    def run(self, upto: str) -> None:
        """Start a run; what it finds comes into view, unless something else is looked at then."""
        self._say("")
        self.session.run(upto)  # type: ignore[arg-type]
        self._await(upto)

    def _await(self, upto: str) -> None:
        """Show what this run finds, unless something is picked or another view is chosen."""
        self._awaited = None if self.stage.selection else (upto, self.stage.views_chosen)

    def _show_found(self) -> None:
        """Bring what the last run found into view."""
        if self._awaited is None:
            return
        (upto, chosen), self._awaited = self._awaited, None
        shown_by = {"mesh": "Mesh", "strength": "Stress", "modes": "Mode", "trace": "Trace"}
        view = shown_by.get(upto, "")
        busy_else = (
            self.stage.views_chosen != chosen or self.stage.selection or self.outline.isVisible()
        )
        if not busy_else and self.stage.offers(view):
            self.stage.show_view(view, 0 if view == "Mode" else None)

    def run_convergence(self) -> None:
        """First factor of the present case over several meshes; rows come into the drawer as
        they are done."""
        self.run_study("converge")

    def run_study(self, kind: str) -> None:
        """The case several times with one thing changed; rows come into the drawer as they are
        done."""
        self.drawer.show_page("Studies")
        self.drawer.studies.choose(kind)
        self.run(kind)

    def add_plan(self) -> None:
        """A trial plan over the first parameter."""

        self._guard(self.session.improving.add_plan)

    def run_trials(self) -> None:
        """Run the plan that the drawer shows; rows come into it as they are done."""
        self.drawer.show_page("Improve")
        self.drawer.improve.choose("trials")
        plan = self.drawer.improve.plan
        if plan is not None:
            self._say("")
            self._guard(lambda: self.session.improving.run_trials(plan.name))

    def write_report(self) -> None:
        """Ask for a file and write the report there."""
        title = self.session.project.report.title or self.session.project.name
        suggestion = (
            "".join(
                letter if letter.isalnum() or letter in " -_" else "-" for letter in title
            ).strip()
            or "report"
        )
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Write the report",
            f"{suggestion}.pdf",
            "Pages (*.pdf);;For a browser (*.html);;To edit (*.docx)",
        )
        if name:
            self._say("")
            self._guard(lambda: self.session.outputs.write_report(Path(name)))

    def preview_report(self) -> None:
        """The report's pages as they would be printed now, in a window of their own; while it is
        open they are kept as things stand."""
        self._say("")
        if self._preview_folder is None:
            self._preview_folder = tempfile.TemporaryDirectory(prefix="labilis-report-")
        if self.preview is None:
            self.preview = Preview(self.session.outputs.source_of)
            self.printer = Printer(self)
            self.preview.view.wanted.connect(self.go_to)
            self.printer.ready.connect(self._show_pages)
            self.printer.failed.connect(self.show_problem)
            for signal in (
                self.session.statements_changed,
                self.session.results_changed,
                self.session.improving.changed,
            ):
                signal.connect(self._pages_old)
        self._guard(self._print_pages)

    def _print_pages(self) -> None:
        assert self._preview_folder is not None and self.printer is not None
        self._pages_of = self._changes
        self.printer.ask(
            self.session.outputs.report_query(
                Path(self._preview_folder.name) / "pages.pdf", looked_at=True
            )
        )

    def _pages_old(self) -> None:
        """Pages that are looked at are made anew a moment after the last change, when there is
        something to report."""
        self._changes += 1
        if self.preview is None or not self.preview.isVisible():
            return
        reason = (
            ""
            if any(case.facts.modes is not None for case in self.session.report.cases)
            else "run first, then they are made anew"
        )
        self.preview.mark_old(*filter(None, [reason]))
        if not reason:
            self._pages_timer.start()

    def _show_pages(self, path: Path) -> None:
        if self.preview is not None:
            self.preview.show_pages(
                path, self.session.project.report.title or self.session.project.name
            )
            if not self.preview.isVisible():
                self.preview.show()
                self.preview.raise_()
            if self._pages_of != self._changes:  # something changed while they were made
                self._pages_old()

    def go_to(self, source: Source) -> None:
        """Show where a figure of the report comes from: its case, station, drawer page and mode."""
        names = [case.name for case in self.session.project.cases]
        if source.case in names:
            self.session.choose_case(source.case)
        station, page = _PLACES.get(source.section, ("Report", ""))
        self.sheet.open_station(station)
        if page:
            self.drawer.show_page(page)
        modes = self.session.current("modes")
        if source.mode >= 0 and modes is not None and source.mode < len(modes.factors):
            self.stage.show_view("Mode", source.mode)
        self.raise_()
        self.activateWindow()

    def size_it(self) -> None:
        """Gauges of least mass for all pieces that can be sized."""
        self._say("")
        self._guard(self.session.improving.size_it)

    def try_advice(self) -> None:
        """The first piece of advice that one statement makes, as a further design."""
        remedy = next((item for item in self.session.improving.advice if item.path), None)
        if remedy is not None:
            self._guard(lambda: self.session.improving.try_advice(remedy))

    def try_rib(self) -> None:
        """A rib along the compression of the plate that bulges first, as a further design."""
        remedy = next(
            (item for item in self.session.improving.advice if item.adds is not None), None
        )
        if remedy is not None:
            self._guard(lambda: self.session.improving.try_advice(remedy))

    def add_design(self, point: dict[str, str] | None = None) -> None:
        """Keep the present statements, with parameters set if some are given, as a further
        design, and show it beside the others."""
        words = (
            ", ".join(f"{words_of(key)} {text}" for key, text in (point or {}).items())
            or "new design"
        )
        name = self.session.improving.free_design(words)

        def keep() -> None:
            self.session.improving.keep_design(name, point)
            self.drawer.show_page("Improve")
            self.drawer.improve.choose("designs")

        self._guard(keep)

    def run_trace(self) -> None:
        """Follow the imperfect part of the present case; the curve grows in the drawer."""
        self.drawer.show_page("Trace")
        self.run("trace")

    def trace_anew(self) -> None:
        """The same from the unloaded part, not from where it was left off."""
        self.drawer.show_page("Trace")
        self._say("")
        self.session.run("trace", anew=True)
        self._await("trace")

    def run_or_stop(self) -> None:
        """The one run button."""
        if self.session.at_work:
            self.session.stop()
        elif self.run_button.isEnabled():
            self.run("modes")

    def escape(self) -> None:
        """Close what is open, one thing at a time; stop the run last."""
        for label in (self.name, self.scenario):
            if label.editor is not None:
                label.close_editor()
                return
        card = next((card for card in self.sheet.cards.values() if card.editor is not None), None)
        if card is not None:
            card.close_editor()
        elif self.outline.isVisible():
            self.leave_outline()
        elif self.stage.selection:
            self.stage.select(())
        elif self.tour.step >= 0:
            self.tour.go(-1)
        else:
            self.session.stop()

    def import_step(self) -> None:
        """Choose a STEP file and make a project of it."""
        name, _ = QFileDialog.getOpenFileName(self, "New from a STEP or STL file", "", PARTS)
        if name:
            self.load_path(Path(name))

    def offer_grades(self) -> None:
        """What can be done with materials, in a menu."""

        def ask(way: str) -> str:
            choose = QFileDialog.getOpenFileName if way == "import" else QFileDialog.getSaveFileName
            kinds = "Grades (*.json *.csv)" if way == "import" else "Grades (*.json)"
            return choose(self, f"{way.capitalize()} grades", "grades.json", kinds)[0]

        offer_grades(self, self.session, ask, self._guard)

    def revise_file(self) -> None:
        """Choose a revised file to read in place of the one the part came from."""
        name, _ = QFileDialog.getOpenFileName(self, "Read a revised STEP or STL file", "", PARTS)
        if name:
            self._guard(lambda: self.session.reading.revise(Path(name)))

    def add_file(self) -> None:
        """Choose a further file whose bodies become pieces of the project."""
        name, _ = QFileDialog.getOpenFileName(
            self, "Bring in a further STEP or STL file", "", PARTS
        )
        if name:
            self._guard(lambda: self.session.reading.add_file(Path(name)))

    def open_file(self) -> None:
        """Choose a project or a model."""
        name, _ = QFileDialog.getOpenFileName(
            self,
            "Open",
            "",
            "Labilis project or model (*.labilis *.json);;STEP (*.step *.stp *.STEP *.STP)",
        )
        if name:
            self.load_path(Path(name))

    def load_path(self, path: Path) -> None:
        """Open a file of any kind we read; a problem is shown and the present project stays."""
        self._say("")
        if path.suffix.lower() in (".step", ".stp", ".stl"):
            self._guard(lambda: self.session.reading.import_step(path))
        else:
            self._guard(lambda: self.session.open(path))

    def save(self) -> None:
        """Save, asking for a name the first time."""
        if self.session.saved_path is None:
            self.save_as()
        else:
            self._guard(self.session.save)

    def save_as(self) -> None:
        """Save under a name."""
        suggestion = f"{self.session.project.name}.labilis"
        name, _ = QFileDialog.getSaveFileName(
            self, "Save under a name", suggestion, "Labilis project (*.labilis)"
        )
        if name:
            path = Path(name) if name.endswith(".labilis") else Path(name + ".labilis")
            self._guard(lambda: self.session.save(path))

    def export_model(self) -> None:
        """Write the JSON form with its STEP files beside it."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Export the model", f"{self.session.project.name}.json", "Model (*.json)"
        )
        if name:
            self._guard(lambda: self.session.outputs.write_model(Path(name)))

    def export_results(self) -> None:
        """Write what was found of every case into a folder."""
        if not any(case.facts.mesh is not None for case in self.session.report.cases):
            self._say("There is nothing to export yet. Run first.", "caution")
            return
        folder = QFileDialog.getExistingDirectory(self, "Export results into a folder")
        if folder:
            self._guard(lambda: self.session.outputs.export_results(Path(folder)))

    def export_part(self) -> None:
        """Write the part as it is stated as a STEP file."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Export the part", f"{self.session.project.name}.step", "STEP (*.step *.stp)"
        )
        if name:
            self._guard(lambda: self.session.outputs.export_part(Path(name)))

    def recover(self) -> None:
        """Open the newest unsaved work of a window that is gone."""
        waiting = recoverable()
        if waiting:
            self._guard(lambda: self.session.open(waiting[0]))
        else:
            self._say("There is no unsaved work to recover.")

    def save_film(self) -> None:
        """Ask for a name and save what the stage shows as a picture, a film or a surface."""
        name, _ = QFileDialog.getSaveFileName(
            self,
            "Save a picture or a film",
            f"{self.session.project.name}.png",
            "Picture (*.png);;Film (*.gif *.webp *.mp4);;Moved surface (*.stl)",
        )

        def save() -> None:
            self.stage.save_film(Path(name))
            self.session.note(f"{name} written: {'; '.join(filter(None, self.stage.story()))}")

        if name:
            self._guard(save)

    def keep_view(self) -> None:
        """Keep what the stage shows as a picture of the report, with what it says below as the
        caption until another is typed."""

        def keep() -> None:
            data, words = self.stage.picture()
            self.session.outputs.keep_picture(data, words)
            self.sheet.open_station("Report")

        self._guard(keep)

    def check_report(self) -> None:
        """Ask for a report and say whether its figures still hold, also beside what is stated
        here."""
        name, _ = QFileDialog.getOpenFileName(self, "Report to check", "", "Report (*.pdf *.html)")
        if not name:
            return

        def told(found: Checking) -> None:
            wrong = [line for line in found.lines()[:-1] if line.startswith("✗")]
            first = (
                f" {wrong[0][2:]}"
                + (f" {len(wrong) - 1} more in the journal." if len(wrong) > 1 else "")
                if wrong
                else (f" {len(found.rows)} figures were found again.")
            )
            self._say(
                f"{found.lines()[-1]}{first}",
                "bad" if wrong else "good",
                "journal",
                lambda: self.drawer.show_page("Journal"),
            )

        self._guard(lambda: self.session.outputs.check_report(Path(name), told))

    def choose_logo(self) -> None:
        """Ask for a picture and take it as the logo of the report."""
        name, _ = QFileDialog.getOpenFileName(self, "Logo of the report", "", "Picture (*.png)")
        if name:
            self._guard(lambda: self.session.outputs.keep_logo(Path(name)))

    def save_ladder(self) -> None:
        """Ask for a name and save the factor ladder of the case as it stands."""
        case = self.session.case_name or "case"
        self._guard(lambda: ask_drawing(self.ladder, f"{self.session.project.name}, {case}"))

    def list_keys(self) -> None:
        """All keys, in a small window."""
        rows = "".join(
            f"<tr><td><b>{command.key}</b>&nbsp;&nbsp;</td><td>{command.words}</td></tr>"
            for command in self.commands
            if command.key
        )
        box = QMessageBox(self)
        box.setWindowTitle("Keys")
        box.setTextFormat(Qt.TextFormat.RichText)
        box.setText(f"<table>{rows}<tr><td><b>Ctrl+K</b></td><td>Find a command</td></tr></table>")
        box.setModal(False)
        box.show()
        self._keys_box = box

    # --- answers to the parts
    # ----------------------------------------------------------------------------------------------
    def _design_chosen(self, index: int) -> None:
        self._guard(
            lambda: self.session.improving.choose_design(self.session.improving.designs[index])
        )
        self._refresh()

    def _case_chosen(self, index: int) -> None:
        if 0 <= index < len(self.session.project.cases):
            self.session.choose_case(self.session.project.cases[index].name)

    def _mode_shown(self, mode: int) -> None:
        self.ladder.choose_mode(mode)
        self.drawer.choose_mode(mode)

    def _rung_chosen(self, rung: object) -> None:
        kind, mode = rung.kind, rung.mode  # type: ignore[attr-defined]
        if mode >= 0:
            self.stage.show_view("Mode", mode)
        elif kind == "yield":
            self.stage.show_view("Stress")
        elif kind == "hand":
            self.sheet.open_station("Modes")
        elif kind == "service":
            self.sheet.open_station("Loads")
        elif kind == "required":
            self.sheet.open_station("Modes")

    def _go_to_station(self, name: str) -> None:
        if name in STATIONS:
            self.sheet.open_station(name)

    def _station_opened(self, name: str) -> None:
        wanted = {
            "Part": "Shape",
            "Supports": "Shape",
            "Loads": "Shape",
            "Mesh": "Mesh",
            "Strength": "Stress",
            "Modes": "Mode",
            "Trace": "Trace",
            "Improve": "Mode",
            "Report": "Mode",
        }[name]
        if self.stage.view_name != wanted:
            self.stage.show_view(wanted)

    def closeEvent(self, event: QCloseEvent | None) -> None:
        self.find_box.list.close()
        self._ticker.stop()
        keep_window_place(self.saveGeometry().toBase64().data().decode())
        self.stage.close_view()
        self._pages_timer.stop()
        self._picture_timer.stop()
        if self.preview is not None and self.printer is not None:
            self.preview.close()
            self.printer.close()
        if self._preview_folder is not None:
            self._preview_folder.cleanup()
        self.session.close()
        if event is not None:
            event.accept()
