"""A factor found beside held loads counts the growing part only."""

import math

from labilis.judge.evidence.base import CaseFacts, Evidence
from labilis.judge.figures import force_text

_SHARE = 0.05  # of the stated loads: less is hardly worth the difference


def held_part(facts: CaseFacts) -> Evidence | None:
    """States the total at instability when part of the load is held."""
    strength, modes = facts.strength, facts.modes
    if strength is None or modes is None or len(modes.positive) == 0:
        return None
    kinds = {load.name: load.growth for load in facts.project.loads}
    held = [name for name in strength.loads if kinds.get(str(name)) == "held"]
    if not held:
        return None
    first = float(modes.positive[0])
    grown, kept = first * strength.applied[0, :3], strength.applied[1, :3]
    size = float(((grown + kept) ** 2).sum() ** 0.5)
    total = f", {force_text(size)} in all with what is held" if size > 0 else ""
    sizes = float(strength.load_sizes.sum())
    share = sum(
        float(amount) for name, amount in zip(strength.loads, strength.load_sizes) if name in held
    ) / max(sizes, 1e-300)
    return Evidence(
        "held part",
        f"{first:.4g}",
        "on the growing part",
        "caution" if share > _SHARE else "good",
        f"{', '.join(repr(str(name)) for name in held)} {'is' if len(held) == 1 else 'are'} held: "
        f"the factor {first:.4g} "
        f"multiplies the growing loads only{total}. It is no factor on the whole load.",
        "loads",
    )


def together(facts: CaseFacts) -> Evidence | None:
    """What all loads, those that are held as well, could grow to: less than is required of the
    growing ones."""
    modes = facts.modes
    if modes is None or math.isnan(modes.together) or len(modes.positive) == 0:
        return None
    number, required = modes.together, facts.required
    if (
        number >= required or float(modes.positive[0]) < required
    ):  # under it the modes themselves say so
        return Evidence(
            "all loads together",
            f"{number:.4g}",
            "factor of all loads",
            "good",
            f"Were the held loads to grow as well, all together would reach {number:.4g}.",
            "loads",
        )
    return Evidence(
        "all loads together",
        f"{number:.4g}",
        "factor of all loads",
        "caution",
        "The factor counts the growing loads only. Were the held loads to grow as well, the part "
        "would go unstable at "
        f"{number:.4g} times all of them, under the required {required:.4g}.",
        "loads",
    )
