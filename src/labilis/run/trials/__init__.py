"""Trial plans: the project at many values of its parameters, run side by side, with what was
found of each."""

from labilis.run.trials.job import TrialsJob
from labilis.run.trials.levers import levers_found
from labilis.run.trials.points import found_of, points_of, project_at, trial_key, value_text
from labilis.run.trials.ranking import (
    best_of,
    error_in,
    front_of,
    keeps,
    limit_words,
    ordered,
    response_text,
)
from labilis.run.trials.running import figures_of, figures_of_trial, run_plan, trial_of

__all__ = [
    "TrialsJob",
    "best_of",
    "error_in",
    "figures_of",
    "figures_of_trial",
    "found_of",
    "front_of",
    "keeps",
    "levers_found",
    "limit_words",
    "ordered",
    "points_of",
    "project_at",
    "response_text",
    "run_plan",
    "trial_key",
    "trial_of",
    "value_text",
]
