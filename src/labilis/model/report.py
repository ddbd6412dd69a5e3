"""What is stated of the report: who, for whom, which number, and what goes into it."""

from __future__ import annotations

from typing import Literal, get_args

from pydantic import Field, field_validator

from labilis.model.statements import Statement, StoredFile

SectionKey = Literal[
    "verdict",
    "part",
    "supports",
    "loads",
    "mesh",
    "strength",
    "screening",
    "modes",
    "hand checks",
    "trace",
    "studies",
    "improve",
    "evidence",
    "limits",
]
SECTION_KEYS: tuple[SectionKey, ...] = get_args(SectionKey)


class Picture(StoredFile):
    """A picture of the engineer's own (PNG) at the end of a section."""

    caption: str = Field(min_length=1, description="what it shows")
    section: SectionKey = "part"


class ReportPlan(Statement):
    """The head of the report and what stands in it. Nothing here changes a number."""

    title: str = Field(
        default="", description="what stands at the top; the project's name when none is given"
    )
    number: str = Field(default="", description="of the document")
    revision: str = ""
    date: str = Field(
        default="", description="as it is to stand there; the day it is made when none is given"
    )
    author: str = ""
    prepared_for: str = ""
    status: Literal["draft", "checked", "approved"] = "draft"
    checked_by: str = ""
    approved_by: str = ""
    paper: Literal["A4", "Letter"] = "A4"
    form: Literal["long", "short"] = Field(
        default="long", description="short: verdict, statements and modes on about two pages"
    )
    left_out: tuple[SectionKey, ...] = Field(
        default=(), description="sections that do not go into it"
    )
    notes: dict[SectionKey, str] = Field(
        default={}, description="words of the engineer at the head of a section"
    )

    logo: StoredFile | None = Field(
        default=None, description="picture (PNG) at the head of the first page"
    )
    pictures: tuple[Picture, ...] = Field(
        default=(), max_length=60, description="the engineer's own pictures"
    )

    @field_validator("notes")
    @classmethod
    def _said(cls, stated: dict[SectionKey, str]) -> dict[SectionKey, str]:
        return {key: text.strip() for key, text in stated.items() if text.strip()}
