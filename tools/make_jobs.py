"""One worked job for each starting shape, docs/guide/jobs.md, with pictures and figures from the
real window. Needs a display of 1280 x 800 (Xvfb will do):

xvfb-run -s "-screen 0 1280x800x24" python tools/make_jobs.py [NAME ...]
"""

from __future__ import annotations

import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from real_window import RealWindow

ROOT = Path(__file__).parents[1]
PAGE = ROOT / "docs/guide/jobs.md"
PICTURES = ROOT / "docs/guide/pictures"


@dataclass(frozen=True)
class Job:
    """look: what to see in the first answer; change: (parameter, value) and what it is to show;
    more: where to go from there."""

    look: str
    change: tuple[str, str]
    why: str
    more: str


JOBS = {
    "strut": Job(
        "The two lowest modes are one bow to either side: a round tube knows no weak axis, and the "
        "second factor is the first again. Beside them on the ladder stands Euler's load for the "
        "ends that were found from the supports. Were it far off, the ends would be held in "
        "another way than was meant.",
        ("length", "3000 mm"),
        "Euler's load falls with the square of the length.",
        "Click *free to turn* in the sentence of the foot and hold its turns as well: with one end "
        "clamped the strut counts as 0.7 times as long and its factor doubles. Then ask for a "
        "trace; the bow of EN 1993-1-1, table 5.1, is among the amplitudes on offer.",
    ),
    "bracket": Job(
        "The free edges of the ribs are pressed, and they buckle first, though far above what is "
        "asked for: the bracket yields long before. The ladder shows both.",
        ("rib_t", "1 mm"),
        "A rib's factor goes with the cube of its thickness.",
        "*vary* beside the value tries a range of thicknesses and draws where buckling overtakes "
        "yield; *Improve* looks for the least mass that meets.",
    ),
    "cover": Job(
        "The walls bow sideways as one. Yield is far away, and the local modes of the single walls "
        "come three times higher.",
        ("sheet_t", "1 mm"),
        "Thin walls buckle long before they yield, so that their thickness counts with its cube.",
        "A lower cover is stiffer as well: vary `rise` and `sheet_t` in one plan and see which of "
        "them gains more.",
    ),
    "joint": Job(
        "An angle on one side of a gusset is pushed beside its axis: it bends from the first "
        "newton on and yields long before its ideal factor, which is why the overall check "
        "(EN 1993-1-1, 6.3.4) lies so much lower.",
        ("member", "2200 mm"),
        "The angle bows about its weak axis, and its length counts with its square.",
        "What such a member carries is told by a trace: *Trace* goes on to its limit, with yield.",
    ),
    "mast": Job(
        "It sways like a flag pole, to either side. The foot plate turns with it and has most of "
        "the bending of walls in it: thickening the plate is a lever as well (*lever of thickness* "
        "among the colours).",
        ("height", "4500 mm"),
        "Sway goes with the square of the height, and the wind bends a longer tube more.",
        "Hold the top by a cable: pick the upper edge, **Hold**, *springs*, and compare the modes "
        "side by side with **Compare**.",
    ),
    "stand": Job(
        "The whole stand sways: its feet turn freely, so that legs and top have to bend together, "
        "and the top has the larger part. The next two modes are sway to the other "
        "side and a turn.",
        ("height", "1400 mm"),
        "Longer legs give way sooner than the top.",
        "Hold the turns of the feet in their sentence, as of a stand that is bolted down: sway "
        "between two ends that do not turn comes at up to four times the load.",
    ),
}


def found_words(case: Any) -> str:
    """What a run found, in a sentence or two, with the figures of the window."""
    facts, verdict = case.facts, case.verdict
    first = float(facts.modes.positive[0])
    row = facts.modes.first
    yields = facts.strength.strength_factor
    text = (
        f"**{verdict.headline}**. The first mode ({facts.modes.kinds[row]}, most of it in "
        f"*{facts.modes.drivers[row]}*) comes at {first:.3g} × the load"
    )
    text += f", first yield at {yields:.3g} ×." if yields < float("inf") else "."
    cautions = [item.name for item in case.evidence if item.state in ("bad", "caution")]
    return text + (f" In the evidence: {', '.join(cautions)}." if cautions else "")


def picture(work: RealWindow, name: str) -> str:
    """Take one, and the line of the page that shows it."""
    PICTURES.mkdir(parents=True, exist_ok=True)
    work.freeze()
    work.take(PICTURES / f"{name}.png")
    return f"![{name}](pictures/{name}.png)"


def job_page(work: RealWindow, name: str) -> list[str]:
    """The page's part of one starting shape."""
    from labilis.app.demos import start_model

    job, window = JOBS[name], work.window
    window.load_path(start_model(name))
    work.idle()
    session = window.session
    project = session.project
    parts = [f"## {project.name}", ""]
    said = ", ".join(f"`{key}` = {value}" for key, value in project.parameters.items())
    parts += [
        f"On the empty window click *{project.name}*. It is a project of its own, not saved yet; "
        f"its numbers are parameters: {said}.",
        "",
        f"Press *{window.run_button.text()}*.",
        "",
    ]
    window.run_or_stop()
    work.idle()
    parts += [f"{found_words(session.case_report)}", "", picture(work, name), "", job.look, ""]
    key, value = job.change
    before = project.parameters[key]
    session.set_value(("parameters", key), value, f"{key} set to {value}")
    window.run_or_stop()
    work.idle()
    parts += [
        f"Now click {before} behind `{key}`, type {value} and press the button again: "
        f"{job.why} {found_words(session.case_report)}",
        "",
        f"Further: {job.more}",
        "",
    ]
    session.undo()
    work.idle()
    return parts


def main() -> None:
    work = RealWindow()
    work.wait(1.0)
    names = sys.argv[1:] or list(JOBS)
    page = [
        "# A job for each starting shape",
        "",
        "Written by `tools/make_jobs.py`, which does what stands here in the window and takes "
        "figures and pictures from it. What the stations and their words mean is told in the "
        "[guide](README.md).",
        "",
    ]
    for name in names:
        page += job_page(work, name)
    if names == list(JOBS):
        PAGE.write_text("\n".join(page).rstrip() + "\n", encoding="utf-8")
    else:
        print("\n".join(page))
    work.window.close()


if __name__ == "__main__":
    main()
