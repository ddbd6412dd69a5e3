"""Materials, supports and loads: what an engineer says about a part. All quantities are texts
with units."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

from labilis.model.quantities import (
    Acceleration,
    Angle,
    BodyName,
    Density,
    Expansion,
    Force,
    Length,
    LineForce,
    Moment,
    Number,
    PieceName,
    Quantity,
    RegionName,
    Stress,
    SupportName,
    TargetName,
    Temperature,
)

Lengths = tuple[Length, Length, Length]
Number3 = tuple[float, float, float]


class Statement(BaseModel):
    """Frozen base of everything stated; unknown keys are refused so that a slip of the pen is
    seen."""

    model_config = ConfigDict(frozen=True, extra="forbid")


class StoredFile(Statement):
    """A file whose bytes are kept in the project file under their hash."""

    file: str = Field(description="file name as imported, without folders")
    sha256: str = Field(default="", description="hash of the bytes; filled in when read")

    @field_validator("file")
    @classmethod
    def _is_a_name(cls, name: str) -> str:
        """Files are written under this name: it must not lead into another folder."""
        if (
            name in ("", ".", "..")
            or len(name.encode("utf-8", "replace")) > 240
            or any(c in "/\\" or ord(c) < 32 for c in name)
        ):
            raise ValueError(f"a file is named without folders, and not {name[:60]!r}")
        return name


class Material(Statement):
    """Linear isotropic material. A run says which of these it needs and does not start without
    them."""

    name: str = Field(min_length=1)
    youngs_modulus: Stress | None = Field(default=None, description="stress")
    poisson_ratio: Number | None = Field(default=None, description="number")
    density: Density | None = Field(default=None, description="density")
    yield_strength: Stress | None = Field(default=None, description="stress")
    expansion: Expansion | None = Field(default=None, description="thermal expansion per kelvin")
    hardening: tuple[tuple[Number, Stress], ...] = Field(
        default=(),
        description="points of plastic strain and stress beyond the yield strength; "
        "without them stress stays at the yield strength",
    )
    source: str = Field(default="", description="where the values come from")


class GlobalAxes(Statement):
    """Motions x, y, z (and turn_x, turn_y, turn_z on a hub) of the project's own axes."""

    kind: Literal["global"] = "global"


class LocalAxes(Statement):
    """Axes given by the direction of x and a second direction that fixes the plane of x and y."""

    kind: Literal["local"] = "local"
    x_axis: Number3
    xy_plane: Number3


class NormalAxes(Statement):
    """The face's own normal at every node: motion `normal`, free along the face."""

    kind: Literal["normal"] = "normal"


class CylindricalAxes(Statement):
    """Motions radial, tangential, axial round an axis: the region's own cylinder, or one given
    here (mm)."""

    kind: Literal["cylindrical"] = "cylindrical"
    origin: Number3 | None = None
    axis: Number3 | None = None

    @model_validator(mode="after")
    def _both(self) -> CylindricalAxes:
        if (self.origin is None) != (self.axis is None):
            raise ValueError("an axis needs both its origin and its direction, or neither")
        return self


class SymmetryAxes(Statement):
    """A plane of symmetry square to x, y or z, in which the part was cut: nothing moves across
    it and nothing turns out of it."""

    kind: Literal["symmetry"] = "symmetry"
    normal: Literal["x", "y", "z"]


Axes = Annotated[
    GlobalAxes | LocalAxes | NormalAxes | CylindricalAxes | SymmetryAxes,
    Field(discriminator="kind"),
]

MOTIONS: dict[str, tuple[str, ...]] = {
    "global": ("x", "y", "z"),
    "local": ("x", "y", "z"),
    "normal": ("normal",),
    "cylindrical": ("radial", "tangential", "axial"),
    "symmetry": ("symmetry",),
}
TURNS: dict[str, tuple[str, ...]] = {
    "global": ("turn_x", "turn_y", "turn_z"),
    "local": ("turn_x", "turn_y", "turn_z"),
    "normal": (),
    "cylindrical": (),
    "symmetry": (),
}


