"""Pictures and films of what the stage shows, with a line of words under them so that nobody
mistakes what they see."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QImage, QPainter

from labilis.model import LabilisError
from labilis.ui.theme import PAPER

_FRAMES, _PER_SECOND = 48, 24
_STRIP = 44  # pixels for the words
KINDS = {".png": "picture", ".gif": "film", ".webp": "film", ".mp4": "film"}


def with_words(picture: np.ndarray, words: tuple[str, str]) -> np.ndarray:
    """A picture (h, w, 3) with two lines of words under it; even in both sizes, as films want
    it."""
    height, width = picture.shape[0] // 2 * 2, picture.shape[1] // 2 * 2
    image = QImage(width, height + _STRIP, QImage.Format.Format_RGB888)
    image.fill(QColor(PAPER.card))
    painter = QPainter(image)
    inner = np.ascontiguousarray(picture[:height, :width])
    held = inner.tobytes()  # named: an image does not keep its bytes alive
    painter.drawImage(0, 0, QImage(held, width, height, 3 * width, QImage.Format.Format_RGB888))
    for number, line in enumerate(words):
        font = painter.font()
        font.setPixelSize(13 if number == 0 else 11)
        font.setBold(number == 0)
        painter.setFont(font)
        painter.setPen(QColor(PAPER.ink if number == 0 else PAPER.quiet))
        painter.drawText(
            QRectF(12, height + 4 + 19 * number, width - 24, 18),
            Qt.AlignmentFlag.AlignVCenter,
            line,
        )
    painter.end()
    data = image.constBits()
    assert data is not None
    data.setsize(image.sizeInBytes())
    rows = np.frombuffer(data, dtype=np.uint8)  # type: ignore[call-overload]
    rows = rows.reshape(height + _STRIP, image.bytesPerLine())[:, : 3 * width]
    return np.array(rows.reshape(height + _STRIP, width, 3))


def save(
    path: Path, frame: Callable[[float], np.ndarray], words: tuple[str, str], phase: float
) -> None:
    """A picture at a phase, or a film of one swing; by the ending of the name.

    Raises LabilisError for an ending that is none of ours, and when the file cannot be written.
    """
    import imageio.v3 as imageio

    ending = path.suffix.lower()
    if ending not in KINDS:
        raise LabilisError(
            f"'{path.suffix}' is no kind of picture or film that can be written.",
            str(path),
            "End the name in .png, .gif, .webp or .mp4.",
            "film-kind",
        )
    try:
        if KINDS[ending] == "picture":
            imageio.imwrite(path, with_words(frame(phase), words))
            return
        frames = np.stack([with_words(frame(k / _FRAMES), words) for k in range(_FRAMES)])
        if ending in (".gif", ".webp"):
            imageio.imwrite(path, frames, duration=1000 // _PER_SECOND, loop=0)
        else:
            imageio.imwrite(path, frames, fps=_PER_SECOND, codec="libx264", macro_block_size=2)
    except OSError as error:
        what = error.strerror or str(error)
        raise LabilisError(
            f"The film cannot be written ({what}).", str(path), "Choose another place.", "disk"
        ) from error
