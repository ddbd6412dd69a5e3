"""What numbers mean: hand checks, kinds of modes, required factors, verdicts, evidence.

`findings` holds what the runs hand over, as frozen dataclasses of arrays; everything else here
reads it and never computes fields of its own.
"""
