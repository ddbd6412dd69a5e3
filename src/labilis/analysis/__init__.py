"""A statement and a mesh made numbers: unknowns, supports and ties, loads of a case, system,
strength, modes, members, trace, and how far their figures can be off.

Each stage is a function of statements, mesh and what earlier stages found, and gives a record of
`results`. Which stages a run needs, and what is kept of them, is known to `run` only.
"""
