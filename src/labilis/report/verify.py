"""A report that can be checked: the statements, their files and the figures travel in it; here
they are read back and run again."""

from __future__ import annotations

import base64
import hashlib
import html
import json
import math
import re
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import labilis
from labilis.model import LabilisError, load_project
from labilis.run.plan import Plan, Snapshot
from labilis.run.report import ProjectReport, judge_project
from labilis.run.runner import Runner

CARRIED = "labilis-report.json"
_START, _END = '<script type="application/json" id="labilis-report">', "</script>"
_EXACT = 1e-6  # relative, of what has no mesh error of its own: rounding of another machine
_WRITTEN = "Use the report as it was written."
_MOST = 256 * 2**20  # bytes of what a report carries


@dataclass(frozen=True)
class Carried:
    """What a report carries: the statements in the JSON form, files by SHA-256, figures, the
    version that made it; whole: its checksum fits; printed: how often each figure stood on its
    pages when it was made; text: what stands on them now."""

    model: str
    files: dict[str, bytes]
    figures: dict[str, Any]
    printed: dict[str, int]
    version: str
    whole: bool
    text: str = ""


@dataclass(frozen=True)
class Checked:
    """One figure: where it is, what the report says and what was found now, how far they may be
    apart (relative), and whether they agree."""

    name: str
    said: float | str | None
    found: float | str | None
    within: float
    holds: bool


def figures_of_report(report: ProjectReport) -> dict[str, Any]:
    """What can be checked, by name: numbers with their mesh error, and words."""
    found: dict[str, Any] = {}
    for case in report.cases:
        name, facts = case.facts.case, case.facts
        found[f"{name}: verdict"] = case.verdict.headline
        for gate in case.verdict.gates:
            found[f"{name}: gate {gate.name}"] = "left out" if gate.left_out else gate.state
        if facts.strength is not None:
            found[f"{name}: largest motion, mm"] = [_number(facts.strength.max_displacement), 0.0]
            found[f"{name}: first yield"] = [_number(facts.strength.strength_factor), 0.0]
        if facts.modes is not None:
            for number, factor in enumerate(facts.modes.factors):
                error = (
                    float(facts.modes.mesh_error[number])
                    if len(facts.modes.mesh_error)
                    else math.nan
                )
                found[f"{name}: factor of mode {number + 1}"] = [
                    _number(float(factor)),
                    error if math.isfinite(error) else 0.0,
                ]
        if facts.trace is not None and facts.trace.done:
            found[f"{name}: verified factor"] = [_number(float(facts.trace.verified)), 0.0]
    return found


def _number(value: float) -> float | None:
    return float(value) if math.isfinite(value) else None


def printed_in(text: str, figures: dict[str, Any]) -> dict[str, int]:
    """How often each figure stands in a text, in each way that it may be written."""
    bare, found = _bare(text), {}
    for value in figures.values():
        first = value[0] if isinstance(value, list) else value
        for words in (
            [first]
            if isinstance(first, str)
            else [f"{first:.{digits}g}" for digits in (5, 4)]
            if first is not None
            else []
        ):
            if len(_bare(words)) > 3 and (count := bare.count(_bare(words))):
                found[words] = count
    return found


def _bare(text: str) -> str:
    """Without spaces and ends of lines, which pages set anew, and with entities of a page read."""
    return re.sub(r"\s+", "", html.unescape(text))


def changed_on_pages(carried: Carried) -> list[str]:
    """Figures that stand on the pages less or more often than when they were made: changed by
    hand."""
    bare = _bare(carried.text)
    return [words for words, count in carried.printed.items() if bare.count(_bare(words)) != count]


def carried_text(
    model: str,
    files: dict[str, tuple[str, bytes]],
    figures: dict[str, Any],
    printed: dict[str, int],
) -> str:
    """What travels in a report, as text with its checksum."""
    data = {
        "labilis": labilis.__version__,
        "model": json.loads(model),
        "figures": figures,
        "printed": printed,
        "files": {
            sha: {"name": name, "bytes": base64.b64encode(data).decode()}
            for sha, (name, data) in files.items()
        },
    }
    return json.dumps({**data, "checksum": _checksum(data)}, ensure_ascii=True)


def _checksum(data: dict[str, Any]) -> str:
    return hashlib.sha256(json.dumps(data, sort_keys=True, ensure_ascii=True).encode()).hexdigest()


def in_page(text: str) -> str:
    """What travels, for the inside of an HTML page."""
    return _START + text.replace("<", "\\u003c") + _END


def carried_by(path: Path) -> Carried:
    """What a report (PDF or HTML) carries. Raises LabilisError for what is none."""
    try:
        data = path.read_bytes()
    except OSError as error:
        raise LabilisError(
            f"The file cannot be read ({error.strerror}).", str(path), "Check the name.", "no-file"
        ) from error
    text, pages = _from_pdf(data, path) if data.startswith(b"%PDF") else _from_html(data, path)
    try:
        found = json.loads(text)
        checksum = found.pop("checksum")
        files = {
            str(sha): base64.b64decode(item["bytes"], validate=True)
            for sha, item in found["files"].items()
        }
        whole = checksum == _checksum(found) and all(
            hashlib.sha256(value).hexdigest() == sha for sha, value in files.items()
        )
        return Carried(
            json.dumps(found["model"]),
            files,
            dict(found["figures"]),
            {str(words): int(count) for words, count in found["printed"].items()},
            str(found["labilis"]),
            whole,
            pages,
        )
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
        raise LabilisError(
            "What the report carries is damaged.", str(path), _WRITTEN, "report-damaged"
        ) from error


