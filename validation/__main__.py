"""python -m validation [--full] [--json FILE] [--only WORD]; python -m validation corpus --count
N --seed S"""

from __future__ import annotations

import argparse
import json
import math
import sys
from pathlib import Path

from validation import (
    collapse,
    elements,
    frames,
    levers,
    line_traces,
    lines,
    members,
    plates,
    rings,
    sheets,
    stand,
    struts,
    traces,
    walls,
    yielding,
)
from validation.case import Case, Row, run_case
from validation.corpus import batch

CASES: list[Case] = [
    *struts.CASES,
    *lines.CASES,
    *plates.CASES,
    *rings.CASES,
    *sheets.CASES,
    *members.CASES,
    *stand.CASES,
    *frames.CASES,
    *walls.CASES,
    *levers.CASES,
    *traces.CASES,
    *line_traces.CASES,
    *collapse.CASES,
    *yielding.CASES,
    *elements.CASES,
]
_SAME = 0.002  # differences below are not told
PAGE = Path(__file__).parents[1] / "docs/validation.md"


def table(rows: list[Row]) -> str:
    """docs/validation.md."""
    text = [
        "# Validation",
        "",
        "Written by `python -m validation --full`. Each row but those of Elements is a model on "
        "disk (a "
        "STEP part or recipes, and JSON), run like a user's file; Elements run bare. Loads in N or "
        "kN, "
        "stresses in MPa, as the reference has them.",
    ]
    for title in dict.fromkeys(row.case.table for row in rows):
        text += [
            "",
            f"## {title}",
            "",
            "| case | reference | source | result | difference | within | elements | unknowns | |",
            "|---|---|---|---|---|---|---|---|---|",
        ]
        for row in (row for row in rows if row.case.table == title):
            case = row.case
            text.append(
                f"| {case.name}: {case.note} | {row.reference:.5g} | {case.source} | "
                f"{row.result:.5g} | "
                f"{100 * row.difference:+.2f} % | {100 * case.within:g} % | {row.elements:,} | "
                f"{row.unknowns:,} | "
                f"{'✓' if row.passes else '✗'} |"
            )
    return "\n".join(text) + "\n"


def proposed_meshes(only: str) -> int:
    """Prints true and told errors; 0 when 95 of 100 true ones are covered. True is the difference
    to a much finer mesh; what lies between a theory and the model is printed beside it, as no mesh
    can tell it."""
    covered = close = found = 0
    for case in CASES:
        if case.table != "Modes" or case.direct is not None or only not in case.name:
            continue
        try:
            row = run_case(case, True)
        except Exception as error:
            print(f"none {case.name}: {error}", flush=True)
            continue
        if not math.isfinite(row.told):
            print(
                f"none {case.name}: no error told, {100 * row.difference:+.2f} %, {row.headline}",
                flush=True,
            )
            continue
        found += 1
        inside = abs(row.mesh_error) <= row.told + _SAME
        covered += inside
        close += abs(row.difference) <= row.told + _SAME
        print(
            f"{'ok  ' if inside else 'MISS'} {case.name}: {100 * row.mesh_error:+.2f} % from the "
            f"mesh, {100 * row.told:.2f} % told, "
            f"{100 * row.difference:+.2f} % to the reference, {row.unknowns:,} unknowns, "
            f"{row.seconds:.1f} s",
            flush=True,
        )
    print(
        f"{covered} of {found} covered; {close} of {found} also with what lies between reference "
        "and model"
    )
    return 0 if covered >= 0.95 * found else 1


def main() -> None:
    if sys.argv[1:2] == ["corpus"]:
        sys.exit(batch.main(sys.argv[2:]))
    parser = argparse.ArgumentParser(prog="validation", description=__doc__)
    parser.add_argument(
        "--full",
        action="store_true",
        help="all cases, not only the quick ones; writes docs/validation.md",
    )
    parser.add_argument("--json", type=Path)
    parser.add_argument("--only", help="cases whose name holds this word")
    parser.add_argument(
        "--proposed",
        action="store_true",
        help="rows of modes with the meshes that the program finds: how well their errors are told",
    )
    options = parser.parse_args()
    if options.proposed:
        sys.exit(proposed_meshes(options.only or ""))
    chosen = [
        case
        for case in CASES
        if (options.full or options.only or case.quick) and (options.only or "") in case.name
    ]
    rows = []
    for case in chosen:
        rows.append(run_case(case))
        row = rows[-1]
        print(
            f"{'ok  ' if row.passes else 'MISS'} {case.name}: {row.result:.5g} against "
            f"{row.reference:.5g}, "
            f"{100 * row.difference:+.2f} % ({100 * case.within:g} %), {row.unknowns:,} unknowns, "
            f"{row.seconds:.1f} s",
            flush=True,
        )
    if options.full and not options.only:
        PAGE.write_text(table(rows), encoding="utf-8")
    if options.json:
        options.json.write_text(
            json.dumps(
                [
                    {
                        "case": row.case.name,
                        "reference": row.reference,
                        "source": row.case.source,
                        "result": row.result,
                        "difference": row.difference,
                        "within": row.case.within,
                        "elements": row.elements,
                        "unknowns": row.unknowns,
                        "passes": bool(row.passes),
                    }
                    for row in rows
                ],
                indent=2,
            ),
            encoding="utf-8",
        )
    sys.exit(0 if all(row.passes for row in rows) else 1)


if __name__ == "__main__":
    main()
