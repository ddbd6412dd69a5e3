"""What the user does with the part in the window: hold, push, refine, scribe, add pieces, loads
and cases."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtWidgets import QFileDialog, QInputDialog

from labilis.app import picked, scribing
from labilis.app.joining import join
from labilis.app.set_aside import with_aside
from labilis.edit.cases import case_at
from labilis.edit.new_loads import told_in, with_move, with_temperature, with_weight
from labilis.edit.new_pieces import (
    with_piece,
    with_piece_on,
    with_plate_along,
    with_rib_into,
    with_strut_between,
)
from labilis.edit.placing import put_on
from labilis.edit.repeating import repeated
from labilis.edit.retyping import retyped
from labilis.edit.standing import stands_on
from labilis.model import CaseLoad, LabilisError, LoadCase, Project, shown
from labilis.run.environment import mesh_size
from labilis.run.importing import STEEL, with_outline
from labilis.run.picking import ShapeView, section_middle
from labilis.store.load_table import with_load_table
from labilis.ui.building import (
    FROM_DXF,
    FROM_TABLE,
    STRUT_FROM_DXF,
)

if TYPE_CHECKING:
    from labilis.app import Session
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
        view = self.session.current("shape")

        def act() -> None:
            size = mesh_size(self.session.settled, view)
            project, words, _ = picked.refine(
                self.session.project,
                view,
                self.stage.selection,
                shown.stated(size / 2, "length", 3),
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
        way, _, name = key.partition(":")
        put = {
            "between": self._put_between,
            "along": self._put_along,
            "corner": self._put_into_corner,
            "repeat": self._repeat,
        }.get(way, lambda name: self._put_on_face(way, name))

        def act() -> None:
            if made := put(name):
                self._said("Part", "pieces", made, edit=True)
                return
            self.stage.select(())
            self.stage.show_view("Shape")
            self.sheet.open_station("Part")

        self._guard(act)

    def _put_between(self, section: str) -> str:
        ends = self.stage.two_places()
        if ends is None:
            raise LabilisError("A strut runs between two places.", "part", "Pick two.", "between")
        changed, made = with_strut_between(self.session.project, section, *ends, section_middle)
        changed = stands_on(changed, made, self.stage.owner_of_pick(), ends[0])
        self.session.make(changed, f"{made} from one place to another")
        return ""  # its length is that between them

    def _repeat(self, name: str) -> str:
        found = self.stage.copies_by_pick()
        if found is None:
            raise LabilisError(
                "A piece is repeated along a straight edge, round an axis along x, y or z, or "
                "mirrored in a plane square to one.",
                "part",
                "Pick such an edge or face, and only that one.",
                "repeat",
            )
        words, copies = found
        self.session.edit(repeated(self.session.project, name, copies), f"{name} {words}")
        return ""

    def _put_along(self, _: str) -> str:
        foot = self.stage.edge_footing()
        if foot is None:
            raise LabilisError(
                "A plate is put along one straight edge of a plane face.",
                "part",
                "Pick such an edge, and only that one.",
                "edge",
            )
        changed, made = with_plate_along(
            self.session.project,
            self.stage.owner_of_pick(),
            foot.start,
            foot.end,
            foot.normal,
            [0.0, 0.0, 0.0] if foot.sheet else foot.inside,
        )
        changed = stands_on(changed, made, self.stage.owner_of_pick(), foot.start)
        self.session.make(changed, f"{made} put along an edge")
        return made

    def _put_into_corner(self, _: str) -> str:
        corner = self.stage.inner_corner()
        if corner is None:
            raise LabilisError(
                "A rib is put into the corner of two plane faces that meet at a right angle.",
                "part",
                "Pick two such faces; where a bend lies between them, place the rib by numbers.",
                "corner",
            )
        changed, made = with_rib_into(
            self.session.project,
            self.stage.owner_of_pick(),
            corner.point,
            corner.ways,
            corner.reaches,
        )
        changed = stands_on(changed, made, self.stage.owner_of_pick(), corner.point)
        self.session.make(changed, f"{made} put into a corner")
        return made

    def _put_on_face(self, way: str, name: str) -> str:
        project, where = self.session.project, self.stage.footing()
        if where is None:
            raise LabilisError(
                "A piece is put on one plane face.",
                "part",
                "Pick a plane face, and only that one.",
                "face",
            )
        owner = self.stage.owner_of_pick()
        if way == "new":
            changed, made = with_piece_on(project, name, *where, section_middle)
            changed = stands_on(changed, made, owner, where[0])
            self.session.make(changed, f"{made} put on a face")
            return made
        middle = section_middle(project, project.named("pieces", name))
        changed = stands_on(put_on(project, name, *where, middle), name, owner, where[0])
        self.session.edit(changed, f"{name} put on a face")
        return ""

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

        def act() -> None:
            view = self.session.current("shape")
            beside = float(view.extents[0, 1]) + 0.1 * float(view.size) if view is not None else 0.0
            project, name = with_piece(self.session.project, key, STEEL, beside)
            if self.session.project.pieces:
                self.session.make(project, f"{name} added")
            else:
                self.session.new(
                    retyped(Project(), project.changed(name="New part")),
                    {},
                    f"{name} from a recipe; {STEEL.name} assumed",
                )
            self._said("Part", "pieces", name, edit=True)

        self._guard(act)

    def _add_outline(self, plate: bool) -> None:
        """A plate of the outline of a DXF file, or a strut with it as its section."""
        name, _ = QFileDialog.getOpenFileName(None, "A DXF outline", "", "DXF (*.dxf)")
        if not name:
            return
        what, text = (
            ("Thickness", shown.typed("3 mm", "length"))
            if plate
            else ("Length", shown.typed("500 mm", "length"))
        )
        whose = "plate" if plate else "strut"
        size, sure = QInputDialog.getText(
            None, what, f"{what} of the {whose}, such as {text}", text=text
        )  # type: ignore[arg-type]
        if not sure:
            return
        try:
            data = Path(name).read_bytes()
        except OSError as error:
            raise LabilisError(
                f"'{Path(name).name}' cannot be read ({error.strerror}).",
                name,
                "Choose another file.",
                "file",
            ) from error
        project, piece, words = with_outline(
            self.session.project, data, Path(name).name, **{what.lower(): size.strip()}
        )
        if self.session.project.pieces:
            self.session.edit(project, f"{piece} added: {words}")
        else:
            self.session.new(
                project.changed(name=piece), {}, f"{piece}: {words}; {STEEL.name} assumed"
            )
        self.stage.show_view("Shape")
        self.sheet.open_station("Part")

    def add_parameter(self) -> None:
        """A named number that sizes may use; its value is then open for typing."""
        name, sure = QInputDialog.getText(None, "A parameter", "Name, such as wall")  # type: ignore[arg-type]
        if not sure or not name.strip():
            return

        def act() -> None:
            name_ = name.strip()
            if name_ in self.session.project.parameters:
                raise LabilisError(
                    f"There is a parameter '{name_}' already.",
                    "parameters",
                    "Choose another name.",
                    "parameter",
                )
            self.session.make(
                self.session.project.changed(
                    parameters={**self.session.project.parameters, name_: "1 mm"}
                ),
                f"{name_} added",
            )
            self.sheet.open_station("Part")
            card = self.sheet.cards["Part"]
            label, span = next(
                (label, span)
                for label in card.sentences
                for span in label.sentence
                if span.path == ("parameters", name_)
            )
            card.edit(span, label)

        self._guard(act)

    def add_weight(self) -> None:
        """The weight of all pieces as a held load."""

        def act() -> None:
            project, name = with_weight(self.session.project)
            self.session.make(project, f"{name} added")
            self.sheet.open_station("Loads")

        self._guard(act)

    def add_load(self, kind: str, support: str) -> None:
        """A load that needs nothing picked: 'weight', 'temperature', the 'move' of a support, or
        the weight of a piece set 'aside'."""
        if kind == "weight":
            self.add_weight()
            return
        if kind == FROM_TABLE:
            self.load_table()
            return

        def act() -> None:
            stated, case = self.session.project, self.session.case_name
            project, name = (
                with_temperature(stated, case)
                if kind == "temperature"
                else with_aside(stated, self.session.current("shape"), support)
                if kind == "aside"
                else with_move(stated, support, case)
            )
            self.session.make(project, f"{name} added{told_in(project, name)}")
            self._said("Loads", "loads", name, edit=True)

        self._guard(act)

    def load_table(self) -> None:
        """Loads and cases of a CSV file that is asked for; the first of its cases is then shown."""
        name, _ = QFileDialog.getOpenFileName(None, "A table of loads", "", "Table (*.csv)")

        def act() -> None:
            project, words = with_load_table(self.session.project, Path(name))
            self.session.edit(project, f"{Path(name).name}: {words}")
            self.stage.show_view("Shape")
            self.sheet.open_station("Loads")

        if name:
            self._guard(act)

    def apply_factor(self, factor: float) -> None:
        """A case in which the growing loads of the present one act with a factor, which is then
        shown."""

        def act() -> None:
            project, name = case_at(self.session.project, self.session.case_name, factor)
            self.session.make(project, f"{name} added")
            self.session.choose_case(name)
            self.sheet.open_station("Loads")

        self._guard(act)

    def add_case(self) -> None:
        """A new load case with all loads."""
        project = self.session.project
        name = project.free_name("cases", "case")
        case = LoadCase(name=name, loads=tuple(CaseLoad(load=load.name) for load in project.loads))
        self._guard(
            lambda: (
                self.session.edit(project.with_item("cases", case), f"{name} added"),  # type: ignore[func-returns-value, arg-type]
                self.session.choose_case(name),
            )
        )