def _from_pdf(data: bytes, path: Path) -> tuple[str, str]:
    import io

    from pypdf import PdfReader
    from pypdf.errors import PyPdfError

    try:
        reader = PdfReader(io.BytesIO(data))
        found = reader.attachments.get(CARRIED)
        pages = "\n".join(page.extract_text() for page in reader.pages)
    except (PyPdfError, ValueError, KeyError, TypeError, RecursionError, AttributeError) as error:
        raise LabilisError(
            "This PDF cannot be read; it is damaged.", str(path), _WRITTEN, "report-damaged"
        ) from error
    if not found or len(found[0]) > _MOST:
        raise LabilisError(
            "This PDF is no report of Labilis: it carries no statements.",
            str(path),
            "Give one that `labilis report` wrote.",
            "no-report",
        )
    return found[0].decode("utf-8", "replace"), pages


def _from_html(data: bytes, path: Path) -> tuple[str, str]:
    text = data.decode("utf-8", "replace")
    start = text.find(_START)
    end = text.find(_END, start + len(_START))
    if start < 0 or end < 0 or end - start > _MOST:
        raise LabilisError(
            "This is no report of Labilis: it carries no statements.",
            str(path),
            "Give a PDF or HTML file that `labilis report` wrote.",
            "no-report",
        )
    shown = re.sub(r"<(script|style)\b.*?</\1>|<[^>]+>", " ", text[:start] + text[end:], flags=re.S)
    return text[start + len(_START) : end].replace("\\u003c", "<"), shown


def verified(carried: Carried, model: str | None = None) -> tuple[list[Checked], str]:
    """(every figure beside what a run of the carried statements finds now, what the statements of
    the report differ in from those of `model`, '' where they do not). Raises LabilisError for
    statements that cannot be run."""
    project = load_project(carried.model)
    trace = any(name.endswith(": verified factor") for name in carried.figures)
    results = Runner().run(Snapshot(project, carried.files), Plan("trace" if trace else "modes"))
    now = figures_of_report(judge_project(project, results))
    rows = [
        _compared(name, carried.figures.get(name), now.get(name))
        for name in dict.fromkeys([*carried.figures, *now])
    ]
    return rows, "" if model is None else _differences(project, model)


@dataclass(frozen=True)
class Checking:
    """What came of checking a report: whether all of it holds; rows: its figures beside what is
    found now; differs: in which statements another model differs, '' without; changed: figures that
    were changed by hand on its pages."""

    carried: Carried
    rows: tuple[Checked, ...]
    differs: str
    changed: tuple[str, ...]

    @property
    def holds(self) -> bool:
        """Nothing was changed and every figure is found again."""
        return (
            self.carried.whole
            and not self.changed
            and not self.differs
            and all(row.holds for row in self.rows)
        )

    def lines(self) -> list[str]:
        """Everything in words, what does not hold marked by ✗."""
        found = (
            []
            if self.carried.whole
            else [
                "✗ What the report carries was changed after it was made: its checksum does not "
                "fit."
            ]
        )
        found += [
            f"✗ '{words}' stands on the pages in another number of places than when the report was "
            "made: changed by hand."
            for words in self.changed
        ]
        found += [f"✗ The statements differ: {self.differs}."] if self.differs else []
        found += [
            f"{'✓' if row.holds else '✗'} {row.name}: {_words(row.said)} in the report, "
            f"{_words(row.found)} now"
            for row in self.rows
        ]
        return [*found, "The report holds." if self.holds else "The report does not hold."]


def check_report(path: Path, model: str | None = None) -> Checking:
    """Runs what a report carries again. Raises LabilisError for what is no report, or cannot be
    run."""
    carried = carried_by(path)
    rows, differs = verified(carried, model)
    return Checking(carried, tuple(rows), differs, tuple(changed_on_pages(carried)))


def _words(value: float | str | None) -> str:
    return "–" if value is None else f"{value:.5g}" if isinstance(value, float) else str(value)


def _compared(name: str, said: Any, found: Any) -> Checked:
    if isinstance(said, list) and isinstance(found, list) and len(said) == 2:
        one, two = said[0], found[0]
        try:
            within = max(abs(float(found[1])), _EXACT)
            same = one is two or (
                one is not None
                and two is not None
                and abs(float(one) - float(two)) <= within * abs(float(two))
            )
        except (TypeError, ValueError):
            within, same = _EXACT, False
        return Checked(name, one, two, within, same)
    texts = [item[0] if isinstance(item, list) and item else item for item in (said, found)]
    return Checked(name, texts[0], texts[1], 0.0, said == found and said is not None)


def _differences(project: Any, model: str) -> str:
    from labilis.edit.variants import differences

    changed = differences(project, load_project(model))
    return "; ".join(
        f"{where}: {here or '–'} in the report, {there or '–'} now"
        for where, here, there in changed
    )
