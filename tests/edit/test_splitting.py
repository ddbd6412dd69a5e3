"""A strut divided into two is the strut it was, whatever names it."""

from typing import Any

import pytest

from labilis.edit.splitting import split_strut
from labilis.model import LabilisError, Project, load_project
from labilis.model.standing import frame_of
from labilis.results.findings import ModesFindings
from labilis.run import Plan, Runner, Snapshot, stage_keys
from tests.frames import STEEL

LEG = {
    "name": "leg",
    "mesh_as": "line",
    "material": STEEL["name"],
    "recipe": {
        "kind": "strut",
        "length": "tall",
        "section": {"shape": "square tube", "width": "30 mm", "thickness": "2 mm"},
    },
    "place": {"turns": [{"about": "x", "angle": "30 deg"}], "at": ["10 mm", "0 mm", "0 mm"]},
    "copies": [{"kind": "line", "count": 2, "step": ["100 mm", "0 mm", "0 mm"]}],
}


def pair(**change: Any) -> Project:
    """Two leaning legs, held at their feet and pushed at their common head."""
    leg: dict[str, Any] = {**LEG, **change}
    turns = [] if leg["mesh_as"] == "solid" else ["turn_x", "turn_y", "turn_z"]
    return load_project(
        {
            "labilis": 2,
            "parameters": {"tall": "600 mm"},
            "materials": [STEEL],
            "pieces": [leg],
            "regions": [
                {"name": "feet", "names": ["leg/start"]},
                {"name": "heads", "names": ["leg/end"]},
            ],
            "hubs": [{"kind": "stiff", "name": "head", "region": "heads"}],
            "supports": [{"name": "foot", "on": "feet", "held": ["x", "y", "z", *turns]}],
            "loads": [
                {
                    "kind": "force",
                    "name": "push",
                    "on": "head",
                    "components": ["0 N", "0 N", "-1 kN"],
                },
                {"kind": "weight", "name": "own", "pieces": ["leg"]},
            ],
            "cases": [{"name": "service", "loads": [{"load": "push"}, {"load": "own"}]}],
            "mesh": {"size": "7 mm"},
            "criteria": {"modes": 3},
        }
    )


def modes_of(project: Project) -> ModesFindings:
    results = Runner().run(Snapshot(project), Plan("modes", ("service",)))
    found = results[stage_keys(project, "service").modes]
    assert isinstance(found, ModesFindings)
    return found


@pytest.mark.parametrize(("way", "within"), [("line", 1e-6), ("shell", 2e-3)])
def test_what_is_divided_buckles_as_before(way: str, within: float) -> None:
    whole = pair(mesh_as=way)
    parts, further = split_strut(whole, "leg", 0.35)
    assert further == "leg-2"
    assert modes_of(parts).factors == pytest.approx(modes_of(whole).factors, rel=within)


@pytest.mark.full
def test_solids_that_are_too_coarse_for_what_fails_them_say_so() -> None:
    """A wall's local mode comes out stiff, next to an overall mode that is told well: what is told
    of the first factor has to reach down to where the wall really goes (70.9, shells of 2.5 mm)."""
    parts, _ = split_strut(pair(mesh_as="solid"), "leg", 0.35)
    for project in (pair(mesh_as="solid"), parts):
        found = modes_of(project)
        first = float(found.positive[0])
        assert first > 80.0 and first * (1.0 - found.first_error) < 70.9


def test_both_lengths_follow_the_place_and_the_whole() -> None:
    parts, _ = split_strut(pair(), "leg", 0.35)
    assert parts.parameters == {"tall": "600 mm", "leg_split": "210 mm"}
    longer = parts.changed(parameters={"tall": "800 mm", "leg_split": "500 mm"})
    lengths = [longer.number(piece.recipe, "length", "") for piece in longer.pieces]
    assert lengths == [500.0, pytest.approx(300.0)]
    foot, middle = (frame_of(longer, piece) for piece in longer.pieces)
    assert middle.at == pytest.approx(foot.point((0.0, 0.0, 500.0)))


