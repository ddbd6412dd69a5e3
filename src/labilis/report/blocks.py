"""What a report is made of: paragraphs, tables and pictures."""
from __future__ import annotations

import re
from dataclasses import dataclass

from labilis.judge.spans import Sentence


@dataclass(frozen=True)
class Words:
    """A paragraph; tone as of spans; point: an item of a list."""

    text: str
    tone: str = ""
    point: bool = False


@dataclass(frozen=True)
class Table:
    """heads with units; rows of texts; words (columns that are text and stand at the left, by number); caption."""

    caption: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    words: tuple[int, ...] = (0,)


@dataclass(frozen=True)
class Figure:
    """A picture: its bytes (PNG) or its text (SVG), caption, and what it shows in words; wide: as wide as the page."""

    caption: str
    alt: str
    png: bytes = b""
    svg: str = ""
    wide: bool = True


def plain(sentence: Sentence) -> str:
    """A sentence of the sheet without what is only there to be clicked."""
    text = "".join(span.text for span in sentence if not span.act)
    text = re.sub(r"\(\s*\)", "", text)
    text = re.sub(r"[\s,;]+\.", ".", text)  # what stood between the words that are gone
    return re.sub(r"\s{2,}", " ", re.sub(r"\s+([,;:.])", r"\1", text)).strip()
