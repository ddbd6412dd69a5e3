"""The project: everything stated, checked for sense on its own, with its JSON form."""

from __future__ import annotations

import json
from collections import Counter, deque
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any, Literal

from pydantic import BaseModel, Field, ValidationError, field_validator, model_validator

from labilis.model.earlier_formats import respelt_from_first
from labilis.model.errors import LabilisError
from labilis.model.expressions import evaluate, is_name, number_of
from labilis.model.quantities import (
    BodyName,
    CaseName,
    FileName,
    Leaf,
    Length,
    LoadName,
    MaterialName,
    Names,
    Number,
    Quantity,
    QuantityOf,
    RegionName,
    kind_at,
    label_of,
    leaves,
    mentioned,
    where_of,
)
from labilis.model.recipes import Copies, Cut, MirrorCopy, Place, Recipe, Strut, ends_of
from labilis.model.regions import Region
from labilis.model.report import ReportPlan
from labilis.model.scribes import Scribe
from labilis.model.shown import DEFAULT, UnitsName
from labilis.model.statements import (
    Bolt,
    Lengths,
    Load,
    Material,
    Seam,
    Spring,
    Statement,
    StoredFile,
    Support,
)
from labilis.model.trials import MODE_KINDS, TrialPlan, Variant, is_choice

FORMAT_VERSION: Literal[2] = 2


class Geometry(StoredFile):
    """An imported file: its bytes are kept in the project file under its hash."""


class Release(Statement):
    """A hinge at an end of a strut that is meshed as a line: it does not hand on bending about the
    weak or the strong axis of the section, or twist."""

    end: Literal["start", "end"]
    motions: tuple[Literal["weak", "strong", "twist"], ...] = Field(min_length=1)


class Piece(Statement):
    """One solid or sheet with one material and one way of meshing: a body of an imported file, or a
    recipe that is placed, repeated and cut. Repeated ones are called `leg.1`, `leg.2`, ..."""

    name: str = Field(min_length=1)
    geometry: FileName | None = Field(
        default=None, description="file it comes from, unless it has a recipe"
    )
    body: int = Field(default=1, ge=1, description="number of the body in that file, from 1")
    recipe: Recipe | None = None
    place: Place = Place()
    copies: tuple[Copies, ...] = ()
    cuts: tuple[Cut, ...] = ()
    material: MaterialName | None = None
    mesh_as: Literal["solid", "shell", "line"] = "solid"
    acts_as: Literal["machine part", "member", "stiffener", "closed section"] = Field(
        default="machine part",
        description="decides the required factor; of a closed thin-walled section the trace "
        "decides",
    )
    thickness: Length | None = Field(
        default=None, description="of an imported surface body, whose shells it gives, length"
    )
    releases: tuple[Release, ...] = Field(
        default=(), description="hinges at the ends of a strut that is a line"
    )
    warping: Literal["found", "free", "held"] = Field(
        default="found",
        description="warping of a line at both ends; found: held where a support clamps it or a "
        "stiff hub carries it, "
        "passed on to a strut that goes straight on, else free",
    )
    set_aside: bool = Field(default=False, description="shown as a ghost, carries nothing")

    @model_validator(mode="after")
    def _one_source(self) -> Piece:
        if (self.geometry is None) == (self.recipe is None):
            raise ValueError("a piece comes either from a file or from a recipe")
        if self.recipe is None and (self.copies or self.cuts or self.place != Place()):
            raise ValueError(
                "place, copies and cuts belong to recipes; an imported body stays where its file "
                "puts it"
            )
        if self.mesh_as == "line" and self.recipe is None:
            raise ValueError("only struts made from a recipe can be lines")
        if self.thickness is not None and (self.recipe is not None or self.mesh_as != "shell"):
            raise ValueError("a thickness is stated of imported surfaces that are meshed as shells")
        if self.releases and self.mesh_as != "line":
            raise ValueError("releases belong to struts that are lines")
        if self.warping != "found" and self.mesh_as != "line":
            raise ValueError("warping is stated of struts that are lines")
        return self

    @property
    def line_shape(self) -> str:
        """Shape of the section of a strut that is meshed as a line; '' of anything else."""
        line = self.mesh_as == "line" and isinstance(self.recipe, Strut)
        return self.recipe.section.shape if line else ""  # type: ignore[union-attr]

    @property
    def count(self) -> int:
        """How many of it there are, copies included."""
        total = 1
        for copy in self.copies:
            total *= 2 if isinstance(copy, MirrorCopy) else copy.count
        return total

    @property
    def instances(self) -> tuple[str, ...]:
        """Names of the piece's bodies: its own name, or `leg.1`, `leg.2`, ..."""
        return (
            (self.name,)
            if self.count == 1
            else tuple(f"{self.name}.{number}" for number in range(1, self.count + 1))
        )