def test_each_part_takes_what_is_its_own() -> None:
    releases = [{"end": "start", "motions": ["weak"]}, {"end": "end", "motions": ["strong"]}]
    whole = pair(releases=releases)
    cap = {
        "name": "cap",
        "mesh_as": "line",
        "material": STEEL["name"],
        "recipe": {
            "kind": "strut",
            "length": "90 mm",
            "section": {"shape": "round", "diameter": "9 mm"},
        },
        "place": {"on": {"piece": "leg", "end": "end"}},
    }
    side = {**cap, "name": "side", "place": {"on": {"piece": "leg"}, "at": ["0 mm"] * 3}}
    whole = load_project(
        {
            **whole.model_dump(),
            "pieces": [*whole.model_dump()["pieces"], cap, side],
            "regions": [
                *whole.model_dump()["regions"],
                {"name": "skin", "names": ["leg.2/wall.1", "cap/end"]},
                {"name": "rim", "names": ["leg.1/wall.1+end"]},
            ],
        }
    )
    parts, _ = split_strut(whole, "leg", 0.5)
    assert [piece.name for piece in parts.pieces] == ["leg", "leg-2", "cap", "side"]
    assert [[item.end for item in piece.releases] for piece in parts.pieces[:2]] == [
        ["start"],
        ["end"],
    ]
    on = [piece.place.on for piece in parts.pieces[2:]]
    assert [item and item.piece for item in on] == ["leg-2", "leg"]
    assert {region.name: region.names for region in parts.regions} == {
        "feet": ("leg/start",),
        "heads": ("leg-2/end",),
        "skin": ("leg.2/wall.1", "leg-2.2/wall.1", "cap/end"),
        "rim": ("leg-2.1/wall.1+end",),
    }
    assert next(load for load in parts.loads if load.name == "own").pieces == ("leg", "leg-2")  # type: ignore[union-attr]
    thirds, last = split_strut(parts, "leg-2", 0.5)
    assert last == "leg-2-2" and thirds.named("pieces", "cap").place.on.piece == last  # type: ignore[union-attr]


def test_what_holds_of_the_whole_holds_of_both_parts() -> None:
    """A joint that was released stays so, whichever part it is at; numbers typed for a hand check
    are of both."""
    base = pair().model_dump()
    cap = {**base["pieces"][0], "name": "cap", "copies": []}
    cap["place"] = {"on": {"piece": "leg", "end": "end"}}
    check = {"kind": "euler", "member": "leg.1", "values": {"K": "0.7"}, "on_ladder": True}
    released = [("leg", "cap"), ("leg.1", "leg.2")]
    more = {"pieces": [*base["pieces"], cap], "released": released, "checks": [check]}
    parts, _ = split_strut(load_project({**base, **more}), "leg", 0.5)
    assert parts.released == (*released, ("leg-2", "cap"), ("leg-2.1", "leg-2.2"))
    assert [item.member for item in parts.checks] == ["leg.1", "leg-2.1"]
    assert [item.on_ladder for item in parts.checks] == [True, False]


@pytest.mark.parametrize(
    "plan",
    [
        {"vary": [{"parameter": "pieces/leg/recipe/section/width", "values": ["30 mm", "40 mm"]}]},
        {"limits": [{"response": "first factor", "of": "leg", "at_least": "3"}]},
    ],
    ids=["varied", "limited"],
)
def test_a_plan_that_means_the_whole_is_asked_about(plan: dict[str, Any]) -> None:
    vary = {"vary": [{"parameter": "tall", "values": ["600 mm", "700 mm"]}]}
    base = pair().model_dump()
    project = load_project({**base, "plans": [{"name": "try", **vary, **plan}]})
    with pytest.raises(LabilisError, match="which is divided"):
        split_strut(project, "leg", 0.5)


def test_a_strut_placed_by_its_end_stays_where_it_is() -> None:
    base = pair().model_dump()
    post = {**base["pieces"][0], "name": "post", "copies": [], "place": {}}
    hung = {**post, "name": "hung", "place": {"on": {"piece": "post", "end": "end", "by": "end"}}}
    project = load_project({**base, "pieces": [*base["pieces"], post, hung]})
    before = frame_of(project, project.named("pieces", "hung"))
    parts, further = split_strut(project, "hung", 0.25)
    assert frame_of(parts, parts.named("pieces", "hung")).at == pytest.approx(before.at)
    assert frame_of(parts, parts.named("pieces", further)).at == pytest.approx(
        before.point((0.0, 0.0, 150.0))
    )


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"cuts": [{"along": "y", "z": "50 mm", "diameter": "6 mm"}]}, "holes"),
        ({"warping": "held"}, "warping"),
        (
            {"recipe": {"kind": "block", "width": "9 mm", "height": "9 mm", "depth": "9 mm"}},
            "strut",
        ),
    ],
)
def test_what_cannot_be_divided_is_told(change: dict[str, Any], said: str) -> None:
    whole = pair()
    if "recipe" in change or "cuts" in change:
        change = {**change, "mesh_as": "solid"}
        base = whole.model_dump()
        base = {**base, "supports": [], "regions": [], "hubs": [], "loads": [], "cases": []}
        whole = load_project({**base, "pieces": [{**base["pieces"][0], **change}]})
    else:
        whole = pair(**change)
    with pytest.raises(LabilisError, match=said):
        split_strut(whole, "leg", 0.5)


@pytest.mark.parametrize("share", [0.0, 1.0, -0.2, 1.5, float("nan")])
def test_a_place_off_the_strut_is_refused(share: float) -> None:
    with pytest.raises(LabilisError, match="between its ends"):
        split_strut(pair(), "leg", share)
