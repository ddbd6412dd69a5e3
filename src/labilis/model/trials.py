"""What is stated of a search for a better design: variants of the project, and trial plans over
its parameters."""

from __future__ import annotations

from typing import Any, Literal, get_args

from pydantic import Field, model_validator

from labilis.model.quantities import PlaceName, Quantity, ShareName
from labilis.model.statements import Statement

Response = Literal[
    "first factor",
    "first yield",
    "capacity",
    "mass",
    "largest motion",
    "largest stress",
    "verified factor",
]
RESPONSES: tuple[Response, ...] = get_args(Response)
# kind of quantity of each, and the unit and factor in which it is shown
RESPONSE_KINDS: dict[str, tuple[str, str, float]] = {
    "first factor": ("number", "", 1.0),
    "first yield": ("number", "", 1.0),
    "capacity": ("number", "", 1.0),
    "mass": ("mass", "kg", 1000.0),
    "largest motion": ("length", "mm", 1.0),
    "largest stress": ("stress", "MPa", 1.0),
    "verified factor": ("number", "", 1.0),
}
MOST_TRIALS = 2000
# kinds of modes that a first factor can be asked of, as judge/kinds.py names them
MODE_KINDS = ("member bow", "member sway", "torsion", "plate", "local wall", "stiffener")


def is_choice(name: str) -> bool:
    """Whether a plan's name stands for a place in the statements and not for a parameter, whose
    names have no stroke."""
    return "/" in name


class Vary(Statement):
    """A parameter and what it is tried at: listed values, or a range from low to high in so many
    steps. Or a choice by its place in the statements, and what is chosen there:
    'pieces/rib/set_aside' at no and yes."""

    parameter: PlaceName = Field(
        min_length=1,
        description="name of a parameter, or the place of a choice: pieces/NAME/set_aside, "
        "pieces/NAME/material, and so on, items of lists by their names",
    )
    values: tuple[str, ...] = Field(
        default=(), description="what the parameter is tried at, one after the other"
    )
    low: str | None = Field(default=None, description="least value of a range")
    high: str | None = Field(default=None, description="largest value of a range")
    count: int = Field(
        default=5, ge=2, le=200, description="values of a range, both ends among them"
    )

    @model_validator(mode="after")
    def _values_or_range(self) -> Vary:
        if bool(self.values) == (self.low is not None or self.high is not None):
            raise ValueError(
                f"plans: '{self.parameter}' is tried at listed values, or from low to high"
            )
        if (self.low is None) != (self.high is None):
            raise ValueError(f"plans: the range of '{self.parameter}' has one end only")
        if is_choice(self.parameter) and not self.values:
            raise ValueError(f"plans: '{self.parameter}' is a choice: list what it is tried at")
        return self

    def texts(self) -> tuple[str, ...]:
        """What the parameter is set to, as expressions."""
        if self.values:
            return self.values
        return tuple(self.between(step / (self.count - 1)) for step in range(self.count))

    @property
    def words(self) -> str:
        """'rib set aside' for 'pieces/rib/set_aside', the name of a parameter as it is."""
        return words_of(self.parameter)

    def between(self, share: float) -> str:
        """The expression that lies at a share of the range, 0 at its low end."""
        if share <= 0 or share >= 1:
            return str(self.low if share <= 0 else self.high)
        return f"({self.low}) + {share:.12g} * (({self.high}) - ({self.low}))"


def words_of(name: str) -> str:
    """A plan's name as it is shown."""
    if not is_choice(name):
        return name
    _, *rest = name.split("/")
    return " ".join(rest).replace("_", " ")


def named(response: str, of: str) -> str:
    """A response as it is shown: 'first factor of rib'."""
    return f"{response} of {of}" if of else response


def _only_factors(response: str, of: str) -> None:
    if of and response != "first factor":
        raise ValueError(
            f"plans: only a first factor is of a piece or of a kind of mode, no {response}"
        )


