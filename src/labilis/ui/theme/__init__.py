"""Colours, type and icons."""

from labilis.ui.theme.icons import icon
from labilis.ui.theme.palette import LIGHT, Palette, style_sheet

__all__ = ["LIGHT", "Palette", "icon", "style_sheet"]
