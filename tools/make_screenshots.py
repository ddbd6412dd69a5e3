"""Pictures of the main views for docs/screenshots, made from the demo. Needs a display of 1280 x
800 (Xvfb will do):

xvfb-run -s "-screen 0 1280x800x24" python tools/make_screenshots.py [FOLDER]
"""

import sys
from pathlib import Path
from typing import Any

from real_window import RealWindow

ROOT = Path(__file__).parents[1]
DEMOS = ROOT / "src/labilis/demos"


def frame_model(project: Any) -> Any:
    """A frame for a gauge of tubes as lines, pushed by wind and by what stands on it."""
    from labilis.model import load_project

    data = project.model_dump()
    steel = data["materials"][0]
    tube = {
        "shape": "rectangular tube",
        "width": "40 mm",
        "height": "60 mm",
        "thickness": "3 mm",
        "radius": "3 mm",
    }

    def strut(name: str, length: str, at: list[str], turns: list[dict[str, str]]) -> dict[str, Any]:
        return {
            "name": name,
            "recipe": {"kind": "strut", "length": length, "section": tube},
            "material": steel["name"],
            "mesh_as": "line",
            "place": {"at": at, "turns": turns},
        }

    across = [{"about": "y", "angle": "90 deg"}]
    every = ["x", "y", "z", "turn_x", "turn_y", "turn_z"]
    return load_project(
        {
            "name": "Gauge frame",
            "scenario": data["scenario"],
            "parameters": {"height": "1200 mm", "span": "1600 mm"},
            "materials": [steel],
            "pieces": [
                strut("left post", "height", ["0 mm", "0 mm", "0 mm"], []),
                strut("right post", "height", ["span", "0 mm", "0 mm"], []),
                strut("beam", "span", ["0 mm", "0 mm", "height"], across),
            ],
            "regions": [
                {"name": "feet", "names": ["left post/start", "right post/start"]},
                {"name": "left corner", "names": ["beam/start"]},
                {"name": "right corner", "names": ["beam/end"]},
            ],
            "supports": [{"name": "feet", "on": "feet", "held": every}],
            "loads": [
                {
                    "kind": "force",
                    "name": "gauge",
                    "on": "left corner",
                    "components": ["0.6 kN", "0.1 kN", "-5 kN"],
                },
                {
                    "kind": "force",
                    "name": "cable",
                    "on": "right corner",
                    "components": ["0 kN", "0 kN", "-5 kN"],
                },
            ],
            "cases": [{"name": "storm", "loads": [{"load": "gauge"}, {"load": "cable"}]}],
            "criteria": {"modes": 4},
        }
    )


