"""The stage widget: chips on top, the part, playback at the foot; hover names, picking, the
small bar at the pointer."""

from __future__ import annotations

import contextlib
import math
import time
from collections.abc import Callable, Iterator
from html import escape
from pathlib import Path
from typing import TYPE_CHECKING, Any

import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QWheelEvent
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from labilis.app.pointing import Pointing, described
from labilis.judge.line_forces import BY_NAME, diagram
from labilis.model import LabilisError, shown
from labilis.ui.begin import Begin
from labilis.ui.building import fill_recipes, fill_struts
from labilis.ui.plain_text import Label
from labilis.ui.stage import fields
from labilis.ui.stage.cutting import CutStrip
from labilis.ui.stage.directions import Directions
from labilis.ui.stage.playback import Playback
from labilis.ui.stage.quality import QualityStrip
from labilis.ui.stage.sharpness import SAMPLES, Sharpness
from labilis.ui.stage.views import toward_eye
from labilis.ui.theme import PAPER, icon

if TYPE_CHECKING:
    from labilis.app import Session
    from labilis.app.picked import Selection
    from labilis.results.findings import MeshFindings

_CLICK = 4  # pixels a click may wander
_DIAGRAM = 0.12  # of the part's size that the largest ordinate of a diagram beside lines is high


def _number(text: str) -> float | None:
    """A number as it may be typed, with thousands and a long minus; None for anything else."""
    try:
        found = float(text.replace(",", "").replace("−", "-").strip())
    except ValueError:
        return None
    return found if math.isfinite(found) else None


