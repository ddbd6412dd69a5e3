"""Pieces from recipes, shells and the trace, by the real controls."""

import json
import re
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QMenu

from labilis.judge.ladder import rungs
from tests.interface.conftest import DEMO, Hand
from tests.judge.test_mistakes import force, strip

STAND = DEMO.parents[1] / "cabinet-stand/cabinet-stand.json"
DOCS = Path(__file__).parents[2] / "docs"
BRACKET = DEMO.parents[1] / "sensor-bracket/sensor-bracket.json"


def piece_menu(hand: Hand) -> QMenu:
    """Press + piece and take hold of its menu."""
    hand.click(hand.card("Part").tools["+ piece"])
    hand.qtbot.wait(60)
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    return menu


def edge(hand: Hand, name: str) -> tuple[str, int]:
    view = hand.session.current("shape")
    return "edge", next(
        row for row, words in enumerate(view.edges.name) if name in str(words).split("|")
    )


@pytest.mark.full
def test_a_strut_from_nothing_to_its_trace(hand: Hand) -> None:
    window, session = hand.window, hand.session
    menu = piece_menu(hand)
    assert {"plate", "folded angle", "rib", "block"} <= {action.text() for action in menu.actions()}
    struts = next(action.menu() for action in menu.actions() if action.menu() is not None)
    hand.menu(struts, "flat")
    menu.close()
    hand.wait_idle()
    assert "flat, 40 mm wide, 2 mm wall, 500 mm long" in hand.text("Part")
    assert "shells" in hand.text("Part")
    hand.type_value("Part", "40 mm", "30 mm")
    hand.wait_idle()
    name = session.project.pieces[0].name

    window.stage.select((edge(hand, f"{name}/start"),))
    window.stage.fill_menus()
    offers = [action.text() for action in window.stage.hold_menu.actions()]
    assert "Fixed" in offers and "Held, free to turn" in offers
    hand.menu(window.stage.hold_menu, "Fixed")
    assert session.project.supports[0].held == ("x", "y", "z", "turn_x", "turn_y", "turn_z")
    assert session.project.regions[0].names == (f"{name}/start",)
    window.stage.select((edge(hand, f"{name}/end"),))
    window.stage.fill_menus()
    hand.menu(window.stage.push_menu, "by components")
    editor = window.sheet.cards["Loads"].editor
    editor.line.setText("-20 N")
    hand.click(editor.ok)
    hand.run()
    facts = session.case_report.facts
    euler = np.pi**2 * 210e3 * 30 * 8 / 12 / (2 * 500) ** 2 / 20
    assert facts.modes.positive[0] == pytest.approx(euler, rel=0.01)
    assert "changes it by" in hand.text("Modes")

    hand.click(hand.card("Trace").tools["run the trace"])
    assert window.drawer.tabs["Trace"].isChecked()
    hand.wait_idle()
    trace = session.case_report.facts.trace
    assert trace.done and trace.verified < facts.modes.positive[0]
    assert window.drawer.curve.trace is trace
    assert any(rung.kind == "verified" for rung in window.ladder.rungs)
    assert f"Verified to {trace.verified:.4g}" in hand.text("Trace")
    hand.click(window.stage.chips["Trace"])
    assert window.stage.view_name == "Trace"
    assert window.stage.playback.isVisible()
    hand.type_value("Trace", "a thousandth", "1 mm")
    assert session.current("trace") is None
    assert "Not traced" in hand.text("Trace")


