"""What a report is made of: paragraphs, tables and pictures."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from urllib.parse import parse_qs, quote, unquote, urlencode, urlsplit

from labilis.judge.spans import Sentence


@dataclass(frozen=True)
class Source:
    """Where in the window something comes from: section of the report, load case, number of the
    mode from 0, -1 for none."""

    section: str = ""
    case: str = ""
    mode: int = -1

    @property
    def address(self) -> str:
        """As a link of the pages that are looked at."""
        return f"labilis:{quote(self.section)}?{urlencode({'case': self.case, 'mode': self.mode})}"


def source_of(address: str) -> Source | None:
    """What a link says; None for a link that is none of ours."""
    parts = urlsplit(address)
    if parts.scheme != "labilis":
        return None
    stated = parse_qs(parts.query)
    try:
        return Source(
            unquote(parts.path), stated.get("case", [""])[0], int(stated.get("mode", ["-1"])[0])
        )
    except ValueError:
        return None


@dataclass(frozen=True)
class Words:
    """A paragraph; tone as of spans; point: an item of a list."""

    text: str
    tone: str = ""
    point: bool = False
    source: Source = Source()


@dataclass(frozen=True)
class Table:
    """heads with units; rows of texts; words (columns that are text and stand at the left, by
    number); caption; each: where each row comes from, where that differs from the table."""

    caption: str
    heads: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]
    words: tuple[int, ...] = (0,)
    source: Source = Source()
    each: tuple[Source, ...] = ()


@dataclass(frozen=True)
class Figure:
    """A picture: its bytes (PNG) or its text (SVG), caption, and what it shows in words; wide:
    as wide as the page."""

    caption: str
    alt: str
    png: bytes = b""
    svg: str = ""
    wide: bool = True
    source: Source = Source()


Block = Words | Table | Figure


def come_from(blocks: Sequence[Block], section: str, case: str = "") -> list[Block]:
    """The same, with what they do not say themselves of where they come from."""

    def told(source: Source) -> Source:
        return Source(source.section or section, source.case or case, source.mode)

    def one(block: Block) -> Block:
        if isinstance(block, Table):
            return replace(
                block, source=told(block.source), each=tuple(told(item) for item in block.each)
            )
        return replace(block, source=told(block.source))

    return [one(block) for block in blocks]


def plain(sentence: Sentence) -> str:
    """A sentence of the sheet without what is only there to be clicked."""
    text = "".join(span.text for span in sentence if not span.act)
    text = re.sub(r"\(\s*\)", "", text)
    text = re.sub(r"[\s,;]+\.", ".", text)  # what stood between the words that are gone
    return re.sub(r"\s{2,}", " ", re.sub(r"\s+([,;:.])", r"\1", text)).strip()
