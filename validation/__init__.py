"""Cases with a known answer, run like a user's file: a STEP part and a JSON model on disk, through
the whole run.

References come from theory or published papers. `python -m validation [--full] [--json FILE]`
writes docs/validation.md."""
