"""What keeps a trace from being verified any further is the same on the ladder, in the sentence
and for the gate."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any, get_args

import pytest

from labilis.judge import ladder
from labilis.results.findings import TraceFindings, Verified

NAN = float("nan")
ENDS: dict[str, dict[str, float]] = {
    "limit": {"limit": 1.4},
    "line yield": {"elastic_yield": 1.4, "limit": 1.6},
    "first yield": {"first_yield": 1.4, "limit": 1.6},
    "bifurcation": {"bifurcation": 1.4},
    "end": {},
}


class Traced(SimpleNamespace):
    """A trace of which its ends are told."""

    verified_by = TraceFindings.verified_by
    end_words = TraceFindings.end_words


@pytest.mark.parametrize("end", get_args(Verified))
def test_every_end_has_its_words(end: str) -> None:
    known = {"limit": NAN, "elastic_yield": NAN, "first_yield": NAN, "bifurcation": NAN}
    trace = Traced(
        done=True,
        verified=1.4,
        loss_words="",
        amplitude=0.1,
        mode=1,
        reason="it was asked to",
        **{**known, **ENDS[end]},
    )
    assert trace.verified_by == end
    facts: Any = SimpleNamespace(
        required=3.0, strength=None, euler=None, hand=None, modes=None, trace=trace, members=None
    )
    (rung,) = ladder._verified(facts)
    assert rung.meets
    words = {
        "limit": "limit",
        "line yield": "what a line carries elastically, on the trace",
        "first yield": "first yield on the trace",
        "bifurcation": "a bifurcation on the trace",
        "end": "not yet at its limit",
    }
    assert rung.note == f"{words[end]}, traced"
