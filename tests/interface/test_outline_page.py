"""An outline edited in plan, with the mouse and the keyboard, in the real window."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtWidgets import QLineEdit

from labilis.edit.outlines import outline_of
from labilis.ui.outline.plan_view import Part
from tests.interface.conftest import Hand

BRACKET = Path(__file__).parents[2] / "src/labilis/demos/sensor-bracket/sensor-bracket.json"


def whole(point: QPointF) -> QPoint:
    return QPoint(round(point.x()), round(point.y()))


def corner_pixel(hand: Hand, number: int, kind: str = "corners") -> QPoint:
    view = hand.window.outline.view
    x, y = getattr(view.drawn, kind)[number]
    return whole(view.at(float(x), float(y)))


def drag(hand: Hand, start: QPoint, end: QPoint) -> None:
    view = hand.window.outline.view
    hand.qtbot.mousePress(view, Qt.MouseButton.LeftButton, pos=start)
    for step in (0.3, 0.7, 1.0):
        hand.qtbot.mouseMove(view, start + (end - start) * step)
        hand.qtbot.wait(5)
    hand.qtbot.mouseRelease(view, Qt.MouseButton.LeftButton, pos=end)
    hand.qtbot.wait(20)


def type_in(hand: Hand, field: str, text: str) -> QLineEdit:
    line = hand.window.outline.lines[field]
    line.setFocus()
    line.selectAll()
    hand.qtbot.keyClicks(line, text)
    hand.qtbot.keyClick(line, Qt.Key.Key_Return)
    hand.qtbot.wait(20)
    return line


def stated(hand: Hand, piece: str = "plate") -> Any:
    found = outline_of(hand.session.project.named("pieces", piece))
    assert found is not None
    return found


@pytest.fixture
def page(hand: Hand) -> Any:
    hand.load(BRACKET)
    card = hand.card("Part")
    label, span = next(
        (label, span)
        for label in card.sentences
        for span in label.sentence
        if span.kind == "outline" and "1 opening" in span.text
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    hand.qtbot.wait(50)
    page = hand.window.outline
    assert page.isVisible() and not hand.window.stage.isVisible()
    return page


def test_a_corner_is_dragged_to_a_round_number_and_undone(hand: Hand, page: Any) -> None:
    before = stated(hand)
    start = corner_pixel(hand, 3)
    drag(hand, start, start + QPoint(-41, -28))
    corner = stated(hand).corners[3]
    assert corner.x.endswith(" mm") and float(corner.x.split()[0]) % 1 == 0
    assert float(corner.x.split()[0]) < -5 and float(corner.y.split()[0]) > 62
    assert [c.x for c in stated(hand).corners[:3]] == [c.x for c in before.corners[:3]]
    assert hand.session.last_edit == "plate, corner 4 moved"
    assert page.view.selected == Part("corner", 3)
    hand.session.undo()
    assert stated(hand) == before
    assert page.view.drawn.corners[3] == pytest.approx([0, 60])


def test_an_expression_is_not_dragged_and_says_where_to_change_it(hand: Hand, page: Any) -> None:
    before = stated(hand)
    assert before.corners[2].x == "arm"
    start = corner_pixel(hand, 2)
    drag(hand, start, start + QPoint(30, 0))
    assert stated(hand) == before and "'arm'" in page.said.text()
    drag(hand, start, start + QPoint(0, -30))  # straight up leaves x alone
    assert stated(hand).corners[2].x == "arm"
    assert float(stated(hand).corners[2].y.split()[0]) > 62
    type_in(hand, "x", "arm + 5 mm")
    assert stated(hand).corners[2].x == "arm + 5 mm"
    assert page.view.drawn.corners[2][0] == pytest.approx(225)


@pytest.mark.full
def test_what_cannot_be_made_is_not_kept(hand: Hand, page: Any) -> None:
    before = stated(hand)
    start = corner_pixel(hand, 0, "centres")
    drag(hand, start, start + QPoint(400, 0))
    assert stated(hand) == before
    assert (
        "expression" in page.said.text()
        or "Not kept" in page.said.text()
        or ("does not move" in page.said.text())
    )
    assert corner_pixel(hand, 0, "centres") == start  # nothing has moved under the pointer
    hand.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=start)
    for field, text, why in (
        ("x", "500 mm", "reaches outside"),
        ("diameter", "3 kg", "is a mass"),
        ("diameter", "nonsense", "nonsense"),
    ):
        line = type_in(hand, field, text)
        assert stated(hand) == before and why in page.said.text(), text
        assert line.property("wrong") == "true" and line.text() == text
    type_in(hand, "diameter", "20 mm")
    assert stated(hand).openings[0].diameter == "20 mm"


def test_a_dimension_is_typed_where_it_stands(hand: Hand, page: Any) -> None:
    """A click on what is written at a side or a hole, and its value is there to be typed over; what
    lies under the words stays where it is."""
    before = stated(hand)
    page.view.repaint()
    for part, field, text in (
        (Part("opening", 0), "diameter", "13 mm"),
        (Part("side", 1), "side", "57 mm"),
    ):
        box = next(box for box, of in page.view._dimensions if of == part)
        hand.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=box.center().toPoint())
        line = page.lines[field]
        assert page.view.selected == part and line.hasFocus()
        assert line.selectedText() == line.text() != ""
        hand.qtbot.keyClicks(line, text)
        hand.qtbot.keyClick(line, Qt.Key.Key_Return)
        hand.qtbot.wait(30)
        page.view.repaint()
    after = stated(hand)
    assert after.openings[0].diameter == "13 mm" != before.openings[0].diameter
    assert after.corners[2].y == "57 mm" != before.corners[2].y
    assert (after.openings[0].x, after.openings[0].y) == (
        before.openings[0].x,
        before.openings[0].y,
    )


def test_a_corner_in_a_side_a_slot_and_both_gone_again(hand: Hand, page: Any) -> None:
    """The region on the hole, the supports and the load stay where they are."""
    regions = hand.session.project.regions
    before = stated(hand)
    a, b = corner_pixel(hand, 0), corner_pixel(hand, 1)
    hand.qtbot.mouseDClick(page.view, Qt.MouseButton.LeftButton, pos=(a + b) / 2)
    hand.qtbot.wait(30)
    assert len(stated(hand).corners) == 5 and page.view.selected == Part("corner", 1)
    hand.qtbot.keyClick(page.view, Qt.Key.Key_Down)
    hand.qtbot.wait(30)
    assert float(stated(hand).corners[1].y.split()[0]) < 0
    hand.click(page.buttons["+ slot"])
    assert stated(hand).openings[1].length is not None
    assert page.view.selected == Part("opening", 1) and "length" in page.lines
    type_in(hand, "angle", "30 deg")
    type_in(hand, "length", "12 mm")
    assert stated(hand).openings[1].angle == "30 deg"
    hand.wait_idle()
    assert hand.session.current("shape") is not None and not hand.session.lost
    page.view.setFocus()
    hand.qtbot.keyClick(page.view, Qt.Key.Key_Delete)
    hand.qtbot.wait(20)
    hand.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=corner_pixel(hand, 1))
    hand.qtbot.keyClick(page.view, Qt.Key.Key_Delete)
    hand.qtbot.wait(20)
    assert stated(hand) == before and hand.session.project.regions == regions


def test_a_hole_that_a_load_stands_on_is_not_taken_away(hand: Hand, page: Any) -> None:
    named = [name for region in hand.session.project.regions for name in region.names]
    assert any(name.startswith("plate/hole") for name in named)
    hand.qtbot.mouseClick(
        page.view, Qt.MouseButton.LeftButton, pos=corner_pixel(hand, 0, "centres")
    )
    hand.qtbot.keyClick(page.view, Qt.Key.Key_Delete)
    hand.qtbot.wait(20)
    assert len(stated(hand).openings) == 1 and "would be gone" in page.said.text()


def test_both_halves_move_alike(hand: Hand, page: Any) -> None:
    hand.window.edit_outline("back")
    hand.qtbot.wait(30)
    back = stated(hand, "back")
    page.mirror.setChecked(True)
    start = corner_pixel(hand, 3)
    drag(hand, start, start + QPoint(26, -22))
    corners, reach = page.view.drawn.corners, page.view.drawn
    assert stated(hand, "back") != back
    left, right = corners[3], corners[2]
    middle = (corners[0][0] + corners[1][0]) / 2
    assert left[0] + right[0] == pytest.approx(2 * middle) and left[1] == pytest.approx(right[1])
    assert reach.extents[1][1] > 0


def test_a_length_is_typed_at_a_side_and_a_fold_gets_a_lip(hand: Hand, page: Any) -> None:
    hand.window.add_piece("folded angle")
    hand.wait_idle()
    name = hand.session.project.pieces[-1].name
    hand.window.edit_outline(name)
    hand.qtbot.wait(30)
    assert not page.buttons["+ hole"].isVisible()
    a, b = corner_pixel(hand, 1), corner_pixel(hand, 2)
    hand.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=(a + b) / 2)
    type_in(hand, "side", "55 mm")
    assert stated(hand, name).corners[2].y == "55 mm"
    hand.click(page.buttons["+ corner"])
    hand.qtbot.wait(20)
    assert len(stated(hand, name).corners) == 4
    type_in(hand, "x", "12 mm")
    hand.wait_idle()
    view = hand.session.current("shape")
    assert view is not None and sum(str(n).startswith(f"{name}/bend") for n in view.faces.name) == 2
    for end in (3, 0):  # a lip at either end
        hand.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=corner_pixel(hand, end))
        hand.click(page.buttons["+ corner"])
        hand.qtbot.wait(20)
    hand.wait_idle()
    view = hand.session.current("shape")
    assert len(stated(hand, name).corners) == 6 and page.view.selected == Part("corner", 0)
    assert sum(str(n).startswith(f"{name}/bend") for n in view.faces.name) == 4


@pytest.mark.full
def test_a_drawn_section_from_nothing_to_its_strut_as_a_line(hand: Hand) -> None:
    """From an empty window: the section is drawn, the strut is a line, hinged at one end."""
    window, page = hand.window, hand.window.outline
    window.add_piece("strut, drawn section")
    hand.wait_idle()
    name = hand.session.project.pieces[0].name
    window.edit_first_outline()
    hand.qtbot.wait(50)
    hand.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=corner_pixel(hand, 2))
    type_in(hand, "x", "28 mm")
    type_in(hand, "radius", "4 mm")
    hand.click(page.buttons["+ hole"])
    type_in(hand, "diameter", "6 mm")
    hand.click(page.buttons["done"])
    assert window.stage.isVisible() and not page.isVisible()
    hand.wait_idle()
    assert not page.buttons["arcs and openings"].isVisible()
    section = hand.session.project.pieces[0].recipe.section
    assert section.outline[2].x == "28 mm" and section.openings[0].diameter == "6 mm"
    view = hand.session.current("shape")
    # trapezoid less the rounding of one corner and the hole
    corner = math.atan2(20, 12)
    cut = 4**2 * (math.tan(corner / 2) - corner / 2)
    area = 20 * (40 + 28) / 2 - cut - math.pi * 9
    assert view.volume == pytest.approx(500 * area, rel=1e-6)
    hand.choose("Part", ("pieces", 0, "mesh_as"), "line")
    hand.wait_idle()
    assert (hand.session.current("shape").edges.kind == "point").sum() == 2 and name == "strut"


def test_a_polygon_gets_arcs(hand: Hand) -> None:
    from labilis.model import load_project
    from tests.edit.test_outlines import RECIPES, STEEL

    hand.session.new(
        load_project(
            {
                "materials": [STEEL.model_dump()],
                "parameters": {"arm": "220 mm"},
                "pieces": [{"name": "p", "recipe": RECIPES["polygon"], "material": "steel"}],
            }
        ),
        {},
        "a polygon",
    )
    page = hand.window.outline
    hand.window.edit_outline("p")
    hand.qtbot.wait(30)
    assert page.buttons["arcs and openings"].isVisible() and "radius" not in page.lines
    hand.click(page.buttons["arcs and openings"])
    hand.qtbot.mouseClick(page.view, Qt.MouseButton.LeftButton, pos=corner_pixel(hand, 1))
    type_in(hand, "radius", "9 mm")
    assert stated(hand, "p").corners[1].radius == "9 mm" and stated(hand, "p").corners[1].x == "arm"


def test_the_page_goes_with_its_piece_and_by_escape(hand: Hand, page: Any) -> None:
    hand.key(Qt.Key.Key_Escape)
    assert not page.isVisible() and hand.window.stage.isVisible()
    hand.window.find_box.setFocus()
    hand.qtbot.keyClicks(hand.window.find_box, "edit an outline")
    hand.qtbot.keyClick(hand.window.find_box, Qt.Key.Key_Return)
    assert page.isVisible()
    hand.load(Path(__file__).parents[2] / "src/labilis/demos/panel-prop/panel-prop.json")
    assert not page.isVisible() and hand.window.stage.isVisible()
    hand.window.edit_first_outline()
    assert not page.isVisible() and "No piece has an outline" in hand.window.banner_text.text()


def test_an_outline_can_be_asked_for_before_the_stage_is_up(
    hand: Hand, monkeypatch: pytest.MonkeyPatch
) -> None:
    hand.load(BRACKET)
    with monkeypatch.context() as early:
        early.setattr(hand.window.stage, "plotter", None)
        hand.window.edit_first_outline()
    assert hand.window.outline.isVisible() and hand.window.outline.piece is not None
    hand.window.leave_outline()
