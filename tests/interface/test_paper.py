"""Light and dark paper: every role can be read on every ground, and nothing is coloured before
the paper is chosen."""

from __future__ import annotations

import ast
import itertools
import json
from pathlib import Path

import pytest

import labilis.ui
from labilis.app import preferences
from labilis.store.state import state_folder
from labilis.ui.theme import DARK, LIGHT, Palette, style_sheet

PAPERS = pytest.mark.parametrize("paper", [LIGHT, DARK], ids=["light", "dark"])


def luminance(colour: str) -> float:
    """Relative luminance by WCAG 2.2."""
    parts = [int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5)]
    r, g, b = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in parts)
    return 0.2126 * r + 0.7152 * g + 0.0722 * b


def contrast(a: str, b: str) -> float:
    low, high = sorted((luminance(a), luminance(b)))
    return (high + 0.05) / (low + 0.05)


def test_contrast_is_as_the_recommendation_has_it() -> None:
    assert contrast("#000000", "#FFFFFF") == pytest.approx(21)
    assert contrast("#777777", "#FFFFFF") == pytest.approx(4.48, abs=0.01)


@PAPERS
def test_every_word_can_be_read(paper: Palette) -> None:
    words = ("ink", "quiet", "accent", "good", "bad", "caution")
    grounds = ("ground", "card", "accent_pale", "bad_pale")
    for word, ground in itertools.product(words, grounds):
        found = contrast(getattr(paper, word), getattr(paper, ground))
        assert found >= 4.5, (word, ground, found)
    assert contrast(paper.card, paper.accent) >= 4.5  # on the run button and the chosen chip
    assert contrast(paper.steel, paper.ground) >= 1.5  # a part stands out from the stage


@PAPERS
def test_the_style_sheet_has_the_colours_of_its_paper_only(paper: Palette) -> None:
    other = DARK if paper is LIGHT else LIGHT
    sheet = style_sheet(paper)
    assert paper.ground in sheet and paper.down in sheet
    assert not [c for c in vars(other).values() if c in sheet and c not in vars(paper).values()]


def test_no_colour_is_taken_before_the_paper_is_chosen() -> None:
    """Read when a module is imported, a colour would be that of the light paper for ever."""
    for path in Path(labilis.ui.__file__).parent.rglob("*.py"):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        inside = {
            node
            for function in ast.walk(tree)
            if isinstance(function, (ast.FunctionDef, ast.Lambda))
            for node in ast.walk(function)
        }
        early = [
            node.lineno
            for node in ast.walk(tree)
            if isinstance(node, ast.Attribute)
            and isinstance(node.value, ast.Name)
            and node.value.id == "PAPER"
            and node not in inside
        ]
        assert not early, (path.name, early)


def test_preferences_do_not_take_each_other_away() -> None:
    preferences.prefer_units("in-lbf-psi")
    preferences.prefer_paper("dark")
    preferences.keep_window_place("AdnQ")
    assert preferences.preferred_units() == "in-lbf-psi"
    assert preferences.preferred_paper() == "dark" and preferences.window_place() == "AdnQ"


@pytest.mark.parametrize(
    "text", ["", "[]", "7", "{", '{"paper": 3, "window": [], "units": {}}', '{"paper": "blue"}']
)
def test_spoilt_preferences_are_none(text: str) -> None:
    state_folder().mkdir(parents=True, exist_ok=True)
    (state_folder() / "preferences.json").write_text(text, encoding="utf-8")
    assert preferences.preferred_paper() == "as the desktop"
    assert preferences.window_place() == "" and preferences.preferred_units() == "mm-N-MPa"
    preferences.prefer_paper("light")
    assert json.loads((state_folder() / "preferences.json").read_text())["paper"] == "light"
