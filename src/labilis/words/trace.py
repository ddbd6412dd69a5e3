"""Sentences of the Trace station."""

from __future__ import annotations

import math

from labilis.judge.evidence.base import CaseFacts
from labilis.judge.imperfections import recommended
from labilis.judge.spans import Figures, Sentence, Span, value_span
from labilis.model import Project, shown
from labilis.model.project import TracePlan
from labilis.results.findings import TraceFindings
from labilis.results.trace_ends import what_to_try
from labilis.results.weaker_side import weaker_side

_SIDES = {"weaker": "the weaker side", "+": "its own side", "-": "the other side"}
_SIDE_CHOICES = tuple((words, sign) for sign, words in _SIDES.items())
_SEED_CHOICES = _SIDE_CHOICES[1:]  # further modes keep to the side they are given


def _start(project: Project, facts: CaseFacts | None) -> list[Span]:
    """The starting shape: a mode with its amplitude, others mixed in."""
    plan = project.trace
    modes = facts.modes if facts is not None else None
    count = len(modes.factors) if modes is not None else 0
    shapes = tuple(
        (f"the shape of mode {number}", number) for number in range(1, max(count, plan.mode) + 1)
    )
    spans = [
        Span("Start from "),
        Span(
            f"the shape of mode {plan.mode}" if plan.mode else "the part as drawn",
            ("trace", "mode"),
            choices=(*shapes, ("the part as drawn", 0)),
        ),
    ]
    if not plan.mode:
        return spans
    spans += [
        Span(", "),
        value_span(
            plan.amplitude or "a thousandth of the moving length", ("trace", "amplitude"), "length"
        ),
        Span(" out, to "),
        Span(_SIDES[plan.sign], ("trace", "sign"), choices=_SIDE_CHOICES),
    ]
    for number, seed in enumerate(plan.seeds):
        path = ("trace", "seeds", number)
        which = tuple((f"mode {k}", k) for k in range(1, max(count, seed.mode) + 1))
        spans += [
            Span(", with "),
            Span(f"mode {seed.mode}", (*path, "mode"), choices=which),
            Span(" "),
            value_span(seed.amplitude, (*path, "amplitude"), "length"),
            Span(" to "),
            Span(_SIDES[seed.sign], (*path, "sign"), choices=_SEED_CHOICES),
        ]
    spans += _mix_spans(plan, count)
    rows = recommended(facts, plan.mode - 1) if facts is not None else []
    if rows:
        choices = (("a thousandth of the moving length", None), *rows)
        spans += [
            Span(" ("),
            Span("recommended amplitudes", ("trace", "amplitude"), choices=choices, act=True),
            Span(")"),
        ]
    return spans


def _mix_spans(plan: TracePlan, count: int) -> list[Span]:
    """Further modes that can be mixed in, of `count` that were found."""
    spans: list[Span] = []
    stated = [seed.model_dump() for seed in plan.seeds]
    more = [
        (
            f"mix in mode {k}",
            [*stated, {"mode": k, "amplitude": plan.amplitude or shown.typed("0.1 mm", "length")}],
        )
        for k in range(1, count + 1)
        if k != plan.mode
    ]
    more += [("leave the last one out", stated[:-1])] if stated else []
    if more:
        spans += [
            Span(" ("),
            Span("mix", ("trace", "seeds"), choices=tuple(more), act=True),
            Span(")"),
        ]
    return spans


def _material_sentence(project: Project, plan: TracePlan) -> Sentence:
    """Whether the material yields, and the strain up to which it is followed."""
    material = [
        Span("The material "),
        Span(
            {"yielding": "yields", "elastic": "stays elastic"}[plan.material],
            ("trace", "material"),
            choices=(
                ("yields where it has a yield strength", "yielding"),
                ("stays elastic", "elastic"),
            ),
        ),
    ]
    if plan.material == "yielding":
        material += [
            Span(", up to "),
            value_span(plan.plastic_strain, ("trace", "plastic_strain"), "number"),
            Span(" of plastic strain"),
        ]
        if plan.residual != "none" or any(
            piece.line_shape == "I" for piece in project.active_pieces
        ):
            material += [
                Span(", "),
                Span(
                    {
                        "none": "free of residual stress",
                        "rolled": "with residual stresses of rolled I sections",
                    }[plan.residual],
                    ("trace", "residual"),
                    choices=(
                        ("free of residual stress: the bow stands for it", "none"),
                        ("with residual stresses of rolled I sections (ECCS 1984)", "rolled"),
                    ),
                ),
            ]
    else:
        material += [
            Span(", up to "),
            value_span(plan.strain, ("trace", "strain"), "number"),
            Span(" of strain"),
        ]
    return (*material, Span("."))


