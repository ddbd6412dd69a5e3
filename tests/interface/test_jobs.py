"""Whole jobs done in the window only, from an empty one, with the mouse and the keyboard; how many
actions each takes is counted, a click, a choice and a typed line being one each."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QApplication, QMenu, QPushButton

from labilis.judge.bolts import bolt_checks
from tests.interface.conftest import Hand
from tests.interface.test_outline_page import corner_pixel, type_in


class Job:
    """A hand that counts what it does."""

    def __init__(self, hand: Hand) -> None:
        self.hand, self.window, self.session = hand, hand.window, hand.session
        self.actions = 0

    def click(self, widget: Any) -> None:
        self.actions += 1
        self.hand.click(widget)
        self.hand.qtbot.wait(40)

    def press(self, words: str) -> None:
        """The one visible button that says these words."""
        found = [
            button
            for button in self.window.findChildren(QPushButton)
            if button.isVisible()
            and words in (button.text(), button.accessibleName().split(":")[0])
        ]
        assert len(found) == 1, (words, [button.text() for button in found])
        self.click(found[0])

    def choose(self, menu: QMenu, *words: str) -> None:
        """Entries of a menu and of those within it, one after the other."""
        for word in words[:-1]:
            self.actions += 1
            menu = next(
                action.menu()  # type: ignore[misc]
                for action in menu.actions()
                if action.menu() is not None and word in action.text()
            )
        self.actions += 1
        found = [action for action in menu.actions() if action.text() == words[-1]]
        assert len(found) == 1, (words, [action.text() for action in menu.actions()])
        found[0].trigger()
        popup = QApplication.activePopupWidget()
        if popup is not None:
            popup.close()
        self.hand.qtbot.wait(40)
        self.hand.wait_idle()

    def tool(self, station: str, words: str) -> None:
        """A button of a station, which is opened by its key when it is not open."""
        if self.window.sheet.open_name != station:
            self.actions += 1
        self.click(self.hand.card(station).tools[words])

    def piece(self, *words: str) -> str:
        """+ piece, and what is chosen of its menu; the name of what came of it."""
        self.tool("Part", "+ piece")
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        self.choose(menu, *words)
        return self.session.project.pieces[-1].name

    def value(self, station: str, path: tuple[Any, ...], text: str) -> None:
        """The value of a sentence at a path: clicked, typed, Enter."""
        self.values(station, {path: text})

    def values(self, station: str, texts: dict[tuple[Any, ...], str]) -> None:
        """Values of sentences by their paths: the first is open already or clicked, each is typed
        and ended by Tab where the next one is near, by Enter where it is not."""
        paths = list(texts)
        for path, following in zip(paths, [*paths[1:], None]):
            if not self._tabbed(station, path):
                self._open(station, path)
            card = self.window.sheet.cards[station]
            self.actions += 1
            card.editor.line.setText("")
            self.hand.qtbot.keyClicks(card.editor.line, texts[path])
            near = following is not None and self._away(station, following) in (1, 2)
            self.hand.qtbot.keyClick(
                card.editor.line, Qt.Key.Key_Tab if near else Qt.Key.Key_Return
            )
            self.hand.qtbot.wait(30)
            self.hand.wait_idle()
            assert not self.window.banner_text.isVisible(), self.window.banner_text.text()
            assert (card.editor is not None) == near, (
                path,
                card.editor and card.editor.note.text(),
            )

    def _away(self, station: str, path: tuple[Any, ...]) -> int | None:
        """How many times Tab is pressed from the value that is open to another one."""
        card = self.window.sheet.cards[station]
        if card.editor is None or self.window.sheet.open_name != station:
            return None
        paths = [
            span.path
            for label in card.sentences
            if label.isVisible()
            for span in label.sentence
            if span.path and not span.choices and not span.act
            if span.kind not in ("outline", "motions")
        ]
        return paths.index(path) - paths.index(card.editor.span.path) if path in paths else None

    def _tabbed(self, station: str, path: tuple[Any, ...]) -> bool:
        away = self._away(station, path)
        if away not in (0, 1, 2):
            return False
        for _ in range(away):
            self.actions += 1
            line = self.window.sheet.cards[station].editor.line
            self.hand.qtbot.keyClick(line, Qt.Key.Key_Tab)
            self.hand.qtbot.wait(30)
        editor = self.window.sheet.cards[station].editor
        assert editor.span.path == path, (editor.span.path, path)
        return True

    def _open(self, station: str, path: tuple[Any, ...]) -> None:
        if self.window.sheet.open_name != station:
            self.actions += 1
        card = self.hand.card(station)
        found = [
            (label, span)
            for label in card.sentences
            for span in label.sentence
            if span.path == path
        ]
        assert found, (path, [label.accessibleName() for label in card.sentences])
        label, span = found[0]
        if not label.isVisible():  # ▸ behind the piece
            head = next(
                item
                for item in card.sentences
                if any(span.path == (*path[:2], "name") for span in item.sentence)
            )
            self.actions += 1
            head.linkActivated.emit("fold")
            label, span = next(
                (label, span)
                for label in card.sentences
                for span in label.sentence
                if span.path == path
            )
        assert label.isVisible(), f"{label.accessibleName()} is folded away"
        label.linkActivated.emit(str(label.sentence.index(span)))
        self.actions += 1

    def at(self, name: str) -> int:
        """Which piece has a name."""
        return next(k for k, piece in enumerate(self.session.project.pieces) if piece.name == name)

    def pick_option(self, station: str, path: tuple[Any, ...], words: str) -> None:
        """A choice of a sentence: clicked, and one of what it offers."""
        if self.window.sheet.open_name != station:
            self.actions += 1
        self.actions += 2
        self.hand.choose(station, path, words)
        assert not self.window.banner_text.isVisible(), self.window.banner_text.text()

    def row(self, of: str, name: str) -> int:
        """Face or edge of a name."""
        view = self.session.current("shape")
        table = {"face": view.faces, "edge": view.edges}[of]
        return next(row for row, words in enumerate(table.name) if name in str(words).split("|"))

    def click_on(self, of: str, name: str, shift: bool = False) -> None:
        """A face or an edge by the mouse, at its middle or beside it, where it is in sight; by
        its name in the command box, where it is not."""
        stage, wanted = self.window.stage, (of, self.row(of, name))
        before = stage.selection
        goal = (*before, wanted) if shift else (wanted,)
        view = self.session.current("shape")
        if of == "face":
            triangles = view.tessellation.triangles[view.tessellation.face == wanted[1]]
            corners = view.tessellation.points[triangles]
            places = corners.mean(axis=1)[
                np.argsort(
                    -np.linalg.norm(
                        np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]),
                        axis=1,
                    )
                )[:3]
            ]
        else:
            points = view.tessellation.edge(wanted[1])
            places = 0.5 * (points[:-1] + points[1:]) if len(points) > 1 else points
        modifier = Qt.KeyboardModifier.ShiftModifier if shift else Qt.KeyboardModifier.NoModifier
        for place in places[:3]:
            self.hand.click_in_view(place, modifier)
            if stage.selection == goal:
                self.actions += 1
                return
            stage.select(before)
        self.command(f"pick {name}")
        assert stage.selection, name

    def command(self, words: str) -> None:
        """Ctrl+K, typed, Enter."""
        self.actions += 2
        self.hand.key(Qt.Key.Key_K, Qt.KeyboardModifier.ControlModifier)
        self.hand.qtbot.keyClicks(self.window.find_box, words)
        self.hand.qtbot.keyClick(self.window.find_box, Qt.Key.Key_Return)
        self.hand.qtbot.wait(40)
        self.hand.wait_idle()

    def bar(self, button: str, *words: str) -> None:
        """An entry under a button of the small bar beside what is picked."""
        self.window.stage.fill_menus()
        menus = {"Put": "put_menu", "Hold": "hold_menu", "Push": "push_menu", "More": "more_menu"}
        menus |= {"Join": "join_menu", "Scribe": "scribe_menu"}
        self.actions += 1
        if not words:
            self.hand.click(self.window.stage.bar_buttons[button])
            self.hand.qtbot.wait(40)
            self.hand.wait_idle()
            return
        assert not self.window.stage.bar_buttons[button].isHidden(), button
        self.choose(getattr(self.window.stage, menus[button]), *words)

    def type_open(self, station: str, text: str) -> None:
        """Into the number that is open for typing."""
        self.actions += 1
        editor = self.window.sheet.cards[station].editor
        assert editor is not None and editor.isVisible()
        editor.line.setText("")
        self.hand.qtbot.keyClicks(editor.line, text)
        self.hand.qtbot.keyClick(editor.line, Qt.Key.Key_Return)
        self.hand.qtbot.wait(40)
        self.hand.wait_idle()
        assert self.window.sheet.cards[station].editor is None

    def run(self) -> Any:
        self.click(self.window.run_button)
        self.hand.wait_idle()
        assert self.session.case_report is not None, self.window.banner_text.text()
        return self.session.case_report


def _joined(job: Job) -> set[tuple[str, str]]:
    """Bodies that hang together."""
    mesh = job.session.current("mesh")
    names = [str(name) for name in mesh.bodies]
    return {(names[one], names[two]) for one, two, _ in np.concatenate([mesh.bonded, mesh.fused])}


def test_a_simple_strip_pushed_on_a_marked_line(hand: Hand) -> None:
    """Took about 35 actions once."""
    job = Job(hand)
    job.press("A piece from numbers…")
    job.choose(QApplication.activePopupWidget(), "plate")
    strip = job.session.project.pieces[0].name
    job.values(
        "Part",
        {
            ("pieces", 0, "side", 0): "200 mm",
            ("pieces", 0, "side", 1): "20 mm",
            ("pieces", 0, "recipe", "thickness"): "2 mm",
        },
    )
    job.click_on("face", f"{strip}/face")
    job.bar("Scribe", "Line across the middle")
    job.value("Part", ("scribes", 0, "offset"), "60 mm")
    job.click_on("edge", f"{strip}/side.4")
    job.bar("Hold", "Fixed")
    job.command("pick line")
    job.bar("Push", "Force by components")
    job.type_open("Loads", "-100, 0, 0 N")
    report = job.run()
    project = job.session.project
    assert len(project.scribes) == len(project.supports) == len(project.loads) == 1
    # pushed at 160 of its 200 mm; the rest beyond goes along
    euler = np.pi**2 * 210e3 * 20 * 2**3 / 12 / (2 * 160) ** 2 / 100
    assert report.facts.modes.positive[0] == pytest.approx(euler, rel=0.03)
    assert job.actions <= 18


def test_a_slotted_bracket_with_two_stiffeners(hand: Hand) -> None:
    job = Job(hand)
    job.press("A piece from numbers…")
    menu = QApplication.activePopupWidget()
    job.choose(menu, "plate")
    base = job.session.project.pieces[0].name
    job.values("Part", {("pieces", 0, "side", 0): "140 mm", ("pieces", 0, "side", 1): "80 mm"})
    job.pick_option("Part", ("pieces", 0, "recipe", "openings"), "a slot")
    slot = ("pieces", 0, "recipe", "openings", 0)
    job.values("Part", {(*slot, "x"): "70 mm", (*slot, "y"): "30 mm"})
    job.click_on("edge", f"{base}/side.3")
    job.bar("Put", "a plate along it")
    job.value("Part", ("pieces", 1, "side", 1), "90 mm")
    arm = job.session.project.pieces[1].name
    job.click_on("face", f"{base}/face")
    job.click_on("face", f"{arm}/face", shift=True)
    job.bar("Put", "a rib into their corner")
    job.value("Part", ("pieces", 2, "place", "at", 0), "20 mm")
    job.pick_option("Part", ("pieces", 2, "copies"), "two in a line along x")
    job.command(f"pick {base}/hole.1")
    job.bar("Hold", "Fixed")
    job.click_on("edge", f"{arm}/side.3")
    job.bar("Push", "Force by components")
    job.type_open("Loads", "0 N, 0 N, -400 N")
    job.value("Mesh", ("mesh", "size"), "6 mm")
    report = job.run()
    area = 140 * 80 - (np.pi * 25 + 20 * 10) + 140 * 90 + 2 * 48 * 54 / 2
    assert job.session.current("shape").volume == pytest.approx(3 * area, rel=1e-6)
    assert _joined(job) == {
        ("plate", "plate-2"),
        *((wall, f"rib.{k}") for wall in ("plate", "plate-2") for k in (1, 2)),
    }
    assert report.facts.modes is not None and report.verdict.factor > 3
    assert job.actions <= 36


@pytest.mark.full
def test_a_stand_of_four_tubes(hand: Hand) -> None:
    job = Job(hand)
    job.press("A piece from numbers…")
    job.choose(QApplication.activePopupWidget(), "plate")
    job.values(
        "Part",
        {
            ("pieces", 0, "side", 0): "80 mm",
            ("pieces", 0, "side", 1): "80 mm",
            ("pieces", 0, "recipe", "thickness"): "5 mm",
        },
    )
    foot = job.session.project.pieces[0].name
    job.click_on("face", f"{foot}/face")
    job.bar("Put", "a new piece", "strut of a section", "square tube")
    leg = job.session.project.pieces[1].name
    job.value("Part", ("pieces", 1, "recipe", "length"), "700 mm")
    job.pick_option("Part", ("pieces", 0, "copies"), "two by two along x and y")
    job.values(
        "Part",
        {
            ("pieces", 0, "copies", 0, "step", 0): "400 mm",
            ("pieces", 0, "copies", 1, "step", 1): "400 mm",
        },
    )
    job.pick_option("Part", ("pieces", 1, "copies"), f"as {foot} is")
    top = job.piece("plate")
    job.values(
        "Part",
        {
            ("pieces", 2, "side", 0): "480 mm",
            ("pieces", 2, "side", 1): "480 mm",
            ("pieces", 2, "place", "at", 0): "0 mm",
            ("pieces", 2, "place", "at", 2): "704 mm",
        },
    )
    job.click_on("face", f"{foot}.1/face")
    job.bar("More", f"all of {foot}/face on 4 pieces: 4 faces")
    job.bar("Hold", "Fixed")
    job.click_on("face", f"{top}/face")
    job.bar("Push", "Force square to the face")
    job.type_open("Loads", "5 kN")
    job.command(f"pick {leg}/wall")
    job.bar("Zone")
    job.values("Mesh", {("mesh", "size"): "24 mm", ("mesh", "zones", 0, "size"): "12 mm"})
    report = job.run()
    project = job.session.project
    assert len(project.supports) == 1 and len(project.loads) == 1
    feet = project.regions[0].names
    assert feet == (f"{foot}/face",)  # further copies stand as well
    assert _joined(job) == {
        *((f"{foot}.{k}", f"{leg}.{k}") for k in (1, 2, 3, 4)),
        *((f"{leg}.{k}", top) for k in (1, 2, 3, 4)),
    }
    walls = 4 * 4 * 38 * 700 * 2
    plates = 4 * 80 * 80 * 5 + 480 * 480 * 3
    assert job.session.current("shape").volume == pytest.approx(walls + plates, rel=1e-6)
    assert report.facts.modes is not None
    assert job.actions <= 46


def test_a_hinged_strut_of_a_drawn_section(hand: Hand) -> None:
    job = Job(hand)
    job.press("A piece from numbers…")
    job.choose(QApplication.activePopupWidget(), "strut of a section", "drawn section")
    label, span = next(
        (label, span)
        for label in hand.card("Part").sentences
        for span in label.sentence
        if span.kind == "outline"
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    job.actions += 1
    hand.qtbot.wait(50)
    for number, field, text in (
        (2, "x", "30 mm"),
        (3, "x", "10 mm"),
        (2, "y", "30 mm"),
        (3, "y", "30 mm"),
    ):
        view = job.window.outline.view
        hand.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=corner_pixel(hand, number))
        type_in(hand, field, text)
        job.actions += 2
    hand.qtbot.keyClick(job.window.outline, Qt.Key.Key_Escape)
    hand.wait_idle()
    job.value("Part", ("pieces", 0, "recipe", "length"), "900 mm")
    job.pick_option("Part", ("pieces", 0, "mesh_as"), "a line")
    job.click_on("edge", "strut/start")
    job.bar("Hold", "Held, free to turn")
    job.click_on("edge", "strut/end")
    job.bar("Hold", "Fixed")
    hand.wait_idle()
    label, span = next(
        (label, span)
        for label in hand.card("Supports").sentences
        for span in label.sentence
        if span.path == ("supports", 1, "held")
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    editor = hand.card("Supports").editor
    box = editor.boxes["z"]
    hand.qtbot.mouseClick(box, Qt.MouseButton.LeftButton, pos=QPoint(8, box.height() // 2))
    hand.click(editor.ok)
    job.actions += 3
    job.click_on("edge", "strut/end")
    job.bar("Push", "Force by components")
    job.type_open("Loads", "0, 0, -1 kN")
    report = job.run()
    # a trapezoid 40 and 20 mm wide, 30 mm high, about the axis along its parallel sides and across
    along = 30**3 * (40**2 + 4 * 40 * 20 + 20**2) / (36 * (40 + 20))
    across = 30 * (40 + 20) * (40**2 + 20**2) / 48
    euler = np.pi**2 * 210e3 * min(along, across) / (0.6992 * 900) ** 2 / 1000
    assert report.facts.modes.positive[0] == pytest.approx(euler, rel=0.01)
    assert job.actions <= 30


@pytest.mark.full
def test_a_joint_of_a_beam_a_gusset_and_three_double_angles(hand: Hand) -> None:
    job = Job(hand)
    job.press("A piece from numbers…")
    job.choose(QApplication.activePopupWidget(), "plate")
    job.values(
        "Part",
        {
            ("pieces", 0, "side", 0): "170 mm",
            ("pieces", 0, "side", 1): "320 mm",
            ("pieces", 0, "recipe", "thickness"): "8 mm",
        },
    )
    openings = ("pieces", 0, "recipe", "openings")
    places = [(100, 160), (140, 160), (50, 246.6), (70, 281.24), (50, 73.4), (70, 38.76)]
    for number, (x, y) in enumerate(places):
        job.pick_option("Part", openings, "a round one")
        if number == 0:
            job.value("Part", (*openings, number, "diameter"), "11 mm")
        job.value("Part", (*openings, number, "x"), f"{x}, {y} mm")
    job.pick_option("Part", ("pieces", 0, "place", "turns"), "turned 90° about y")
    job.value("Part", ("pieces", 0, "place", "at", 0), "0, -140, 0")
    gusset = job.session.project.pieces[0].name
    member = job.piece("strut of a section", "double angle")
    piece = ("pieces", job.at(member))
    job.values(
        "Part",
        {
            (*piece, "recipe", "section", "thickness"): "4 mm",
            (*piece, "recipe", "length"): "260 mm",
        },
    )
    job.pick_option("Part", (*piece, "place", "turns"), "turned 90° about x")
    job.values(
        "Part",
        {
            (*piece, "place", "turns", 0, "angle"): "120 deg",
            (*piece, "place", "at", 0): "0, -30.62, -52.32",
        },
    )
    for number, (y, z) in enumerate(((-66.6, -50), (-101.24, -70))):
        job.pick_option("Part", (*piece, "cuts"), "a hole along x")
        cut = (*piece, "cuts", number)
        job.values("Part", {(*cut, "diameter"): "11 mm", (*cut, "y"): f"{y}, {z} mm"})
    job.pick_option("Part", (*piece, "copies"), "four in a ring about x")
    job.values(
        "Part",
        {
            (*piece, "copies", 0, "count"): "3",
            (*piece, "copies", 0, "centre", 0): "0, 20, 0",
            (*piece, "copies", 0, "angle"): "120 deg",
        },
    )
    beam = job.piece("strut of a section", "I")
    piece = ("pieces", job.at(beam))
    sizes = {"width": "80 mm", "height": "100 mm", "thickness": "6 mm", "web": "4 mm"}
    for name, text in sizes.items():
        job.value("Part", (*piece, "recipe", "section", name), text)
    job.value("Part", (*piece, "recipe", "length"), "600 mm")
    job.pick_option("Part", (*piece, "place", "turns"), "turned 90° about x")
    job.value("Part", (*piece, "place", "at", 0), "0, 320, 50")
    job.command(f"pick {gusset}/hole")
    job.bar("Join", "6 bolts, each through what lies on its hole, only bolted")
    for end in ("start", "end"):
        job.command(f"pick {beam}/{end}")
        job.bar("Hold", "Fixed")
    job.command(f"pick {member}.2/end")
    job.bar("Push", "Force by components")
    job.type_open("Loads", "0, 0, 5 kN")
    job.value("Mesh", ("mesh", "size"), "12 mm")
    report = job.run()
    project = job.session.project
    assert len(project.bolts) == 6 and all(len(bolt.through) == 2 for bolt in project.bolts)
    joined = {pair for pair in _joined(job) if f"{member}." not in " ".join(pair)}
    assert joined == {(gusset, beam)}  # the members hang on their bolts
    carried = [check.shear for check in bolt_checks(report.facts) if check.name in ("M10", "M10 2")]
    # beside the line through both, so that they turn against each other a little as well
    assert 5000 <= sum(carried) < 5800
    assert report.facts.modes is not None
    assert job.actions <= 99


@pytest.mark.full
def test_a_hopper_on_angle_legs_of_two_materials(hand: Hand) -> None:
    job = Job(hand)
    job.press("A piece from numbers…")
    job.choose(QApplication.activePopupWidget(), "plate")
    label, span = next(
        (label, span)
        for label in hand.card("Part").sentences
        for span in label.sentence
        if span.kind == "outline"
    )
    label.linkActivated.emit(str(label.sentence.index(span)))
    job.actions += 1
    hand.qtbot.wait(50)
    for number, (x, y) in enumerate(((-200, 0), (200, 0), (60, 280), (-60, 280))):
        view = job.window.outline.view
        hand.qtbot.mouseClick(view, Qt.MouseButton.LeftButton, pos=corner_pixel(hand, number))
        for field, text in (("x", f"{x} mm"), ("y", f"{y} mm")):
            type_in(hand, field, text)
        job.actions += 3
    job.click(job.window.outline.buttons["done"])
    hand.wait_idle()
    wall = job.session.project.pieces[0].name
    job.value("Part", ("pieces", 0, "recipe", "thickness"), "2 mm")
    job.pick_option("Part", ("pieces", 0, "place", "turns"), "turned 90° about x")
    job.values(
        "Part",
        {
            ("pieces", 0, "place", "turns", 0, "angle"): "-60 deg",
            ("pieces", 0, "place", "at", 0): "0, -200, 600",
        },
    )
    job.pick_option("Part", ("pieces", 0, "copies"), "four in a ring about z")
    job.pick_option("Part", ("pieces", 0, "material"), "EN AW-6082")
    skirt = job.piece("plate")
    piece = ("pieces", job.at(skirt))
    job.values("Part", {(*piece, "side", 0): "400 mm", (*piece, "recipe", "thickness"): "2 mm"})
    job.pick_option("Part", (*piece, "place", "turns"), "turned 90° about x")
    job.value("Part", (*piece, "place", "at", 0), "-200, -200, 600")
    job.pick_option("Part", (*piece, "copies"), f"as {wall} is")
    leg = job.piece("strut of a section", "angle")
    piece = ("pieces", job.at(leg))
    job.values(
        "Part",
        {
            (*piece, "recipe", "section", "thickness"): "3 mm",
            (*piece, "recipe", "length"): "700 mm",
            (*piece, "place", "at", 0): "-204, -204, 0",
        },
    )
    job.pick_option("Part", (*piece, "copies"), f"as {wall} is")
    job.pick_option("Part", (*piece, "material"), "structural steel S235")
    job.command(f"pick {leg}/start")
    job.bar("Hold", "Fixed")
    job.command(f"pick {wall}/face")
    job.bar("Push", "Force by components")
    job.type_open("Loads", "0, 0, -4 kN")
    job.value("Mesh", ("mesh", "size"), "16 mm")
    report = job.run()
    names = {piece.material for piece in job.session.project.pieces}
    assert len(names) == len(job.session.project.materials) == 2
    assert report.facts.modes is not None and report.verdict.gates[0].state == "passes"
    assert job.actions <= 63
