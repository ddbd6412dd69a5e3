"""Changes of statements as a user makes them: pure functions from a project to a project."""
