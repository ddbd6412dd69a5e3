"""Sentences of the station Report: the head of the document, and what goes into it."""

from __future__ import annotations

from labilis.judge.spans import Sentence, Span
from labilis.model import SECTION_KEYS, Project, ReportPlan

_NONE = "none"


def _text(shown: str, field: str, empty: str) -> Span:
    return Span(shown or empty, ("report", field), "text")


def _head(project: Project) -> list[Sentence]:
    """Title and numbers, people, paper and form."""
    plan = project.report
    return [
        (
            _text(plan.title, "title", project.name),
            Span(", number "),
            _text(plan.number, "number", _NONE),
            Span(", revision "),
            _text(plan.revision, "revision", _NONE),
            Span(", "),
            Span(
                plan.status,
                ("report", "status"),
                choices=tuple((word, word) for word in ("draft", "checked", "approved")),
            ),
            Span("."),
        ),
        (
            Span("For "),
            _text(plan.prepared_for, "prepared_for", "nobody named"),
            Span(", by "),
            _text(plan.author, "author", "nobody named"),
            Span("; date "),
            _text(plan.date, "date", "the day it is made"),
            Span("."),
        ),
        (
            Span("Checked by "),
            _text(plan.checked_by, "checked_by", "nobody yet"),
            Span(", approved by "),
            _text(plan.approved_by, "approved_by", "nobody yet"),
            Span("."),
        ),
        (
            Span(plan.paper, ("report", "paper"), choices=(("A4", "A4"), ("Letter", "Letter"))),
            Span(", "),
            Span(
                f"{plan.form} form",
                ("report", "form"),
                choices=(("long: everything", "long"), ("short: about two pages", "short")),
            ),
            Span("."),
        ),
    ]


def _sections(plan: ReportPlan) -> list[Sentence]:
    """Sections that go into it, and those that are left out."""
    found: list[Sentence] = []
    spans: list[Span] = [Span("Goes into it: ")]
    for number, key in enumerate(key for key in SECTION_KEYS if key not in plan.left_out):
        spans += [Span(", ")] if number else []
        spans.append(
            Span(key, ("report", "left_out"), choices=(("leave it out", [*plan.left_out, key]),))
        )
    found.append((*spans, Span(".")))
    if plan.left_out:
        spans = [Span("Left out: ")]
        for number, key in enumerate(plan.left_out):
            spans += [Span(", ")] if number else []
            spans.append(
                Span(
                    key,
                    ("report", "left_out"),
                    choices=(("take it in", [other for other in plan.left_out if other != key]),),
                )
            )
        found.append((*spans, Span(".")))
    return found


def report_sentences(project: Project) -> list[Sentence]:
    """Title and numbers, people, form, sections in and out, and the engineer's own words."""
    plan = project.report
    found = [*_head(project), *_sections(plan)]
    found += [
        (Span(f"Note at {key}: "), Span(text, ("report", "notes", key), "text"))
        for key, text in plan.notes.items()
    ]
    found += [_picture(plan, index) for index in range(len(plan.pictures))]
    if plan.logo is not None:
        found.append(
            (
                Span("Logo: "),
                Span(plan.logo.file, ("report", "logo"), choices=(("without a logo", None),)),
                Span("."),
            )
        )
    rest = [key for key in SECTION_KEYS if key not in plan.notes]
    if rest:
        found.append(
            (
                Span(
                    "+ note",
                    ("report", "notes"),
                    choices=tuple(
                        (f"at {key}", {**plan.notes, key: "Click here and write."}) for key in rest
                    ),
                    act=True,
                ),
            )
        )
    return found


def _picture(plan: ReportPlan, index: int) -> Sentence:
    """A picture with its caption, and where it stands."""
    picture = plan.pictures[index]
    stated = [item.model_dump() for item in plan.pictures]
    others = [*stated[:index], *stated[index + 1 :]]
    places = tuple(
        (f"at {key}", [*stated[:index], {**stated[index], "section": key}, *stated[index + 1 :]])
        for key in SECTION_KEYS
    )
    return (
        Span(f"Picture {index + 1}: "),
        Span(picture.caption, ("report", "pictures", index, "caption"), "text"),
        Span(", "),
        Span(
            f"at {picture.section}",
            ("report", "pictures"),
            choices=(*places, ("take it out", others)),
        ),
        Span("."),
    )
