"""Colours, type and icons."""

from labilis.ui.theme.icons import icon
from labilis.ui.theme.palette import DARK, LIGHT, PAPER, Palette, style_sheet

__all__ = ["DARK", "LIGHT", "PAPER", "Palette", "icon", "style_sheet"]
