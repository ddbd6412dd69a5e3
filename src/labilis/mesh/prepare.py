"""Compiles what the meshing of solids needs, so that nobody waits for it at the first part:
python -m labilis.mesh.prepare, at set-up."""

from __future__ import annotations

from labilis.mesh.slivers import compiled
from labilis.mesh.tetrahedra import mesh_body
from labilis.model import Project
from labilis.shape import build_part


def prepare() -> None:
    """Mesh a small block and a small tube; the compiled code is kept beside the source, or in
    the user's cache."""
    for recipe in (
        {"kind": "block", "width": "9 mm", "height": "6 mm", "depth": "3 mm"},
        {
            "kind": "strut",
            "length": "9 mm",
            "section": {"shape": "round tube", "diameter": "6 mm", "thickness": "1 mm"},
        },
    ):
        project = Project.model_validate(
            {"pieces": [{"name": "small", "recipe": recipe, "mesh_as": "solid"}]}
        )
        mesh_body(build_part(project, {}).solids[0], 2.0)
    compiled()


if __name__ == "__main__":
    prepare()
