"""The application without a window: one project with its file and history, what was found of it,
and what runs. Plain Python, told apart from what is seen: a window listens to its events, and
tests drive it without a display."""

from labilis.app.events import Event
from labilis.app.runs import Job, JobState, Runs
from labilis.app.session import Session

__all__ = ["Event", "Job", "JobState", "Runs", "Session"]