class Support(Statement):
    """Holds motions of a region or of a hub. Turns can be held on a hub and on a region of
    shells."""

    name: str = Field(min_length=1)
    on: TargetName = Field(description="a region's or a hub's name")
    axes: Axes = GlobalAxes()
    held: tuple[str, ...] = Field(
        min_length=1, description="motions held, such as x, y, z, radial, turn_z"
    )

    @model_validator(mode="after")
    def _known(self) -> Support:
        allowed = MOTIONS[self.axes.kind] + TURNS[self.axes.kind]
        for motion in self.held:
            if motion not in allowed:
                raise ValueError(
                    f"motion '{motion}' does not exist in {self.axes.kind} axes (there are "
                    f"{', '.join(allowed)})"
                )
        if len(set(self.held)) != len(self.held):
            raise ValueError("a motion is held twice")
        return self


Growth = Literal["growing", "held"]


class Tilt(Statement):
    """A force turned a little from its stated direction, toward an axis of the project."""

    angle: Angle
    toward: Literal["x", "y", "z"]


class ForceLoad(Statement):
    """A force on a region or hub: by components, or along the region's normal (positive pushes
    into the part)."""

    kind: Literal["force"] = "force"
    name: str = Field(min_length=1)
    on: TargetName
    components: tuple[Force, Force, Force] | None = Field(
        default=None, description="force in x, y, z"
    )
    normal: Force | None = Field(
        default=None, description="force along the normal, positive pushing into the part"
    )
    share: Literal["total", "each"] = Field(
        default="total", description="total over the region, or on each face or edge"
    )
    tilt: Tilt | None = Field(
        default=None, description="misalignment: the force keeps its size and leans over"
    )
    offset: Lengths | None = Field(
        default=None, description="misalignment: how far from its hub the force acts, lengths"
    )
    growth: Growth = "growing"

    @model_validator(mode="after")
    def _one_way(self) -> ForceLoad:
        if (self.components is None) == (self.normal is None):
            raise ValueError("a force is given either by its components or along the normal")
        if self.components is None and (self.tilt is not None or self.offset is not None):
            raise ValueError("tilt and offset belong to a force given by its components")
        return self


class PressureLoad(Statement):
    """Pressure on faces, positive pushing into the part. `direction` fixed keeps the undeformed
    normal, following stays square to the moving surface as a fluid's pressure does."""

    kind: Literal["pressure"] = "pressure"
    name: str = Field(min_length=1)
    on: TargetName
    pressure: Stress
    direction: Literal["fixed", "following"] = "fixed"
    growth: Growth = "growing"


class LineLoad(Statement):
    """Force per length along edges, by components."""

    kind: Literal["line"] = "line"
    name: str = Field(min_length=1)
    on: TargetName
    components: tuple[LineForce, LineForce, LineForce] = Field(
        description="force per length in x, y, z"
    )
    growth: Growth = "growing"


class MomentLoad(Statement):
    """Moment on a hub, or shared along an edge of shells, by components."""

    kind: Literal["moment"] = "moment"
    name: str = Field(min_length=1)
    on: TargetName
    components: tuple[Moment, Moment, Moment] = Field(description="moment about x, y, z")
    growth: Growth = "growing"


class WeightLoad(Statement):
    """The mass of pieces (all when none is named) under an acceleration: self-weight is 9.81
    m/s^2 downward."""

    kind: Literal["weight"] = "weight"
    name: str = Field(min_length=1)
    acceleration: tuple[Acceleration, Acceleration, Acceleration] = (
        "0 m/s^2",
        "0 m/s^2",
        "-9.81 m/s^2",
    )
    pieces: tuple[PieceName, ...] = ()
    growth: Growth = "growing"


