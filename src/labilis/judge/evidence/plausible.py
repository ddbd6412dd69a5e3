"""The first factor against the range that members and walls allow, however they are held."""

import math

import numpy as np

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.plausible import FIRMEST, FREEST, plausible_range
from labilis.model import LabilisError

_BENT = 20.0  # times the largest compression in the middle of walls, that their faces are stressed


def _bent_across(facts: CaseFacts) -> bool:
    """Whether walls are mainly bent across their thickness, which members and walls under
    compression know nothing of."""
    peak = float(facts.members.peak.max(initial=0.0)) if facts.members is not None else 0.0
    if (
        facts.strength is None
        or facts.yield_strength is None
        or not facts.strength.strength_factor > 0
    ):
        return False
    return facts.yield_strength / facts.strength.strength_factor > _BENT * peak


_END = 0.15  # of its length from an end, within which a support holds the end


def held_along(facts: CaseFacts) -> list[str]:
    """Supports that hold a part of one piece elsewhere than at its ends, springs among them."""
    members, strength, mesh = facts.members, facts.strength, facts.mesh
    if members is None or strength is None or mesh is None or len(members.names) != 1:
        return []
    run = mesh.nodes @ members.axis[0]
    low, high = float(run.min()), float(run.max())
    # a direction and its opposite are one axis: the supports are told along that in which they lie
    # on the part
    reach = min(
        (strength.reach, -strength.reach[:, ::-1]),
        key=lambda one: float(np.maximum(low - one, one - high).max(initial=0.0)),
    )
    band = _END * (high - low)
    found = [
        str(name)
        for name, (one, two) in zip(strength.supports, reach)
        if not (two <= low + band or one >= high - band)
    ]
    return found + [spring.name for spring in facts.project.springs]


def along_its_length(facts: CaseFacts) -> Evidence | None:
    """With care where a slender member goes far later than firm ends alone would let it, since
    supports hold it along its length: sometimes meant, as braces, and often an edge or a face too
    many."""
    modes, members = facts.modes, facts.members
    strength = facts.strength
    if (
        modes is None
        or members is None
        or strength is None
        or len(modes.positive) == 0
        or len(members.names) != 1
    ):
        return None
    # a plane of symmetry, and a bed of springs with its figure, are stated for nothing else
    stated = {support.name for support in facts.project.supports if support.axes.kind == "symmetry"}
    holders = [
        name
        for name in held_along(facts)
        if name not in stated | {spring.name for spring in facts.project.springs}
    ]
    if not holders:
        return None
    try:
        allowed = plausible_range(
            facts.project, members, True, abs(float(strength.applied[0, :3] @ members.axis[0]))
        )
    except LabilisError:
        return None
    first = float(modes.positive[0])
    if (
        allowed.plate
        or not math.isfinite(allowed.ends)
        or first <= allowed.beyond[1] * allowed.ends
    ):
        return None
    who = f"'{holders[0]}'" + (f" and {len(holders) - 1} more" if len(holders) > 1 else "")
    return Evidence(
        "held along its length",
        f"{first / allowed.ends:.3g}",
        "times what firm ends allow",
        "caution",
        f"{who} {'hold' if len(holders) > 1 else 'holds'} '{members.names[0]}' along its length: "
        "its first factor of "
        f"{first:.4g} lies far over the {allowed.ends:.3g} that two firm ends alone would allow.",
        "supports",
    )


def plausible(facts: CaseFacts) -> Evidence | None:
    """Bad outside of the range, where the model is something else than it looks like."""
    modes, members = facts.modes, facts.members
    if modes is None or members is None or len(modes.positive) == 0 or len(members.names) == 0:
        return None
    try:
        allowed = plausible_range(facts.project, members, bool(held_along(facts)))
    except LabilisError:
        return None
    first = float(modes.positive[0])
    if not math.isfinite(allowed.low) and not math.isfinite(allowed.high):
        return None
    words = f"{allowed.low:.3g}" + (
        f" to {allowed.high:.3g}" if math.isfinite(allowed.high) else " or more"
    )
    if allowed.holds(first):
        inside = allowed.low <= first <= allowed.high
        least, most = allowed.beyond
        near = (
            ""
            if inside
            else f" Parts of this make were found from {least:g} times the least to {most:g} times "
            "the largest."
        )
        return Evidence(
            "plausible factor",
            f"{first:.4g}",
            f"{'in' if inside else 'near'} {words}",
            "good",
            f"Members held from K = {FREEST:g} to {FIRMEST:g} and walls from free to clamped allow "
            f"{words}.{near}",
            "modes",
        )
    if first < allowed.low and _bent_across(facts):
        return None
    if first < allowed.low:
        return Evidence(
            "plausible factor",
            f"{first:.4g}",
            f"under {allowed.low:.3g}",
            "bad",
            f"The first factor of {first:.4g} lies far under the "
            f"{allowed.low:.3g} of '{allowed.weakest}' held at one end only. Something is softer "
            "than it looks: a joint that "
            "acts as a hinge, a wall that is not joined, a thickness.",
            "mesh",
        )
    return Evidence(
        "plausible factor",
        f"{first:.4g}",
        f"over {allowed.high:.3g}",
        "bad",
        f"The first factor of {first:.4g} lies far over the "
        f"{allowed.high:.3g} of '{allowed.first_to_go}' held firmly all round. Something is "
        "stiffer than it looks: a support "
        "or a bond along its length, a mesh that is too coarse, a load that goes elsewhere.",
        "supports",
    )