@pytest.mark.full
def test_the_stand_runs_renames_and_loses_a_piece(hand: Hand) -> None:
    window, session = hand.window, hand.session
    hand.load(STAND)
    assert "4 × leg" in hand.text("Part") and "cabinet is set aside" in hand.text("Part")
    hand.click(hand.card("Mesh").tools["mesh now"])
    hand.wait_idle()
    assert "quadrilaterals" in hand.text("Mesh") and "bonded" in hand.text("Mesh")
    session.set_value(("pieces", 0, "name"), "post", "renamed")
    hand.wait_idle()
    assert session.project.regions[0].names == ("post/start",)
    card = hand.card("Part")
    label = next(
        label for label in card.sentences if label.accessibleName().startswith("2 × side-rail")
    )
    label.removed.emit()
    hand.wait_idle()
    assert "side-rail" not in hand.text("Part")
    window.session.undo()
    assert "side-rail" in hand.text("Part")
    window.add_load("weight", "")
    assert session.project.loads[-1].kind == "weight"
    window.session.undo()
    hand.wait_idle()
    window.add_load("aside", "cabinet")
    hand.wait_idle()
    load, hub = session.project.loads[-1], session.project.hubs[-1]
    assert load.components[2] == "-6931 N" and hub.kind == "spread"  # 0.5 × 0.4 × 0.45 m of steel
    assert hub.at == ("250 mm", "200 mm", "1125 mm")
    assert set(session.project.named("regions", hub.region).names) == {
        "front-rail.1/run.1",
        "front-rail.2/run.1",
        "side-rail.1/run.1",
        "side-rail.2/run.1",
    }