class TemperatureLoad(Statement):
    """Even change of temperature of pieces (all when none is named); what the supports keep from
    growing is stressed."""

    kind: Literal["temperature"] = "temperature"
    name: str = Field(min_length=1)
    change: Temperature = Field(description="temperature difference")
    pieces: tuple[PieceName, ...] = ()
    growth: Growth = "growing"


class MoveLoad(Statement):
    """Prescribed displacement: the motions that a support holds are moved by these amounts
    instead of staying at rest."""

    kind: Literal["move"] = "move"
    name: str = Field(min_length=1)
    support: SupportName = Field(description="name of the support that moves")
    components: Lengths = Field(description="displacement in x, y, z; only held directions count")
    growth: Growth = "growing"


Load = Annotated[
    ForceLoad | PressureLoad | LineLoad | MomentLoad | WeightLoad | TemperatureLoad | MoveLoad,
    Field(discriminator="kind"),
]


class Spring(Statement):
    """Springs to ground on a region or hub, by direction. `per` total shares the stiffness over the
    region, area makes it a foundation (stiffness per area) on faces; turns belong to hubs."""

    name: str = Field(min_length=1)
    on: TargetName
    per: Literal["total", "area"] = "total"
    x: Quantity | None = None
    y: Quantity | None = None
    z: Quantity | None = None
    normal: Quantity | None = Field(default=None, description="square to a face")
    turn_x: Quantity | None = None
    turn_y: Quantity | None = None
    turn_z: Quantity | None = None

    @model_validator(mode="after")
    def _some(self) -> Spring:
        if not self.values():
            raise ValueError("a spring needs a stiffness in some direction")
        if self.per == "area" and any(motion.startswith("turn") for motion, _, _ in self.values()):
            raise ValueError("a foundation has no turning stiffness")
        return self

    def kind_of(self, field: str, place: str | int) -> str:
        """Kind of quantity of a motion's stiffness."""
        return (
            "turn stiffness"
            if field.startswith("turn")
            else "foundation"
            if self.per == "area"
            else "stiffness"
        )

    def values(self) -> list[tuple[str, str, str]]:
        """(motion, text, kind of quantity) of what is given."""
        found = []
        for motion in ("x", "y", "z", "normal", "turn_x", "turn_y", "turn_z"):
            text = getattr(self, motion)
            if text is not None:
                found.append((motion, text, self.kind_of(motion, motion)))
        return found


BoltGrade = Literal["4.6", "4.8", "5.6", "5.8", "6.8", "8.8", "10.9"]


class Bolt(Statement):
    """A bolt through bores of two or more pieces, in their order along it or in any other. What
    it carries is held against EN 1993-1-8."""

    name: str = Field(min_length=1)
    through: tuple[RegionName, ...] = Field(
        min_length=2, description="regions, each a bore or the edge of a hole"
    )
    diameter: Length = Field(description="nominal diameter of the thread, length")
    grade: BoltGrade = "8.8"
    faces: Literal["bonded", "apart"] = Field(
        default="bonded",
        description="whether faces of its pieces that touch are joined besides; apart: only bolted",
    )
    turning: Literal["free", "held"] = Field(
        default="free",
        description="turn of the pieces on each other about the bolt: free, or held "
        "by friction under its head",
    )
    edge: Length | None = Field(
        default=None,
        description="least distance from the bolt to an edge of a piece, length; 1.2 bores when "
        "none is "
        "given, the least that EN 1993-1-8 allows",
    )

    @field_validator("through")
    @classmethod
    def _once(cls, through: tuple[str, ...]) -> tuple[str, ...]:
        if len(set(through)) != len(through):
            raise ValueError("a bolt goes through each bore once")
        return through


class Seam(Statement):
    """A weld along edges of one piece on another: those edges are joined, the faces beside them
    only touch."""

    name: str = Field(min_length=1)
    along: RegionName = Field(description="region of the edges")
    to: BodyName = Field(description="piece that they are welded to")
