"""Findings hold arrays that fit each other, when they are made and when they are read."""

from __future__ import annotations

import dataclasses
from typing import Any

import numpy as np
import pytest

from labilis.model import LabilisError
from labilis.results import findings
from labilis.results.array_shapes import Dims, Findings, described
from labilis.results.findings import SectionFindings, SettledFindings
from labilis.run.codec import pack, unpack

KINDS = [
    kind
    for kind in vars(findings).values()
    if isinstance(kind, type) and issubclass(kind, Findings) and kind is not Findings
]


def section(**other: Any) -> SectionFindings:
    sizes = {
        "axis": np.ones(3),
        **{name: np.ones(4) for name in ("station", "area", "i_min", "i_max")},
        "weak": np.ones((4, 3)),
        "strong": np.ones((4, 3)),
    }
    return SectionFindings(**{**sizes, **other})


def test_every_array_of_findings_says_its_shape_and_every_field_is_given_by_name() -> None:
    assert len(KINDS) == 10
    for kind in KINDS:
        arrays = {
            field.name
            for field in dataclasses.fields(kind)
            if "NDArray" in str(field.type)
            or "Floats" in str(field.type)
            or "Ints" in str(field.type)
            or "Texts" in str(field.type)
        }
        assert arrays and arrays == set(described(kind)), kind
        assert all(field.kw_only for field in dataclasses.fields(kind))


@pytest.mark.parametrize(
    "spoil",
    [
        {"weak": np.ones((3, 3))},
        {"weak": np.ones((4, 2))},
        {"station": np.ones(5)},
        {"axis": np.ones(2)},
        {"area": np.ones((4, 1))},
        {"i_min": [1.0, 2.0, 3.0, 4.0]},
    ],
    ids=str,
)
def test_an_array_of_another_shape_is_refused_when_made_and_when_read(
    spoil: dict[str, Any],
) -> None:
    with pytest.raises(TypeError):
        section(**spoil)
    kind, meta, arrays = pack(section())
    if all(isinstance(value, np.ndarray) for value in spoil.values()):
        with pytest.raises(LabilisError, match="does not fit"):
            unpack(kind, meta, {**arrays, **spoil})


def test_what_was_not_looked_for_is_empty_and_fits() -> None:
    empty = section(weak=np.zeros((0, 3)))
    kind, meta, arrays = pack(empty)
    assert len(unpack(kind, meta, arrays).weak) == 0
    rounds = SettledFindings.of(0.02, [(1.0, 9.0, 800.0, 3.0, 0.05), (2.0, 4.5, 3000.0, 2.9, 0.01)])
    assert rounds.enough and rounds.fineness == 2.0


def test_several_sizes_can_be_allowed() -> None:
    assert Dims("k", (3, 6)).words() == "(k, (3, 6))"
    mesh = described(findings.MeshFindings)
    assert mesh["triangles"] == "(k, (3, 6))" and mesh["nodes"] == "(n, 3)"
