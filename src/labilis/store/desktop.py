"""The program's place on a user's desktop: an entry, icons, the type of project files, and what a
catalogue says of it. Into the user's own folder, so that nobody needs to be root."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from collections.abc import Iterable
from contextlib import suppress
from importlib.resources import files
from pathlib import Path

from labilis import __version__
from labilis.model import LabilisError

SIZES = (16, 24, 32, 48, 64, 128, 256)
TYPE = "application/x-labilis"
_ENTRY = """[Desktop Entry]
Type=Application
Name=Labilis
GenericName=Buckling check
Comment=Checks thin parts against buckling: factors, modes, hand checks and a verdict
Exec={command} open %f
TryExec={program}
Icon=labilis
Terminal=false
Categories=Engineering;Science;Construction;
MimeType={type};
StartupWMClass=labilis
StartupNotify=true
Actions=new;

[Desktop Action new]
Name=Empty window
Exec={command}
"""
_MIME = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{type}">
    <comment>Labilis project</comment>
    <sub-class-of type="application/vnd.sqlite3"/>
    <icon name="labilis"/>
    <glob pattern="*.labilis"/>
  </mime-type>
</mime-info>
"""
_CATALOGUE = """<?xml version="1.0" encoding="UTF-8"?>
<component type="desktop-application">
  <id>labilis</id>
  <name>Labilis</name>
  <summary>Check thin parts against buckling</summary>
  <metadata_license>CC0-1.0</metadata_license>
  <project_license>GPL-3.0-or-later</project_license>
  <description>
    <p>
      For brackets, struts, tubes, stands and folded sheet: buckling factors and modes with proof
      that none is missing, hand checks beside them, large deflection, and a verdict that says what
      it stands on.
    </p>
  </description>
  <launchable type="desktop-id">labilis.desktop</launchable>
  <provides><mediatype>{type}</mediatype></provides>
  <releases><release version="{version}"/></releases>
  <content_rating type="oars-1.1"/>
</component>
"""


def data_folder() -> Path:
    """Where a user's desktop looks: $XDG_DATA_HOME, or ~/.local/share."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local/share")


def program() -> Path:
    """The command that started this program, or the one beside its Python."""
    started = Path(sys.argv[0])
    beside = Path(sys.executable).parent / "labilis"
    for candidate in (started, beside, Path(shutil.which("labilis") or "")):
        if candidate.name == "labilis" and candidate.is_file():
            return candidate.absolute()
    raise LabilisError(
        "The command 'labilis' was not found.",
        str(beside),
        "Install the program with its commands: pipx install, or pip install into an environment.",
        "no-command",
    )


def _targets(folder: Path) -> dict[str, Path]:
    icons = folder / "icons/hicolor"
    return {
        "entry": folder / "applications/labilis.desktop",
        "type": folder / "mime/packages/labilis.xml",
        "catalogue": folder / "metainfo/labilis.metainfo.xml",
        "drawing": icons / "scalable/apps/labilis.svg",
        **{f"icon {size}": icons / f"{size}x{size}/apps/labilis.png" for size in SIZES},
    }


def _quoted(path: Path) -> str:
    """A path as an entry's Exec wants it."""
    text = (
        str(path).replace("\\", "\\\\").replace('"', '\\"').replace("$", "\\$").replace("`", "\\`")
    )
    return f'"{text}"'.replace("%", "%%").replace("\\", "\\\\")


def install(folder: Path | None = None) -> list[Path]:
    """Put everything in place, anew where it is there; gives the files. Raises LabilisError where
    that cannot be written."""
    import resvg_py

    folder = folder or data_folder()
    command, targets = program(), _targets(folder)
    drawing = files("labilis").joinpath("ui/theme/icons/labilis.svg").read_text(encoding="utf-8")
    contents: dict[str, bytes] = {
        "entry": _ENTRY.format(command=_quoted(command), program=command, type=TYPE).encode(),
        "type": _MIME.format(type=TYPE).encode(),
        "catalogue": _CATALOGUE.format(type=TYPE, version=__version__).encode(),
        "drawing": drawing.encode(),
    }
    for size in SIZES:
        contents[f"icon {size}"] = bytes(
            resvg_py.svg_to_bytes(svg_string=drawing, width=size, height=size)
        )
    for name, target in targets.items():
        try:
            target.parent.mkdir(parents=True, exist_ok=True)
            fresh = target.with_name(f".{target.name}.{os.getpid()}")
            fresh.write_bytes(contents[name])
            fresh.replace(target)
        except OSError as error:
            raise LabilisError(
                f"It cannot be written ({error.strerror}).",
                str(target),
                "Make the folder writable, or name another with XDG_DATA_HOME.",
                "not-writable",
            ) from error
    _tell(folder)
    return list(targets.values())


def remove(folder: Path | None = None) -> list[Path]:
    """Take away what `install` put there; gives the files that were there."""
    folder = folder or data_folder()
    gone = [target for target in _targets(folder).values() if target.exists()]
    for target in gone:
        target.unlink()
    _tell(folder)
    return gone


def _tell(folder: Path) -> None:
    """Have the desktop look again, where it has the tools for it."""
    commands: Iterable[tuple[str, Path]] = (
        ("update-desktop-database", folder / "applications"),
        ("update-mime-database", folder / "mime"),
        ("gtk-update-icon-cache", folder / "icons/hicolor"),
    )
    for name, where in commands:
        tool = shutil.which(name)
        if tool is not None and where.is_dir():
            with suppress(OSError, subprocess.TimeoutExpired):
                subprocess.run([tool, str(where)], capture_output=True, timeout=30, check=False)