def main() -> None:
    folder = Path(sys.argv[1]) if len(sys.argv) > 1 else ROOT / "docs/screenshots"
    folder.mkdir(parents=True, exist_ok=True)
    real = RealWindow()
    window, wait, idle, freeze = real.window, real.wait, real.idle, real.freeze
    from labilis.ui.stage.picking import world_to_display

    def picture(name: str) -> None:
        real.take(folder / f"{name}.png")

    wait(1.5)
    picture("begin")
    window.load_path(DEMOS / "panel-prop/panel-prop.json")
    idle()
    view = window.session.current("shape")
    bore = next(
        face
        for face in range(len(view.faces))
        if view.faces.inner[face] and view.faces.centroid[face][0] > 200
    )
    window.tour.go(1)  # Supports
    wait(0.3)
    window.stage.select((("face", bore),))
    renderer = window.stage.plotter.renderer
    x, y, _ = world_to_display(renderer, view.faces.centroid[bore][None])[0]
    window.stage._place_bar(x, y)
    picture("picking")
    window.stage.select(())
    window.tour.go(-1)
    window.run_or_stop()
    idle()
    window.sheet.open_station("Modes")
    window.drawer.show_page("Modes")
    freeze()
    picture("modes")
    window.drawer.show_page("Hand checks")
    window.drawer.hand.table.selectRow(4)
    picture("hand-checks")
    window.sheet.open_station("Strength")
    window.drawer.show_page("Evidence")
    picture("strength-evidence")
    window.sheet.open_station("Mesh")
    window.drawer.set_open(False)
    picture("mesh")

    def modes(name: str) -> None:
        window.run_or_stop()
        idle()
        window.sheet.open_station("Modes")
        window.drawer.show_page("Modes")
        freeze()
        picture(name)

    window.load_path(DEMOS / "cabinet-stand/cabinet-stand.json")
    idle()
    window.sheet.open_station("Part")
    window.stage.show_view("Shape")
    picture("stand-part")
    modes("stand-modes")
    window.drawer.set_open(False)
    window.stage.compare(tuple((case.name, 0) for case in window.session.project.cases))
    freeze()
    wait(0.5)
    picture("compare")
    window.stage.compare(())
    window.sheet.open_station("Strength")
    window.drawer.show_page("Screening")
    picture("screening")
    window.drawer.set_open(False)
    window.sheet.open_station("Report")
    window.preview_report()
    assert window.preview is not None and window.printer is not None
    while window.printer.busy or not window.preview.isVisible():
        wait(0.05)
    window.preview.setGeometry(305, 44, 731, 719)  # on the stage
    wait(1.0)
    picture("report")
    window.preview.close()
    window.load_path(DEMOS / "sensor-bracket/sensor-bracket.json")
    idle()
    window.run_trace()
    idle()
    window.sheet.open_station("Trace")
    window.stage.show_view("Trace")
    window.stage.playback.set_playing(False)
    window.stage._frame()
    picture("trace")
    window.edit_outline("plate")
    window.outline.add_opening(slot=True)
    picture("outline")
    window.session.undo()
    window.leave_outline()
    idle()
    window.run_study("amplitude")
    idle()
    picture("amplitude")
    window.run("modes")
    idle()
    window.sheet.open_station("Improve")
    window.run_trials()
    idle()
    window.stage.show_view("Mode", 0)
    strip = window.stage.playback
    strip.what.setCurrentText("where thickness helps")
    strip.what_changed.emit()
    freeze()
    picture("trials")
    window.drawer.improve.keep.click()
    window.session.improving.choose_design(window.session.project.variants[-1].name)
    idle()
    window.run("modes")
    idle()
    window.sheet.open_station("Improve")
    strip.what.setCurrentText("where a hold helps")
    strip.what_changed.emit()
    window.drawer.improve.choose("designs")
    freeze()
    picture("designs")
    window.load_path(DEMOS / "sensor-bracket/sensor-bracket.json")
    idle()
    window.drawer.set_open(False)
    faces = window.session.current("shape").faces
    for way in ("crosswise", "circle"):
        window.stage.select((("face", int(faces.area.argmax())),))
        window.scribe_picked(way)
        window.sheet.cards["Part"].close_editor()
        idle()
    window.sheet.open_station("Part")
    window.stage.show_view("Shape")
    window.sheet.cards["Part"].type_first(lambda span: span.path == ("scribes", 0, "offset"))
    picture("scribes")
    window.sheet.cards["Part"].close_editor()
    window.load_path(DEMOS / "antenna-mast/antenna-mast.json")
    idle()
    session = window.session
    project = session.project
    strip.what.setCurrentText("movement")
    strip.what_changed.emit()
    session.new(frame_model(project), {}, "a frame of lines")
    idle()
    window.run_or_stop()
    idle()
    window.sheet.open_station("Strength")
    window.drawer.show_page("Lines")
    window.drawer.lines.table.setCurrentCell(0, 5)
    picture("line")
    session.reading.import_step(ROOT / "docs/guide/gauge-stand.step")
    idle()

    def rims(body: str) -> list[tuple[str, int]]:
        view = session.current("shape")
        return [
            ("edge", row)
            for row in range(len(view.edges))
            if str(view.edges.kind[row]) == "circle"
            and str(view.bodies[view.body_of("edge", row)]) == body
        ]

    window.stage.select(tuple(rims("foot")))
    window.hold_picked("fixed")
    idle()
    view = session.current("shape")
    window.stage.select(
        (
            (
                "face",
                next(
                    row
                    for row in range(len(view.faces))
                    if str(view.bodies[view.faces.body[row]]) == "bracket"
                    and abs(view.faces.direction[row][2]) > 0.9
                ),
            ),
        )
    )
    window.push_picked("force")
    session.set_value(("loads", 0, "components"), ["0 N", "0 N", "-1 kN"], "a gauge of 100 kg")
    idle()
    for pair in zip(rims("post"), rims("bracket")):
        window.stage.select(pair)
        window.join_picked("bolt")
        idle()
    window.run("modes")
    idle()
    window.sheet.open_station("Mesh")
    window.sheet.cards["Mesh"].close_editor()
    window.stage.show_view("Mode", 0)
    window.stage.playback.set_playing(False)
    window.stage.playback.phase = 0.25
    picture("assembly")
    window.close()
    real.application.quit()


if __name__ == "__main__":
    main()