@pytest.mark.full
def test_a_grade_from_the_library(hand: Hand) -> None:
    from labilis.ui.sheet import card as cards

    hand.load(STAND)
    taken: list[Any] = []
    hand.patch.setattr(cards, "choose", lambda _parent, span, take: taken.append((span, take)))
    card = hand.card("Part")
    label, span = next(
        (label, span)
        for label in card.sentences
        for span in label.sentence
        if span.path == ("pieces", 0, "material")
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    shown, take = taken[0]
    assert ("aluminium EN AW-6082 T6 (library)", "aluminium EN AW-6082 T6") in shown.choices
    take("aluminium EN AW-6082 T6")
    hand.wait_idle()
    project = hand.session.project
    assert project.pieces[0].material == "aluminium EN AW-6082 T6"
    assert {item.name for item in project.materials} == {
        "aluminium EN AW-6082 T6",
        "structural steel S235",
    }
    assert "70 GPa" in hand.text("Part")


@pytest.mark.full
def test_convergence_study_fills_the_drawer(hand: Hand) -> None:
    window = hand.window
    hand.load(BRACKET)
    hand.click(hand.card("Mesh").tools["converge"])
    assert window.drawer.tabs["Studies"].isChecked()
    hand.wait_idle()
    table = window.drawer.studies.convergence.table
    assert table.rowCount() == 4
    assert [table.item(row, 0).text() for row in range(4)] == [
        "7.94 mm",
        "6.3 mm",
        "5 mm",
        "3.97 mm",
    ]
    found = hand.session.current("converge")
    assert found.done and window.drawer.studies.convergence.note.text().startswith(
        ("The meshes", "They go to")
    )


@pytest.mark.full
def test_every_recipe_on_offer_makes_a_shape(hand: Hand) -> None:
    from labilis.edit.new_pieces import RECIPES

    for key in RECIPES:
        hand.window.add_piece(key)
        hand.wait_idle()
    assert len(hand.session.project.pieces) == len(RECIPES)
    hand.qtbot.waitUntil(lambda: hand.session.current("shape") is not None, timeout=30000)
    hand.wait_idle()
    assert len(hand.session.current("shape").bodies) == len(RECIPES)


def test_a_failing_mode_is_labelled_under_the_bar(hand: Hand) -> None:
    from labilis.ui.ladder.layout import kept_apart_about

    centres = kept_apart_about([40.0, 48.0, 50.0, 52.0, 54.0], [20.0] * 5, 0.0, 400.0, 2, 45.0)
    assert max(centres[:2]) <= 45.0 < min(centres[2:])


def test_trace_curve_says_what_to_do_and_draws(hand: Hand) -> None:
    from labilis.ui.drawer.chart import between

    assert between(0.0, 3.6) == [0.0, 1.0, 2.0, 3.0] and between(-0.3, 0.25) == pytest.approx(
        [-0.2, 0.0, 0.2]
    )
    assert (
        between(0.0, 0.0) == [0.0]
        and between(float("nan"), 1.0) == []
        and len(between(3.49, 3.51)) > 1
    )
    hand.load(BRACKET)
    hand.session.set_value(("mesh", "size"), "14 mm", "coarser")
    hand.wait_idle()
    hand.window.drawer.show_page("Trace")
    hand.qtbot.wait(50)
    assert hand.window.drawer.curve.trace is None
    images: list[Any] = [hand.window.drawer.curve.grab().toImage()]
    hand.window.run_trace()
    hand.wait_idle()
    hand.qtbot.wait(50)
    images.append(hand.window.drawer.curve.grab().toImage())
    assert images[0] != images[1]
    assert "steps" in hand.window.drawer.curve.toolTip()


def test_a_scribed_line_is_held_and_a_patch_is_pushed(hand: Hand) -> None:
    window, session = hand.window, hand.session
    window.add_piece("plate")
    hand.wait_idle()
    window.stage.select((("face", 0),))
    window.stage.fill_menus()
    hand.menu(window.stage.scribe_menu, "Line across")
    hand.wait_idle()
    editor = hand.card("Part").editor
    assert editor is not None and editor.line.text() == "0 mm", "the offset is open for typing"
    editor.line.setText("40 mm")
    hand.qtbot.keyClick(editor.line, Qt.Key.Key_Return)
    hand.wait_idle()
    assert "line is scribed: a line crosswise on plate/face, 40 mm from its middle." in hand.text(
        "Part"
    )
    window.stage.select((edge(hand, "line/line"),))
    window.hold_picked("fixed")
    window.stage.select((("face", 0),))
    window.scribe_picked("circle")
    hand.wait_idle()
    view = session.current("shape")
    patch = next(row for row, words in enumerate(view.faces.name) if "circle/patch" in str(words))
    window.stage.select((("face", patch),))
    window.push_picked("normal")
    hand.wait_idle()
    assert [region.names for region in session.project.regions] == [
        ("line/line",),
        ("circle/patch",),
    ]
    session.set_value(("mesh", "size"), "20 mm", "coarse")
    session.set_value(("scribes", 0, "name"), "rest line", "renamed")
    hand.wait_idle()
    assert session.project.regions[0].names == ("rest line/line",)
    window.run("strength")
    hand.wait_idle()
    strength = session.case_report.facts.strength
    assert abs(strength.applied[0, :3]).max() == pytest.approx(1000.0, rel=1e-9)
    label = next(
        label
        for label in hand.card("Part").sentences
        if label.accessibleName().startswith("rest line is scribed")
    )
    label.removed.emit()
    hand.wait_idle()
    assert not session.project.supports and len(session.project.scribes) == 1


def test_a_revised_file_keeps_what_it_finds_and_blocks_the_rest(hand: Hand, tmp_path: Path) -> None:
    from tests.parts import bar_step, box, to_step

    window, session = hand.window, hand.session
    (tmp_path / "bar.step").write_bytes(bar_step())
    hand.answer_open(tmp_path / "bar.step")
    hand.click(hand.card("Part").tools["open STEP…"])
    hand.wait_idle()
    ends = np.argsort(session.current("shape").faces.centroid[:, 0])
    window.stage.select((("face", int(ends[0])),))
    window.hold_picked("fixed")
    window.stage.select((("face", int(ends[-1])),))
    window.push_picked("force")
    window.escape()
    for name, shape in (
        ("longer.step", box(255, 16, 5)),
        ("other.step", box(120, 90, 80, (400, 0, 0))),
    ):
        (tmp_path / name).write_bytes(to_step(shape))
    hand.answer_open(tmp_path / "longer.step")
    hand.click(hand.card("Part").tools["revised file…"])
    hand.wait_idle()
    assert session.current("shape").length == pytest.approx(255) and not session.lost
    hand.answer_open(tmp_path / "other.step")
    hand.click(hand.card("Part").tools["revised file…"])
    hand.wait_idle()
    assert (
        len(session.project.supports) == 1
        and "Blocked" in hand.text("Supports")
        and "Blocked" in hand.text("Loads")
    )
    assert window.sheet.marks["Loads"].state == "blocked"
    ends = np.argsort(session.current("shape").faces.centroid[:, 0])
    for end in (0, -1):
        window.stage.select((("face", int(ends[end])),))
        window.stage.fill_menus()
        hand.menu(window.stage.give_menu, session.project.regions[end].name)
        hand.wait_idle()
    assert not session.lost and "Blocked" not in hand.text("Supports")
    for _ in range(4):
        window.session.undo()
    hand.wait_idle()
    assert session.current("shape").length == pytest.approx(240), (
        "the first file's bytes are still there"
    )


def test_a_stand_from_nothing(hand: Hand) -> None:
    """Legs, rails and a plate by recipes, turned, mirrored, drilled, with parameters; held,
    loaded, combined, run."""
    from PyQt6.QtWidgets import QInputDialog

    window, session = hand.window, hand.session
    window.add_piece("folded angle")
    hand.wait_idle()
    for name, value in (("wide", "300 mm"), ("tall", "400 mm")):
        hand.patch.setattr(
            QInputDialog, "getText", staticmethod(lambda *_, name=name: (name, True))
        )
        hand.click(hand.card("Part").tools["+ parameter"])
        editor = hand.card("Part").editor
        assert editor is not None
        editor.line.setText(value)
        hand.qtbot.keyClick(editor.line, Qt.Key.Key_Return)
        hand.wait_idle()
    hand.type_value("Part", "500 mm", "tall")
    hand.choose("Part", ("pieces", 0, "copies"), "mirrored across x")
    hand.type_value("Part", "100 mm", "wide/2")
    hand.choose("Part", ("pieces", 0, "copies"), "mirrored across y")
    hand.type_value("Part", "100 mm", "wide/2")
    hand.wait_idle()
    assert session.project.pieces[0].count == 4 and "4 × folded" in hand.text("Part")
    window.add_piece("plate")
    hand.wait_idle()
    plate = session.project.pieces[1]
    corners = [["0 mm", "0 mm"], ["wide", "0 mm"], ["wide", "wide"], ["0 mm", "wide"]]
    session.set_value(
        ("pieces", 1, "recipe", "outline"), [{"x": x, "y": y} for x, y in corners], "outline"
    )
    for axis, text in enumerate(("0 mm", "0 mm", "tall + 1.5 mm")):
        session.set_value(("pieces", 1, "place", "at", axis), text, "moved")
    hand.choose("Part", ("pieces", 1, "recipe", "openings"), "a slot")
    hand.choose("Part", ("pieces", 1, "cuts"), "a hole along z")
    hand.type_value("Part", "6 mm", "20 mm")
    session.set_value(("pieces", 1, "cuts", 0, "x"), "wide/2", "hole")
    session.set_value(("pieces", 1, "cuts", 0, "y"), "wide/2", "hole")
    hand.wait_idle()
    assert "cut along z Ø 20 mm x wide/2 (150 mm) y wide/2 (150 mm)" in hand.text("Part")
    view = session.current("shape")
    feet = tuple(
        ("edge", row) for row, words in enumerate(view.edges.name) if "/start" in str(words)
    )
    window.stage.select(feet)
    window.hold_picked("fixed")
    face = next(
        row for row, words in enumerate(view.faces.name) if str(words).startswith(f"{plate.name}/")
    )
    window.stage.select((("face", face),))
    window.push_picked("normal")
    window.escape()
    window.add_load("weight", "")
    hand.click(hand.card("Loads").tools["+ case"])
    hand.wait_idle()
    hand.choose("Loads", ("cases", 1, "loads"), "without own weight")
    hand.choose("Loads", ("cases", 1, "combine"), "add case service")
    assert [part.case for part in session.project.cases[1].combine] == ["service"]
    session.set_value(("cases", 1, "combine", 0, "factor"), "0.5", "half")
    session.set_value(("mesh", "size"), "20 mm", "coarse")
    hand.wait_idle()
    assert "unknowns, half to twice as many: about " in hand.text("Mesh")
    hand.run()
    one, two = (report.facts for report in session.report.cases)
    assert one.strength is not None and two.strength is not None
    assert abs(two.strength.applied[0, 2] / one.strength.applied[0, 2]) == pytest.approx(1.5)
    assert len(one.modes.positive) and len(two.modes.positive)
    assert window.stage.quality.isHidden()
    hand.click(window.stage.chips["Mesh"])
    assert window.stage.quality.isVisible() and "1 is ideal" in window.stage.quality.words()


def test_a_joint_is_released_and_made_again(hand: Hand) -> None:
    """Solid pieces in one mesh: the sentence tells what joins them, and its choice lets go of
    it."""
    hand.load(BRACKET)
    session = hand.session
    for number in range(len(session.project.pieces)):
        session.set_value(("pieces", number, "mesh_as"), "solid", "as solids")
    session.set_value(("parameters", "plate_t"), "6 mm", "thick, for few elements")
    session.set_value(("mesh", "size"), "30 mm", "coarse")
    session.set_value(("criteria", "modes"), 1, "one")
    session.set_value(("criteria", "mesh_error"), False, "one mesh")
    hand.choose("Mesh", ("mesh", "solids"), "tetrahedra everywhere")
    hand.run()
    assert len(session.report.cases[0].facts.mesh.fused) == 3
    assert re.search(r"rib and back are joined by \d+ shared nodes", hand.text("Mesh"))
    hand.choose("Mesh", ("released",), "released")
    assert session.project.released == (("rib", "back"),)
    assert "rib and back may touch but are not joined" in hand.text("Mesh")
    hand.choose("Mesh", ("released",), "joined")
    assert session.project.released == ()


@pytest.mark.full
def test_no_line_of_a_sentence_is_cut(hand: Hand) -> None:
    """Also where the scroll bar takes some of the width after the heights were asked for."""
    hand.load(DEMO)
    for name in ("Part", "Supports", "Loads", "Mesh"):
        hand.window.sheet.open_station(name)
        hand.qtbot.wait(80)
        shown = [label for label in hand.card(name).sentences if label.isVisible()]
        assert shown and all(
            label.height() >= label.heightForWidth(label.width()) for label in shown
        )


def test_a_material_is_copied_hardened_and_kept(hand: Hand, tmp_path: Path) -> None:
    from labilis.ui.sheet import card as cards

    hand.load(BRACKET)
    session = hand.session
    name = session.project.materials[0].name

    def menu() -> QMenu:
        hand.click(hand.card("Part").tools["materials"])
        hand.qtbot.wait(60)
        found = QApplication.activePopupWidget()
        assert isinstance(found, QMenu)
        return found

    opened = menu()
    hand.menu(opened, f"Copy {name}")
    opened.close()
    copied = f"{name} copy"
    assert {piece.material for piece in session.project.pieces} == {copied} and copied in hand.text(
        "Part"
    )
    taken: list[Any] = []
    hand.patch.setattr(cards, "choose", lambda _parent, span, take: taken.append((span, take)))
    card = hand.card("Part")
    label, span = next(
        (label, span)
        for label in card.sentences
        for span in label.sentence
        if span.text == "no hardening"
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    chosen, take = taken[0]
    take(dict(chosen.choices)["add a point"])
    assert session.project.materials[0].hardening == (("1 %", "258.5 MPa"),)
    assert "beyond yield 258.5 MPa at 1 % plastic strain" in hand.text("Part")
    opened = menu()
    keep = next(action.menu() for action in opened.actions() if action.menu() is not None)
    hand.menu(keep, "outside folders")
    opened.close()
    assert [item.material.name for item in session.own_grades] == [copied]
    hand.answer_open(tmp_path / "mine.json")
    opened = menu()
    hand.menu(opened, "Export own grades")
    opened.close()
    assert (tmp_path / "mine.json").is_file()
    label, span = next(
        (label, span)
        for label in card.sentences
        for span in label.sentence
        if span.path == ("pieces", 0, "material")
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    assert (f"{name} (library)", name) in taken[-1][0].choices


def test_a_further_file_brings_its_bodies(hand: Hand, tmp_path: Path) -> None:
    from tests.parts import bar_step, box, to_step

    session = hand.session
    (tmp_path / "bar.step").write_bytes(bar_step())
    (tmp_path / "bar.stp").write_bytes(to_step(box(50, 40, 30, (0, 100, 0))))
    assert not hand.card("Part").tools["+ file…"].isVisible()
    hand.answer_open(tmp_path / "bar.step")
    hand.click(hand.card("Part").tools["open STEP…"])
    hand.wait_idle()
    for twice in (False, True):  # the second time it is there already
        hand.answer_open(tmp_path / "bar.stp")
        hand.click(hand.card("Part").tools["+ file…"])
        hand.wait_idle()
        assert [(piece.name, piece.geometry) for piece in session.project.pieces] == [
            ("bar", "bar.step"),
            ("bar 2", "bar.stp"),
        ], twice
    assert session.current("shape").volume == pytest.approx(240 * 16 * 4 + 50 * 40 * 30)


def test_the_guide_s_assembly_from_file_to_verdict(hand: Hand) -> None:
    """What the guide says of the gauge stand, step by step."""
    hand.load(DOCS / "guide/gauge-stand.step")
    window, session = hand.window, hand.session
    assert [piece.name for piece in session.project.active_pieces] == ["foot", "post", "bracket"]
    assert any("marker: set aside" in line for line in session.journal)

    def rims(body: str) -> list[tuple[str, int]]:
        view = session.current("shape")
        return [
            ("edge", row)
            for row in range(len(view.edges))
            if str(view.edges.kind[row]) == "circle"
            and str(view.bodies[view.body_of("edge", row)]) == body
        ]

    window.stage.select(tuple(rims("foot")))
    window.stage.fill_menus()
    hand.menu(window.stage.hold_menu, "Fixed")
    hand.wait_idle()
    view = session.current("shape")
    shelf = next(
        row
        for row in range(len(view.faces))
        if str(view.bodies[view.faces.body[row]]) == "bracket"
        and abs(view.faces.direction[row][2]) > 0.9
    )
    window.stage.select((("face", shelf),))
    window.push_picked("force")
    hand.wait_idle()
    session.set_value(("loads", 0, "components"), ["0 N", "0 N", "-1 kN"], "a gauge of 100 kg")
    for post, bracket in zip(rims("post"), rims("bracket")):
        window.stage.select((post, bracket))
        window.stage.fill_menus()
        hand.menu(window.stage.join_menu, "A bolt through them")
        hand.wait_idle()
    assert [set(bolt.through) for bolt in session.project.bolts] == [
        {"post bore", "bracket bore"},
        {"post bore 2", "bracket bore 2"},
    ]
    assert {bolt.diameter for bolt in session.project.bolts} == {"8 mm"}
    session.set_value(("mesh", "within"), "6 %", "the first mesh will do here")
    hand.run()
    case = session.case_report
    assert case.verdict.meets is True and "Meets 3" in case.verdict.headline
    found = case.facts.settled
    assert found.sizes[0] == pytest.approx(5.6) and 0.02 < found.errors[0] < 0.05 and found.enough
    assert (
        "bolt 'M8" in case.facts.strength.peak and 1.4 < case.facts.strength.wall_factor < 1.75
    )  # 1.6 on the finer mesh
    assert case.facts.modes.positive[0] > 50 and any(
        "bolt M8" in rung.title for rung in rungs(case.facts, "1 kN")
    )


def test_bolts_and_a_seam_by_hand(hand: Hand, tmp_path: Path) -> None:
    """Bores of two straps picked and bolted, edges of a tab welded, the factor found, a bolt's
    grade and size changed, one removed."""
    text = (DOCS / "model-format.md").read_text(encoding="utf-8")
    model = json.loads(re.findall(r"```json\n(.*?)```", text, re.S)[3])
    (tmp_path / "lap.json").write_text(
        json.dumps({**model, "bolts": [], "seams": []}), encoding="utf-8"
    )
    hand.load(tmp_path / "lap.json")
    window, session = hand.window, hand.session
    for number in (1, 2):
        window.stage.select((edge(hand, f"low/hole.{number}"), edge(hand, f"up/hole.{number}")))
        window.stage._place_bar(300, 300)
        assert window.stage.bar_buttons["Join"].isVisible()
        window.stage.join_menu.actions()[0].trigger()
        hand.qtbot.waitUntil(
            lambda number=number: len(session.project.bolts) == number, timeout=3000
        )
        hand.wait_idle()
    first, second = session.project.bolts
    assert (
        first.diameter == "8 mm"
        and first.faces == "apart"
        and set(first.through) == {"low 1", "up 1"}
        and first.name != second.name
    )
    window.stage.select((edge(hand, "tab/side.1"), edge(hand, "tab/side.3")))
    window.stage._place_bar(300, 300)
    words = [action.text() for action in window.stage.join_menu.actions()]
    assert any("Welded to up" in word for word in words) and not any(
        "tab" in word for word in words
    )
    window.stage.join_menu.actions()[
        next(k for k, word in enumerate(words) if "Welded to up" in word)
    ].trigger()
    hand.wait_idle()
    assert session.project.seams[0].to == "up" and session.project.seams[0].along == "tab sides"
    said = hand.text("Mesh")
    assert (
        "grade 8.8" in said and "only bolted" in said and "is welded to up along its edges" in said
    )
    hand.run()
    report = session.case_report
    assert (
        report is not None
        and len(report.facts.strength.bolts) == 2
        and len(window.stage.glyphs.joints) >= 4
    )
    both = float(report.facts.modes.positive[0])
    hand.choose("Mesh", ("bolts", 0, "grade"), "grade 10.9")
    hand.wait_idle()
    assert session.project.bolts[0].grade == "10.9"
    assert (
        session.case_report.facts.modes is not None
    )  # the judge's own: nothing has to be run again
    hand.choose("Mesh", ("bolts", 0, "turning"), "held from turning by friction")
    label = next(
        label
        for label in hand.card("Mesh").sentences
        if label.accessibleName().startswith(second.name)
    )
    label.removed.emit()
    hand.wait_idle()
    assert [bolt.name for bolt in session.project.bolts] == [
        first.name
    ] and session.case_report.facts.modes is None
    hand.run()
    assert float(session.case_report.facts.modes.positive[0]) < both
    tool = hand.card("Mesh").tools["touching faces"]
    assert not tool.isHidden()
    hand.click(tool)
    hand.wait_idle(120)
    assert window.drawer.studies.buttons["contact"].isChecked()
    rows = window.drawer.studies.tables["contact"].table
    assert [rows.item(row, 0).text() for row in range(rows.rowCount())] == [
        "as it stands",
        "faces bonded",
    ]
    assert float(rows.item(1, 1).text()) > float(rows.item(0, 1).text())
    assert "hangs on the faces that touch" in window.drawer.studies.tables["contact"].note.text()
    assert any(item.name == "faces that touch" for item in session.case_report.evidence)
    hand.window.stage.select((edge(hand, "low/side.4"),))
    window.stage._place_bar(300, 300)
    assert not window.stage.bar_buttons["Join"].isVisible()


def test_a_plate_of_a_dxf_outline(hand: Hand, tmp_path: Path) -> None:
    """From a drawing to a plate with its holes; a drawing that is none is told and nothing is
    changed."""
    from PyQt6.QtWidgets import QInputDialog

    from labilis.ui.building import FROM_DXF
    from tests.shape.test_outline import AREA, drawn, stadium

    (tmp_path / "end.dxf").write_bytes(drawn(stadium))
    hand.answer_open(tmp_path / "end.dxf")
    hand.patch.setattr(QInputDialog, "getText", staticmethod(lambda *_, **__: ("4 mm", True)))
    hand.window.add_piece(FROM_DXF)
    hand.wait_idle()
    assert [piece.name for piece in hand.session.project.pieces] == ["end"]
    view = hand.session.current("shape")
    assert view.faces.area.sum() == pytest.approx(AREA, rel=1e-6)
    assert "2 openings" in hand.text("Part")
    (tmp_path / "open.dxf").write_bytes(drawn(lambda space: space.add_line((0, 0), (1, 1))))
    hand.answer_open(tmp_path / "open.dxf")
    hand.window.add_piece(FROM_DXF)
    assert len(hand.session.project.pieces) == 1 and "not closed" in hand.window.banner_text.text()
    from labilis.ui.building import STRUT_FROM_DXF
    from tests.shape.test_outline import rod

    (tmp_path / "rod.dxf").write_bytes(drawn(rod))
    hand.answer_open(tmp_path / "rod.dxf")
    hand.patch.setattr(QInputDialog, "getText", staticmethod(lambda *_, **__: ("200 mm", True)))
    hand.window.add_piece(STRUT_FROM_DXF)
    hand.wait_idle()
    assert hand.session.project.pieces[1].recipe.length == "200 mm"
    assert hand.session.current("shape").volume == pytest.approx(
        4 * AREA + 200 * 36 * np.pi, rel=1e-6
    )


def test_loads_and_cases_of_a_table(hand: Hand, tmp_path: Path) -> None:
    """From a CSV file to a case that runs, in one edit that one undo takes back; a table that is
    none changes nothing."""
    (tmp_path / "strip.json").write_text(
        json.dumps({"labilis": 2, **strip(force("-100 N"), mesh={"size": "20 mm"})})
    )
    hand.load(tmp_path / "strip.json")
    before = hand.session.project
    region = before.regions[-1].name
    (tmp_path / "loads.csv").write_text(
        f'case,on,"Fz, kN","Fx, N"\nlifting,{region},-0.02,1\ntransport,{region},,-3\n'
    )
    hand.answer_open(tmp_path / "loads.csv")
    hand.click(hand.card("Loads").tools["+ other"])
    hand.menu(hand.window.findChildren(QMenu)[-1], "of a table (CSV)")
    hand.wait_idle()
    assert [case.name for case in hand.session.project.cases] == [
        *(case.name for case in before.cases),
        "lifting",
        "transport",
    ]
    load = hand.session.project.named("loads", f"lifting, {region}")
    assert hand.session.project.numbers(load, "components") == [
        1.0,
        0.0,
        -20.0,
    ] and "lifting" in hand.text("Loads")
    hand.click(hand.window.buttons["undo"])
    assert hand.session.project == before
    (tmp_path / "loads.csv").write_text('case,on,"Fz, kN"\nlifting,nowhere,-2\n')
    hand.window.load_table()
    assert (
        hand.session.project == before
        and "no region or hub called 'nowhere'" in hand.window.banner_text.text()
    )


def test_tab_takes_a_value_and_asks_for_the_next(hand: Hand) -> None:
    """Only Tab does: what is put away with half a number in it changes nothing."""
    window, session, qtbot = hand.window, hand.session, hand.qtbot
    window.add_piece("plate")
    hand.wait_idle()
    card = hand.card("Part")
    assert card.editor.span.path == ("pieces", 0, "side", 0), "its first size is open"

    def press(text: str, key: Any, modifier: Any = Qt.KeyboardModifier.NoModifier) -> Any:
        if text:
            card.editor.line.selectAll()
            qtbot.keyClicks(card.editor.line, text)
        qtbot.keyClick(card.editor.line, key, modifier)
        hand.wait_idle()
        return None if card.editor is None else card.editor.span.path

    undone = len(session.file.history()[0])
    assert press("220 mm", Qt.Key.Key_Tab) == ("pieces", 0, "side", 1)
    assert press("", Qt.Key.Key_Tab) == ("pieces", 0, "recipe", "thickness")
    assert len(session.file.history()[0]) == undone + 1, "what is only passed is no change"
    assert press("3 N", Qt.Key.Key_Tab) == ("pieces", 0, "recipe", "thickness")
    assert card.editor.note.objectName() == "error"
    assert press("4 mm", Qt.Key.Key_Tab) != ("pieces", 0, "recipe", "thickness")
    assert press("", Qt.Key.Key_Backtab) == ("pieces", 0, "recipe", "thickness")
    assert press("", Qt.Key.Key_Backtab) == ("pieces", 0, "side", 1)
    plate = session.project.pieces[0]
    assert plate.recipe.thickness == "4 mm"
    stated = session.project
    for close in (
        lambda: qtbot.keyClick(card.editor.line, Qt.Key.Key_Escape),
        lambda: window.sheet.open_station("Loads"),
        lambda: hand.click(window.sheet.cards["Part"]),
    ):
        window.sheet.open_station("Part")
        card.type_first(lambda span: span.path == ("pieces", 0, "side", 1))
        qtbot.keyClicks(card.editor.line, "7")
        close()
        hand.wait_idle()
        assert session.project is stated


def test_undo_takes_back_a_piece_whose_size_is_open_for_typing(hand: Hand) -> None:
    """What is typed is taken back in the line; where nothing is, what was done last."""
    window, session, qtbot = hand.window, hand.session, hand.qtbot
    window.add_piece("plate")
    hand.wait_idle()
    window.add_piece("plate")
    hand.wait_idle()
    control = Qt.KeyboardModifier.ControlModifier
    line = hand.card("Part").editor.line
    assert line.hasFocus() and len(session.project.pieces) == 2
    before = line.text()
    qtbot.keyClicks(line, "7")
    qtbot.keyClick(line, Qt.Key.Key_Z, control)
    assert line.text() == before and len(session.project.pieces) == 2
    qtbot.keyClick(line, Qt.Key.Key_Z, control)
    hand.wait_idle()
    assert len(session.project.pieces) == 1
