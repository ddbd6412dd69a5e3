"""Labilis checks thin parts against buckling.

A project is a statement of what the engineer knows; everything else is derived from it in one
direction: model, shape, mesh, mechanics, solve, judge. `run` calls these in order, `store` keeps
them, `cli` and `ui` show them."""

__version__ = "0.1.0"