class Hub(Statement):
    """A point tied to a region; stiff: the region moves as a rigid body; spread: a load is shared
    out and the region stays flexible. It stands at the region's centre unless `at` says
    otherwise."""

    name: str = Field(min_length=1)
    region: RegionName
    kind: Literal["stiff", "spread"] = "stiff"
    at: Lengths | None = Field(default=None, description="place of the point, lengths")


class CaseLoad(Statement):
    """A load in a case, times a factor."""

    load: LoadName
    factor: Number = "1"


class CasePart(Statement):
    """A load case in a combination, times a factor."""

    case: CaseName
    factor: Number = "1"


class LoadCase(Statement):
    """Loads that act together. Growing ones are multiplied by the factor that is looked for."""

    name: str = Field(min_length=1)
    loads: tuple[CaseLoad, ...] = ()
    combine: tuple[CasePart, ...] = Field(
        default=(), description="other cases whose loads are added, each times a factor"
    )


class MeshZone(Statement):
    """A region with its own element size."""

    region: RegionName
    size: Length


class MeshPlan(Statement):
    """One global size, zones, element order. Without a size the program proposes one from the
    part's walls and makes it finer until the factors are known well enough."""

    size: Length | None = Field(default=None, description="element size, length")
    fineness: Number | None = Field(
        default=None,
        description="how many times shorter than stated or proposed the sides are; found by the "
        "run when neither it nor a size is given",
    )
    within: Number = Field(
        default="2 %",
        description="mesh error of the factors that count, under which the run stays with a mesh",
    )
    order: Literal[1, 2] = Field(
        default=2, description="2 for results; 1 as a draft, always flagged"
    )
    solids: Literal["swept", "tetrahedra"] = Field(
        default="swept",
        description="swept: hexahedra and wedges in solids that are an outline "
        "moved along a line, unless a zone touches them; tetrahedra in all others",
    )
    weld_gap: Length | None = Field(
        default=None,
        description="widest gap under the end of a wall that counts as welded, length; half of the "
        "thinner wall when none is given",
    )
    zones: tuple[MeshZone, ...] = ()


# evidence that doubts what is stated: such models are sometimes meant, with a reason in writing
Doubt = Literal[
    "files read whole",
    "edges for faces",
    "total or each",
    "proportions",
    "material figures",
    "loads in no case",
    "weight",
    "change of temperature",
    "size of the loads",
    "effective length",
    "negative factors",
    "all loads together",
    "held along its length",
    "centred load",
]


class Criteria(Statement):
    """What is asked of the part and how many modes to look for."""

    required_factor: Number = Field(default="3", description="of machine parts")
    member_factor: Number = Field(
        default="15", description="of members, and plates that act as members"
    )
    stiffener_factor: Number = Field(default="3", description="of stiffeners and ribs")
    closed_factor: Number = Field(
        default="1.5", description="of closed thin-walled sections, reached on a trace"
    )
    capacity: Number | None = Field(
        default=None,
        description="asked of what an imperfect part carries, by a trace or by the overall check; "
        "half of the required factor, and at least 1, when none is stated",
    )
    modes: int = Field(default=6, ge=1, le=200)
    sign: Literal["positive", "both"] = "positive"
    second_opinion: bool = Field(
        default=False, description="also solve with the deflection before buckling"
    )
    mesh_error: bool = Field(
        default=True, description="also solve another mesh, to tell how far each factor can be off"
    )
    left_out: dict[Literal["stated right", "computed right", "strength", "capacity"], str] = Field(
        default={},
        description="gates of the verdict that are not asked, each with the reason in writing",
    )
    meant: dict[Doubt, str] = Field(
        default={},
        description="evidence that doubts what is stated, and why it is meant so all the same, in "
        "writing",
    )

    @field_validator("left_out", "meant")
    @classmethod
    def _with_reasons(cls, stated: dict[str, str]) -> dict[str, str]:
        """Without a reason a gate is asked, and a doubt stands."""
        return {
            name: reason.strip()
            for name, reason in stated.items()
            if reason.strip() not in ("", "none given", "no reason given")
        }


class Seed(Statement):
    """A further mode in the starting shape of a trace, with its own amplitude."""

    mode: int = Field(ge=1)
    amplitude: Length = Field(description="length")
    sign: Literal["+", "-"] = "+"


