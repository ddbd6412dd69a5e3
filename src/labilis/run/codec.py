"""Results to plain arrays and JSON and back, for keeping them in files without pickle."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np

from labilis.model import LabilisError
from labilis.results.checkpoint import PathState, TraceCheckpoint
from labilis.results.findings import (
    ConvergenceFindings,
    MemberFindings,
    MeshFindings,
    ModesFindings,
    SectionFindings,
    SettledFindings,
    StrengthFindings,
    StudyFindings,
    TraceFindings,
    TrialFindings,
)
from labilis.shape import EdgeTable, FaceTable, ShapeView, Tessellation
from labilis.shape.face_tables import Ancestry, Whole

_KNOWN: dict[str, Any] = {
    kind.__name__: kind
    for kind in (
        ConvergenceFindings,
        MemberFindings,
        MeshFindings,
        ModesFindings,
        SectionFindings,
        SettledFindings,
        StrengthFindings,
        StudyFindings,
        TraceFindings,
        TrialFindings,
        ShapeView,
        FaceTable,
        EdgeTable,
        Tessellation,
        Whole,
        Ancestry,
        TraceCheckpoint,
        PathState,
    )
}
_COMPACT = {
    "displacement_growing",
    "displacement_held",
    "stress_growing",
    "stress_held",
    "shapes",
    "shape",
    "energy",
    "levers",
    "layers",
    "motions",
}


def pack(result: Any) -> tuple[str, dict[str, Any], dict[str, np.ndarray]]:
    """(kind, JSON part, arrays by name); nested parts get dotted names. Fields that are only looked
    at are kept in single precision."""
    meta: dict[str, Any] = {}
    arrays: dict[str, np.ndarray] = {}
    for field in dataclasses.fields(result):
        value = getattr(result, field.name)
        if isinstance(value, np.ndarray):
            if value.dtype == object:
                raise TypeError(f"{field.name} holds objects")
            arrays[field.name] = value.astype(np.float32) if field.name in _COMPACT else value
        elif dataclasses.is_dataclass(value):
            kind, inner, parts = pack(value)
            meta[field.name] = {"kind": kind, "meta": inner}
            arrays.update({f"{field.name}.{name}": array for name, array in parts.items()})
        else:
            meta[field.name] = value.item() if isinstance(value, np.generic) else value
    return type(result).__name__, meta, arrays


def unpack(kind: str, meta: dict[str, Any], arrays: dict[str, np.ndarray]) -> Any:
    """The result of `pack` made whole again. Raises LabilisError when the parts do not fit
    together."""
    try:
        known = _KNOWN[kind]
        values: dict[str, Any] = {}
        for field in dataclasses.fields(known):
            if field.name in arrays:
                array = arrays[field.name]
                values[field.name] = (
                    array.astype(np.float64) if array.dtype == np.float32 else array
                )
            elif isinstance(meta[field.name], dict):
                prefix = field.name + "."
                inner = {
                    name[len(prefix) :]: array
                    for name, array in arrays.items()
                    if name.startswith(prefix)
                }
                values[field.name] = unpack(
                    meta[field.name]["kind"], meta[field.name]["meta"], inner
                )
            else:
                values[field.name] = meta[field.name]
        return known(**values)
    except (KeyError, TypeError, AttributeError) as error:
        raise LabilisError(
            "A stored result does not fit this version.", "results", "Run it again.", "result"
        ) from error
