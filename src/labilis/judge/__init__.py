"""What numbers mean: hand checks, screening, gates, verdicts, evidence.

It reads the statements and the records of `results`, and never computes fields of its own.
"""