def _plan_sentences(project: Project, facts: CaseFacts | None) -> list[Sentence]:
    """Starting shape, material, steps, and where it ends."""
    plan = project.trace
    found: list[Sentence] = [(*_start(project, facts), Span("."))]
    found.append(
        (
            Span("At most "),
            value_span(str(plan.steps), ("trace", "steps"), "count"),
            Span(" steps, up to factor "),
            value_span(plan.target or "1.5 × the first mode's", ("trace", "target"), "number"),
            Span(" or a motion of "),
            value_span(
                plan.deflection or "a twentieth of the part's size",
                ("trace", "deflection"),
                "length",
            ),
            Span("."),
        )
    )
    found.append(_material_sentence(project, plan))
    if plan.material == "yielding" and any(p.mesh_as == "line" for p in project.active_pieces):
        found.append(
            (
                Span(
                    "Lines yield over their sections, those with slim walls stay elastic: nothing "
                    "is verified beyond their first yield.",
                    tone="quiet",
                ),
            )
        )
    found.append(
        (
            Span("Behind its limit it is followed down by "),
            value_span(plan.fall, ("trace", "fall"), "number"),
            Span("."),
        )
    )
    steps = [
        Span("Steps: the first "),
        value_span(
            plan.first or "a tenth of the first mode's factor", ("trace", "first"), "number"
        ),
        Span(", the longest "),
        value_span(plan.longest or "twice that", ("trace", "longest"), "number"),
        Span(", the shortest "),
        value_span(plan.shortest or "a 500th of the first", ("trace", "shortest"), "number"),
        Span(", at most "),
        value_span(str(plan.iterations), ("trace", "iterations"), "count"),
        Span(" iterations."),
    ]
    found.append(tuple(steps))
    found.append(
        (
            Span("Modes about a loaded state, at factor: "),
            value_span(plan.modes_at or "none", ("trace", "modes_at"), "number"),
            Span("."),
        )
    )
    return found


def _outcome_sentences(
    project: Project, facts: CaseFacts | None, trace: TraceFindings
) -> list[Sentence]:
    """What a trace that came to its end found; first how far it is verified."""
    said = Figures()
    loss = f", {trace.loss_words}" if trace.loss_words else ""
    tone = "good" if trace.verified >= 1 else "bad"
    found: list[Sentence] = [
        (
            said.span(
                f"Verified to {said.plain(trace.verified)} × the load, {trace.end_words}{loss}.",
                tone,
            ),
        ),
    ]
    if math.isfinite(trace.about_at):
        found.append((said.span(_about_words(trace, said)),))
    if math.isfinite(trace.bifurcation):
        found.append(
            (
                said.span(
                    f"At {said.plain(trace.bifurcation)} × the load another path branches off, and "
                    "the one that was followed "
                    "is not stable from there on. Mix that mode into the starting shape.",
                    "caution",
                ),
            )
        )
    taken = f"{len(trace.factors) - 1} steps, {trace.cut_backs} cut back"
    if trace.yielding and math.isfinite(trace.first_yield):
        found.append(
            (
                said.span(
                    f"First yield at {said.plain(trace.first_yield)}; at the end "
                    f"{said.plain(100 * float(trace.plastic[-1]), '.2g', ' %')} of plastic strain."
                ),
            )
        )
    side = f", to its {'own' if trace.amplitude > 0 else 'other'} side" if trace.amplitude else ""
    found.append(
        (
            said.span(
                "Imperfection "
                f"{said.of(abs(trace.amplitude), 'length', 3)}{side}{_why(project, facts)}; "
                f"{taken}; it ended "
                f"because {trace.reason}. {what_to_try(trace.reason)}".strip(),
                "quiet",
            ),
        )
    )
    return found


def trace_sentences(project: Project, facts: CaseFacts | None) -> list[Sentence]:
    """Starting shape, where it ends, and what was found."""
    found = _plan_sentences(project, facts)
    trace = facts.trace if facts is not None else None
    if trace is None:
        return [
            *found,
            (
                Span(
                    "Not traced. The first mode's factor is of an ideal part; this finds what the "
                    "real one carries.",
                    tone="quiet",
                ),
            ),
        ]
    said = Figures()
    if not trace.done:
        return [
            *found,
            (
                said.span(
                    f"Traced so far: {len(trace.factors) - 1} steps, factor "
                    f"{said.plain(float(trace.factors[-1]))}.",
                    "quiet",
                ),
            ),
        ]
    head, *rest = _outcome_sentences(project, facts, trace)
    return [head, *found, *rest]


def _why(project: Project, facts: CaseFacts | None) -> str:
    """Why the trace went to the side it went to."""
    if (
        facts is None
        or facts.trace is None
        or facts.modes is None
        or project.trace.sign != "weaker"
    ):
        return ""
    mode, amplitude = facts.trace.mode, abs(facts.trace.amplitude)
    if not 0 < mode <= len(facts.modes.pull):
        return ""
    pull, skew = float(facts.modes.pull[mode - 1]), float(facts.modes.skew[mode - 1])
    return f" ({weaker_side(amplitude, pull, skew)[1]})"


def _about_words(trace: TraceFindings, said: Figures) -> str:
    """The factor from a loaded state, as the total with both parts named."""
    if len(trace.about) == 0:
        return (
            f"About the state at {said.plain(trace.about_at)} × the load no instability lies ahead."
        )
    more = trace.about[0] - trace.about_at
    return (
        f"About the loaded state at {said.plain(trace.about_at)} × the load: unstable at "
        f"{said.plain(float(trace.about[0]))} × in "
        f"all, {trace.about_at:.4g} that stands and {said.plain(float(more))} more."
    )
