"""What the runs stand on, for `labilis doctor` and the window."""
from labilis.mesh import available_memory, proposed_size
from labilis.shape import ShapeView
from labilis.solve.factor import back_end


def solver_name() -> str:
    """Name of the sparse direct solver in use."""
    return back_end()


def available_gib() -> float:
    """Memory that can still be had, GiB."""
    return available_memory() / 2**30


def proposed_mesh_size(view: ShapeView) -> float:
    """Element size (mm) the program would take for a part."""
    return proposed_size(view)