class TracePlan(Statement):
    """How the imperfect part is followed: it starts from a mode's shape with an amplitude (a
    thousandth of the moving length when none is given), at large deflection, until its limit is
    passed, the target factor or the number of steps reached, or the stress has gone `beyond_yield`
    times over the yield strength."""

    mode: int = Field(
        default=1, ge=0, description="mode whose shape is the imperfection; 0 for the part as drawn"
    )
    amplitude: Length | None = Field(default=None, description="length")
    sign: Literal["weaker", "+", "-"] = Field(
        default="weaker",
        description="side to which the shape bows: as it is shown, the other, or "
        "the one that lowers the factor more",
    )
    seeds: tuple[Seed, ...] = Field(default=(), description="further modes in the starting shape")
    modes_at: Number | None = Field(
        default=None,
        description="factor at which the modes about the loaded state are found as well",
    )
    target: Number | None = Field(
        default=None, description="factor to stop at; 1.5 times the first mode's when none is given"
    )
    steps: int = Field(default=40, ge=2, le=500)
    material: Literal["yielding", "elastic"] = Field(
        default="yielding", description="whether pieces yield whose material has a yield strength"
    )
    plastic_strain: Number = Field(
        default="5 %", description="largest plastic strain allowed, where pieces yield"
    )
    residual: Literal["none", "rolled"] = Field(
        default="none",
        description="residual stresses that lines of I sections that yield have to begin with: "
        "those of rolled ones",
    )
    beyond_yield: float = Field(
        default=1.5,
        gt=1.0,
        description="stress over the yield strength at which an elastic trace ends",
    )
    deflection: Length | None = Field(
        default=None,
        description="largest motion allowed, length; a twentieth of the part's size when none is "
        "given",
    )
    strain: Number = Field(
        default="5 %",
        description="largest strain of an elastic trace, where the theory of small strains ends",
    )
    fall: Number = Field(
        default="10 %",
        description="part of its limit by which the path is followed down; over 100 % goes on "
        "under nought",
    )
    first: Number | None = Field(
        default=None,
        description="first step of the factor; a tenth of the first mode's when none is given",
    )
    shortest: Number | None = Field(
        default=None,
        description="step of the factor at which it ends when no balance is found; a 500th of the "
        "first when none is given",
    )
    longest: Number | None = Field(
        default=None,
        description="longest step of the factor under load control; twice the first, or a 20th of "
        "the target, when none is given",
    )
    iterations: int = Field(
        default=20, ge=4, le=100, description="most iterations in a step before it is halved"
    )


class EulerChoice(Statement):
    """Numbers of Euler's check; None takes them from the part and its supports."""

    ends: Literal["found", "fixed-free", "pinned-pinned", "fixed-pinned", "fixed-fixed"] = "found"
    length: Length | None = None


# symbols of hand checks: kinds of quantity, and those that are words
SYMBOL_KINDS = {
    "E": "stress",
    "fy": "stress",
    "A": "area",
    "I": "second moment",
    "L": "length",
    "K": "number",
    "Ncr": "force",
    "c": "length",
    "e": "length",
    "e0": "length",
    "γM1": "number",
    "φc": "number",
    "φ": "number",
    "ν": "number",
    "t": "length",
    "b": "length",
    "R": "length",
}
SYMBOL_WORDS = ("curve", "αb", "edges")


class HandCheck(Statement):
    """A hand check of a piece with numbers typed by hand: values by symbol; what is not typed
    comes from the model."""

    kind: Literal[
        "euler", "johnson", "secant", "perry", "ec3", "aisc", "as4100", "plate", "cylinder"
    ]
    member: BodyName = Field(description="a piece, or one of its copies")
    values: dict[str, Quantity] = Field(default_factory=dict)
    on_ladder: bool = False

    def kind_of(self, field: str, place: str | int) -> str:
        """Kind of quantity of a symbol, '' for one that is a word."""
        return SYMBOL_KINDS.get(str(place), "")

    @model_validator(mode="after")
    def _symbols(self) -> HandCheck:
        for name in self.values:
            if name not in SYMBOL_KINDS and name not in SYMBOL_WORDS:
                raise ValueError(f"'{name}' is no symbol of a hand check")
        return self


_SINGULAR = {
    "parameters": "parameter",
    "geometry": "file",
    "materials": "material",
    "pieces": "piece",
    "scribes": "scribe",
    "regions": "region",
    "hubs": "hub",
    "supports": "support",
    "loads": "load",
    "cases": "load case",
}
CLASS_FACTORS = {
    "machine part": "required_factor",
    "member": "member_factor",
    "stiffener": "stiffener_factor",
    "closed section": "closed_factor",
}


