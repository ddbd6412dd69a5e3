"""The outline of a plate, a fold or a section, edited in plan."""

from labilis.ui.outline.page import OutlinePage

__all__ = ["OutlinePage"]
