"""The drawer at the bottom: tables of modes, evidence, journal; folds to a line."""
