"""Paper and ink: the roles of colours and the style sheet made of them."""

from __future__ import annotations

from dataclasses import dataclass, fields
from pathlib import Path

_ICONS = (Path(__file__).parent / "icons").as_posix()


@dataclass
class Palette:
    """Colours by role, as #rrggbb. One palette is in use; `take` makes it another one before
    anything is drawn with it."""

    ground: str = "#F4F1EA"
    card: str = "#FFFFFF"
    ink: str = "#20262B"
    quiet: str = "#5F666D"
    line: str = "#D9D4C8"
    accent: str = "#0E6B66"
    accent_pale: str = "#E3EEEC"
    good: str = "#0E6B66"
    bad: str = "#B53A18"
    bad_pale: str = "#F9E7E0"
    caution: str = "#8A5800"
    steel: str = "#B9BFBD"
    cut: str = "#DCD0B4"
    mesh: str = "#DDE0DB"
    hover: str = "#8FBAB5"
    down: str = "down.svg"  # the arrow of boxes, drawn in the ink

    def tone(self, tone: str) -> str:
        """Colour of a sentence's tone."""
        return {
            "good": self.good,
            "bad": self.bad,
            "caution": self.caution,
            "quiet": self.quiet,
        }.get(tone, self.ink)

    def take(self, other: Palette) -> None:
        """Have the colours of another palette."""
        for field in fields(self):
            setattr(self, field.name, getattr(other, field.name))


LIGHT = Palette()
DARK = Palette(
    ground="#1B2023",
    card="#242A2E",
    ink="#E7E3DA",
    quiet="#A3ABB0",
    line="#434C52",
    accent="#66C2B7",
    accent_pale="#21403E",
    good="#66C2B7",
    bad="#F28B6B",
    bad_pale="#45271F",
    caution="#DDAA4C",
    steel="#8C9694",
    cut="#6E6650",
    mesh="#6F7977",
    hover="#3F7F79",
    down="down-dark.svg",
)
PAPER = Palette()  # the one in use


def style_sheet(p: Palette) -> str:
    """Qt style sheet of the whole window."""
    return f"""
* {{ font-size: 13px; color: {p.ink}; }}
QMainWindow, QWidget#ground {{ background: {p.ground}; }}
QWidget#bar {{ background: {p.card}; border-bottom: 1px solid {p.line}; }}
QWidget#side {{ background: {p.card}; border-left: 1px solid {p.line}; }}
QWidget#drawer {{ background: {p.card}; border-top: 1px solid {p.line}; }}
QFrame#card {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 5px; }}
QFrame#card[open="true"] {{ border: 1.5px solid {p.accent}; }}
QFrame#float {{ background: {p.card}; border: 1px solid {p.quiet}; border-radius: 5px; }}
QLabel#title {{ font-weight: 600; font-size: 14px; }}
QLabel#name {{ font-weight: 600; font-size: 15px; }}
QLabel#note {{ color: {p.quiet}; font-size: 11px; }}
QLabel#error {{ color: {p.bad}; font-size: 12px; }}
QLabel#verdict {{ font-weight: 700; font-size: 16px; }}
QPushButton, QToolButton {{ background: {p.ground}; border: 1px solid {p.line}; border-radius: 5px; padding: 4px 10px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {p.accent}; }}
QPushButton:focus, QToolButton:focus, QLineEdit:focus, QComboBox:focus {{ border: 2px solid {p.accent}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {p.quiet}; }}
QPushButton:checked, QToolButton:checked {{ background: {p.accent}; color: {p.card}; border-color: {p.accent}; }}
QPushButton#run {{ background: {p.accent}; color: {p.card}; font-weight: 600; border-color: {p.accent}; padding: 5px 14px; }}
QPushButton#run:disabled {{ background: {p.accent_pale}; color: {p.accent}; border-color: {p.accent_pale}; }}
QPushButton#run[busy="true"] {{ background: {p.card}; color: {p.bad}; border-color: {p.bad}; }}
QPushButton#tool {{ color: {p.accent}; border-radius: 11px; padding: 3px 10px; }}
QPushButton#offer {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 6px; text-align: left; }}
QPushButton#offer:hover, QPushButton#offer:focus {{ border-color: {p.accent}; }}
QPushButton#chip {{ background: {p.card}; border-radius: 11px; padding: 3px 12px; }}
QPushButton#chip:checked {{ background: {p.accent}; color: {p.card}; }}
QPushButton#tab {{ background: transparent; border: none; border-bottom: 2px solid transparent; border-radius: 0; color: {p.quiet};
  padding: 5px 6px; }}
QPushButton#tab:checked {{ color: {p.accent}; border-bottom: 2px solid {p.accent}; font-weight: 600; background: transparent; }}
QPushButton#tab:focus {{ border-bottom: 2px solid {p.ink}; }}
QLineEdit, QComboBox, QSpinBox {{ background: {p.card}; border: 1px solid {p.line}; border-radius: 4px; padding: 3px 6px;
  selection-background-color: {p.accent}; }}
QLineEdit#range {{ background: transparent; border: none; border-bottom: 1px dotted {p.quiet};
    border-radius: 0; padding: 0 1px; color: {p.quiet}; }}
QLineEdit[wrong="true"] {{ border: 2px solid {p.bad}; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url({_ICONS}/{p.down}); width: 12px; height: 12px; }}
QComboBox QAbstractItemView {{ background: {p.card}; selection-background-color: {p.accent_pale}; selection-color: {p.ink}; }}
QMenu {{ background: {p.card}; border: 1px solid {p.quiet}; padding: 4px; }}
QMenu::item {{ padding: 5px 22px 5px 12px; border-radius: 4px; }}
QMenu::item:selected {{ background: {p.accent_pale}; }}
QMenu::item:disabled {{ color: {p.quiet}; }}
QTableWidget {{ background: {p.card}; border: none; gridline-color: {p.card}; selection-background-color: {p.accent_pale};
  selection-color: {p.ink}; }}
QTableWidget#modes::item {{ padding: 0 12px 0 4px; }}
QHeaderView::section {{ background: {p.card}; color: {p.quiet}; border: none; border-bottom: 1px solid {p.line};
  padding: 3px 6px; font-size: 11px; }}
QListWidget, QPlainTextEdit {{ background: {p.card}; border: none; }}
QListWidget::item {{ padding: 4px 6px; }}
QListWidget::item:selected {{ background: {p.accent_pale}; color: {p.ink}; }}
QScrollArea {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 9px; margin: 0; }}
QScrollBar::handle:vertical {{ background: {p.line}; border-radius: 4px; min-height: 30px; }}
QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
QSlider::groove:horizontal {{ height: 3px; background: {p.line}; border-radius: 1px; }}
QSlider::handle:horizontal {{ background: {p.accent}; width: 12px; height: 12px; margin: -5px 0; border-radius: 6px; }}
QProgressBar {{ background: {p.line}; border: none; border-radius: 2px; max-height: 4px; }}
QProgressBar::chunk {{ background: {p.accent}; border-radius: 2px; }}
QToolTip {{ background: {p.card}; color: {p.ink}; border: 1px solid {p.quiet}; padding: 4px; }}
"""  # noqa: E501
