"""Loads what takes long to load, once, in the process that workers are forked from: a run
stopped by the user is ready again at once."""

import labilis.run.worker  # noqa: F401
from labilis.shape.step import warm_up

warm_up()