class Project(Statement):
    """All statements of one project. Every change makes a new one."""

    labilis: Literal[2] = FORMAT_VERSION
    name: str = "Untitled"
    scenario: str = Field(default="", description="what the part belongs to, for titles")
    parameters: dict[str, str] = Field(default_factory=dict)
    geometry: tuple[Geometry, ...] = ()
    materials: tuple[Material, ...] = ()
    pieces: tuple[Piece, ...] = ()
    released: tuple[tuple[BodyName, BodyName], ...] = Field(
        default=(), description="pairs of pieces that touch without being joined"
    )
    bolts: tuple[Bolt, ...] = ()
    seams: tuple[Seam, ...] = ()
    scribes: tuple[Scribe, ...] = ()
    regions: tuple[Region, ...] = ()
    hubs: tuple[Hub, ...] = ()
    supports: tuple[Support, ...] = ()
    springs: tuple[Spring, ...] = ()
    loads: tuple[Load, ...] = ()
    cases: tuple[LoadCase, ...] = ()
    mesh: MeshPlan = MeshPlan()
    criteria: Criteria = Criteria()
    euler: EulerChoice = EulerChoice()
    trace: TracePlan = TracePlan()
    report: ReportPlan = ReportPlan()
    units: UnitsName = Field(
        default=DEFAULT,
        description="units in which figures are shown; what was typed stays as it was typed",
    )
    checks: tuple[HandCheck, ...] = ()
    plans: tuple[TrialPlan, ...] = Field(default=(), description="trial plans over the parameters")
    design: str = Field(
        default="first design",
        min_length=1,
        description="name of these statements among the variants",
    )
    variants: tuple[Variant, ...] = Field(
        default=(), description="other designs, each with its own statements"
    )

    @model_validator(mode="after")
    def _consistent(self) -> Project:
        bodies = self._check_names()
        self._check_mentions(bodies)
        for case in self.cases:
            self._circle(case.name, ())
        self._check_standing()
        hubs = self._names(self.hubs)
        for support in self.supports:
            turns = any(motion.startswith("turn") for motion in support.held) and not {
                "x",
                "y",
                "z",
            } <= set(support.held)
            if (
                support.on not in hubs
                and turns
                and all(piece.mesh_as == "solid" for piece in self.pieces)
            ):
                raise ValueError(
                    f"supports/{support.name}: a solid's turns can be held on a hub only"
                )
            if support.on in hubs and support.axes.kind not in ("global", "local"):
                raise ValueError(f"supports/{support.name}: a hub is held in global or local axes")
        return self

    def _check_names(self) -> set[str]:
        """Names of all bodies, copies included. Raises ValueError for a name that means two
        things."""
        for name in self.parameters:
            if not is_name(name):
                raise ValueError(
                    f"parameters: '{name}' cannot be a parameter's name (a word that is not a unit)"
                )
        for field in (
            "materials",
            "pieces",
            "bolts",
            "seams",
            "scribes",
            "regions",
            "hubs",
            "supports",
            "springs",
            "loads",
            "cases",
            "plans",
            "variants",
        ):
            counted = Counter(item.name for item in getattr(self, field))
            if twice := next((name for name, count in counted.items() if count > 1), None):
                raise ValueError(f"{field}: the name '{twice}' is given twice")
        if self.design in self._names(self.variants):
            raise ValueError(f"variants: the name '{self.design}' is given twice")
        pieces = self._names(self.pieces)
        for name in pieces:
            base, dot, number = name.rpartition(".")
            if dot and number.isdigit() and base in pieces:
                raise ValueError(
                    f"pieces: '{name}' is what a copy of '{base}' is called; give it another name"
                )
        bodies = {name for piece in self.pieces for name in piece.instances} | pieces
        if overlap := bodies & self._names(self.scribes):
            raise ValueError(f"scribes: '{min(overlap)}' is the name of a piece as well")
        if overlap := self._names(self.regions) & self._names(self.hubs):
            raise ValueError(f"hubs: '{min(overlap)}' is the name of a region as well")
        return bodies

    def _circle(self, name: str, above: tuple[str, ...]) -> None:
        if name in above:
            raise ValueError(
                f"cases/{name}: the combination contains itself: {' → '.join((*above, name))}"
            )
        for part in next(case for case in self.cases if case.name == name).combine:
            self._circle(part.case, (*above, name))

    def _check_standing(self) -> None:
        """Raises ValueError for pieces that stand on each other in a circle, on an imported body,
        or on an end that is not there."""
        below: dict[str, str] = {}
        recipes = {piece.name: piece.recipe for piece in self.pieces}
        for piece in self.pieces:
            if (on := piece.place.on) is None:
                continue
            below[piece.name] = on.piece
            for name, end in ((on.piece, on.end), (piece.name, on.by)):
                recipe = recipes[name]
                if recipe is not None and end not in ends_of(recipe):
                    raise ValueError(f"pieces/{piece.name}: '{name}' has no {end}")
        free: set[str] = set()
        for name in below:
            chain: dict[str, None] = {}
            while name in below and name not in free:
                if name in chain:
                    raise ValueError(
                        f"pieces/{name}: it stands on itself: {' → '.join((*chain, name))}"
                    )
                chain[name] = None
                name = below[name]
            if recipes[name] is None:
                raise ValueError(
                    f"pieces/{next(iter(chain))}: '{name}' is imported; only what stands on a "
                    "recipe moves with it"
                )
            free |= set(chain)

    @staticmethod
    def _names(items: Sequence[Any]) -> set[str]:
        return {item.name for item in items}

    def _check_mentions(self, bodies: set[str]) -> None:
        """Raises ValueError for a mention of something that is not there."""
        there = {
            field: self._names(getattr(self, field))
            for field in _SINGULAR
            if field not in ("geometry", "parameters")
        }
        there |= {
            "geometry": {item.file for item in self.geometry},
            "parameters": set(self.parameters),
        }
        for leaf in self.names():
            lists, form = leaf.mark.to, leaf.mark.form  # type: ignore[union-attr]
            name = mentioned(leaf.text, form)
            if form in ("body", "face"):
                known = name in bodies or any(name in there[field] for field in lists)
            elif form == "place":
                lists = (
                    ("pieces",)
                    if leaf.text.startswith("pieces/")
                    else ("parameters",)
                    if not is_choice(leaf.text)
                    else ()
                )
                known = not lists or name in there[lists[0]]
            else:
                known = any(name in there[field] for field in lists) or (
                    form == "share" and name in MODE_KINDS
                )
            if not known:
                what = " or ".join(
                    [
                        *(_SINGULAR[field] for field in lists),
                        *(["kind of mode"] if form == "share" else []),
                    ]
                )
                raise ValueError(
                    f"{where_of(self, leaf.path[: 3 if leaf.path[0] == 'mesh' else 2])}: there is "
                    f"no {what} called '{name}'"
                )

    # --- reading values
    # ----------------------------------------------------------------------------------------------
    def value(self, text: str, kind: str, where: str = "") -> float:
        """Kernel number of a quantity stated in this project (see `expressions.number_of`)."""
        values, numbers = _known(self.parameters)
        found = numbers.get((text, kind))
        if found is None:
            found = numbers[text, kind] = number_of(text, kind, self.parameters, where, values)
        return found

    @property
    def stored_files(self) -> tuple[StoredFile, ...]:
        """Every file that the statements name: imported parts, then the logo and the pictures of
        the report."""
        logo = () if self.report.logo is None else (self.report.logo,)
        return (*self.geometry, *logo, *self.report.pictures)

    def with_hashes(self, known: Mapping[str, str]) -> Project:
        """The same with the hash of each file by its name, where it is known."""

        def told(item: Any) -> Any:
            return (
                item
                if item is None
                else item.model_copy(update={"sha256": known.get(item.file, item.sha256)})
            )

        report = self.report.model_copy(
            update={
                "logo": told(self.report.logo),
                "pictures": tuple(map(told, self.report.pictures)),
            }
        )
        return self.model_copy(
            update={"geometry": tuple(map(told, self.geometry)), "report": report}
        )

    @property
    def active_pieces(self) -> tuple[Piece, ...]:
        """Pieces that carry load."""
        return tuple(piece for piece in self.pieces if not piece.set_aside)

    def required_of(self, piece: str) -> float:
        """Factor that a mode driven by a piece must reach; of a closed section the factor that a
        trace must."""
        return self.value(
            getattr(self.criteria, CLASS_FACTORS[self.named("pieces", piece).acts_as]), "number"
        )

    def piece_of(self, body: str) -> str:
        """Piece that a body belongs to: copies and patches of an imported sheet are numbered
        after its name."""
        return body if any(piece.name == body for piece in self.pieces) else body.rsplit(".", 1)[0]

    def case(self, name: str) -> LoadCase:
        """A load case by its name."""
        for case in self.cases:
            if case.name == name:
                return case
        raise LabilisError(
            f"There is no load case called '{name}'.",
            "cases",
            "The project has: " + (", ".join(c.name for c in self.cases) or "none") + ".",
            "no-case",
        )

    def case_loads(self, name: str, factor: float = 1.0) -> list[tuple[str, float]]:
        """(load, factor) of everything that acts in a case, combinations followed; a load that
        comes twice is added up."""
        case = self.case(name)
        found: dict[str, float] = {}
        entries = [
            (entry.load, factor * self.value(entry.factor, "number")) for entry in case.loads
        ]
        for part in case.combine:
            entries += self.case_loads(part.case, factor * self.value(part.factor, "number"))
        for load, amount in entries:
            found[load] = found.get(load, 0.0) + amount
        return list(found.items())

    def named(self, field: str, name: str) -> Any:
        """Item of a list of named statements, such as ``named('regions', 'foot eye')``."""
        for item in getattr(self, field):
            if item.name == name:
                return item
        raise LabilisError(
            f"There is no '{name}' in {field}.", field, "It may have been removed.", "missing-name"
        )

    def target_region(self, on: str) -> Region:
        """The region a support or load acts on, through its hub if it names one."""
        for hub in self.hubs:
            if hub.name == on:
                on = hub.region
        return self.named("regions", on)

    def quantities(self) -> Iterator[tuple[Leaf, str]]:
        """(leaf, kind) of every quantity that is stated, in the order of the statements."""
        return (
            (leaf, kind)
            for leaf in leaves(self)
            if isinstance(leaf.mark, QuantityOf) and (kind := leaf.kind)
        )

    def names(self) -> Iterator[Leaf]:
        """Every mention of something by its name."""
        return (leaf for leaf in leaves(self) if isinstance(leaf.mark, Names))

    def number(self, statement: Statement, field: str, where: str = "") -> float:
        """Kernel number of the quantity in a field of one of its statements, whose kind the
        field knows."""
        text = getattr(statement, field)
        if text is None:
            owner = label_of(statement)
            said = f"{owner + ': the' if owner else 'The'} {field.replace('_', ' ')} is not given."
            raise LabilisError(said, where, "State it.", "missing")
        return self.value(text, kind_at(statement, field), where)

    def number_if(self, statement: Statement, field: str, where: str = "") -> float | None:
        """The same, None where nothing is stated."""
        return None if getattr(statement, field) is None else self.number(statement, field, where)

    def numbers(self, statement: Statement, field: str, where: str = "") -> list[float]:
        """Kernel numbers of the quantities in a field, in their order; none where nothing is
        stated."""
        kind = kind_at(statement, field)
        return [self.value(text, kind, where) for text in getattr(statement, field) or ()]

    def evaluated(self, statement: BaseModel, without: Iterable[str] = ()) -> dict[str, Any]:
        """A statement's JSON form, with kernel numbers in place of its quantities: what it
        means, however it is written."""
        left = set(without)
        data = statement.model_dump(mode="json", exclude=left)
        for leaf in leaves(statement):
            if (
                leaf.path[0] not in left
                and isinstance(leaf.mark, QuantityOf)
                and (kind := leaf.kind)
            ):
                place: Any = data
                for step in leaf.path[:-1]:
                    place = place[step]
                place[leaf.path[-1]] = self.value(leaf.text, kind)
        return data

    # --- changing
    # ----------------------------------------------------------------------------------------------
    def changed(self, **fields: Any) -> Project:
        """A copy with fields replaced, checked again; quantities are evaluated so that a bad one
        is refused here."""
        stated = {**self.model_dump(), **{key: _plain(value) for key, value in fields.items()}}
        return load_project(stated, self)

    def with_item(self, field: str, item: Any) -> Project:
        """A copy with a named statement added or, if the name exists, replaced in its place."""
        items = list(getattr(self, field))
        for index, old in enumerate(items):
            if old.name == item.name:
                items[index] = item
                break
        else:
            items.append(item)
        return self.changed(**{field: items})

    def without_item(self, field: str, name: str) -> Project:
        """A copy without a named statement; what refers to it must be gone already."""
        return self.changed(**{field: [item for item in getattr(self, field) if item.name != name]})

    def with_value(self, path: tuple[str | int, ...], value: Any) -> Project:
        """A copy with one value replaced, given by its path in the JSON form: ``('materials', 0,
        'density')``."""
        return load_project(put_at(self.model_dump(), path, value), self)

    def free_name(self, field: str, base: str) -> str:
        """A name that is not taken yet: 'push', 'push 2', ..."""
        taken = self._names(getattr(self, field)) | (
            self._names(self.hubs) if field == "regions" else set()
        )
        name, count = base, 1
        while name in taken:
            count += 1
            name = f"{base} {count}"
        return name

    def to_json(self, indent: int | None = 2) -> str:
        """The text form, stable in order, without what is left at its default; in one line with
        no indent, which takes a third of the time."""
        data = _with_kinds(
            self.model_dump(mode="json"), self.model_dump(mode="json", exclude_defaults=True)
        )
        stated = {"labilis": FORMAT_VERSION, **data}
        return json.dumps(stated, indent=indent, ensure_ascii=False) + "\n"


