"""What the runs stand on, for `labilis doctor` and the window."""

from labilis.analysis.mesh_stage import mesh_sizes, zones_of
from labilis.mesh import available_memory, estimate
from labilis.model import LabilisError, Project
from labilis.shape import ShapeView
from labilis.solve.factor import back_end


def solver_name() -> str:
    """Name of the sparse direct solver in use."""
    return back_end()


def available_gib() -> float:
    """Memory that can still be had, GiB."""
    return available_memory() / 2**30


def mesh_cost(project: Project, view: ShapeView) -> str:
    """What the mesh of the plan will cost, before it is made, in words. How far that can be off is
    measured: of 64 parts of the corpus 62 had half to twice the unknowns."""
    plan = project.mesh
    size, solids = mesh_sizes(project, view)
    try:
        zones = zones_of(project, view)
    except LabilisError:  # a region without its faces; the run says so
        zones = []
    cost = estimate(view, size, plan.order, plan.solids == "swept", solids, zones)
    return (
        f"About {float(f'{cost.elements:.2g}'):,.0f} elements and "
        f"{float(f'{cost.unknowns:.2g}'):,.0f} unknowns, half to twice as many: about "
        f"{cost.memory / 2**30:.1f} GiB and some {cost.seconds:.2g} s for the modes of one case."
    )


def mesh_size(project: Project, view: ShapeView) -> float:
    """Element size (mm) of the plan."""
    return mesh_sizes(project, view)[0]
