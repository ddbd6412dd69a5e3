"""The statements of one project, the files that they name, where all of it is kept, and its
history."""

from __future__ import annotations

import hashlib
import time
from pathlib import Path
from typing import Any

from labilis.app.events import Event
from labilis.app.preferences import prefer_units, preferred_units
from labilis.app.recent import remember
from labilis.app.recovery import is_unsaved, recovery_path, remove_file
from labilis.edit.removing import without
from labilis.edit.retyping import retyped
from labilis.edit.sides import with_side
from labilis.edit.splitting import split_strut
from labilis.edit.standing import with_stand
from labilis.model import LabilisError, Project, StoredFile, grade, shown, statements_of
from labilis.model.renaming import renamed, renamed_parameter
from labilis.report.own_pictures import check_picture
from labilis.store import ProjectFile, load_model
from labilis.store.grades import OwnGrade, import_grades, keep_grade, read_grades, write_grades
from labilis.store.json_form import project_files
from labilis.store.locks import hold, holder_of, let_go


class Document:
    """One project. Every change of statements goes through `edit`; what others make of a change is
    in the methods that begin with an underscore and do nothing here."""

    def __init__(self) -> None:
        self.statements_changed, self.file_changed = Event(), Event()
        self.problem, self.journal_grew = Event(), Event()  # a LabilisError; a line
        self.project = Project(units=preferred_units())
        self.files: dict[str, bytes] = {}  # by SHA-256
        self.file: ProjectFile | None = None
        self.saved_path: Path | None = None
        self.last_edit = ""
        self.journal: list[str] = []
        self.own_grades: list[OwnGrade] = []
        try:
            self.own_grades = read_grades()
        except LabilisError as error:  # a spoilt file of grades must not keep the window shut
            self.journal.append(str(error))
        self._unsaved_number = 0
        self._holding: Path | None = None

    # --- files
    # ----------------------------------------------------------------------------------------------
    def new(self, project: Project, files: dict[str, bytes], title: str) -> None:
        """Begin with these statements, in a recovery file until they are saved under a name."""
        self._leave()
        self._unsaved_number += 1
        try:
            path = recovery_path(self._unsaved_number)
            self.file = ProjectFile.create(path, project, project_files(project, files))
        except LabilisError as error:  # no place for recovery must not stop the work
            self.file = None
            self.problem.emit(error)
        self._enter(project, files, None)
        self.note(title)

    def open(self, path: Path) -> None:
        """Open a project file or read a JSON model. Raises LabilisError; the present project
        stays then."""
        if path.suffix.lower() == ".json":
            snapshot = load_model(path)
            self.new(snapshot.project, snapshot.files, f"Read {path.name}")
            return
        other = holder_of(path)
        opened = ProjectFile.open(path, read_only=other is not None)
        try:
            project, files = opened.project, opened.files()
        except LabilisError:
            opened.close()
            raise
        self._leave()
        self.file = opened
        self._enter(project, files, None if is_unsaved(path) else path)
        if other is not None:
            self.problem.emit(_open_elsewhere(path, other))
        elif opened.read_only:
            self.note(
                f"{path.name} is open for reading only; save it under another name to keep changes"
            )
        else:
            self._holding = hold(path)
        self.note(f"Opened {path.name}")

    def save(self, path: Path | None = None) -> None:
        """Keep the project under a name. With a name already, everything is in the file at once;
        this folds the log in. Raises LabilisError."""
        if path is None:
            self._save_again()
            return
        if self.file is None:
            self.file = ProjectFile.create(
                path, self.project, project_files(self.project, self.files)
            )
            for key, result in self._all_found().items():
                self.file.put_result(key, result)
        else:
            copy = self.file.save_as(path)
            old, old_saved = self.file, self.saved_path
            self.file = copy
            old.close()
            if old_saved is None:
                remove_file(old.path)
        if self.file.project != self.project:
            self.file.commit(self.project, "save")
        let_go(self._holding)
        self.saved_path, self._holding = path, hold(path)
        remember(path)
        self.note(f"Saved {path.name}")
        self.file_changed.emit()

    def _save_again(self) -> None:
        if self.saved_path is None or self.file is None:
            raise LabilisError(
                "The project has no name yet.", "", "Save it under a name.", "no-name"
            )
        if self.file.read_only:
            raise LabilisError(
                "The file is open for reading only.",
                str(self.saved_path),
                "Save it under another name.",
                "read-only",
            )
        if self.file.project != self.project:
            self.file.commit(self.project, "save")
        self.note(f"Saved {self.saved_path.name}")

    def _leave(self) -> None:
        """Let go of the present project; unsaved work with content stays recoverable."""
        let_go(self._holding)
        self._holding = None
        if self.file is not None:
            path, empty = self.file.path, self.saved_path is None and not self.project.pieces
            self.file.close()
            if empty:
                remove_file(path)
        self.file = None

    def _enter(self, project: Project, files: dict[str, bytes], saved: Path | None) -> None:
        self.project, self.files, self.saved_path = project, files, saved
        if saved is not None:
            remember(saved)
        self.last_edit = ""
        self._entered()
        self._restated()
        self.file_changed.emit()
        self.statements_changed.emit()
        self._told()

    def _entered(self) -> None:
        """Another project is here."""

    def _restated(self) -> None:
        """The statements are others, and nobody has heard of it yet."""

    def _told(self) -> None:
        """All have heard of it."""

    def _all_found(self) -> dict[str, Any]:
        """What belongs into a file beside the statements, by key."""
        return {}

    # --- statements
    # ----------------------------------------------------------------------------------------------
    def edit(self, project: Project, title: str) -> None:
        """Take new statements. What cannot be written to disk is kept here and said."""
        if project == self.project:
            return
        shown.use(project.units)
        self.project = project
        self.last_edit = title
        if self.file is not None:
            try:
                self.file.commit(project, title)
            except LabilisError as error:
                self.problem.emit(error)
        self.note(title)
        self._stated_anew()

    def _stated_anew(self) -> None:
        self._restated()
        self.statements_changed.emit()
        self._told()

    def make(self, project: Project, title: str) -> None:
        """Take statements with something new in them that the window wrote by itself, in the units
        that are shown. What was typed, or comes from elsewhere, goes through `edit` as it is."""
        self.edit(retyped(self.project, project), title)

    def remove(self, field: str, name: str) -> None:
        """Take something stated away, with all that cannot be without it, which is told."""
        try:
            project, told = without(self.project, field, name)
        except LabilisError as error:
            self.problem.emit(error)
            return
        also = f", with {', '.join(told[:6])}{' and more' if len(told) > 6 else ''}" if told else ""
        self.edit(project, f"Removed {name}{also}")

    def set_value(self, path: tuple[str | int, ...], value: Any, title: str) -> None:
        """Change one value by its path. Raises LabilisError and changes nothing when it does not
        fit."""
        if path[0] == "parameters" and path[2:] == ("name",):
            self.edit(renamed_parameter(self.project, str(path[1]), value), title)
        elif len(path) == 3 and path[2] == "name":
            self.edit(renamed(self.project, str(path[0]), int(path[1]), value), title)
        elif path[0] == "pieces" and path[2:3] == ("side",):
            piece = self.project.pieces[int(path[1])].name
            self.edit(with_side(self.project, piece, int(path[3]), str(value or "")), title)
        elif path[0] == "pieces" and path[2:] == ("divide",):
            piece = self.project.pieces[int(path[1])].name
            changed, further = split_strut(self.project, piece, float(value))
            self.edit(changed, f"{piece} divided, {further} from there on")
        elif path[0] == "pieces" and path[2:4] == ("place", "on"):
            self.edit(with_stand(self.project, int(path[1]), path[4:], value), title)
        else:
            self.edit(self._with_value(path, value), title)

    def _with_value(self, path: tuple[str | int, ...], value: Any) -> Project:
        """The statements with one value; a grade that is named for the first time comes with it,
        and those that no piece is of any more go."""
        if path[-1] != "material" or not isinstance(value, str):
            return self.project.with_value(path, value)
        own = next((item.material for item in self.own_grades if item.material.name == value), None)
        ordered = own or grade(value)
        if ordered is None or ordered.name in {item.name for item in self.project.materials}:
            return self.project.with_value(path, value)
        project = self.project.with_item("materials", ordered).with_value(path, value)
        used = {piece.material for piece in project.pieces}
        return project.changed(materials=[item for item in project.materials if item.name in used])

    def show_in(self, units: shown.UnitsName) -> None:
        """Show all figures in these units, and those of new projects."""
        prefer_units(units)
        shown.ask(None)  # what the command line asked for was for what was said until now
        if units != self.project.units:
            self.edit(self.project.changed(units=units), f"figures in {units}")

    def undo(self) -> None:
        """One step back."""
        self._step("undo", "Undone")

    def redo(self) -> None:
        """One step forward."""
        self._step("redo", "Redone")

    def _step(self, way: str, word: str) -> None:
        if self.file is None:
            return
        before, after = self.file.history()
        titles = before[-1:] if way == "undo" else after[:1]
        project = getattr(self.file, way)(self.project)
        if project is None:
            self.note("Nothing to undo" if way == "undo" else "Nothing to redo")
            return
        self.project = project
        self.last_edit = f"{word}: {titles[0]}" if titles else word
        self.note(self.last_edit)
        self._stated_anew()

    # --- materials and pictures
    # ----------------------------------------------------------------------------------------------
    def copy_material(self, name: str) -> None:
        """A copy of a material under another name, which the pieces take that had it; its values
        may then be changed."""
        base = self.project.named("materials", name)
        copy = base.model_copy(
            update={
                "name": self.project.free_name("materials", f"{name} copy"),
                "source": f"copied from {name}",
            }
        )
        project = self.project.with_item("materials", copy)
        for index, piece in enumerate(project.pieces):
            if piece.material == name:
                project = project.with_value(("pieces", index, "material"), copy.name)
        self.edit(project.without_item("materials", name), f"{name} copied")

    def keep_material(self, name: str, folder: str) -> None:
        """Keep a material of the project among the user's own grades."""
        keep_grade(self.project.named("materials", name), folder)
        self.own_grades = read_grades()
        self.note(f"{name} kept among the own grades" + (f", in {folder}" if folder else ""))
        self.statements_changed.emit()

    def import_grades(self, path: Path) -> None:
        """Take grades of a file over into the own ones."""
        names = import_grades(path)
        self.own_grades = read_grades()
        self.note(f"{len(names)} grades from {path.name}: {', '.join(names)}")
        self.statements_changed.emit()

    def export_grades(self, path: Path) -> None:
        """Write the own grades to a file. Raises LabilisError."""
        write_grades(self.own_grades, path)

    def keep_bytes(self, sha: str, name: str, data: bytes) -> None:
        """Keep a file that the statements name from now on. Raises LabilisError."""
        self.files = {**self.files, sha: data}
        if self.file is not None:
            self.file.add_file(sha, name, data)

    def stored_picture(self, data: bytes, name: str) -> StoredFile:
        """A picture (PNG) whose bytes are kept from now on, under a name that no other file of any
        design has. Raises LabilisError."""
        check_picture(data, name)
        sha = hashlib.sha256(data).hexdigest()
        known = {
            item.file: item.sha256
            for stated in (self.project, *map(statements_of, self.project.variants))
            for item in stated.stored_files
        }
        stem, number = Path(name).stem.removesuffix(" 1"), 1
        while known.get(name, sha) != sha:
            number += 1
            name = f"{stem} {number}.png"
        self.keep_bytes(sha, name, data)
        return StoredFile(file=name, sha256=sha)

    def note(self, text: str) -> None:
        """A line for the journal."""
        line = f"{time.strftime('%H:%M:%S')}  {text}"
        self.journal.append(line)
        self.journal_grew.emit(line)


def _open_elsewhere(path: Path, process: int) -> LabilisError:
    return LabilisError(
        f"{path.name} is open in another window (process {process}); here it is for reading only.",
        "",
        "Save it under another name to change it here.",
        "read-only",
    )