def _with_kinds(whole: Any, short: Any) -> Any:
    """`short` with the `kind` tags put back that tell statements of one list apart."""
    if isinstance(short, dict) and isinstance(whole, dict):
        tag = {"kind": whole["kind"]} if "kind" in whole else {}
        return {**tag, **{key: _with_kinds(whole[key], value) for key, value in short.items()}}
    if isinstance(short, list):
        return [_with_kinds(a, b) for a, b in zip(whole, short)]
    return short


def _plain(value: Any) -> Any:
    if isinstance(value, Statement):
        return value.model_dump()
    if isinstance(value, list | tuple):
        return [
            _plain(item) if not isinstance(item, Region) else item.model_dump() for item in value
        ]
    return value


def put_at(node: Any, path: tuple[str | int, ...], value: Any) -> Any:
    """A JSON form with one value replaced; the form itself stays as it was."""
    if not path:
        return value
    step = path[0]
    if isinstance(node, dict):
        return {**node, step: put_at(node.get(step), path[1:], value)}
    items = list(node)
    items[int(step)] = put_at(items[int(step)], path[1:], value)
    return items


def _first_message(error: ValidationError) -> tuple[str, str]:
    details = error.errors()[0]
    place = "/".join(str(step) for step in details["loc"])
    message = details["msg"].removeprefix("Value error, ")
    if details["type"] == "extra_forbidden":
        message = "this key is not known"
    elif details["type"] == "missing":
        message = "this is missing"
    head, _, tail = message.partition(": ")
    if not place and tail and " " not in head.split("/")[0]:
        return head, tail
    return place, message


