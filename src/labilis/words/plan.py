"""Sentences of the station Improve: trial plans and the designs that are kept."""

from __future__ import annotations

from typing import Any

from labilis.edit.choices import offered
from labilis.judge.spans import Path, Sentence, Span, name_span, value_span
from labilis.model import (
    MODE_KINDS,
    RESPONSE_KINDS,
    RESPONSES,
    Limit,
    Project,
    TrialPlan,
    Vary,
    is_choice,
    named,
    shown,
)

_HOW = (
    ("every value with every other", "grid"),
    ("the first values together, then the second", "list"),
    ("points spread evenly through the ranges", "latin hypercube"),
    ("the value that reaches a goal", "goal"),
    ("a search for the best", "search"),
    ("each alone, a little down and up", "one by one"),
)
_FIRST_LIMITS = {
    "first factor": ("at_least", "3"),
    "first yield": ("at_least", "1"),
    "capacity": ("at_least", "1"),
    "mass": ("at_most", "1 kg"),
    "largest motion": ("at_most", "1 mm"),
    "largest stress": ("at_most", "100 MPa"),
    "verified factor": ("at_least", "1.5"),
}


def _first_limit(response: str) -> dict[str, str]:
    """What a new limit on a response says until something else is typed."""
    end, text = _FIRST_LIMITS[response]
    return {end: shown.typed(text, RESPONSE_KINDS[response][0])}


def around(name: str, text: str) -> dict[str, str]:
    """A range from half of a parameter's present value to half as much again."""
    return {"parameter": name, "low": f"0.5 * ({text})", "high": f"1.5 * ({text})"}


def count_of(plan: TrialPlan) -> int:
    """How many trials a plan has at most."""
    if plan.how in ("latin hypercube", "goal", "search"):
        return plan.points
    counts = [len(vary.texts()) for vary in plan.vary]
    if plan.how == "list":
        return counts[0]
    if plan.how == "one by one":
        return 1 + 2 * len(counts)
    total = 1
    for count in counts:
        total *= count
    return total


def improve_sentences(project: Project) -> list[Sentence]:
    """One sentence per plan, then one about the designs."""
    if not project.parameters and not offered(project):
        return [
            (
                Span(
                    "Nothing can be varied yet: name a parameter at Part and use it in a size.",
                    tone="quiet",
                ),
            ),
            *_designs(project),
        ]
    if not project.plans:
        nothing = "No trial plan yet. A plan tries values of parameters against what is asked for."
        return [(Span(nothing, tone="quiet"),), *_designs(project)]
    return [plan_sentence(project, index) for index in range(len(project.plans))] + _designs(
        project
    )


def plan_sentence(project: Project, index: int) -> Sentence:
    """The plan of a number in words."""
    path, plan = ("plans", index), project.plans[index]
    spans = [name_span(plan.name, path), Span(": try ")]
    spans += _varied(project, path, plan)
    spans += [
        Span("; "),
        Span({value: words for words, value in _HOW}[plan.how], path, choices=_ways(plan)),
    ]
    if plan.how in ("latin hypercube", "goal", "search"):
        spans += [
            Span(", at most " if plan.how in ("goal", "search") else ", "),
            value_span(str(plan.points), (*path, "points"), "count"),
            Span(" trials"),
        ]
    else:
        spans.append(Span(f", {count_of(plan)} trials"))
    spans.append(Span(". "))
    spans += _asked(project, path, plan)
    return (*spans, *_objective(project, path, plan))


def _varied(project: Project, path: Path, plan: TrialPlan) -> list[Span]:
    """Parameters that are tried, and what could be tried as well."""
    spans: list[Span] = []
    for number, vary in enumerate(plan.vary):
        spans += [Span(" and " if number else ""), *_vary(project, path, plan, number, vary)]
    taken = {vary.parameter for vary in plan.vary}
    free: list[tuple[str, dict[str, Any]]] = [
        (name, around(name, text)) for name, text in project.parameters.items() if name not in taken
    ]
    if plan.how not in ("latin hypercube", "goal", "one by one"):  # which go through ranges
        free += [
            (vary.words, vary.model_dump())
            for vary in offered(project)
            if vary.parameter not in taken
        ]
    if free:
        shown = [vary.model_dump() for vary in plan.vary]
        spans += [
            Span(" "),
            Span(
                "+ parameter",
                (*path, "vary"),
                choices=tuple((words, [*shown, vary]) for words, vary in free),
                act=True,
            ),
        ]
    return spans


def _asked(project: Project, path: Path, plan: TrialPlan) -> list[Span]:
    """Limits, and one more."""
    spans: list[Span] = []
    if plan.limits:
        spans.append(Span("Asked for: "))
    for number, limit in enumerate(plan.limits):
        spans += [Span(", " if number else ""), *_limit(project, path, plan, number, limit)]
    stated = [limit.model_dump() for limit in plan.limits]
    spans += [
        Span(" "),
        Span(
            "+ limit",
            (*path, "limits"),
            choices=tuple(
                (
                    f"{name} {'at least' if 'at_least' in ends else 'at most'} …",
                    [*stated, {"response": name, **ends}],
                )
                for name, ends in ((name, _first_limit(name)) for name in _FIRST_LIMITS)
            ),
            act=True,
        ),
        Span(". "),
    ]
    return spans


