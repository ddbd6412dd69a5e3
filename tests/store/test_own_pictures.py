"""Pictures and a logo of the engineer's own: they travel with the project in every form, stand
on the pages, and never spoil a report."""

from __future__ import annotations

import hashlib
import io
import json
import zlib
from pathlib import Path
from typing import Any

import pytest
from PIL import Image

from labilis.edit.variants import design_of, keep_variant, switch_design
from labilis.model import LabilisError, Picture, Project, StoredFile, load_project
from labilis.report import Figure, content_of
from labilis.report.own_pictures import check_picture
from labilis.report.write import as_docx, as_html, as_pdf
from labilis.run import Plan, Runner, Snapshot, judge_project, stage_keys
from labilis.store import ProjectFile, load_model, write_model
from labilis.store.json_form import project_files
from tests.cli.test_improve_cli import inside
from tests.judge.test_mistakes import strip


def png(colour: str = "red", width: int = 40, height: int = 20) -> bytes:
    target = io.BytesIO()
    Image.new("RGB", (width, height), colour).save(target, "png")
    return target.getvalue()


def pictured(*pictures: tuple[str, bytes, str, str], logo: bytes = b"", **more: Any) -> Snapshot:
    """A strip with pictures (file, bytes, caption, section) and a logo."""
    files = {
        hashlib.sha256(data).hexdigest(): data
        for data in (*(data for _, data, _, _ in pictures), *([logo] if logo else []))
    }
    report = {
        "pictures": [
            {
                "file": file,
                "sha256": hashlib.sha256(data).hexdigest(),
                "caption": caption,
                "section": section,
            }
            for file, data, caption, section in pictures
        ]
    }
    if logo:
        report |= {"logo": {"file": "logo.png", "sha256": hashlib.sha256(logo).hexdigest()}}
    return Snapshot(load_project(strip(mesh={"size": "20 mm"}, report=report, **more)), files)


def content_for(snapshot: Snapshot) -> Any:
    results = Runner().run(snapshot, Plan("modes"))
    return content_of(
        snapshot.project, judge_project(snapshot.project, results), results, files=snapshot.files
    )


def test_they_stand_at_the_end_of_their_sections_in_every_form() -> None:
    snapshot = pictured(
        ("a.png", png("red"), "The test rig <seen> from above", "loads"),
        ("b.png", png("blue"), "A weld", "modes"),
        logo=png("green", 80, 30),
    )
    content = content_for(snapshot)
    sections = {section.key: section.blocks for section in content.sections}
    for key, data, caption in (
        ("loads", png("red"), "The test rig <seen> from above"),
        ("modes", png("blue"), "A weld"),
    ):
        last = sections[key][-1]
        assert (
            isinstance(last, Figure)
            and last.png == data
            and last.caption.endswith(caption)
            and last.caption.startswith("Figure ")
        )
    page = as_html(content)
    assert (
        "The test rig &lt;seen&gt; from above" in page
        and page.count("data:image/png;base64,") == 3
        and 'alt="Logo"' in page
    )
    assert as_pdf(content)[:5] == b"%PDF-"
    from docx import Document

    assert len(Document(io.BytesIO(as_docx(content))).inline_shapes) >= 3


