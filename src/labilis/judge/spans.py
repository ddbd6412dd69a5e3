"""Pieces of a sentence whose values can be edited."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from labilis.model import shown

Path = tuple[str | int, ...]


@dataclass(frozen=True)
class Span:
    """A run of text. With a `path` it is a value that can be edited: kind of quantity (or 'text',
    'count'), or one of `choices` as (shown, value). `strong` marks names, `tone` is '' or good,
    bad, caution, quiet. `act`: only there to be clicked, no part of what is said. `subject`: (list
    of the project, name) that the sentence is about. `blocked`: it says that what the sentence is
    about cannot be used. `detail`: its sentence says more about what the one before it is about,
    and may be folded away.
    `figures`: (as it stands in the text, with all of its digits) of each number in it that was
        found."""

    text: str
    path: Path | None = None
    kind: str = ""
    choices: tuple[tuple[str, Any], ...] = ()
    strong: bool = False
    tone: str = ""
    act: bool = False
    subject: tuple[str, str] | None = None
    blocked: bool = False
    detail: bool = False
    figures: tuple[tuple[str, str], ...] = ()


Sentence = tuple[Span, ...]


class Figures:
    """Writes found numbers into a text and remembers all of their digits."""

    def __init__(self) -> None:
        self._said: list[tuple[str, str]] = []

    def of(self, kernel: float, kind: str, digits: int = 4, sign: str = "") -> str:
        """'1.23 mm' of a kernel number."""
        words = shown.text(kernel, kind, digits, sign)
        if math.isfinite(kernel):
            self._said.append(
                (words, f"{shown.value(float(kernel), kind)!r} {shown.unit(kind)}".strip())
            )
        return words

    def plain(self, value: float, form: str = ".4g", after: str = "") -> str:
        """'3.021' of a plain number, or with something `after` it, such as ' %'."""
        words = f"{value:{form}}{after}"
        if math.isfinite(value):
            self._said.append((words, f"{float(value)!r}{after}"))
        return words

    def span(self, text: str, tone: str = "") -> Span:
        """The text with what was written into it since the last one."""
        said, self._said = tuple(self._said), []
        return Span(text, tone=tone, figures=said)


def name_span(name: str, path: Path) -> Span:
    """The name of the item at a path, which the sentence is about and which can be changed."""
    return Span(name, (*path, "name"), "text", strong=True, subject=(str(path[0]), name))


def subject_of(sentence: Sentence) -> tuple[str, str] | None:
    """(list of the project, name) that a sentence is about, None where it is about nothing that
    could be taken away."""
    return next((span.subject for span in sentence if span.subject is not None), None)


def value_span(text: str, path: Path, kind: str) -> Span:
    """A quantity that can be edited."""
    return Span(text, path, kind)


def blocked_span(region: str, lost: str) -> Span:
    """Behind what stands on a region that lost faces."""
    return Span(
        f" Blocked: {region} lost {lost}. Pick it again on the stage.", tone="bad", blocked=True
    )


def component_spans(texts: tuple[str, ...], path: tuple[str | int, ...], kind: str) -> list[Span]:
    """'x 1 kN, y 0 N, z 0 N', each number to be edited."""
    spans = []
    for axis, text in enumerate(texts):
        spans += [
            Span(f"{'xyz'[axis]} "),
            value_span(text, (*path, axis), kind),
            Span(", " if axis < 2 else ""),
        ]
    return spans