class Limit(Statement):
    """What a trial must keep to."""

    response: Response
    of: ShareName = Field(
        default="",
        description="of a first factor: the piece or the kind of mode that is meant, all without "
        "it",
    )
    at_least: Quantity | None = None
    at_most: Quantity | None = None

    @model_validator(mode="after")
    def _one_end(self) -> Limit:
        if self.at_least is None and self.at_most is None:
            raise ValueError(
                f"plans: the limit on the {self.response} has neither a least nor a largest value"
            )
        _only_factors(self.response, self.of)
        return self

    def kind_of(self, field: str, place: str | int) -> str:
        """Kind of quantity of either end."""
        return RESPONSE_KINDS[self.response][0]

    @property
    def words(self) -> str:
        """'first factor of rib'."""
        return named(self.response, self.of)


class TrialPlan(Statement):
    """Parameters, how they are tried, what is asked for and what makes a trial the best. Responses
    are the least of all load cases (of
    mass: the one; of motions and stresses: the largest)."""

    name: str = Field(min_length=1)
    vary: tuple[Vary, ...] = Field(min_length=1)
    how: Literal["grid", "list", "latin hypercube", "goal", "search", "one by one"] = Field(
        default="grid",
        description="grid: every value with every other; list: the first values together, then the "
        "second ones; latin "
        "hypercube: points spread evenly through the ranges; goal: the one value of a range at "
        "which the objective reaches `goal`; "
        "search: on to the best point within the limits; one by one: each a little smaller and "
        "larger with the others as they are",
    )
    points: int = Field(
        default=20,
        ge=2,
        le=MOST_TRIALS,
        description="of a latin hypercube; the most trials of a goal or a search",
    )
    seed: int = Field(
        default=1, ge=0, description="of a latin hypercube, and of where a search begins"
    )
    limits: tuple[Limit, ...] = ()
    objective: Response = "first factor"
    of: ShareName = Field(
        default="",
        description="of an objective that is a first factor: the piece or the kind of mode that is "
        "meant",
    )
    best: Literal["greatest", "least"] = "greatest"
    goal: Quantity | None = Field(default=None, description="what the objective is to reach")

    @model_validator(mode="after")
    def _fits(self) -> TrialPlan:
        _only_factors(self.objective, self.of)
        names = [vary.parameter for vary in self.vary]
        if len(set(names)) < len(names):
            raise ValueError(f"plans/{self.name}: a parameter is varied twice")
        if self.how == "list" and len({len(vary.texts()) for vary in self.vary}) > 1:
            raise ValueError(f"plans/{self.name}: a list needs as many values of each parameter")
        if self.how in ("latin hypercube", "goal", "one by one") and any(
            vary.values for vary in self.vary
        ):
            raise ValueError(f"plans/{self.name}: '{self.how}' needs ranges from low to high")
        if self.how == "goal" and (self.goal is None or len(self.vary) != 1):
            raise ValueError(
                f"plans/{self.name}: a goal needs one parameter and the value that is to be reached"
            )
        if self.how == "grid":
            count = 1
            for vary in self.vary:
                count *= len(vary.texts())
            if count > MOST_TRIALS:
                raise ValueError(
                    f"plans/{self.name}: {count:,} trials are more than {MOST_TRIALS:,}"
                )
        return self

    @property
    def objective_words(self) -> str:
        """'first factor of rib'."""
        return named(self.objective, self.of)

    @property
    def shown(self) -> tuple[tuple[str, str], ...]:
        """(response, of) that tables show: what is asked for first."""
        asked = [
            (self.objective, self.of),
            *((limit.response, limit.of) for limit in self.limits),
            ("first factor", ""),
            ("mass", ""),
        ]
        return tuple(dict.fromkeys(asked))  # type: ignore[arg-type]

    @property
    def traced(self) -> bool:
        """Whether each trial is traced as well."""
        return "verified factor" in (self.objective, *(limit.response for limit in self.limits))

    def kind_of(self, field: str, place: str | int) -> str:
        """Kind of quantity of the goal."""
        return RESPONSE_KINDS[self.objective][0]


class Variant(Statement):
    """Another design of the same project: a name and its statements in the JSON form, without
    plans and variants of its own."""

    name: str = Field(min_length=1)
    statements: dict[str, Any]
