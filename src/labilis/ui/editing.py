"""What the user does with the part in the window: hold, push, refine, scribe, add pieces, loads
and cases."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QInputDialog

from labilis.app import picked, scribing
from labilis.app.joining import join
from labilis.app.putting import put
from labilis.model import Project
from labilis.ui.building import FROM_DXF, FROM_TABLE, STRUT_FROM_DXF

if TYPE_CHECKING:
    from labilis.app import Session
    from labilis.run.picking import ShapeView
    from labilis.ui.sheet.sheet import Sheet
    from labilis.ui.stage.stage import Stage


class Editing:
    """Part of the window: statements made from what is picked on its stage."""

    session: Session
    stage: Stage
    sheet: Sheet
    _guard: Callable[[Callable[[], None]], None]
    _say: Callable[..., None]

    def _picked(self) -> bool:
        if not self.stage.selection or self.session.current("shape") is None:
            self._say("Pick a face or an edge on the stage first.", "caution")
            return False
        return True

    def _with_picked(
        self,
        call: Callable[[Project, ShapeView, picked.Selection], tuple[Project, str, str]],
        station: str,
        field: str,
        edit: bool = False,
    ) -> None:
        """Take the statements (with their words and the name of what is new) that come of what
        is picked, and go to their sentence."""
        if not self._picked():
            return

        def act() -> None:
            project, words, name = call(
                self.session.project, self.session.current("shape"), self.stage.selection
            )
            self.session.make(project, words)
            self._said(station, field, name, edit)

        self._guard(act)

    def hold_picked(self, way: str = "") -> None:
        """Hold the selection; without a way, offer the ways."""
        if not way and self._picked():
            self.stage.fill_menus()
            self.stage.hold_menu.popup(self.sheet.mapToGlobal(self.sheet.rect().center()))
        elif way:
            self._with_picked(
                lambda project, view, selection: picked.hold(project, view, selection, way),
                "Supports",
                "springs" if way in ("springs", "foundation") else "supports",
            )

    def join_picked(self, way: str) -> None:
        """A bolt through the picked bores, or a seam along the picked edges; a bolt's diameter
        is open for typing."""

        def act() -> None:
            project, words, field, name = join(
                self.session.project, self.session.current("shape"), self.stage.selection, way
            )
            self.session.edit(project, words)
            self._said("Mesh", field, name, way == "bolt")

        if self._picked():
            self._guard(act)

    def push_picked(self, way: str) -> None:
        """Put a load on the selection and open its value for typing."""
        self._with_picked(
            lambda project, view, selection: picked.push(
                project, view, selection, way, self.session.case_name
            ),
            "Loads",
            "loads",
            edit=True,
        )

    def scribe_picked(self, way: str) -> None:
        """A line, circle or washer on the picked face or round the picked hole; its first number
        is open for typing."""
        self._with_picked(
            lambda project, view, selection: scribing.scribe(project, view, selection, way),
            "Part",
            "scribes",
            edit=True,
        )

    def zone_picked(self) -> None:
        """Finer elements on the selection."""
        if not self._picked():
            return

        def act() -> None:
            project, words, _ = picked.refine(
                self.session.project,
                self.session.current("shape"),
                self.stage.selection,
                self.session.finer_size,
            )
            self.session.make(project, words)
            self.sheet.open_station("Mesh")

        self._guard(act)

    def put_picked(self, key: str) -> None:
        """A new piece of a recipe ('new:' and its name), or one that is there ('move:' and its
        name), stands on the plane face that is picked; a new strut ('between:' and its section)
        runs between the two places that are; a plate stands along the edge ('along:'), a rib in
        the corner of two faces ('corner:'); a piece is repeated by the edge, axis or plane that is
        picked ('repeat:' and its name). Sizes of what is new are open for typing."""
        if not self._picked():
            return

        def act() -> None:
            pointing = self.stage.pointing
            assert pointing is not None
            done = put(pointing, key)
            (self.session.make if done.own else self.session.edit)(done.project, done.words)
            if done.made:
                self._said("Part", "pieces", done.made, edit=True)
                return
            self.stage.select(())
            self.stage.show_view("Shape")
            self.sheet.open_station("Part")

        self._guard(act)

    def give_picked(self, region: str) -> None:
        """A region that lost its faces takes what is picked; what stands on it works again."""
        if self._picked():
            view = self.session.current("shape")
            self._guard(
                lambda: self.session.edit(
                    picked.given(self.session.project, view, self.stage.selection, region),
                    f"{region} picked again",
                )
            )
            self.stage.select(())

    def _said(self, station: str, field: str, name: str, edit: bool = False) -> None:
        """Open the station with the new sentence; with `edit` its first number is open for
        typing."""
        self.stage.select(())
        self.stage.show_view("Shape")
        self.sheet.open_station(station)
        index = [item.name for item in getattr(self.session.project, field)].index(name)
        if edit:
            about = (field, index)
            self.sheet.cards[station].type_first(lambda span: (span.path or ())[:2] == about)

    def add_piece(self, key: str) -> None:
        """A new piece from a recipe, clear of what is there; the project begins with it when
        there is none."""
        if key in (FROM_DXF, STRUT_FROM_DXF):
            self._guard(lambda: self._add_outline(plate=key == FROM_DXF))
            return
        self._guard(
            lambda: self._said("Part", "pieces", self.session.building.piece(key), edit=True)
        )

    def _add_outline(self, plate: bool) -> None:
        """A plate of the outline of a DXF file, or a strut with it as its section."""
        name, _ = QFileDialog.getOpenFileName(None, "A DXF outline", "", "DXF (*.dxf)")
        if not name:
            return
        what, text = self.session.building.size_to_type(plate)
        whose = "plate" if plate else "strut"
        size, sure = QInputDialog.getText(
            None, what, f"{what} of the {whose}, such as {text}", text=text
        )  # type: ignore[arg-type]
        if not sure:
            return
        self.session.building.outline(Path(name), plate, size)
        self.stage.show_view("Shape")
        self.sheet.open_station("Part")

    def add_parameter(self) -> None:
        """A named number that sizes may use; its value is then open for typing."""
        name, sure = QInputDialog.getText(None, "A parameter", "Name, such as wall")  # type: ignore[arg-type]
        name = name.strip()
        if not sure or not name:
            return

        def act() -> None:
            self.session.building.parameter(name)
            self.sheet.open_station("Part")
            card = self.sheet.cards["Part"]
            label, span = next(
                (label, span)
                for label in card.sentences
                for span in label.sentence
                if span.path == ("parameters", name)
            )
            card.edit(span, label)

        self._guard(act)

    def add_weight(self) -> None:
        """The weight of all pieces as a held load."""
        self.add_load("weight", "")

    def add_load(self, kind: str, on: str) -> None:
        """A load that needs nothing picked: 'weight', 'temperature', the 'move' of a support, or
        the weight of a piece set 'aside'."""
        if kind == FROM_TABLE:
            self.load_table()
            return

        def act() -> None:
            name = self.session.building.load(kind, on)  # type: ignore[arg-type]
            if kind == "weight":
                self.sheet.open_station("Loads")
            else:
                self._said("Loads", "loads", name, edit=True)

        self._guard(act)

    def load_table(self) -> None:
        """Loads and cases of a CSV file that is asked for; the first of its cases is then shown."""
        name, _ = QFileDialog.getOpenFileName(None, "A table of loads", "", "Table (*.csv)")

        def act() -> None:
            self.session.building.load_table(Path(name))
            self.stage.show_view("Shape")
            self.sheet.open_station("Loads")

        if name:
            self._guard(act)

    def apply_factor(self, factor: float) -> None:
        """A case in which the growing loads of the present one act with a factor, which is then
        shown."""

        def act() -> None:
            self.session.building.case_at(factor)
            self.sheet.open_station("Loads")

        self._guard(act)

    def add_case(self) -> None:
        """A new load case with all loads."""
        self._guard(lambda: (self.session.building.case(), None)[1])