class Stage(QWidget):
    """Shows the part. `selection_changed` fires when faces or edges are picked; `hold_wanted`,
    `push_wanted`, `zone_wanted` carry the way chosen on the small bar."""

    selection_changed = pyqtSignal()
    hold_wanted = pyqtSignal(str)
    push_wanted = pyqtSignal(str)
    scribe_wanted = pyqtSignal(str)
    join_wanted = pyqtSignal(str)
    region_wanted = pyqtSignal(str)
    put_wanted = pyqtSignal(str)
    zone_wanted = pyqtSignal()
    mode_changed = pyqtSignal(int)
    film_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("ground")
        self.session = session
        self._begin_empty()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(self._chip_row())
        self._holder = QVBoxLayout()
        self.begin = Begin()
        self._holder.addWidget(self.begin)
        self._waiting = Label("")
        self._waiting.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self._waiting.setWordWrap(True)
        self._waiting.setContentsMargins(40, 0, 40, 0)
        self._waiting.setStyleSheet(f"color: {PAPER.quiet}; font-size: 15px;")
        self._holder.addWidget(self._waiting)
        layout.addLayout(self._holder, 1)
        self.playback = Playback()
        self.playback.changed.connect(self._frame)
        self.playback.save.clicked.connect(self.film_wanted)
        self.playback.ghost.toggled.connect(lambda _: self.refresh(force=True))
        self.playback.what_changed.connect(lambda: self.refresh(force=True))
        self.playback.range_typed.connect(self._range)
        layout.addWidget(self.playback)
        self.quality = QualityStrip()
        layout.addWidget(self.quality)
        self.name_tag = self._make_tag()
        self.pointer_bar = self._make_bar()
        self._clock = QTimer(self)
        self._clock.setInterval(33)
        self._clock.timeout.connect(self._tick)
        self._last_tick = 0.0
        session.statements_changed.connect(self.refresh)
        session.results_changed.connect(self.refresh)
        session.case_changed.connect(self.refresh)
        session.free_motion.connect(self.show_free_motion)
        session.run_changed.connect(lambda: self._offer(session.current("shape") is None))
        self._chips()

    def _begin_empty(self) -> None:
        """Nothing is drawn, picked or hovered yet."""
        self._selection: Selection = ()
        self._drawn: tuple[Any, Any] = (
            None,
            None,
        )  # the shape and the mesh that what is drawn, picked and hovered numbers
        self.hovered: tuple[str, int] | None = None
        self.view_name, self.mode, self.views_chosen = "Shape", 0, 0
        self.plotter: Any = None
        self.scene: Any = None
        self.glyphs: Any = None
        self._free: np.ndarray | None = None
        self._traced: np.ndarray | None = None  # motion of the step of a trace that is shown
        # what is measured of a selection without loads
        self._known: tuple[Any, Selection, list[str]] | None = None
        self.field: fields.Field | None = None
        self._ranges: dict[tuple[str, str, str], tuple[float | None, float | None]] = {}
        self.compared: Any = None
        self.beside: tuple[tuple[str, int], ...] = ()
        self.designs_beside: tuple[str, ...] = ()
        self._reach = 1.0
        self._pressed: tuple[float, float] | None = None
        self._clicked: tuple[tuple[float, float], tuple[str, int]] = ((-1e9, -1e9), ("", -1))
        self._depth = ""  # how far behind the picked face lies
        self._shown: tuple[Any, ...] = ()
        self._framed = self._cut_of = ""

    def _chip_row(self) -> QHBoxLayout:
        """Views, comparison and units."""
        row = QHBoxLayout()
        row.setContentsMargins(14, 8, 14, 6)
        self.chips: dict[str, QPushButton] = {}
        for name in ("Shape", "Mesh", "Stress", "Mode", "Trace"):
            chip = QPushButton(name)
            chip.setObjectName("chip")
            chip.setCheckable(True)
            chip.clicked.connect(lambda _=False, name=name: self.show_view(name))
            row.addWidget(chip)
            self.chips[name] = chip
        self.compare_button = QPushButton("Compare")
        self.compare_button.setObjectName("chip")
        self.compare_button.setToolTip("Two or four modes or cases side by side")
        self.compare_menu = QMenu(self)
        self.compare_menu.aboutToShow.connect(self.fill_compare)
        self.compare_button.setMenu(self.compare_menu)
        row.addWidget(self.compare_button)
        self.cut = CutStrip()
        self.cut.changed.connect(self._cut_off)
        row.addWidget(self.cut.button)
        row.addStretch(1)
        self.units_button = QPushButton()
        self.units_button.setObjectName("chip")
        self.units_button.setAccessibleName("Units of all figures")
        self.units_button.setToolTip(
            "Units in which all figures are shown; what was typed stays as it was typed"
        )
        self.units_menu = QMenu(self)
        for name in shown.NAMES:
            action = self.units_menu.addAction(name.replace("-", " "))
            assert action is not None
            action.triggered.connect(lambda _=False, name=name: self.session.show_in(name))
        self.units_button.setMenu(self.units_menu)
        self.hint = Label("")  # what the hand can do, in a corner of the 3D view
        self.hint.setObjectName("note")
        self.hint.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        row.addWidget(self.units_button)
        return row

    def _make_tag(self) -> QLabel:
        """The name of what lies under the pointer."""
        tag = QLabel(self, Qt.WindowType.ToolTip)
        tag.setTextFormat(Qt.TextFormat.RichText)
        tag.setStyleSheet(
            f"background: {PAPER.card}; border: 1px solid {PAPER.quiet}; padding: 3px 7px;"
        )
        tag.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
        return tag

    # --- 3D part, made late so that the window is up first
    # ----------------------------------------------------------
    def start(self) -> None:
        """Make the 3D view."""
        if self.plotter is not None:
            return
        from pyvistaqt import QtInteractor

        from labilis.ui.stage.glyphs import Glyphs
        from labilis.ui.stage.scene import Scene, light_stage
        from labilis.ui.stage.side_by_side import Beside

        self.plotter = QtInteractor(self, auto_update=False, lighting="none", multi_samples=SAMPLES)
        light_stage(self.plotter)
        self.plotter.set_background(PAPER.ground)
        self.plotter.enable_parallel_projection()
        self.plotter.setAccessibleName("Stage")
        self.plotter.setSizePolicy(self.sizePolicy())
        self._holder.addWidget(self.plotter)
        self.scene = Scene(self.plotter)
        self.compared = Beside(self.plotter)
        self.glyphs = Glyphs(self.plotter.renderer)
        self.plotter.installEventFilter(
            self
        )  # VTK's own style keeps the release of a drag to itself
        self.plotter.renderer.AddObserver("StartEvent", lambda *_: self._before_render())
        self._camera_state: tuple[float, ...] = ()
        self.sharpness = Sharpness(self.plotter, self.plotter.render_window, self._seen)
        self.directions = Directions(self.plotter, self._facing)
        self.directions.chosen.connect(self.look)
        self.cut.setParent(self.plotter)
        self.cut.move(12, 8)
        self.hint.setParent(self.plotter)
        self.hint.show()
        self._place_corners()
        self.refresh(force=True)

    def _place_corners(self) -> None:
        """Directions to the lower left, the hint to the lower right."""
        self.hint.adjustSize()
        high = self.plotter.height()
        self.directions.move(8, max(high - self.directions.height() - 6, 0))
        self.hint.move(
            max(self.plotter.width() - self.hint.width() - 14, 0),
            max(high - self.hint.height() - 8, 0),
        )

    def _facing(self) -> tuple[np.ndarray, np.ndarray]:
        """Directions (3,) to the right and upward on the screen."""
        camera = self.plotter.camera
        forward = np.array(camera.focal_point) - np.array(camera.position)
        right = np.cross(forward, np.array(camera.up))
        right = right / max(float(np.linalg.norm(right)), 1e-300)
        up = np.cross(right, forward)
        return right, up / max(float(np.linalg.norm(up)), 1e-300)

    def _before_render(self) -> None:
        state = self._seen()
        if state != self._camera_state:
            self._camera_state = state
            self.glyphs.redraw()
            self.compared.place()
            self._place_corners()
            self.directions.update()

    def _seen(self) -> tuple[float, ...]:
        """Camera and size of the view."""
        camera, size = self.plotter.renderer.GetActiveCamera(), self.plotter.renderer.GetSize()
        return (
            *camera.GetPosition(),
            *camera.GetFocalPoint(),
            *camera.GetViewUp(),
            camera.GetParallelScale(),
            *size,
        )

    def render(self) -> None:
        """Draw at the next turn of the event loop, once however often it is asked for: painting
        renders by itself."""
        if self.plotter is not None:
            self.sharpness.changed()
            self.plotter.update()

    # --- what is shown
    # ----------------------------------------------------------------------------------------------
    @property
    def selection(self) -> Selection:
        """What is picked on the shape that the statements give now; nothing once they give
        another, whose numbers mean other faces."""
        return (
            self._selection
            if self._drawn[0] is not None and self._drawn[0] is self.session.current("shape")
            else ()
        )

    def _as_drawn(self) -> tuple[Any, Any]:
        """Shape and mesh that are drawn and still those of the statements; None for what another
        will be drawn for."""
        (view, mesh), current = self._drawn, self.session.current
        return view if view is current("shape") else None, mesh if mesh is current("mesh") else None

    def _draw_another(self, view: Any, mesh: Any) -> None:
        """Another shape is drawn: nothing is picked or hovered on it."""
        before, self._drawn = self._drawn[0], (view, mesh)
        if before is not view:
            self.hovered = None
            self.name_tag.hide()
            self.select(())

    def show_view(self, name: str, mode: int | None = None) -> None:
        """Shape, Mesh, Stress or Mode."""
        if mode is not None:
            self.mode = mode
        self._free = None
        self.view_name = name
        self.views_chosen += 1
        self.refresh(force=True)
        if name == "Mode":
            self.playback.begin()
            self.mode_changed.emit(self.mode)

    def offers(self, name: str) -> bool:
        """Whether there is something to be seen in a view."""
        self._chips()
        return name in self.chips and self.chips[name].isEnabled()

    def show_quantity(self, name: str) -> None:
        """The stress of the part, or what its lines carry by its name."""
        self.show_view("Stress")
        self.playback.choose(name)

    def step_mode(self, step: int) -> None:
        """Next or previous mode."""
        report = self.session.case_report
        modes = report.facts.modes if report is not None else None
        if modes is not None and len(modes.factors):
            self.show_view("Mode", (self.mode + step) % len(modes.factors))

    def show_free_motion(self, motions: Any) -> None:
        """Move the part along the first of the rigid motions (k, 6) that nothing holds, or its
        mesh as a mechanism moves (n, 3)."""
        self._free = np.asarray(motions)
        self.view_name = "Shape"
        self.playback.begin()
        self.refresh(force=True)

    def refresh(self, force: bool = False) -> None:
        """Show the present state."""
        self._chips()
        if self.plotter is None:
            self._offer(self.session.current("shape") is None)
            return
        session = self.session
        view, mesh = session.current("shape"), session.current("mesh")
        strength, modes, trace = (
            session.current("strength"),
            session.current("modes"),
            session.current("trace"),
        )
        name = self._possible(self.view_name, mesh, strength, modes, trace)
        state = (
            name,
            self.mode,
            id(view),
            id(mesh),
            id(strength),
            id(modes),
            id(trace),
            self.playback.ghost.isChecked(),
            session.project.units,
        )
        if force or state != self._shown:
            self._shown = state
            self._draw_another(view, mesh)
            self._build(name, view, mesh, strength, modes, trace)
        stressed = name == "Stress" and strength is not None
        self.glyphs.show(None if self.compared.count else session.marks(reactions=stressed))
        self._offer(view is None)
        self.plotter.setVisible(view is not None)
        self.render()

    def _offer(self, nothing: bool) -> None:
        """In place of a part: what to begin with, or why there is none yet."""
        none = not self.session.project.pieces and self.session.running is None
        if nothing and none and not self.begin.isVisible():
            self.begin.refresh()
        self.begin.setVisible(nothing and none)
        self._waiting.setVisible(nothing and not none)
        error = self.session.last_error
        self._waiting.setText(
            "The part is being read…"
            if self.session.running is not None
            else "The part cannot be shown."
            if error is None
            else f"The part cannot be shown: {error.what}"
        )

    @staticmethod
    def _possible(name: str, mesh: Any, strength: Any, modes: Any, trace: Any) -> str:
        if (
            (name == "Mesh" and mesh is None)
            or (name == "Stress" and strength is None)
            or (name == "Mode" and (modes is None or len(modes.factors) == 0))
            or (name == "Trace" and (trace is None or len(trace.motions) == 0))
        ):
            return "Shape"
        return name

    def _build(
        self, name: str, view: Any, mesh: Any, strength: Any, modes: Any, trace: Any
    ) -> None:
        scene = self.scene
        scene.clear()
        self.compared.clear()
        scene.field = scene.mesh_surface = self.field = None
        self._clock.stop()
        if view is None:
            return
        moving = name in ("Stress", "Mode", "Trace") or self._free is not None
        self.playback.setVisible(moving)
        self.quality.show_mesh(mesh if name == "Mesh" and self._free is None else None)
        if self._free is not None:
            scene.show_body(view, ghost=True)
            self._build_free(view, mesh)
        elif name == "Shape":
            scene.show_body(view)
        elif name == "Mesh":
            scene.show_mesh(mesh)
        else:
            self._build_field(name, view, mesh, strength, modes, trace)
        if self._cut_of != self.session.project.name:  # the plane was one of another part
            self._cut_of = self.session.project.name
            self.cut.choose(None)
        self._cut_off()
        if self._framed != self.session.project.name + str(view.volume):
            self._framed = self.session.project.name + str(view.volume)
            self.look("i")
            QTimer.singleShot(80, self.fit)  # once more when the window has found its size
        self._highlight()
        self._frame()
        if moving:
            self._last_tick = time.monotonic()
            self._clock.start()

    def _build_field(
        self, name: str, view: Any, mesh: Any, strength: Any, modes: Any, trace: Any
    ) -> None:
        """Stress, a mode or a trace, of one or of several beside each other."""
        scene, ghost = self.scene, self.playback.ghost.isChecked()
        designs = self._designs_beside() if name == "Mode" else []
        if ghost and not self.beside and not designs:
            scene.show_body(view, ghost=True)
        whole = self.field = self._field_of(name, mesh, strength, modes, trace)
        own = self._ranges.get(self._range_key(name), (None, None))
        self.field = fields.with_range(whole, *own)
        self._reach = self.field.reach
        if designs:
            self.compared.show(designs)
        elif self.beside and name == "Mode":
            self.compared.show([(mesh, field) for field in self._fields_beside(mesh)])
        else:
            scene.show_field(
                mesh,
                self.field.motion,
                self.field.values,
                fields.colour_map(self.field),
                (self.field.least, self.field.most),
            )
            self._diagram(name, view, mesh, strength)
        story = "one camera for all of them" if self.compared.count else self.field.story
        self.playback.describe(
            self.field.unit,
            self.field.low,
            self.field.high,
            fields.colour_map(self.field),
            story,
            self.field.steady,
            (self.field.low != whole.low, self.field.high != whole.high),
        )

    def _field_of(
        self, name: str, mesh: Any, strength: Any, modes: Any, trace: Any
    ) -> fields.Field:
        """What a view shows, by what was chosen on the strip."""
        self.playback.offer(fields.choices(name, strength, trace, modes))
        if name == "Stress" and self.playback.chosen in BY_NAME:
            return fields.line_field(mesh, strength, self.playback.chosen)
        if name == "Stress":
            return fields.stress_field(strength, self.playback.chosen)
        if name == "Trace":
            return fields.trace_field(mesh, trace, self.playback.chosen)
        self.mode = min(self.mode, len(modes.factors) - 1)
        return fields.mode_field(mesh, modes, self.mode, self.playback.chosen)

    def _range_key(self, name: str) -> tuple[str, str, str]:
        """What a typed range of colours belongs to: a view, what it shows, and the unit."""
        unit = "" if self.field is None else self.field.unit
        return name, self.playback.chosen, unit

    def _range(self) -> None:
        """Take the ends of the colours that were typed; what is no number, or not under the other
        end, is what the values have."""
        name = self.view_name
        known = self._ranges.get(self._range_key(name), (None, None))
        told = [_number(end.text()) for end in (self.playback.low, self.playback.high)]
        shown_now = [] if self.field is None else [self.field.low, self.field.high]
        ends = [
            was if text == now else new
            for was, new, text, now in zip(
                known, told, (self.playback.low.text(), self.playback.high.text()), shown_now
            )
        ]
        self._ranges[self._range_key(name)] = (ends[0], ends[1]) if ends else (None, None)
        self.refresh(force=True)

    def _diagram(self, name: str, view: Any, mesh: Any, strength: Any) -> None:
        """Beside the lines what they carry, an eighth of the part high where it is most."""
        what = BY_NAME.get(self.playback.chosen) if name == "Stress" else None
        if what is not None and self.field is not None:
            corners, values = diagram(strength, mesh.nodes, what, _DIAGRAM * view.size)
            self.scene.show_diagram(
                corners,
                values / shown.per(what.kind),
                fields.colour_map(self.field),
                self.field.most,
            )

    def _fields_beside(self, mesh: Any) -> list[fields.Field]:
        """Fields of the modes, or cases, that are compared."""
        found = []
        for case, mode in self.beside:
            report = self.session.report.case(case)
            modes = report.facts.modes if report is not None else None
            if modes is not None and mode < len(modes.factors):
                title = (
                    f"{case}, mode {mode + 1}"
                    if len({case for case, _ in self.beside}) > 1
                    else f"mode {mode + 1}"
                )
                found.append(fields.mode_field(mesh, modes, mode, self.playback.chosen, title))
        return found

    def _designs_beside(self) -> list[tuple[Any, fields.Field]]:
        """(mesh, field) of the shown mode of each design that is compared, of those that were
        run."""
        found = []
        for name in self.designs_beside if len(self.designs_beside) > 1 else ():
            report = self.session.improving.report_of_design(name)
            case = None if report is None else report.case(self.session.case_name or "")
            modes = None if case is None else case.facts.modes
            if (
                report is None
                or report.mesh is None
                or modes is None
                or self.mode >= len(modes.factors)
            ):
                continue
            found.append(
                (
                    report.mesh,
                    fields.mode_field(report.mesh, modes, self.mode, self.playback.chosen, name),
                )
            )
        return found if len(found) > 1 else []

    def compare_designs(self, names: tuple[str, ...]) -> None:
        """Show the first mode of designs side by side, all at one scale; none for the one shape
        again."""
        self.designs_beside, self.beside = names, ()
        self._shown = ()
        self.show_view("Mode", self.mode if names else 0)
        self.fit()

    def compare(self, pairs: tuple[tuple[str, int], ...]) -> None:
        """Show modes (case, number from 0) side by side; none for the one mode again."""
        self.beside, self.designs_beside = pairs, ()
        self._shown = ()
        self.show_view("Mode", self.mode)
        self.fit()

    def fill_compare(self) -> None:
        """What can be compared now."""
        self.compare_menu.clear()
        case, reports = self.session.case_name, self.session.report.cases
        report = self.session.case_report
        count = (
            len(report.facts.modes.factors)
            if report is not None and report.facts.modes is not None
            else 0
        )
        offers: list[tuple[str, tuple[tuple[str, int], ...]]] = []
        offers += [
            (f"modes {first + 1} and {first + 2}", ((case, first), (case, first + 1)))
            for first in (0, 2)
            if count > first + 1
        ]
        offers += (
            [("modes 1 to 4", tuple((case, number) for number in range(4)))] if count > 3 else []
        )
        known = [
            item.facts.case
            for item in reports
            if item.facts.modes is not None and len(item.facts.modes.factors)
        ]
        offers += (
            [(f"mode 1 of {' and '.join(known[:4])}", tuple((name, 0) for name in known[:4]))]
            if len(known) > 1
            else []
        )
        known = [
            name
            for name in self.session.improving.designs[:4]
            if self.session.improving.report_of_design(name) is not None
        ]
        if len(known) > 1:
            self.compare_menu.addAction(f"designs {' and '.join(known)}").triggered.connect(  # type: ignore[union-attr]
                lambda _=False, names=tuple(known): self.compare_designs(names)
            )
        for words, pairs in [
            *offers,
            *([("one shape again", ())] if self.beside or self.designs_beside else []),
        ]:
            self.compare_menu.addAction(words).triggered.connect(  # type: ignore[union-attr]
                lambda _=False, pairs=pairs: self.compare(pairs)
            )

    def _build_free(self, view: Any, mesh: Any) -> None:
        from labilis.ui.stage.scene import body_surface, ghost_surface, moving_surface

        scene, free = self.scene, np.asarray(self._free)
        words = "free motion: nothing holds the part this way"
        if free.shape[1] == 3 and mesh is not None and len(free) == len(mesh.nodes):
            surface, words = moving_surface(mesh), "mechanism: it moves this way without any force"
            base, moved = np.array(surface.points), free[surface.point_data["node"]]
        elif free.shape[1] == 6:
            surface = body_surface(view) if len(view.faces) else ghost_surface(view)
            base = np.array(surface.points)
            moved = free[0, :3] + np.cross(
                np.broadcast_to(free[0, 3:], base.shape), base - base.mean(axis=0)
            )
        else:  # of a mesh that is not there any more
            return
        self._reach = float(np.linalg.norm(moved, axis=1).max())
        scene.field, scene._base, scene._motion = surface, base, moved
        scene._add("field", surface, color=PAPER.bad, opacity=0.8, ambient=0.5, line_width=7)
        self.playback.what.hide()
        self.playback.describe(words, "", "", None, "", steady=False)

    def _chips(self) -> None:
        session = self.session
        self.units_button.setText(session.project.units.replace("-", " "))
        mesh, strength, modes, trace = (
            session.current(name) for name in ("mesh", "strength", "modes", "trace")
        )
        self.chips["Shape"].setEnabled(session.current("shape") is not None)
        self.chips["Mesh"].setEnabled(mesh is not None)
        self.chips["Stress"].setEnabled(strength is not None)
        self.chips["Mode"].setEnabled(modes is not None and len(modes.factors) > 0)
        self.compare_button.setEnabled(self.chips["Mode"].isEnabled())
        self.cut.button.setEnabled(
            self.chips["Shape"].isEnabled() and not (self.compared and self.compared.count)
        )
        self.chips["Mode"].setText(
            f"Mode {self.mode + 1}" if modes is not None and len(modes.factors) else "Mode"
        )
        view_name = self._possible(self.view_name, mesh, strength, modes, trace)
        self.chips["Trace"].setEnabled(trace is not None and len(trace.motions) > 0)
        for name, chip in self.chips.items():
            chip.setChecked(name == view_name)
        self.playback.setVisible(view_name in ("Stress", "Mode", "Trace") or self._free is not None)
        self.hint.setText(
            "[ and ] step through the modes; click measures"
            if view_name == "Mode"
            else "click measures, drag turns, Shift shifts, wheel zooms"
            if view_name in ("Stress", "Trace")
            else "click picks, drag turns, Shift shifts, wheel zooms"
        )
        if self.plotter is not None:
            self._place_corners()

    # --- movement
    # ----------------------------------------------------------------------------------------------
    def _tick(self) -> None:
        now = time.monotonic()
        if self.playback.playing and self.isVisible():
            self.playback.advance(now - self._last_tick)
        self._last_tick = now

    def _frame(self) -> None:
        if self.scene is None or (self.scene.field is None and not self.compared.count):
            return
        view = self.session.current("shape")
        if view is None:
            return
        choice = self.playback.scale_value()
        reach = (
            (0.04 if self.view_name in ("Stress", "Trace") else 0.1)
            * view.size
            / max(self._reach, 1e-300)
        )
        scale = reach if choice is None else choice
        wave = math.sin(2 * math.pi * self.playback.phase)
        if (
            self.view_name in ("Stress", "Trace")
            and self._free is None
            and not self.playback.playing
        ):
            wave = 1.0
        trace = self.session.current("trace") if self.view_name == "Trace" else None
        told = (
            ""
            if self.view_name == "Mode"
            or self._free is not None
            or self.field is None
            or self.playback.chosen in BY_NAME
            else fields.drawn_words(scale)
        )
        if trace is not None and len(
            trace.motions
        ):  # along the path and back, true shapes between the frames kept
            place = abs(wave) * (len(trace.motions) - 1)
            low = min(int(place), len(trace.motions) - 2) if len(trace.motions) > 1 else 0
            high = min(low + 1, len(trace.motions) - 1)
            self._traced = trace.motions[low] + (place - low) * (
                trace.motions[high] - trace.motions[low]
            )
            self.scene.change_motion(self._traced)
            one, two = (float(trace.factors[trace.frame[frame]]) for frame in (low, high))
            told = ", ".join(
                filter(None, (f"factor {one + (place - low) * (two - one):.4g}", told))
            )
            self._measure()
            mesh = self.session.current("mesh")
            if mesh is not None and self.field is not None:
                before, after = (
                    fields.trace_values(mesh, trace, self.playback.chosen, frame)
                    for frame in (low, high)
                )
                self.scene.change_values(before + (place - low) * (after - before))
            wave = 1.0
        self.playback.tell(told)
        self.scene.move(scale * wave)
        self.compared.move(scale * wave)
        self.render()

    # --- looking
    # ----------------------------------------------------------------------------------------------
    def look(self, way: str) -> None:
        """Look along x, y, z or from a corner; fits the part."""
        view = self.session.current("shape")
        if self.plotter is None or view is None:
            return
        up = np.array([0.0, 1.0, 0.0]) if way == "z" else np.array([0.0, 0.0, 1.0])
        centre = view.extents.mean(axis=1)
        camera = self.plotter.camera
        camera.focal_point = centre
        camera.position = centre + 3 * view.size * toward_eye(way, view)
        camera.up = up
        self.fit()

    def fit(self) -> None:
        """Fit the part into the view."""
        if self.plotter is not None and (view := self.session.current("shape")) is not None:
            camera = self.plotter.camera
            forward = np.array(camera.focal_point) - np.array(camera.position)
            forward = forward / np.linalg.norm(forward)
            right = np.cross(forward, np.array(camera.up))
            right = right / np.linalg.norm(right)
            points = np.concatenate([view.tessellation.points, view.ghost_points])
            across, upward = points @ right, points @ np.cross(right, forward)
            centre = view.extents.mean(axis=1)
            middle = (0.5 * (across.max() + across.min()) - centre @ right) * right + (
                0.5 * (upward.max() + upward.min()) - centre @ np.cross(right, forward)
            ) * np.cross(right, forward)
            wide, high = float(np.ptp(across)), float(np.ptp(upward))
            if self.compared.count:
                wide, high = self.compared.extent()
                middle = np.zeros(3)
            camera.focal_point = centre + middle
            camera.position = centre + middle - 4 * view.size * forward
            width, height = self.plotter.width(), max(self.plotter.height(), 1)
            free = max(width - 200, 100) / height  # room for glyphs and tags at the sides
            margin = 1.3 if len(view.ghost_points) else 1.5
            camera.parallel_scale = 0.5 * max(
                wide / free, (1.1 if self.compared.count else margin) * high, 0.05 * view.size
            )
            self.plotter.renderer.ResetCameraClippingRange()
            self.render()

    def zoom_at(self, x: float, y: float, times: float) -> None:
        """Magnify about pixels from the lower left: what lies there stays there."""
        camera = self.plotter.camera
        times = float(np.clip(times, 0.2, 5.0))
        width, height = self.plotter.renderer.GetSize()
        right, up = self._facing()
        shift = (
            (1.0 - 1.0 / times)
            * 2.0
            * camera.parallel_scale
            / max(height, 1)
            * ((x - width / 2) * right + (y - height / 2) * up)
        )
        camera.focal_point = np.array(camera.focal_point) + shift
        camera.position = np.array(camera.position) + shift
        camera.parallel_scale /= times
        self.plotter.renderer.ResetCameraClippingRange()
        self.name_tag.hide()  # what is under the pointer is told anew when it moves
        self.pointer_bar.hide()
        self.render()

    def frame(self, x: float, y: float) -> None:
        """Bring the face or edge under a pixel to fill the view, with room about it; the whole
        part where there is nothing."""
        view, found = self.session.current("shape"), self.pick_at(x, y)
        if view is None or found is None:
            self.fit()
            return
        of, number = found
        chosen = view.tessellation.face == number if of == "face" else None  # triangles of a face
        drawn = view.tessellation
        points = (
            drawn.edge(number) if chosen is None else drawn.points[drawn.triangles[chosen].ravel()]
        )
        right, up = self._facing()
        middle = 0.5 * (points.min(axis=0) + points.max(axis=0))
        camera = self.plotter.camera
        away = np.array(camera.position) - np.array(camera.focal_point)
        width, height = self.plotter.width(), max(self.plotter.height(), 1)
        camera.focal_point, camera.position = middle, middle + away
        wide, high = float(np.ptp(points @ right)) * height / width, float(np.ptp(points @ up))
        camera.parallel_scale = max(0.75 * wide, 0.75 * high, 0.01 * view.size)
        self.plotter.renderer.ResetCameraClippingRange()
        self.render()

    def _cut_off(self) -> None:
        """Cut off what lies before the plane that is chosen; of several side by side nothing."""
        view = self.session.current("shape")
        if self.scene is None or view is None:
            return
        beside = bool(self.compared.count)
        plane = None if beside else self.cut.plane(view.extents, view.thickness)
        self.cut.setVisible(plane is not None)
        self.cut.button.setEnabled(not beside)
        self.scene.cut_off(plane)
        self.render()

    # --- picking
    # ----------------------------------------------------------------------------------------------
    def pick_at(self, x: float, y: float) -> tuple[str, int] | None:
        """Face or edge under pixels from the lower left of the 3D view."""
        view, mesh = self._as_drawn()
        if view is None or self.scene is None:
            return None
        from labilis.ui.stage.picking import pick, pick_edge

        if len(view.faces) == 0:  # lines only
            return pick_edge(self.plotter.renderer, view, x, y, self.scene.cut)
        if "body" in self.scene.actors:
            return pick(
                self.plotter.renderer,
                view,
                self.scene.actors["body"],
                self.scene.body.cell_data["face"],
                x,
                y,
                self.scene.cut,
                self.scene.actors.get("cut body"),
            )
        if "field" in self.scene.actors and self._free is None and mesh is not None:
            return self._pick_moved(mesh, x, y)
        if "mesh" in self.scene.actors:
            return pick(
                self.plotter.renderer,
                view,
                self.scene.actors["mesh"],
                self.scene.mesh_surface.cell_data["face"],
                x,
                y,
                self.scene.cut,
            )
        return None

    def _pick_moved(self, mesh: MeshFindings, x: float, y: float) -> tuple[str, int] | None:
        """The same on the shape as it is shown under load."""
        from labilis.ui.stage.picking import pick_shown

        field = self.scene.field
        assert field is not None
        row = np.full(len(mesh.nodes), -1)
        row[field.point_data["node"]] = np.arange(field.n_points)
        sides = row[mesh.segments[:, :2]]
        there = (sides >= 0).all(axis=1)
        points = np.asarray(field.points)
        face = (
            np.asarray(field.cell_data["face"])
            if "face" in field.cell_data
            else np.full(field.n_cells, -1)
        )
        return pick_shown(
            self.plotter.renderer,
            self.scene.actors["field"],
            face,
            points[sides[there]],
            mesh.segment_edge[there],
            x,
            y,
            self.scene.cut,
        )

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if (
            watched is self.plotter
            and isinstance(watched, QWidget)
            and isinstance(event, QMouseEvent)
        ):
            ratio = watched.devicePixelRatioF()
            x, y = event.position().x() * ratio, (watched.height() - event.position().y()) * ratio
            if (
                event.type() == QEvent.Type.MouseButtonPress
                and event.button() == Qt.MouseButton.LeftButton
            ):
                self._pressed = (x, y)
                self.pointer_bar.hide()
                self.name_tag.hide()
            elif (
                event.type() == QEvent.Type.MouseButtonRelease
                and event.button() == Qt.MouseButton.LeftButton
            ):
                start, self._pressed = self._pressed, None
                if (
                    start is not None
                    and max(abs(x - start[0]), abs(y - start[1])) <= _CLICK * ratio
                ):
                    modifiers = (
                        Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.ControlModifier
                    )
                    self.click(x, y, bool(event.modifiers() & modifiers))
            elif (
                event.type() == QEvent.Type.MouseButtonDblClick
                and event.button() == Qt.MouseButton.LeftButton
            ):
                self.frame(x, y)
            elif event.type() == QEvent.Type.MouseMove and not event.buttons():
                self._moved(x, y)
        if (
            watched is self.plotter
            and isinstance(watched, QWidget)
            and isinstance(event, QWheelEvent)
        ):
            ratio = watched.devicePixelRatioF()
            where = event.position()
            self.zoom_at(
                where.x() * ratio,
                (watched.height() - where.y()) * ratio,
                1.2 ** (event.angleDelta().y() / 120.0),
            )
            return True
        return super().eventFilter(watched, event)

    def click(self, x: float, y: float, add: bool = False) -> None:
        """Pick what lies under a pixel, at the next clicks on the same place what lies behind it;
        with `add` beside what is picked already."""
        found = self.pick_at(x, y)
        self._depth = ""
        if found is not None and not add:
            found = self._behind(found, x, y)
        if found is None:
            self.select(())
        elif add and self.selection and self.selection[0][0] == found[0]:
            rest = tuple(item for item in self.selection if item != found)
            self.select(rest if found in self.selection else (*self.selection, found))
        else:
            self.select((found,))
        if self.selection:
            self._place_bar(x, y)

    def _behind(self, found: tuple[str, int], x: float, y: float) -> tuple[str, int]:
        """What a click on a place means that was clicked before: the face behind the one that is
        picked there, and after the last one the first again."""
        place, last = self._clicked
        again = max(abs(x - place[0]), abs(y - place[1])) <= _CLICK and self.selection == (last,)
        self._clicked = ((x, y), found)
        line = self._in_line(x, y) if again else []
        if len(line) < 2 or last[0] != "face" or last[1] not in line:
            return found
        rank = (line.index(last[1]) + 1) % len(line)
        self._depth = f"{rank + 1} of {len(line)} in line" if rank else ""
        self._clicked = ((x, y), ("face", line[rank]))
        return "face", line[rank]

    def _in_line(self, x: float, y: float) -> list[int]:
        """Faces under a pixel, the one in front first."""
        from labilis.ui.stage.picking import faces_behind

        for name, faces in (("body", "body"), ("mesh", "mesh_surface")):
            if self.scene is not None and name in self.scene.actors:
                surface = getattr(self.scene, faces)
                actor, face = self.scene.actors[name], surface.cell_data["face"]
                return faces_behind(self.plotter.renderer, actor, face, x, y, self.scene.cut)
        return []

    def widen(self, selection: Selection) -> None:
        """Take a wider selection; the bar stays where it is and tells of it."""
        self._depth = ""
        self.select(selection)
        self._tell_bar()
        self.pointer_bar.adjustSize()
        self.pointer_bar.show()

    def pick_named(self, selection: Selection) -> None:
        """Pick what was asked for by name; the bar stands in the middle of the view."""
        if self.view_name not in ("Shape", "Mesh"):
            self.show_view("Shape")
        self._depth = ""
        self.select(selection)
        ratio = self.plotter.devicePixelRatioF()
        self._place_bar(ratio * self.plotter.width() / 2, ratio * self.plotter.height() / 2)

    def select(self, selection: Selection) -> None:
        """Make this the selection."""
        self._selection = selection
        self._highlight()
        self.render()
        if not selection:
            self.pointer_bar.hide()
        self.selection_changed.emit()

    def spot_at(self, x: float, y: float) -> int:
        """Node of the field that lies nearest under a pixel, -1 for none."""
        from labilis.ui.stage.picking import hit_at, nearest_point

        if self.field is None or self.scene is None or self.scene.field is None:
            return -1
        cap = self.scene.actors.get("cut field")
        if cap is not None:
            where = hit_at(self.plotter.renderer, cap, self.scene.actors["field"], x, y)
            if where is not None:
                return self.scene.node_inside(where)
        points = np.asarray(self.scene.field.points)
        found = nearest_point(self.plotter.renderer, points, x, y, self.scene.cut)
        return -1 if found < 0 else int(self.scene.field.point_data["node"][found])

    def _moved(self, x: float, y: float) -> None:
        mesh = self._as_drawn()[1]
        if self.field is not None and self._free is None and mesh is not None:
            node = self.spot_at(x, y)
            self._tag(fields.spot_words(self.field, mesh, node) if node >= 0 else None, x, y)
            return
        found = self.pick_at(x, y)
        if found != self.hovered:
            self.hovered = found
            self._highlight()
            self.render()
        if found is None:
            self.name_tag.hide()
            return
        self._tag(self.describe(found), x, y)

    def _tag(self, words: tuple[str, str] | None, x: float, y: float) -> None:
        """Words at the pointer, or none."""
        if words is None:
            self.name_tag.hide()
            return
        self.name_tag.setText(f"<b>{escape(words[0])}</b><br>{escape(words[1])}")
        self.name_tag.adjustSize()
        self.name_tag.move(self._global(x, y) + QPoint(16, 14))
        if self.isActiveWindow() and not self.pointer_bar.isVisible():
            self.name_tag.show()

    def leaveEvent(self, event: Any) -> None:
        self.name_tag.hide()
        super().leaveEvent(event)

    def hideEvent(self, event: Any) -> None:
        self.name_tag.hide()
        self.pointer_bar.hide()
        super().hideEvent(event)

    def describe(self, found: tuple[str, int]) -> tuple[str, str]:
        """Name and size of a face or edge."""
        view = self.session.current("shape")
        return described(view, found)

    def _highlight(self) -> None:
        view, mesh = self._as_drawn()
        if self.scene is None or view is None:
            return
        if "field" in self.scene.actors and self._free is None and mesh is not None:
            self.scene.highlight_moved(mesh, self.selection, PAPER.accent)
            return
        seen = bool({"body", "mesh"} & set(self.scene.actors))
        of = self.selection[0][0] if self.selection else "face"
        self.scene.highlight(
            "picked", view, of, [index for _, index in self.selection] if seen else [], PAPER.accent
        )
        hover = (
            self.hovered
            if seen and self.hovered is not None and self.hovered not in self.selection
            else None
        )
        self.scene.highlight(
            "hover", view, hover[0] if hover else "face", [hover[1]] if hover else [], PAPER.hover
        )

    def _global(self, x: float, y: float) -> QPoint:
        ratio = self.plotter.devicePixelRatioF()
        return self.plotter.mapToGlobal(
            QPoint(int(x / ratio), int(self.plotter.height() - y / ratio))
        )

    # --- the small bar at the pointer
    # ----------------------------------------------------------------------------------------------
    def _make_bar(self) -> QFrame:
        bar = QFrame(self, Qt.WindowType.Tool | Qt.WindowType.FramelessWindowHint)
        bar.setObjectName("float")
        bar.setAttribute(Qt.WidgetAttribute.WA_ShowWithoutActivating)
        layout = QVBoxLayout(bar)
        layout.setContentsMargins(8, 5, 8, 7)
        layout.setSpacing(4)
        self.bar_title = QLabel()
        self.bar_title.setTextFormat(Qt.TextFormat.RichText)
        layout.addWidget(self.bar_title)
        self.bar_note = Label()
        self.bar_note.setObjectName("note")
        layout.addWidget(self.bar_note)
        row = QHBoxLayout()
        self.bar_buttons: dict[str, QPushButton] = {}
        for name, picture in (
            ("Hold", "hold"),
            ("Push", "push"),
            ("Join", "join"),
            ("Scribe", "scribe"),
            ("Zone", "zone"),
            ("Put", "put"),
            ("Give to", "give"),
            ("More", "more"),
        ):
            button = QPushButton(icon(picture), name)
            row.addWidget(button)
            self.bar_buttons[name] = button
        self.hold_menu, self.push_menu, self.join_menu, self.scribe_menu, self.give_menu = (
            QMenu(bar) for _ in range(5)
        )
        self.more_menu, self.put_menu = QMenu(bar), QMenu(bar)
        self.bar_buttons["Put"].setMenu(self.put_menu)
        self.bar_buttons["Put"].setToolTip("A piece that stands on this face")
        self.bar_buttons["More"].setMenu(self.more_menu)
        self.bar_buttons["More"].setToolTip("Pick more: what is alike, goes on, or is named so")
        self.bar_buttons["Join"].setMenu(self.join_menu)
        self.bar_buttons["Hold"].setMenu(self.hold_menu)
        self.bar_buttons["Push"].setMenu(self.push_menu)
        self.bar_buttons["Scribe"].setMenu(self.scribe_menu)
        self.bar_buttons["Give to"].setMenu(self.give_menu)
        self.bar_buttons["Zone"].clicked.connect(lambda: (bar.hide(), self.zone_wanted.emit()))
        layout.addLayout(row)
        return bar

    def fill_menus(self) -> None:
        """Offers that fit the selection."""
        pointing = self.pointing
        offers = {} if pointing is None else pointing.offers()
        for name, menu, signal in (
            ("hold", self.hold_menu, self.hold_wanted),
            ("push", self.push_menu, self.push_wanted),
            ("join", self.join_menu, self.join_wanted),
            ("scribe", self.scribe_menu, self.scribe_wanted),
        ):
            menu.clear()
            for offer in offers.get(name, ()):
                menu.addAction(offer.words).triggered.connect(  # type: ignore[union-attr]
                    lambda _=False, key=offer.key, signal=signal: self._wanted(signal, key)
                )
        for name, menu in (("Scribe", self.scribe_menu), ("Join", self.join_menu)):
            self.bar_buttons[name].setVisible(not menu.isEmpty())
        self.give_menu.clear()
        for name in self.session.lost:
            self.give_menu.addAction(f"{name}, which lost its faces").triggered.connect(  # type: ignore[union-attr]
                lambda _=False, name=name: self._wanted(self.region_wanted, name)
            )
        self.bar_buttons["Give to"].setVisible(not self.give_menu.isEmpty())
        self._fill_put()
        self.more_menu.clear()
        for found in pointing.wider() if pointing is not None else ():
            count = f"{len(found.selection)} {found.selection[0][0]}"
            words = f"{found.words}: {count}{'s' if len(found.selection) > 1 else ''}"
            action = self.more_menu.addAction(words)
            assert action is not None
            action.triggered.connect(lambda _=False, found=found: self.widen(found.selection))
        self.bar_buttons["More"].setVisible(not self.more_menu.isEmpty())

    @property
    def pointing(self) -> Pointing | None:
        """What is picked, seen from where the camera stands; None without a part."""
        view = self.session.current("shape")
        if view is None:
            return None
        toward = (0.0, 0.0, 1.0)
        if self.plotter is not None:  # it comes up after the window
            camera = self.plotter.camera
            x, y, z = np.array(camera.position) - np.array(camera.focal_point)
            toward = (float(x), float(y), float(z))
        return Pointing(self.session.project, view, self.selection, toward)

    def _fill_put(self) -> None:
        """What can be put on the plane face that is picked: a new piece, or another one that is
        there."""
        self.put_menu.clear()
        pointing = self.pointing
        put = None if pointing is None else pointing.put_offers()
        self.bar_buttons["Put"].setVisible(
            put is not None and put.any and bool(self.session.project.materials)
        )
        if put is None:
            return
        for offered, words, key in (
            (put.along, "a plate along it", "along:"),
            (put.corner, "a rib into their corner", "corner:"),
        ):
            if offered:
                self.put_menu.addAction(words).triggered.connect(  # type: ignore[union-attr]
                    lambda _=False, key=key: self._wanted(self.put_wanted, key)
                )
        if put.between:
            struts = self.put_menu.addMenu("a strut from the first to the second")
            assert struts is not None
            fill_struts(struts, lambda key: self._wanted(self.put_wanted, f"between:{key}"))
        if put.copies:
            again = self.put_menu.addMenu(f"copies {put.copies}")
            assert again is not None
            for name in put.names:
                again.addAction(f"of {name}").triggered.connect(  # type: ignore[union-attr]
                    lambda _=False, name=name: self._wanted(self.put_wanted, f"repeat:{name}")
                )
        if not put.face:
            return
        new = self.put_menu.addMenu("a new piece")
        assert new is not None
        fill_recipes(new, lambda key: self._wanted(self.put_wanted, f"new:{key}"))
        for name in put.names:
            if name != put.own:
                self.put_menu.addAction(f"{name}, from where it is").triggered.connect(  # type: ignore[union-attr]
                    lambda _=False, name=name: self._wanted(self.put_wanted, f"move:{name}")
                )

    def _wanted(self, signal: Any, key: str) -> None:
        self.pointer_bar.hide()
        signal.emit(key)

    def _place_bar(self, x: float, y: float) -> None:
        self._tell_bar()
        self.name_tag.hide()
        self.pointer_bar.adjustSize()
        self.pointer_bar.move(self._beside(self._global(x, y)))
        self.pointer_bar.show()
        self.pointer_bar.raise_()

    def _tell_bar(self) -> None:
        """Names, sizes and offers of what is picked."""
        pointing = self.pointing
        assert pointing is not None
        name, size = pointing.told()
        depth = f"  ({self._depth})" if self._depth else ""
        self.bar_title.setText(f"<b>{escape(name)}</b>  {escape(size)}{depth}")
        self._measure()
        self.fill_menus()

    def _beside(self, pointer: QPoint) -> QPoint:
        """Where the small bar stands whole on the stage, right below the pointer where there is
        room, else left of it or above."""
        low, high = (
            self.mapToGlobal(QPoint(0, 0)),
            self.mapToGlobal(QPoint(self.width(), self.height())),
        )
        wide, tall = self.pointer_bar.width(), self.pointer_bar.height()
        x = pointer.x() + 14 if pointer.x() + 14 + wide <= high.x() else pointer.x() - 14 - wide
        y = pointer.y() + 12 if pointer.y() + 12 + tall <= high.y() else pointer.y() - 12 - tall
        return QPoint(max(x, low.x()), max(y, low.y()))

    def _measure(self) -> None:
        """Lines about what is picked, on the small bar; at the step of a trace that is shown."""
        pointing = self.pointing
        if pointing is None or not self.selection:
            return
        known = self._known
        if known is None or known[0] is not pointing.view or known[1] != self.selection:
            known = self._known = (pointing.view, self.selection, pointing.measured())
        lines, mesh, motion = list(known[2]), self.session.current("mesh"), self._service_motion()
        if mesh is not None and motion is not None:
            lines += pointing.moved(mesh, motion)
        self.bar_note.setText("\n".join(lines))
        self.bar_note.setVisible(bool(lines))

    def _service_motion(self) -> np.ndarray | None:
        """Motion of the nodes under the loads: at the step that is shown of a trace, else of the
        linear run."""
        strength, trace = self.session.current("strength"), self.session.current("trace")
        if self.view_name == "Trace" and trace is not None and len(trace.motions):
            fits = self._traced is not None and self._traced.shape == trace.motions[-1].shape
            return np.asarray(self._traced if fits else trace.motions[-1], dtype=float)
        return (
            None if strength is None else strength.displacement_growing + strength.displacement_held
        )

    def save_film(self, path: Path) -> None:
        """What is shown as a picture, a film or a surface, the words of the playback strip under
        it. Raises LabilisError."""
        if path.suffix.lower() == ".stl":
            self._save_surface(path)
            return
        from labilis.ui.stage.film import save

        with self._held_still() as frame:
            save(path, frame, self.story(), self.playback.phase)

    def picture(self) -> tuple[bytes, str]:
        """(PNG of what is shown with its words below, a caption). Raises LabilisError where
        nothing is shown."""
        if self.scene is None or self.session.current("shape") is None:
            raise LabilisError(
                "Nothing is shown on the stage.", "stage", "Open a part first.", "no-view"
            )
        import imageio.v3 as imageio

        from labilis.ui.stage.film import with_words

        words = self.story()
        with self._held_still() as frame:
            data = imageio.imwrite(
                "<bytes>", with_words(frame(self.playback.phase), words), extension=".png"
            )
        return bytes(data), f"{self.view_name} of {self.session.project.name}" + (
            f", case {self.session.case_name}"
            if self.view_name not in ("Shape", "Mesh") and self.session.case_name
            else ""
        )

    @contextlib.contextmanager
    def _held_still(self) -> Iterator[Callable[[float], np.ndarray]]:
        """What draws a frame at a phase; the playback goes on as before at the end."""
        before, playing = self.playback.phase, self.playback.playing
        self.playback.set_playing(False)

        def frame(phase: float) -> np.ndarray:
            self.playback.phase = phase
            self._frame()
            self.plotter.repaint()  # at once: what is asked for by `update` comes too late
            return np.asarray(self.plotter.screenshot(return_img=True))[..., :3]

        try:
            with self.sharpness.kept():
                yield frame
        finally:
            self.playback.phase = before
            self.playback.set_playing(playing)
            self._frame()

    def story(self) -> tuple[str, str]:
        """Two lines below a picture: project, case and what is shown; its scale with the unit."""
        cut = self.cut.place.text() if self.scene is not None and self.scene.cut else ""
        if self.field is None and self._free is None:  # nothing moves: the strip tells of before
            return f"{self.session.project.name}: {self.view_name.lower()}", cut
        first = (
            f"{self.session.project.name}, case {self.session.case_name}: "
            f"{self.playback.story.text()}"
        )
        second = self.playback.unit.text() + (
            f" ({self.playback.low.text()} to {self.playback.high.text()})"
            if self.playback.high.text()
            else ""
        )
        if self.session.case_report is not None and self.view_name == "Mode":
            second += "; the size of a mode has no meaning"
        return first, "; ".join(filter(None, (second, cut)))

    def _save_surface(self, path: Path) -> None:
        """The moved surface as it is shown, at its largest in a mode. Raises LabilisError where
        nothing moves, or has no surface."""
        if (
            self.scene is None
            or self.scene.field is None
            or not len(self.scene.field.regular_faces)
        ):
            raise LabilisError(
                "No moved surface is shown.",
                "stage",
                "Show stress, a mode or a trace first.",
                "no-surface",
            )
        with self._held_still() as frame:
            frame(0.25 if self.view_name == "Mode" else self.playback.phase)
            self.session.outputs.write_surface(
                np.asarray(self.scene.field.points),
                np.asarray(self.scene.field.regular_faces),
                path,
            )

    def close_view(self) -> None:
        """Let go of the 3D view before the window goes."""
        self._clock.stop()
        self.name_tag.close()
        self.pointer_bar.close()
        if self.plotter is not None:
            self.sharpness.stop()
            self.plotter.close()
            self.plotter = None
            self.scene = None
