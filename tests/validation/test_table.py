"""The validation table: its quick rows here, all of it with ./test --full."""

import json
from pathlib import Path

import pytest

from validation.__main__ import CASES, main, table
from validation.case import Case, run_case


@pytest.mark.parametrize(
    "case",
    [
        pytest.param(case, id=case.name, marks=[] if case.quick else pytest.mark.full)
        for case in CASES
    ],
)
def test_row(case: Case) -> None:
    row = run_case(case)
    assert row.passes, (
        f"{row.result:.6g} against {case.reference:.6g}: {100 * row.difference:+.2f} %, allowed "
        f"{100 * case.within:g} %"
    )
    assert case.name in table([row])


def test_the_rows_are_written_as_json(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    where = tmp_path / "rows.json"
    monkeypatch.setattr(
        "sys.argv", ["validation", "--only", "two-bar frame: critical", "--json", str(where)]
    )
    with pytest.raises(SystemExit) as ended:
        main()
    assert ended.value.code == 0
    (row,) = json.loads(where.read_text(encoding="utf-8"))
    assert (
        row["case"].startswith("two-bar frame")
        and row["passes"] is True
        and abs(row["difference"]) < row["within"]
    )