_Numbers = dict[tuple[str, str], float]
_values: deque[tuple[dict[str, str], dict[str, Any], _Numbers]] = deque(maxlen=8)


def _known(parameters: dict[str, str]) -> tuple[dict[str, Any], _Numbers]:
    """(values of a project's parameters, numbers of the texts that were evaluated with them).
    Parameters are never changed in place: what is known goes by the very object, which is kept as
    well."""
    for stated, values, numbers in tuple(_values):
        if stated is parameters:
            return values, numbers
    fresh: tuple[dict[str, Any], _Numbers] = {}, {}
    _values.append((parameters, *fresh))
    return fresh


def _sharing(project: Project, before: Project) -> Project:
    """The project with the very objects of the one `before` for what is stated alike: what is
    known of them need not be found again."""
    kept: dict[str, Any] = {}
    for name in Project.model_fields:
        now, then = getattr(project, name), getattr(before, name)
        if now == then and (not isinstance(now, dict) or list(now) == list(then)):
            kept[name] = then
        elif isinstance(now, tuple):
            kept[name] = tuple(
                then[k] if k < len(then) and item == then[k] else item for k, item in enumerate(now)
            )
    return project.model_copy(update=kept)


def _leaves_beside(project: Project, known: Project | None) -> Iterator[Leaf]:
    """Marked texts of the project that are not in the very statements of the one that is known."""
    if known is None:
        yield from leaves(project)
        return
    for name in Project.model_fields:
        now, then = getattr(project, name), getattr(known, name)
        if now is then:
            continue
        if not isinstance(now, tuple) or not all(isinstance(item, Statement) for item in now):
            yield from (leaf for leaf in leaves(project) if leaf.path[0] == name)
            continue
        there = {id(item) for item in then}
        for number, item in enumerate(now):
            if id(item) not in there:
                yield from leaves(item, (name, number))