def test_they_travel_as_files_beside_a_model_and_inside_a_project(tmp_path: Path) -> None:
    snapshot = pictured(("a.png", png(), "One", "part"), logo=png("green"))
    project = keep_variant(snapshot.project, "other")
    other = design_of(project, "other")
    project = switch_design(project, "other").changed(
        report=other.report.model_copy(update={"logo": None})
    )
    snapshot = Snapshot(project, snapshot.files)
    written = write_model(snapshot, tmp_path / "m.json")
    assert {path.name for path in written} == {"m.json", "a.png", "logo.png"}
    again = load_model(tmp_path / "m.json")
    assert again.project == project and dict(again.files) == dict(snapshot.files)
    file = ProjectFile.create(
        tmp_path / "m.labilis", project, project_files(project, dict(snapshot.files))
    )
    file.close()
    again = load_model(tmp_path / "m.labilis")
    assert again.project == project and dict(again.files) == dict(snapshot.files)
    (tmp_path / "a.png").unlink()
    with pytest.raises(LabilisError, match=r"'a.png' is not beside"):
        load_model(tmp_path / "m.json")
    clash = Snapshot(
        project.changed(
            report=project.report.model_copy(
                update={"logo": StoredFile(file="a.png", sha256="0" * 64)}
            )
        ),
        {},
    )
    with pytest.raises(LabilisError, match="different files"):
        write_model(clash, tmp_path / "n.json")
    assert (
        inside(
            "report", tmp_path / "m.labilis", "--to", tmp_path / "r.html", "--no-pictures"
        ).returncode
        == 0
    )
    assert "One</figcaption>" in (tmp_path / "r.html").read_text(encoding="utf-8")
    assert json.loads(inside("verify", tmp_path / "r.html", "--json", "-").stdout)["holds"] is True


def test_a_picture_changes_no_result() -> None:
    with_one, without = (
        pictured(("a.png", png(), "One", "part")).project,
        load_project(strip(mesh={"size": "20 mm"})),
    )
    assert stage_keys(with_one, "one") == stage_keys(without, "one")


def bomb() -> bytes:
    """The head of a PNG of 60,000 by 60,000 pixels."""
    body = b"IHDR" + (60000).to_bytes(4, "big") * 2 + bytes([8, 2, 0, 0, 0])
    return (
        b"\x89PNG\r\n\x1a\n" + (13).to_bytes(4, "big") + body + zlib.crc32(body).to_bytes(4, "big")
    )


def noise() -> bytes:
    target = io.BytesIO()
    Image.effect_noise((60, 60), 90).save(target, "png")
    return target.getvalue()


NOISE = noise()
HALF = len(NOISE) // 2


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"<svg/>",
        b"\x89PNG\r\n\x1a\n",
        NOISE[:HALF],
        bomb(),
        b"\xff\xd8\xff" + bytes(90),
        NOISE[:HALF] + bytes(3) + NOISE[HALF + 3 :],
    ],
    ids=["nothing", "svg", "head", "cut", "bomb", "jpeg", "spoilt"],
)
def test_what_is_no_sound_picture_is_refused(data: bytes) -> None:
    with pytest.raises(LabilisError) as told:
        check_picture(data, "a.png")
    assert "a.png" in told.value.what and told.value.remedy
    with pytest.raises(LabilisError):
        content_for(pictured(("a.png", data, "One", "part")))


@pytest.mark.parametrize("name", ["../a.png", "a/b.png", "", ".."])
def test_a_picture_reaches_no_other_folder(name: str) -> None:
    with pytest.raises(ValueError, match="without folders"):
        Picture(file=name, caption="x")


def test_missing_bytes_are_told() -> None:
    snapshot = pictured(("a.png", png(), "One", "part"))
    with pytest.raises(LabilisError, match=r"bytes of 'a.png' are missing"):
        content_for(Snapshot(snapshot.project, {}))
    assert isinstance(snapshot.project, Project)


def test_a_file_of_another_that_lies_there_is_not_written_over(tmp_path: Path) -> None:
    snapshot = pictured(("a.png", png(), "One", "part"))
    (tmp_path / "a.png").write_bytes(b"somebody's own")
    with pytest.raises(LabilisError, match="would be lost"):
        write_model(snapshot, tmp_path / "m.json")
    assert (tmp_path / "a.png").read_bytes() == b"somebody's own" and not (
        tmp_path / "m.json"
    ).exists()
    (tmp_path / "a.png").unlink()
    write_model(snapshot, tmp_path / "m.json")
    assert len(write_model(snapshot, tmp_path / "m.json")) == 2  # the same once more is no loss
