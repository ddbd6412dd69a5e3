"""The first factor with faces that touch bonded and apart: what it says, what it decides, and
where there is nothing to ask."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from labilis.judge.evidence.contact import decided
from labilis.judge.studies import study_words
from labilis.judge.verdict import verdict_of_case
from labilis.model import LabilisError, load_project
from labilis.run import Plan, Runner, Snapshot, judge_project, pack, settled, stage_keys, unpack
from labilis.run.studies import contact_study
from tests.analysis.test_bolts import lapped, ribbed, run
from tests.commands import labilis

COARSE = {"size": "12 mm"}


def studied(model: dict[str, Any]) -> tuple[Any, Any]:
    """(the study, the case with it as evidence)."""
    project, runner = load_project(model), Runner()
    results = runner.run(Snapshot(project), Plan("modes"))
    results |= runner.again(Snapshot(project), Plan("contact"))
    found = results[stage_keys(settled(project, results)).contact]
    kept = unpack(*pack(found))
    assert (
        found.done
        and found.kind == kept.kind == "contact"
        and np.array_equal(kept.figures, found.figures, equal_nan=True)
    )
    return found, judge_project(project, results).cases[0]


def said(case: Any) -> Any:
    return next(item for item in case.evidence if item.name == "faces that touch")


def gate(case: Any, name: str) -> Any:
    return next(item for item in case.verdict.gates if item.name == name)


@pytest.mark.parametrize("faces", ["bonded", "apart"])
def test_rows_are_what_the_model_gives_when_it_says_so(faces: str) -> None:
    """Whichever is stated, the other row is what a model that states it gives."""
    other = {"bonded": "apart", "apart": "bonded"}[faces]
    found, case = studied(lapped(more={"faces": faces}, mesh=COARSE))
    assert found.labels.tolist() == ["as it stands", f"faces {other}"]
    expected = [
        float(run(lapped(more={"faces": kind}, mesh=COARSE)).facts.modes.positive[0])
        for kind in (faces, other)
    ]
    assert found.figures[:, 0] == pytest.approx(expected, rel=1e-9)
    bonded, apart = sorted(expected, reverse=True)
    assert f"{100 * (1 - apart / bonded):.2g} % of the first factor" in study_words(found)
    # the least of both stands: a bonded model is cautioned, one that is only bolted has nothing to
    # fear
    assert (
        said(case).state == ("caution" if faces == "bonded" else "good")
        and f"{expected[1]:.4g}" in said(case).text
    )


def test_a_model_that_passes_by_its_bonded_faces_only_does_not() -> None:
    found, _ = studied(lapped(more={"faces": "bonded"}, mesh=COARSE))
    high, low = found.figures[:, 0]
    between = {"required_factor": f"{(high * low) ** 0.5}", "modes": 2, "capacity": "0.001"}
    _, case = studied(lapped(more={"faces": "bonded"}, mesh=COARSE, criteria=between))
    assert said(case).state == "bad" and "only because the faces are bonded" in said(case).text
    assert gate(case, "stated right").state == "open" and case.verdict.meets is not True
    _, right = studied(
        lapped(
            more={"faces": "bonded"},
            mesh=COARSE,
            criteria={**between, "required_factor": f"{0.9 * low}"},
        )
    )
    assert said(right).state == "caution"
    # whatever else is said of bolts: it alone keeps the gate open, and its caution does not
    sound = run(lapped(bolts=(), mesh=COARSE, criteria=between))
    assert gate(sound, "stated right").state == "passes"
    for item, state in ((said(case), "open"), (said(right), "passes")):
        verdict = verdict_of_case(sound.facts, (*sound.evidence, item))
        assert next(found for found in verdict.gates if found.name == "stated right").state == state


def test_the_factor_of_any_piece_counts() -> None:
    """One piece asks for less than the apart faces give, the other for what only bonded ones do:
    either way round it is found."""
    model = lapped(more={"faces": "bonded"}, mesh=COARSE)
    found, case = studied(model)
    high, low = found.figures[:, 0]
    for names in (("machine part", "member"), ("member", "machine part")):
        criteria = {
            "required_factor": f"{0.5 * low}",
            "member_factor": f"{(high * low) ** 0.5}",
            "modes": 2,
        }
        pieces = [{**piece, "acts_as": acts} for piece, acts in zip(model["pieces"], names)]
        project = load_project({**model, "pieces": pieces, "criteria": criteria})
        assert decided(found, project) == pytest.approx((high * low) ** 0.5)
    assert (
        decided(
            found,
            load_project({**model, "criteria": {"required_factor": f"{1.1 * high}", "modes": 2}}),
        )
        is None
    )
    assert said(case).state == "caution"


def test_seams_are_bonded_by_taking_them_away() -> None:
    """A rib that is welded along both sides of its foot is a little stiffer when its whole foot
    is bonded."""
    model = ribbed(("front", "back"))
    model["loads"][0]["components"] = ["0 N", "0 N", "-100 N"]
    model |= {"mesh": {"size": "8 mm"}, "criteria": {"modes": 1, "mesh_error": False}}
    found, case = studied(model)
    assert found.labels.tolist() == ["as it stands", "faces bonded"]
    assert 1.0 < found.figures[1, 0] / found.figures[0, 0] < 1.3 and said(case).state == "good"


def test_one_bolt_is_no_joint_by_itself() -> None:
    """A strap on one bolt with nothing to guide it turns about the bolt once the faces are
    apart."""
    found, case = studied(lapped(bolts=(1,), guided=False, more={"faces": "bonded"}, mesh=COARSE))
    assert found.figures[0, 0] > 0 and found.figures[1].tolist()[0] == 0.0
    assert (
        "falls apart" in study_words(found)
        and "falls apart" in said(case).text
        and case.verdict.meets is not True
    )


def test_where_nothing_touches_there_is_nothing_to_ask() -> None:
    project = load_project(lapped(bolts=()))
    with pytest.raises(LabilisError, match="bolted or welded") as error:
        contact_study(
            Snapshot(project), Plan("contact"), lambda *_: {}, lambda _: None, lambda *_: None
        )
    assert error.value.code == "no-contact"


def test_the_command(tmp_path: Path) -> None:
    """0 where the faces do not decide, 3 where only bonded ones meet what is required, 2 where
    there is nothing to ask."""
    path = tmp_path / "lapped.json"
    path.write_text(json.dumps(lapped(more={"faces": "bonded"}, mesh=COARSE)))
    done = labilis("contact", str(path), "--json", "-")
    rows = json.loads(done.stdout)["joints"]
    assert done.returncode == 0 and [row["faces"] for row in rows] == [
        "as it stands",
        "faces apart",
    ]
    between = (rows[0]["factor"] * rows[1]["factor"]) ** 0.5
    path.write_text(
        json.dumps(
            lapped(
                more={"faces": "bonded"},
                mesh=COARSE,
                criteria={"required_factor": f"{between}", "modes": 2},
            )
        )
    )
    done = labilis("contact", str(path), "--case", "one")
    assert done.returncode == 3 and "hangs on the faces that touch" in done.stdout
    path.write_text(json.dumps(lapped(bolts=(), mesh=COARSE)))
    assert labilis("contact", str(path)).returncode == 2
