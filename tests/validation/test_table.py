"""The validation table: its quick rows here, all of it with ./test --full."""
import pytest

from validation.__main__ import CASES, table
from validation.case import Case, run_case


@pytest.mark.parametrize("case", [pytest.param(case, id=case.name, marks=[] if case.quick else pytest.mark.full) for case in CASES])
def test_row(case: Case) -> None:
    row = run_case(case)
    assert row.passes, f"{row.result:.6g} against {case.reference:.6g}: {100 * row.difference:+.2f} %, allowed {100 * case.within:g} %"
    assert case.name in table([row])
