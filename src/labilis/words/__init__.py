"""Statements and findings in sentences: what stands on the check sheet, in reports and answers of
the command line. Reads the model and what `judge` says; no arrays are worked on here."""
