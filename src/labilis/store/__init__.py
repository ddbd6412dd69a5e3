"""Statements and results in one file; JSON form; export to VTU and CSV."""

from labilis.store.json_form import load_model, write_model
from labilis.store.project_file import ProjectFile

__all__ = ["ProjectFile", "load_model", "write_model"]
