"""What can be made without anything picked: pieces, loads, cases, parameters. Each returns new
statements, the words for the journal, and the name of what is new."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Literal

from labilis.app.set_aside import with_aside
from labilis.edit.cases import case_at
from labilis.edit.new_loads import told_in, with_move, with_temperature, with_weight
from labilis.edit.new_pieces import RECIPES, with_piece
from labilis.edit.outlines import outline_of
from labilis.edit.retyping import retyped
from labilis.model import CaseLoad, LabilisError, LoadCase, Project, shown
from labilis.run.importing import STEEL, with_outline
from labilis.store.load_table import with_load_table

if TYPE_CHECKING:
    from labilis.app.session import Session

_STRUT = "strut, "
LoadKind = Literal["weight", "temperature", "move", "aside"]


@dataclass(frozen=True)
class Recipes:
    """Names of recipes on offer: of struts what comes after 'strut, ', and of all others."""

    struts: tuple[str, ...]
    others: tuple[str, ...]

    @property
    def all(self) -> list[str]:
        """All names as they are asked for."""
        return list(RECIPES)


def recipes() -> Recipes:
    """What pieces can be made of."""
    return Recipes(
        tuple(key.removeprefix(_STRUT) for key in RECIPES if key.startswith(_STRUT)),
        tuple(key for key in RECIPES if not key.startswith(_STRUT)),
    )


def strut_of(section: str) -> str:
    """The recipe of a strut of a section on offer."""
    return _STRUT + section


class Building:
    """Makes pieces, loads, cases and parameters of a session. Each raises LabilisError and changes
    nothing where it cannot be."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def piece(self, recipe: str) -> str:
        """A new piece from a recipe, clear of what is there; the project begins with it when there
        is none. Its name."""
        session, view = self._session, self._session.current("shape")
        beside = float(view.extents[0, 1]) + 0.1 * float(view.size) if view is not None else 0.0
        project, name = with_piece(session.project, recipe, STEEL, beside)
        if session.project.pieces:
            session.make(project, f"{name} added")
        else:
            session.new(
                retyped(Project(), project.changed(name="New part")),
                {},
                f"{name} from a recipe; {STEEL.name} assumed",
            )
        return name

    def outline(self, path: Path, plate: bool, size: str) -> None:
        """A plate of the outline of a DXF file, or a strut with it as its section; size: its
        thickness or its length."""
        try:
            data = path.read_bytes()
        except OSError as error:
            raise LabilisError(
                f"'{path.name}' cannot be read ({error.strerror}).",
                str(path),
                "Choose another file.",
                "file",
            ) from error
        session, field = self._session, "thickness" if plate else "length"
        project, piece, words = with_outline(
            session.project, data, path.name, **{field: size.strip()}
        )
        if session.project.pieces:
            session.edit(project, f"{piece} added: {words}")
        else:
            session.new(project.changed(name=piece), {}, f"{piece}: {words}; {STEEL.name} assumed")

    def parameter(self, name: str) -> None:
        """A named number that sizes may use."""
        session = self._session
        if name in session.project.parameters:
            raise LabilisError(
                f"There is a parameter '{name}' already.",
                "parameters",
                "Choose another name.",
                "parameter",
            )
        stated = {**session.project.parameters, name: "1 mm"}
        session.make(session.project.changed(parameters=stated), f"{name} added")

    def load(self, kind: LoadKind, on: str) -> str:
        """A load that needs nothing picked: the weight of all pieces, a change of temperature, the
        move of a support, or the weight of a piece set aside. Its name."""
        session, case = self._session, self._session.case_name
        if kind == "weight":
            project, name = with_weight(session.project)
            session.make(project, f"{name} added")
            return name
        if kind == "temperature":
            project, name = with_temperature(session.project, case)
        elif kind == "aside":
            project, name = with_aside(session.project, session.current("shape"), on)
        else:
            project, name = with_move(session.project, on, case)
        session.make(project, f"{name} added{told_in(project, name)}")
        return name

    def load_table(self, path: Path) -> None:
        """Loads and cases of a CSV file."""
        project, words = with_load_table(self._session.project, path)
        self._session.edit(project, f"{path.name}: {words}")

    def case(self) -> str:
        """A new load case with all loads, which is then shown. Its name."""
        session, project = self._session, self._session.project
        name = project.free_name("cases", "case")
        loads = tuple(CaseLoad(load=load.name) for load in project.loads)
        session.edit(project.with_item("cases", LoadCase(name=name, loads=loads)), f"{name} added")
        session.choose_case(name)
        return name

    def case_at(self, factor: float) -> str:
        """A case in which the growing loads of the present one act with a factor, which is then
        shown. Its name."""
        session = self._session
        project, name = case_at(session.project, session.case_name, factor)
        session.make(project, f"{name} added")
        session.choose_case(name)
        return name

    def drawn_pieces(self) -> list[str]:
        """Pieces that have an outline of their own."""
        pieces = self._session.project.pieces
        return [piece.name for piece in pieces if outline_of(piece) is not None]

    def size_to_type(self, plate: bool) -> tuple[str, str]:
        """(what is asked for of an outline, such as what), in the units that are shown."""
        what, text = ("Thickness", "3 mm") if plate else ("Length", "500 mm")
        return what, shown.typed(text, "length")
