"""The command line: `labilis …`. Stands on run and store."""
