"""The check sheet: stations as cards that state themselves in sentences."""
