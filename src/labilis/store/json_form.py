"""The text form of a project: JSON beside its STEP files, for the command line and for version control."""
from __future__ import annotations

import hashlib
from pathlib import Path

from labilis.model import LabilisError, Project, load_project, statements_of
from labilis.run import Snapshot
from labilis.store.project_file import ProjectFile


def load_model(path: Path) -> Snapshot:
    """Statements and geometry of a .json model or a .labilis project.

    A JSON model names its geometry files, which lie in the same folder. Raises LabilisError for anything unreadable.
    """
    path = Path(path)
    if not path.is_file():
        raise LabilisError("There is no such file.", str(path), "Check the name.", "no-file")
    if path.suffix.lower() != ".json":
        opened = ProjectFile.open(path)
        try:
            return Snapshot(opened.project, opened.files())
        finally:
            opened.close()
    try:
        text = path.read_text(encoding="utf-8-sig")
    except UnicodeDecodeError as error:
        raise LabilisError("The model is not UTF-8 text.", str(path), "Save it as UTF-8.", "json") from error
    project = load_project(text)
    files: dict[str, bytes] = {}
    known: dict[str, str] = {}
    for name in dict.fromkeys([item.file for item in project.geometry] + [
            item.file for variant in project.variants for item in statements_of(variant).geometry]):
        source = path.parent / name
        if not source.is_file():
            raise LabilisError(f"The geometry file '{name}' is not beside the model.", str(path), f"Put it into {path.parent}.", "no-file")
        data = source.read_bytes()
        known[name] = hashlib.sha256(data).hexdigest()
        files[known[name]] = data
    geometry = tuple(item.model_copy(update={"sha256": known[item.file]}) for item in project.geometry)
    variants = tuple(variant.model_copy(update={"statements": {**variant.statements, "geometry": [
        {**item, "sha256": known[item["file"]]} for item in variant.statements.get("geometry", ())]}}) for variant in project.variants)
    return Snapshot(project.model_copy(update={"geometry": geometry, "variants": variants}), files)


def write_model(snapshot: Snapshot, path: Path) -> list[Path]:
    """Write the JSON form and, beside it, the geometry it names; returns the files written."""
    path = Path(path)
    written = [path]
    named: dict[str, str] = {}
    geometry = [*snapshot.project.geometry, *(item for variant in snapshot.project.variants for item in statements_of(variant).geometry)]
    for item in geometry:
        if named.setdefault(item.file, item.sha256) != item.sha256:
            raise LabilisError(f"Two designs have different files called '{item.file}', which cannot lie beside one model.",
                               f"geometry/{item.file}", "Keep the project as a .labilis file, or remove one of the designs.", "two-files")
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        for item in geometry:
            if item.sha256 in snapshot.files and path.parent / item.file not in written:
                target = path.parent / item.file
                target.write_bytes(snapshot.files[item.sha256])
                written.append(target)
        path.write_text(snapshot.project.to_json(), encoding="utf-8")
    except OSError as error:
        raise LabilisError(f"The model cannot be written ({error.strerror}).", str(path), "Choose another place.",
                           "disk") from error
    return written


def project_files(project: Project, files: dict[str, bytes]) -> dict[str, tuple[str, bytes]]:
    """Files with their names, as `ProjectFile.create` takes them."""
    names = {item.sha256: item.file for item in project.geometry}
    return {sha: (names.get(sha, sha), data) for sha, data in files.items()}