def _check_quantities(project: Project, before: Project | None) -> None:
    """Raises LabilisError for a parameter or a quantity that cannot be evaluated. Those of the
    project `before` were evaluated when it was made, with the parameters there are."""
    for name in project.parameters:
        try:
            evaluate(name, project.parameters, _known(project.parameters)[0])
        except LabilisError as error:
            raise LabilisError(
                error.what, error.where or f"parameters/{name}", error.remedy, error.code
            ) from error
    known = before if before is not None and project.parameters is before.parameters else None
    for leaf in _leaves_beside(project, known):
        kind = leaf.kind if isinstance(leaf.mark, QuantityOf) else ""
        if not kind:
            continue
        try:
            project.value(leaf.text, kind)
        except LabilisError:
            project.value(
                leaf.text, kind, where_of(project, leaf.path)
            )  # said again, with its place


def load_project(data: Any, before: Project | None = None) -> Project:
    """Project of a JSON form (text, bytes or parsed); every quantity is evaluated once so that a
    bad one is refused. What is stated as in the project `before` is the same object."""
    if isinstance(data, str | bytes):
        try:
            data = json.loads(data)
        except (ValueError, RecursionError) as error:
            raise LabilisError(
                f"This is not JSON ({error}).", remedy="Check the file.", code="json"
            ) from error
    if _format_of(data) == 1:
        return _from_first(data)
    try:
        project = Project.model_validate(data)
    except ValidationError as error:
        where, message = _first_message(error)
        raise LabilisError(
            message[:1].upper() + message[1:] + ".", where, "Correct it in the model.", "model"
        ) from error
    if before is not None:
        project = _sharing(project, before)
    _check_quantities(project, before)
    for item in project.materials:
        _check_material(project, item)
    _check_sizes(project)
    _check_trace(project)
    for variant in project.variants:
        try:
            statements_of(variant)
        except LabilisError as error:
            raise LabilisError(
                error.what, f"variants/{variant.name}/{error.where}", error.remedy, error.code
            ) from error
    return project


def _format_of(data: Any) -> int:
    """1, or that of today; raises LabilisError for any other."""
    told = data.get("labilis", FORMAT_VERSION) if isinstance(data, dict) else FORMAT_VERSION
    if told not in (1, FORMAT_VERSION) or isinstance(told, bool):
        raise LabilisError(
            f"Model format {told!r} is not known to this version.",
            "labilis",
            f"This program reads formats 1 to {FORMAT_VERSION}; a newer Labilis may have written "
            "the file.",
            "version",
        )
    return int(told)


def _from_first(data: dict[str, Any]) -> Project:
    """Project of statements of format 1."""
    variants = data.get("variants", ())
    if isinstance(variants, list):
        data = data | {"variants": [_variant_from_first(item) for item in variants]}
    project = load_project(data | {"labilis": FORMAT_VERSION})
    told = project.model_dump()
    changes = list(respelt_from_first(project))
    for path, text in changes:
        told = put_at(told, path, text)
    return load_project(told) if changes else project


