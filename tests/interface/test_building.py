"""Pieces from recipes, shells and the trace, by the real controls."""
from typing import Any

import numpy as np
import pytest
from PyQt6.QtWidgets import QApplication, QMenu

from tests.interface.conftest import DEMO, Hand

STAND = DEMO.parents[1] / "cabinet-stand/cabinet-stand.json"
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
    return "edge", next(row for row, words in enumerate(view.edges.name) if name in str(words).split("|"))


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
    label = next(label for label in card.sentences if label.accessibleName().startswith("2 × side-rail"))
    label.removed.emit()
    hand.wait_idle()
    assert "side-rail" not in hand.text("Part")
    window.session.undo()
    assert "side-rail" in hand.text("Part")
    window.add_load("weight", "")
    assert session.project.loads[-1].kind == "weight"


def test_a_grade_from_the_library(hand: Hand) -> None:
    from labilis.ui.sheet import card as cards

    hand.load(STAND)
    taken: list[Any] = []
    hand.patch.setattr(cards, "choose", lambda _parent, span, take: taken.append((span, take)))
    card = hand.card("Part")
    label, span = next((label, span) for label in card.sentences for span in label.sentence if span.path == ("pieces", 0, "material"))
    label.linkActivated.emit(str(label.sentence.index(span)))
    shown, take = taken[0]
    assert ("aluminium EN AW-6082 T6 (library)", "aluminium EN AW-6082 T6") in shown.choices
    take("aluminium EN AW-6082 T6")
    hand.wait_idle()
    project = hand.session.project
    assert project.pieces[0].material == "aluminium EN AW-6082 T6"
    assert {item.name for item in project.materials} == {"aluminium EN AW-6082 T6", "structural steel S235"}
    assert "70 GPa" in hand.text("Part")


def test_convergence_study_fills_the_drawer(hand: Hand) -> None:
    window = hand.window
    hand.load(BRACKET)
    hand.click(hand.card("Mesh").tools["converge"])
    assert window.drawer.tabs["Studies"].isChecked()
    hand.wait_idle()
    table = window.drawer.studies.convergence.table
    assert table.rowCount() == 4
    assert [table.item(row, 0).text() for row in range(4)] == ["7.94 mm", "6.3 mm", "5 mm", "3.97 mm"]
    found = hand.session.current("converge")
    assert found.done and window.drawer.studies.convergence.note.text().startswith(("The meshes", "They go to"))


def test_every_recipe_on_offer_makes_a_shape(hand: Hand) -> None:
    from labilis.ui.building import RECIPES

    for key in RECIPES:
        hand.window.add_piece(key)
        hand.wait_idle()
    assert len(hand.session.project.pieces) == len(RECIPES)
    hand.qtbot.waitUntil(lambda: hand.session.current("shape") is not None, timeout=30000)
    hand.wait_idle()
    assert len(hand.session.current("shape").bodies) == len(RECIPES)


def test_a_failing_mode_is_labelled_under_the_bar(hand: Hand) -> None:
    from labilis.ui.ladder.layout import spread_about

    centres = spread_about([40.0, 48.0, 50.0, 52.0, 54.0], [20.0] * 5, 0.0, 400.0, 2, 45.0)
    assert max(centres[:2]) <= 45.0 < min(centres[2:])


def test_trace_curve_says_what_to_do_and_draws(hand: Hand) -> None:
    from labilis.ui.drawer.curve import ticks

    assert ticks(3.6) == [0.0, 1.0, 2.0, 3.0]
    assert ticks(0.0) == [0.0]
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
