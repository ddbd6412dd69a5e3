"""The window: PyQt6. Shows what run, store and judge say; computes nothing of its own."""
