"""What VTK writes on the stage, in letters like the window's: DejaVu Sans is what a bare desktop
has, and comes with matplotlib."""

from __future__ import annotations

from pathlib import Path

from matplotlib import get_data_path
from vtkmodules.vtkRenderingCore import vtkTextProperty

_FROM_FILE = 4  # VTK_FONT_FILE, which Python is not given
_FONT = Path(get_data_path()) / "fonts/ttf/DejaVuSans-Bold.ttf"


def rgb(colour: str) -> tuple[float, float, float]:
    """Parts from 0 to 1 of '#rrggbb'."""
    return tuple(int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))  # type: ignore[return-value]


def letter(style: vtkTextProperty, size: int, colour: str) -> None:
    """Write in this size and colour."""
    style.SetFontFamily(_FROM_FILE)
    style.SetFontFile(str(_FONT))
    style.SetFontSize(size)
    style.SetColor(*rgb(colour))
