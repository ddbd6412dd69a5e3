"""What is stated of a search for a better design: variants of the project, and trial plans over its parameters."""
from __future__ import annotations

from typing import Any, Literal, get_args

from pydantic import Field, model_validator

from labilis.model.statements import Statement

Response = Literal["first factor", "first yield", "capacity", "mass", "largest motion", "largest stress", "verified factor"]
RESPONSES: tuple[Response, ...] = get_args(Response)
# kind of quantity of each, and the unit and factor in which it is shown
RESPONSE_KINDS: dict[str, tuple[str, str, float]] = {
    "first factor": ("number", "", 1.0), "first yield": ("number", "", 1.0), "capacity": ("number", "", 1.0),
    "mass": ("mass", "kg", 1000.0), "largest motion": ("length", "mm", 1.0), "largest stress": ("stress", "MPa", 1.0),
    "verified factor": ("number", "", 1.0)}
MOST_TRIALS = 2000


class Vary(Statement):
    """A parameter and what it is tried at: listed values, or a range from low to high in so many steps."""

    parameter: str = Field(min_length=1)
    values: tuple[str, ...] = Field(default=(), description="what the parameter is tried at, one after the other")
    low: str | None = Field(default=None, description="least value of a range")
    high: str | None = Field(default=None, description="largest value of a range")
    count: int = Field(default=5, ge=2, le=200, description="values of a range, both ends among them")

    @model_validator(mode="after")
    def _values_or_range(self) -> Vary:
        if bool(self.values) == (self.low is not None or self.high is not None):
            raise ValueError(f"plans: '{self.parameter}' is tried at listed values, or from low to high")
        if (self.low is None) != (self.high is None):
            raise ValueError(f"plans: the range of '{self.parameter}' has one end only")
        return self

    def texts(self) -> tuple[str, ...]:
        """What the parameter is set to, as expressions."""
        if self.values:
            return self.values
        return tuple(self.between(step / (self.count - 1)) for step in range(self.count))

    def between(self, share: float) -> str:
        """The expression that lies at a share of the range, 0 at its low end."""
        if share <= 0 or share >= 1:
            return str(self.low if share <= 0 else self.high)
        return f"({self.low}) + {share:.12g} * (({self.high}) - ({self.low}))"


class Limit(Statement):
    """What a trial must keep to."""

    response: Response
    at_least: str | None = None
    at_most: str | None = None

    @model_validator(mode="after")
    def _one_end(self) -> Limit:
        if self.at_least is None and self.at_most is None:
            raise ValueError(f"plans: the limit on the {self.response} has neither a least nor a largest value")
        return self


class TrialPlan(Statement):
    """Parameters, how they are tried, what is asked for and what makes a trial the best. Responses are the least of all load cases (of
    mass: the one; of motions and stresses: the largest)."""

    name: str = Field(min_length=1)
    vary: tuple[Vary, ...] = Field(min_length=1)
    how: Literal["grid", "list", "latin hypercube", "goal", "search"] = Field(
        default="grid", description="grid: every value with every other; list: the first values together, then the second ones; latin "
        "hypercube: points spread evenly through the ranges; goal: the one value of a range at which the objective reaches `goal`; "
        "search: on to the best point within the limits")
    points: int = Field(default=20, ge=2, le=MOST_TRIALS, description="of a latin hypercube; the most trials of a goal or a search")
    seed: int = Field(default=1, ge=0, description="of a latin hypercube, and of where a search begins")
    limits: tuple[Limit, ...] = ()
    objective: Response = "first factor"
    best: Literal["greatest", "least"] = "greatest"
    goal: str | None = Field(default=None, description="what the objective is to reach")

    @model_validator(mode="after")
    def _fits(self) -> TrialPlan:
        names = [vary.parameter for vary in self.vary]
        if len(set(names)) < len(names):
            raise ValueError(f"plans/{self.name}: a parameter is varied twice")
        if self.how == "list" and len({len(vary.texts()) for vary in self.vary}) > 1:
            raise ValueError(f"plans/{self.name}: a list needs as many values of each parameter")
        if self.how in ("latin hypercube", "goal") and any(vary.values for vary in self.vary):
            raise ValueError(f"plans/{self.name}: a {self.how} needs ranges from low to high")
        if self.how == "goal" and (self.goal is None or len(self.vary) != 1):
            raise ValueError(f"plans/{self.name}: a goal needs one parameter and the value that is to be reached")
        if self.how == "grid":
            count = 1
            for vary in self.vary:
                count *= len(vary.texts())
            if count > MOST_TRIALS:
                raise ValueError(f"plans/{self.name}: {count:,} trials are more than {MOST_TRIALS:,}")
        return self

    @property
    def traced(self) -> bool:
        """Whether each trial is traced as well."""
        return "verified factor" in (self.objective, *(limit.response for limit in self.limits))

    def quantities(self) -> list[tuple[str, str, str]]:
        """(field, text, kind) of limits and goal; values of parameters have the kind of their parameter."""
        found = [("limits", text, RESPONSE_KINDS[limit.response][0]) for limit in self.limits
                 for text in (limit.at_least, limit.at_most) if text is not None]
        return found + ([("goal", self.goal, RESPONSE_KINDS[self.objective][0])] if self.goal is not None else [])


class Variant(Statement):
    """Another design of the same project: a name and its statements in the JSON form, without plans and variants of its own."""

    name: str = Field(min_length=1)
    statements: dict[str, Any]