def _objective(project: Project, path: Path, plan: TrialPlan) -> list[Span]:
    """What is to be reached, told or made best."""
    spans: list[Span] = []
    objective = Span(
        plan.objective_words,
        path,
        choices=tuple(
            (named(*one), {**plan.model_dump(), "objective": one[0], "of": one[1]})
            for one in _responses(project)
        ),
    )
    if plan.how == "goal":
        spans += [
            Span("The "),
            objective,
            Span(" is to reach "),
            value_span(plan.goal or "needed", (*path, "goal"), RESPONSE_KINDS[plan.objective][0]),
            Span("."),
        ]
    elif plan.how == "one by one":
        spans += [Span("What each changes of the "), objective, Span(".")]
    else:
        spans += [
            Span("Best: the "),
            Span(
                plan.best, (*path, "best"), choices=(("greatest", "greatest"), ("least", "least"))
            ),
            Span(" "),
            objective,
            Span("."),
        ]
    return spans


def _ways(plan: TrialPlan) -> tuple[tuple[str, dict[str, Any]], ...]:
    """The plan in each way that it can be tried: listed values have no ends to spread points
    between, and a goal needs a value."""
    ranges = not any(vary.values for vary in plan.vary)
    fit = {
        "latin hypercube": ranges,
        "goal": ranges and len(plan.vary) == 1,
        "list": len({len(vary.texts()) for vary in plan.vary}) == 1,
        "one by one": ranges,
    }
    goal = plan.goal if plan.goal is not None else next(iter(_first_limit(plan.objective).values()))
    return tuple(
        (words, {**plan.model_dump(), "how": how, "goal": goal if how == "goal" else plan.goal})
        for words, how in _HOW
        if fit.get(how, True)
    )


def _responses(project: Project) -> list[tuple[str, str]]:
    """All that can be asked for: (response, of)."""
    owners = [
        *(piece.name for piece in project.active_pieces if len(project.active_pieces) > 1),
        *MODE_KINDS,
    ]
    return [*((name, "") for name in RESPONSES), *(("first factor", owner) for owner in owners)]


def _vary(
    project: Project, path: tuple[str | int, ...], plan: TrialPlan, number: int, vary: Vary
) -> list[Span]:
    here = (*path, "vary", number)
    shown = [item.model_dump() for item in plan.vary]
    others = {item.parameter for item in plan.vary if item is not vary}
    swaps: list[tuple[str, Any]] = []
    if not is_choice(vary.parameter):
        swaps = [
            (name, [*shown[:number], {**shown[number], "parameter": name}, *shown[number + 1 :]])
            for name in project.parameters
            if name not in others
        ]
    if len(plan.vary) > 1:
        swaps.append(("leave it out", [*shown[:number], *shown[number + 1 :]]))
    spans = [Span(vary.words, (*path, "vary"), choices=tuple(swaps), strong=True)]
    if vary.values:
        spans.append(Span(" at "))
        kind = "text" if is_choice(vary.parameter) else "any"
        for row, text in enumerate(vary.values):
            spans += [Span(", " if row else ""), value_span(text, (*here, "values", row), kind)]
        return spans
    spans += [
        Span(" from "),
        value_span(str(vary.low), (*here, "low"), "any"),
        Span(" to "),
        value_span(str(vary.high), (*here, "high"), "any"),
    ]
    if plan.how in ("grid", "list"):
        spans += [Span(" in "), value_span(str(vary.count), (*here, "count"), "count")]
    return spans


def _limit(
    project: Project, path: tuple[str | int, ...], plan: TrialPlan, number: int, limit: Limit
) -> list[Span]:
    stated = [item.model_dump() for item in plan.limits]
    without = [*stated[:number], *stated[number + 1 :]]
    kind = RESPONSE_KINDS[limit.response][0]
    swaps: list[tuple[str, Any]] = [("drop this limit", without)]
    if limit.response == "first factor":
        swaps += [
            (
                named("first factor", of),
                [*stated[:number], {**stated[number], "of": of}, *stated[number + 1 :]],
            )
            for response, of in _responses(project)
            if response == "first factor" and of != limit.of
        ]
    spans = [Span(limit.words, (*path, "limits"), choices=tuple(swaps))]
    for field, words in (("at_least", " at least "), ("at_most", " at most ")):
        if (text := getattr(limit, field)) is not None:
            spans += [Span(words), value_span(text, (*path, "limits", number, field), kind)]
    return spans


def _designs(project: Project) -> list[Sentence]:
    if not project.variants:
        return []
    others = ", ".join(variant.name for variant in project.variants)
    return [
        (
            Span("Designs: "),
            Span(project.design, ("design",), "text", strong=True),
            Span(f" (shown), {others}."),
        )
    ]
