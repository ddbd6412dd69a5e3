"""Loads what takes long to load, once, in the process that workers are forked from: a run
stopped by the user is ready again at once. Nothing here may start a thread, which a fork would
leave behind: the first compiled code brings its compiler with it, and the first unit its list."""

import labilis.run.worker  # noqa: F401
from labilis.model.units import registry
from labilis.run.prepare import load_kernels
from labilis.shape.step import warm_up

warm_up()
registry()
load_kernels()