def _variant_from_first(item: Any) -> Any:
    """A design of its own is of the format of its project."""
    if not isinstance(item, dict) or not isinstance(item.get("statements"), dict):
        return item  # refused where the project is read
    stated = item["statements"] | {"labilis": FORMAT_VERSION}
    try:
        project = _from_first(stated)
    except LabilisError:
        return item | {"statements": stated}  # told where the project is read, with its place
    if project == load_project(stated):
        return item | {"statements": stated}
    return item | {"statements": project.model_dump(mode="json", include=set(stated))}


def statements_of(variant: Variant) -> Project:
    """The design of a variant, without plans and other variants. Raises LabilisError where it is
    not one."""
    if nested := {"plans", "variants"} & set(variant.statements):
        raise LabilisError(
            f"A variant has {min(nested)} of its own.",
            min(nested),
            "Leave them out: they belong to the project.",
            "model",
        )
    return _stated_apart(json.dumps(variant.statements))


@lru_cache(maxsize=64)
def _stated_apart(text: str) -> Project:
    """Statements of a variant; they are looked at again with every edit of the project."""
    return load_project(text)


def _check_material(project: Project, item: Material) -> None:
    where = f"materials/{item.name}"
    for field in ("youngs_modulus", "density", "yield_strength"):
        kind = "density" if field == "density" else "stress"
        if (text := getattr(item, field)) is not None and project.value(text, kind, where) <= 0:
            raise LabilisError(
                f"'{text}' is not above zero.",
                f"{where}/{field}",
                "Give a positive value.",
                "material",
            )
    if item.poisson_ratio is not None:
        ratio = project.value(item.poisson_ratio, "number", where)
        if not -1 < ratio < 0.495:
            raise LabilisError(
                f"Poisson ratio {item.poisson_ratio} cannot be used: it must lie above -1 and "
                "under 0.495.",
                f"{where}/poisson_ratio",
                "At 0.5 the material keeps its volume and these elements lock; "
                "metals lie near 0.3.",
                "poisson",
            )


def _check_trace(project: Project) -> None:
    ranges = {
        "strain": (1e-4, 1.0),
        "fall": (1e-3, 10.0),
        "first": (0.0, 1e9),
        "shortest": (0.0, 1e9),
        "longest": (0.0, 1e9),
    }
    for field, (low, high) in ranges.items():
        text = getattr(project.trace, field)
        if text is not None and not low < project.value(text, "number", f"trace/{field}") <= high:
            raise LabilisError(
                f"'{text}' does not lie between {low:g} and {high:g}.",
                f"trace/{field}",
                "Give a number in that range.",
                "trace",
            )


def _check_sizes(project: Project) -> None:
    sizes = [("mesh/size", project.mesh.size)] + [
        (f"mesh/zones/{z.region}", z.size) for z in project.mesh.zones
    ]
    for where, text in sizes:
        if text is not None and project.value(text, "length", where) <= 0:
            raise LabilisError(
                f"An element size of '{text}' is not above zero.",
                where,
                "Give a positive length.",
                "size",
            )
    if (
        project.mesh.fineness is not None
        and not 0.1 <= project.value(project.mesh.fineness, "number", "mesh/fineness") <= 20
    ):
        raise LabilisError(
            f"A fineness of '{project.mesh.fineness}' is not between 0.1 and 20.",
            "mesh/fineness",
            "Give a number in that range, or an element size.",
            "size",
        )
    if not 1e-4 <= project.value(project.mesh.within, "number", "mesh/within") <= 0.5:
        raise LabilisError(
            f"A mesh error of '{project.mesh.within}' is not between 0.01 % and 50 %.",
            "mesh/within",
            "2 % is usual.",
            "size",
        )
    if (
        project.mesh.weld_gap is not None
        and project.value(project.mesh.weld_gap, "length", "mesh/weld_gap") < 0
    ):
        raise LabilisError(
            f"A weld gap of '{project.mesh.weld_gap}' is below zero.",
            "mesh/weld_gap",
            "Give a length of zero or more.",
            "size",
        )
    for field in (*CLASS_FACTORS.values(), "capacity"):  # under nought everything would pass
        asked = project.number_if(project.criteria, field)
        if asked is not None and not asked > 0:
            raise LabilisError(
                f"The {field.replace('_', ' ')} must be above zero.",
                f"criteria/{field}",
                "3 is usual for a machine part.",
                "criteria",
            )
    if project.euler.length is not None and project.value(project.euler.length, "length") <= 0:
        raise LabilisError(
            "The free length must be above zero.",
            "euler/length",
            "Give a positive length.",
            "euler",
        )


def json_schema() -> dict[str, Any]:
    """JSON Schema of the text form, generated from the statements."""
    schema = Project.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Labilis model"
    return schema
