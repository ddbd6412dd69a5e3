"""The program's place on a desktop."""

from __future__ import annotations

import configparser
import os
import struct
import subprocess
import sys
from pathlib import Path
from xml.etree import ElementTree

import pytest

from labilis.model import LabilisError
from labilis.store import desktop
from tests.commands import labilis


@pytest.fixture
def home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    folder = tmp_path / "data of a user"
    monkeypatch.setenv("XDG_DATA_HOME", str(folder))
    monkeypatch.setattr(sys, "argv", [str(Path(sys.executable).parent / "labilis")])
    return folder


def entry_of(home: Path) -> configparser.SectionProxy:
    read = configparser.ConfigParser(interpolation=None, strict=True)
    read.optionxform = str  # type: ignore[assignment, method-assign]
    read.read(home / "applications/labilis.desktop", encoding="utf-8")
    return read["Desktop Entry"]


def test_an_entry_that_opens_project_files(home: Path) -> None:
    written = desktop.install()
    assert all(path.is_file() and home in path.parents for path in written)
    entry = entry_of(home)
    assert entry["Type"] == "Application" and entry["Terminal"] == "false"
    command, word, field = entry["Exec"].rsplit(" ", 2)
    assert (word, field) == ("open", "%f")
    assert os.access(command.strip('"'), os.X_OK)
    assert os.access(entry["TryExec"], os.X_OK)
    kind = ElementTree.parse(home / "mime/packages/labilis.xml").getroot()[0]
    assert kind.attrib["type"] == desktop.TYPE and f"{desktop.TYPE};" in entry["MimeType"]
    patterns = [item.attrib["pattern"] for item in kind if item.tag.endswith("glob")]
    assert patterns == ["*.labilis"]
    catalogue = ElementTree.parse(home / "metainfo/labilis.metainfo.xml").getroot()
    assert catalogue.findtext("launchable") == "labilis.desktop"


def test_icons_of_every_size_show_something(home: Path) -> None:
    desktop.install()
    for size in desktop.SIZES:
        data = (home / f"icons/hicolor/{size}x{size}/apps/labilis.png").read_bytes()
        assert data[:8] == b"\x89PNG\r\n\x1a\n"
        assert struct.unpack(">II", data[16:24]) == (size, size)
        assert len(data) > 150
    assert (home / "icons/hicolor/scalable/apps/labilis.svg").read_text().startswith("<svg")


def test_twice_is_as_good_as_once_and_nothing_is_left(home: Path) -> None:
    first = desktop.install()
    before = {path: path.read_bytes() for path in first}
    assert desktop.install() == first
    assert {path: path.read_bytes() for path in first} == before
    others = home / "applications/other.desktop"
    others.write_text("[Desktop Entry]\n")
    assert set(desktop.remove()) == set(first) and desktop.remove() == []
    left = [path for path in home.rglob("*") if path.is_file() and "cache" not in path.name]
    assert [path for path in left if "labilis" in path.name] == [] and others in left


def test_a_folder_that_cannot_be_written_says_so(home: Path) -> None:
    home.parent.joinpath(home.name).write_text("a file where a folder is wanted")
    with pytest.raises(LabilisError, match="cannot be written") as told:
        desktop.install()
    assert "XDG_DATA_HOME" in told.value.remedy


@pytest.mark.parametrize("name", ['a "b" $c', "per %f cent", "back\\slash"])
def test_an_odd_path_of_the_command_is_quoted(name: str) -> None:
    told = desktop._quoted(Path("/opt") / name / "labilis")
    # undone as the specification says: strings of the file first, then the argument's quotes
    inner = told.replace("\\\\", "\\")[1:-1].replace("%%", "%")
    for mark in '"$`':
        inner = inner.replace(f"\\{mark}", mark)
    assert inner.replace("\\\\", "\\") == str(Path("/opt") / name / "labilis")


def test_from_the_command_line(home: Path) -> None:
    done = labilis("install-desktop")
    assert done.returncode == 0 and "applications/labilis.desktop" in done.stdout
    assert entry_of(home)["Icon"] == "labilis"
    check = subprocess.run(["which", "desktop-file-validate"], capture_output=True, check=False)
    if check.returncode == 0:
        subprocess.run(
            ["desktop-file-validate", str(home / "applications/labilis.desktop")], check=True
        )
    assert labilis("install-desktop", "--remove").returncode == 0
    assert not (home / "applications/labilis.desktop").exists()


def test_the_entry_of_the_menu_opens_an_empty_window(monkeypatch: pytest.MonkeyPatch) -> None:
    """A menu gives no file: `open` alone must ask for a display, not for a file."""
    for name in ("DISPLAY", "WAYLAND_DISPLAY"):
        monkeypatch.delenv(name, raising=False)
    done = labilis("open")
    assert "no display" in done.stderr + done.stdout
    assert "Missing argument" not in done.stderr + done.stdout
