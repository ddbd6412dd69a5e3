"""The text form of a project: JSON beside its STEP files, for the command line and for version
control."""

from __future__ import annotations

import hashlib
from pathlib import Path
from typing import Any

from labilis.model import LabilisError, Project, load_project, statements_of
from labilis.run import Snapshot
from labilis.store.project_file import ProjectFile


def load_model(path: Path) -> Snapshot:
    """Statements and geometry of a .json model or a .labilis project.

    A JSON model names its files, which lie in the same folder. Raises LabilisError for anything
    unreadable."""
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
        raise LabilisError(
            "The model is not UTF-8 text.", str(path), "Save it as UTF-8.", "json"
        ) from error
    project = load_project(text)
    files: dict[str, bytes] = {}
    known: dict[str, str] = {}
    designs = [statements_of(variant) for variant in project.variants]
    for name in dict.fromkeys(
        item.file for stated in (project, *designs) for item in stated.stored_files
    ):
        source = path.parent / name
        if not source.is_file():
            raise LabilisError(
                f"The file '{name}' is not beside the model.",
                str(path),
                f"Put it into {path.parent}.",
                "no-file",
            )
        data = source.read_bytes()
        known[name] = hashlib.sha256(data).hexdigest()
        files[known[name]] = data
    variants = tuple(
        variant.model_copy(
            update={"statements": _hashed(variant.statements, stated.with_hashes(known))}
        )
        for variant, stated in zip(project.variants, designs)
    )
    return Snapshot(project.with_hashes(known).model_copy(update={"variants": variants}), files)


def _hashed(statements: dict[str, Any], stated: Project) -> dict[str, Any]:
    """The statements of a design with the hashes of their files."""
    if not stated.stored_files:
        return statements
    told = stated.model_dump(mode="json", include={"geometry", "report"})
    return {**statements, **{key: told[key] for key in told if key in statements}}


def write_model(snapshot: Snapshot, path: Path) -> list[Path]:
    """Write the JSON form and, beside it, the files it names; returns the files written. Raises
    LabilisError, before anything is written, where another file of such a name lies there."""
    path = Path(path)
    written = [path]
    named: dict[str, str] = {}
    stored = [
        item
        for stated in (snapshot.project, *map(statements_of, snapshot.project.variants))
        for item in stated.stored_files
    ]
    for item in stored:
        if named.setdefault(item.file, item.sha256) != item.sha256:
            raise LabilisError(
                f"Two designs have different files called '{item.file}', which cannot lie beside "
                "one model.",
                f"files/{item.file}",
                "Keep the project as a .labilis file, or remove one of the designs.",
                "two-files",
            )
    try:
        for item in stored:
            target = path.parent / item.file
            if (
                item.sha256 in snapshot.files
                and target.exists()
                and target.read_bytes() != snapshot.files[item.sha256]
            ):
                raise LabilisError(
                    f"Another file called '{item.file}' lies there, which would be lost.",
                    str(target),
                    "Choose another folder, or move that file away.",
                    "exists",
                )
        path.parent.mkdir(parents=True, exist_ok=True)
        for item in stored:
            if item.sha256 in snapshot.files and path.parent / item.file not in written:
                target = path.parent / item.file
                target.write_bytes(snapshot.files[item.sha256])
                written.append(target)
        path.write_text(snapshot.project.to_json(), encoding="utf-8")
    except OSError as error:
        raise LabilisError(
            f"The model cannot be written ({error.strerror}).",
            str(path),
            "Choose another place.",
            "disk",
        ) from error
    return written


def project_files(project: Project, files: dict[str, bytes]) -> dict[str, tuple[str, bytes]]:
    """Files with their names, as `ProjectFile.create` takes them."""
    names = {item.sha256: item.file for item in project.stored_files}
    return {sha: (names.get(sha, sha), data) for sha, data in files.items()}
