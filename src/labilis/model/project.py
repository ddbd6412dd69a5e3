"""The project: everything stated, checked for sense on its own, with its JSON form."""
from __future__ import annotations

import json
from collections import deque
from collections.abc import Sequence
from functools import lru_cache
from typing import Any, Literal

from pydantic import Field, ValidationError, field_validator, model_validator

from labilis.model.errors import LabilisError
from labilis.model.expressions import evaluate, is_name, number_of
from labilis.model.recipes import Copies, Cut, MirrorCopy, Place, Recipe, recipe_quantities
from labilis.model.regions import Region
from labilis.model.report import ReportPlan
from labilis.model.scribes import Scribe
from labilis.model.statements import Bolt, Load, Material, Seam, Spring, Statement, Support, Text3
from labilis.model.trials import MODE_KINDS, TrialPlan, Variant, is_choice

FORMAT_VERSION: Literal[1] = 1


class Geometry(Statement):
    """An imported file: its bytes are kept in the project file under this hash."""

    file: str = Field(description="file name as imported, without folders")
    sha256: str = Field(default="", description="hash of the bytes; filled in when read")

    @field_validator("file")
    @classmethod
    def _is_a_name(cls, name: str) -> str:
        """Files are written under this name: it must not lead into another folder."""
        if name in ("", ".", "..") or len(name.encode("utf-8", "replace")) > 240 or any(c in "/\\" or ord(c) < 32 for c in name):
            raise ValueError(f"a geometry file is named without folders, and not {name[:60]!r}")
        return name


class Release(Statement):
    """A hinge at an end of a strut that is meshed as a line: it does not hand on bending about the weak or the strong axis of the
    section, or twist."""

    end: Literal["start", "end"]
    motions: tuple[Literal["weak", "strong", "twist"], ...] = Field(min_length=1)


class Piece(Statement):
    """One solid or sheet with one material and one way of meshing: a body of an imported file, or a recipe that is placed, repeated
    and cut. Repeated ones are called `leg.1`, `leg.2`, ..."""

    name: str = Field(min_length=1)
    geometry: str | None = Field(default=None, description="file it comes from, unless it has a recipe")
    body: int = Field(default=1, ge=1, description="number of the body in that file, from 1")
    recipe: Recipe | None = None
    place: Place = Place()
    copies: tuple[Copies, ...] = ()
    cuts: tuple[Cut, ...] = ()
    material: str | None = None
    mesh_as: Literal["solid", "shell", "line"] = "solid"
    acts_as: Literal["machine part", "member", "stiffener", "closed section"] = Field(
        default="machine part", description="decides the required factor; of a closed thin-walled section the trace decides")
    thickness: str | None = Field(default=None, description="of an imported surface body, whose shells it gives, length")
    releases: tuple[Release, ...] = Field(default=(), description="hinges at the ends of a strut that is a line")
    warping: Literal["found", "free", "held"] = Field(
        default="found", description="warping of a line at both ends; found: held where a support clamps it or a stiff hub carries it, "
                                     "passed on to a strut that goes straight on, else free")
    set_aside: bool = Field(default=False, description="shown as a ghost, carries nothing")

    @model_validator(mode="after")
    def _one_source(self) -> Piece:
        if (self.geometry is None) == (self.recipe is None):
            raise ValueError("a piece comes either from a file or from a recipe")
        if self.recipe is None and (self.copies or self.cuts or self.place != Place()):
            raise ValueError("place, copies and cuts belong to recipes; an imported body stays where its file puts it")
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
    def count(self) -> int:
        """How many of it there are, copies included."""
        total = 1
        for copy in self.copies:
            total *= 2 if isinstance(copy, MirrorCopy) else copy.count
        return total

    @property
    def instances(self) -> tuple[str, ...]:
        """Names of the piece's bodies: its own name, or `leg.1`, `leg.2`, ..."""
        return (self.name,) if self.count == 1 else tuple(f"{self.name}.{number}" for number in range(1, self.count + 1))


class Hub(Statement):
    """A point tied to a region; stiff: the region moves as a rigid body; spread: a load is shared out and the region stays
    flexible. It stands at the region's centre unless `at` says otherwise."""

    name: str = Field(min_length=1)
    region: str
    kind: Literal["stiff", "spread"] = "stiff"
    at: Text3 | None = Field(default=None, description="place of the point, lengths")


class CaseLoad(Statement):
    """A load in a case, times a factor."""

    load: str
    factor: str = "1"


class CasePart(Statement):
    """A load case in a combination, times a factor."""

    case: str
    factor: str = "1"


class LoadCase(Statement):
    """Loads that act together. Growing ones are multiplied by the factor that is looked for."""

    name: str = Field(min_length=1)
    loads: tuple[CaseLoad, ...] = ()
    combine: tuple[CasePart, ...] = Field(default=(), description="other cases whose loads are added, each times a factor")


class MeshZone(Statement):
    """A region with its own element size."""

    region: str
    size: str


class MeshPlan(Statement):
    """One global size, zones, element order. Without a size the program proposes one from the part's walls and makes it finer until
    the factors are known well enough."""

    size: str | None = Field(default=None, description="element size, length")
    fineness: str | None = Field(default=None, description="how many times shorter than stated or proposed the sides are; found by the "
                                                           "run when neither it nor a size is given")
    within: str = Field(default="2 %", description="mesh error of the factors that count, under which the run stays with a mesh")
    order: Literal[1, 2] = Field(default=2, description="2 for results; 1 as a draft, always flagged")
    solids: Literal["swept", "tetrahedra"] = Field(default="swept", description="swept: hexahedra and wedges in solids that are an outline "
                                                   "moved along a line, unless a zone touches them; tetrahedra in all others")
    weld_gap: str | None = Field(default=None, description="widest gap under the end of a wall that counts as welded, length; half of the "
                                 "thinner wall when none is given")
    zones: tuple[MeshZone, ...] = ()


class Criteria(Statement):
    """What is asked of the part and how many modes to look for."""

    required_factor: str = Field(default="3", description="of machine parts")
    member_factor: str = Field(default="15", description="of members, and plates that act as members")
    stiffener_factor: str = Field(default="3", description="of stiffeners and ribs")
    closed_factor: str = Field(default="1.5", description="of closed thin-walled sections, reached on a trace")
    capacity: str | None = Field(default=None, description="asked of what an imperfect part carries, by a trace or by the overall check; "
                                 "half of the required factor, and at least 1, when none is stated")
    modes: int = Field(default=6, ge=1, le=200)
    sign: Literal["positive", "both"] = "positive"
    second_opinion: bool = Field(default=False, description="also solve with the deflection before buckling")
    mesh_error: bool = Field(default=True, description="also solve another mesh, to tell how far each factor can be off")
    left_out: dict[Literal["stated right", "computed right", "strength", "capacity"], str] = Field(
        default={}, description="gates of the verdict that are not asked, each with the reason in writing")
    meant: dict[Literal["edges for faces", "total or each", "proportions", "effective length", "negative factors", "all loads together",
                        "centred load"], str] = Field(
        default={}, description="evidence that doubts what is stated, and why it is meant so all the same, in writing")

    @field_validator("left_out", "meant")
    @classmethod
    def _with_reasons(cls, stated: dict[str, str]) -> dict[str, str]:
        """Without a reason a gate is asked, and a doubt stands."""
        return {name: reason.strip() for name, reason in stated.items() if reason.strip() not in ("", "none given", "no reason given")}


class Seed(Statement):
    """A further mode in the starting shape of a trace, with its own amplitude."""

    mode: int = Field(ge=1)
    amplitude: str = Field(description="length")
    sign: Literal["+", "-"] = "+"


class TracePlan(Statement):
    """How the imperfect part is followed: it starts from a mode's shape with an amplitude (a thousandth of the moving length when none
    is given), at large deflection, until its limit is passed, the target factor or the number of steps reached, or the stress has
    gone `beyond_yield` times over the yield strength."""

    mode: int = Field(default=1, ge=0, description="mode whose shape is the imperfection; 0 for the part as drawn")
    amplitude: str | None = Field(default=None, description="length")
    sign: Literal["weaker", "+", "-"] = Field(default="weaker", description="side to which the shape bows: as it is shown, the other, or "
                                              "the one that lowers the factor more")
    seeds: tuple[Seed, ...] = Field(default=(), description="further modes in the starting shape")
    modes_at: str | None = Field(default=None, description="factor at which the modes about the loaded state are found as well")
    target: str | None = Field(default=None, description="factor to stop at; 1.5 times the first mode's when none is given")
    steps: int = Field(default=40, ge=2, le=500)
    material: Literal["yielding", "elastic"] = Field(default="yielding", description="whether pieces yield whose material has a yield "
                                                     "strength")
    plastic_strain: str = Field(default="5 %", description="largest plastic strain allowed, where pieces yield")
    beyond_yield: float = Field(default=1.5, gt=1.0, description="stress over the yield strength at which an elastic trace ends")
    deflection: str | None = Field(default=None, description="largest motion allowed, length; a twentieth of the part's size when none is "
                                   "given")
    strain: str = Field(default="5 %", description="largest strain of an elastic trace, where the theory of small strains ends")
    fall: str = Field(default="10 %", description="part of its limit by which the path is followed down; over 100 % goes on under nought")
    first: str | None = Field(default=None, description="first step of the factor; a tenth of the first mode's when none is given")
    shortest: str | None = Field(default=None, description="step of the factor at which it ends when no balance is found; a 500th of the "
                                                           "first when none is given")
    longest: str | None = Field(default=None, description="longest step of the factor under load control; twice the first, or a 20th of "
                                                          "the target, when none is given")
    iterations: int = Field(default=20, ge=4, le=100, description="most iterations in a step before it is halved")


class EulerChoice(Statement):
    """Numbers of Euler's check; None takes them from the part and its supports."""

    ends: Literal["found", "fixed-free", "pinned-pinned", "fixed-pinned", "fixed-fixed"] = "found"
    length: str | None = None


# symbols of hand checks: kinds of quantity, and those that are words
SYMBOL_KINDS = {"E": "stress", "fy": "stress", "A": "area", "I": "second moment", "L": "length", "K": "number", "Ncr": "force",
                "c": "length", "e": "length", "e0": "length", "γM1": "number", "φc": "number", "φ": "number", "ν": "number",
                "t": "length", "b": "length", "R": "length"}
SYMBOL_WORDS = ("curve", "αb", "edges")


class HandCheck(Statement):
    """A hand check of a piece with numbers typed by hand: values by symbol; what is not typed comes from the model."""

    kind: Literal["euler", "johnson", "secant", "perry", "ec3", "aisc", "as4100", "plate", "cylinder"]
    member: str = Field(description="a piece, or one of its copies")
    values: dict[str, str] = Field(default_factory=dict)
    on_ladder: bool = False

    @model_validator(mode="after")
    def _symbols(self) -> HandCheck:
        for name in self.values:
            if name not in SYMBOL_KINDS and name not in SYMBOL_WORDS:
                raise ValueError(f"'{name}' is no symbol of a hand check")
        return self


CLASS_FACTORS = {"machine part": "required_factor", "member": "member_factor", "stiffener": "stiffener_factor",
                 "closed section": "closed_factor"}


class Project(Statement):
    """All statements of one project. Every change makes a new one."""

    labilis: Literal[1] = FORMAT_VERSION
    name: str = "Untitled"
    scenario: str = Field(default="", description="what the part belongs to, for titles")
    parameters: dict[str, str] = Field(default_factory=dict)
    geometry: tuple[Geometry, ...] = ()
    materials: tuple[Material, ...] = ()
    pieces: tuple[Piece, ...] = ()
    released: tuple[tuple[str, str], ...] = Field(default=(), description="pairs of pieces that touch without being joined")
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
    checks: tuple[HandCheck, ...] = ()
    plans: tuple[TrialPlan, ...] = Field(default=(), description="trial plans over the parameters")
    design: str = Field(default="first design", min_length=1, description="name of these statements among the variants")
    variants: tuple[Variant, ...] = Field(default=(), description="other designs, each with its own statements")

    @model_validator(mode="after")
    def _consistent(self) -> Project:
        for name in self.parameters:
            if not is_name(name):
                raise ValueError(f"parameters: '{name}' cannot be a parameter's name (a word that is not a unit)")
        for field in ("materials", "pieces", "bolts", "seams", "scribes", "regions", "hubs", "supports", "springs", "loads", "cases",
                      "plans", "variants"):
            names = [item.name for item in getattr(self, field)]
            for name in names:
                if names.count(name) > 1:
                    raise ValueError(f"{field}: the name '{name}' is given twice")
        if self.design in self._names(self.variants):
            raise ValueError(f"variants: the name '{self.design}' is given twice")
        varied = [(plan.name, vary.parameter) for plan in self.plans for vary in plan.vary]
        self._known("plans", ((plan, name) for plan, name in varied if not is_choice(name)), set(self.parameters), "parameter")
        self._known("plans", ((plan, name.split("/")[1]) for plan, name in varied if name.startswith("pieces/")),
                    self._names(self.pieces), "piece")
        for plan in self.plans:
            self._known("plans", ((plan.name, of) for of in (plan.of, *(limit.of for limit in plan.limits)) if of),
                        self._names(self.pieces) | set(MODE_KINDS), "piece or kind of mode")
        files = {geometry.file for geometry in self.geometry}
        self._known("pieces", ((p.name, p.geometry) for p in self.pieces if p.geometry), files, "file")
        self._known("pieces", ((p.name, p.material) for p in self.pieces if p.material), self._names(self.materials),
                    "material")
        self._known("regions", ((r.name, r.piece) for r in self.regions if r.piece), self._names(self.pieces), "piece")
        bodies = {name for piece in self.pieces for name in piece.instances} | self._names(self.pieces)
        if overlap := bodies & self._names(self.scribes):
            raise ValueError(f"scribes: '{min(overlap)}' is the name of a piece as well")
        self._known("scribes", ((s.name, s.face.split("/")[0]) for s in self.scribes if s.face), bodies | self._names(self.scribes),
                    "piece or scribe")
        self._known("regions", ((r.name, name.split("/")[0]) for r in self.regions for name in r.names),
                    bodies | self._names(self.scribes), "piece or scribe")
        self._known("released", (((a, name) for a, b in self.released for name in (a, b))), bodies, "piece")
        self._known("hubs", ((h.name, h.region) for h in self.hubs), self._names(self.regions), "region")
        self._known("bolts", ((bolt.name, region) for bolt in self.bolts for region in bolt.through), self._names(self.regions), "region")
        self._known("seams", ((seam.name, seam.along) for seam in self.seams), self._names(self.regions), "region")
        self._known("seams", ((seam.name, seam.to) for seam in self.seams), bodies, "piece")
        self._known("checks", ((check.kind, check.member) for check in self.checks), bodies, "piece")
        targets = self._names(self.regions) | self._names(self.hubs)
        if overlap := self._names(self.regions) & self._names(self.hubs):
            raise ValueError(f"hubs: '{min(overlap)}' is the name of a region as well")
        self._known("supports", ((s.name, s.on) for s in self.supports), targets, "region or hub")
        self._known("springs", ((item.name, item.on) for item in self.springs), targets, "region or hub")
        self._known("loads", ((item.name, item.on) for item in self.loads if hasattr(item, "on")), targets, "region or hub")
        self._known("loads", ((item.name, name) for item in self.loads for name in getattr(item, "pieces", ())),
                    self._names(self.pieces), "piece")
        self._known("mesh/zones", ((z.region, z.region) for z in self.mesh.zones), self._names(self.regions), "region")
        self._known("loads", ((item.name, item.support) for item in self.loads if hasattr(item, "support")),
                    self._names(self.supports), "support")
        for case in self.cases:
            self._known("cases", ((case.name, entry.load) for entry in case.loads), self._names(self.loads), "load")
            self._known("cases", ((case.name, part.case) for part in case.combine), self._names(self.cases), "load case")
            self._circle(case.name, ())
        hubs = self._names(self.hubs)
        for support in self.supports:
            turns = any(motion.startswith("turn") for motion in support.held) and not {"x", "y", "z"} <= set(support.held)
            if support.on not in hubs and turns and all(piece.mesh_as == "solid" for piece in self.pieces):
                raise ValueError(f"supports/{support.name}: a solid's turns can be held on a hub only")
            if support.on in hubs and support.axes.kind not in ("global", "local"):
                raise ValueError(f"supports/{support.name}: a hub is held in global or local axes")
        return self

    def _circle(self, name: str, above: tuple[str, ...]) -> None:
        if name in above:
            raise ValueError(f"cases/{name}: the combination contains itself: {' → '.join((*above, name))}")
        for part in next(case for case in self.cases if case.name == name).combine:
            self._circle(part.case, (*above, name))

    @staticmethod
    def _names(items: Sequence[Any]) -> set[str]:
        return {item.name for item in items}

    @staticmethod
    def _known(field: str, pairs: Any, names: set[str], what: str) -> None:
        for owner, name in pairs:
            if name not in names:
                raise ValueError(f"{field}/{owner}: there is no {what} called '{name}'")

    # --- reading values -------------------------------------------------------------------------------------------
    def value(self, text: str, kind: str, where: str = "") -> float:
        """Kernel number of a quantity stated in this project (see `expressions.number_of`)."""
        return number_of(text, kind, self.parameters, where, _known(self.parameters))

    @property
    def active_pieces(self) -> tuple[Piece, ...]:
        """Pieces that carry load."""
        return tuple(piece for piece in self.pieces if not piece.set_aside)

    def required_of(self, piece: str) -> float:
        """Factor that a mode driven by a piece must reach; of a closed section the factor that a trace must."""
        return self.value(getattr(self.criteria, CLASS_FACTORS[self.named("pieces", piece).acts_as]), "number")

    def piece_of(self, body: str) -> str:
        """Piece that a body belongs to: copies and patches of an imported sheet are numbered after its name."""
        return body if any(piece.name == body for piece in self.pieces) else body.rsplit(".", 1)[0]

    def case(self, name: str) -> LoadCase:
        """A load case by its name."""
        for case in self.cases:
            if case.name == name:
                return case
        raise LabilisError(f"There is no load case called '{name}'.", "cases",
                           "The project has: " + (", ".join(c.name for c in self.cases) or "none") + ".", "no-case")

    def case_loads(self, name: str, factor: float = 1.0) -> list[tuple[str, float]]:
        """(load, factor) of everything that acts in a case, combinations followed; a load that comes twice is added up."""
        case = self.case(name)
        found: dict[str, float] = {}
        entries = [(entry.load, factor * self.value(entry.factor, "number")) for entry in case.loads]
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
        raise LabilisError(f"There is no '{name}' in {field}.", field, "It may have been removed.", "missing-name")

    def target_region(self, on: str) -> Region:
        """The region a support or load acts on, through its hub if it names one."""
        for hub in self.hubs:
            if hub.name == on:
                on = hub.region
        return self.named("regions", on)

    def stated_quantities(self) -> list[tuple[str, str, str]]:
        """(where, text, kind) of every quantity, for checking them all at once."""
        found: list[tuple[str, str, str]] = []
        for item in self.materials:
            for field, kind in (("youngs_modulus", "stress"), ("poisson_ratio", "number"), ("density", "density"),
                                ("yield_strength", "stress"), ("expansion", "expansion")):
                if (text := getattr(item, field)) is not None:
                    found.append((f"materials/{item.name}/{field}", text, kind))
        for piece in self.pieces:
            where = f"pieces/{piece.name}"
            found += [(f"{where}/thickness", piece.thickness, "length")] if piece.thickness is not None else []
            for part_of, stated in (("recipe", (piece.recipe,)), ("place", (piece.place,)), ("copies", piece.copies), ("cuts", piece.cuts)):
                for part in stated:
                    found += recipe_quantities(part, f"{where}/{part_of}")
        for scribe in self.scribes:
            found += [(f"scribes/{scribe.name}", text, kind) for text, kind in scribe.quantities()]
        for bolt in self.bolts:
            found += [(f"bolts/{bolt.name}/{field}", text, kind) for field, text, kind in bolt.quantities()]
        for hub in self.hubs:
            found += [(f"hubs/{hub.name}/at", text, "length") for text in hub.at or ()]
        for spring in self.springs:
            found += [(f"springs/{spring.name}/{motion}", text, kind) for motion, text, kind in spring.values()]
        for load in self.loads:
            found += [(f"loads/{load.name}", text, kind) for text, kind in load.quantities()]
        for case in self.cases:
            found += [(f"cases/{case.name}/{entry.load}", entry.factor, "number") for entry in case.loads]
            found += [(f"cases/{case.name}/{part.case}", part.factor, "number") for part in case.combine]
        if self.mesh.size is not None:
            found.append(("mesh/size", self.mesh.size, "length"))
        if self.mesh.fineness is not None:
            found.append(("mesh/fineness", self.mesh.fineness, "number"))
        found.append(("mesh/within", self.mesh.within, "number"))
        if self.mesh.weld_gap is not None:
            found.append(("mesh/weld_gap", self.mesh.weld_gap, "length"))
        found += [(f"mesh/zones/{zone.region}", zone.size, "length") for zone in self.mesh.zones]
        found += [(f"criteria/{field}", getattr(self.criteria, field), "number") for field in CLASS_FACTORS.values()]
        for check in self.checks:
            found += [(f"checks/{check.kind}/{symbol}", text, SYMBOL_KINDS[symbol]) for symbol, text in check.values.items()
                      if symbol not in SYMBOL_WORDS]
        if self.trace.amplitude is not None:
            found.append(("trace/amplitude", self.trace.amplitude, "length"))
        found += [(f"trace/seeds/{number}", seed.amplitude, "length") for number, seed in enumerate(self.trace.seeds)]
        if self.trace.modes_at is not None:
            found.append(("trace/modes_at", self.trace.modes_at, "number"))
        if self.trace.deflection is not None:
            found.append(("trace/deflection", self.trace.deflection, "length"))
        found += [(f"trace/{field}", text, "number") for field in ("plastic_strain", "strain", "fall", "first", "shortest", "longest")
                  if (text := getattr(self.trace, field)) is not None]
        found += [(f"materials/{item.name}/hardening/{row}", text, kind) for item in self.materials
                  for row, point in enumerate(item.hardening) for text, kind in zip(point, ("number", "stress"))]
        if self.trace.target is not None:
            found.append(("trace/target", self.trace.target, "number"))
        if self.euler.length is not None:
            found.append(("euler/length", self.euler.length, "length"))
        found += [(f"plans/{plan.name}/{field}", text, kind) for plan in self.plans for field, text, kind in plan.quantities()]
        return found

    # --- changing -------------------------------------------------------------------------------------------------
    def changed(self, **fields: Any) -> Project:
        """A copy with fields replaced, checked again; quantities are evaluated so that a bad one is refused here."""
        return load_project({**self.model_dump(), **{key: _plain(value) for key, value in fields.items()}})

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
        """A copy with one value replaced, given by its path in the JSON form: ``('materials', 0, 'density')``."""
        return load_project(_replaced(self.model_dump(), path, value))

    def free_name(self, field: str, base: str) -> str:
        """A name that is not taken yet: 'push', 'push 2', ..."""
        taken = self._names(getattr(self, field)) | (self._names(self.hubs) if field == "regions" else set())
        name, count = base, 1
        while name in taken:
            count += 1
            name = f"{base} {count}"
        return name

    def to_json(self) -> str:
        """The text form, stable in order, without what is left at its default."""
        data = _with_kinds(self.model_dump(mode="json"), self.model_dump(mode="json", exclude_defaults=True))
        return json.dumps({"labilis": FORMAT_VERSION, **data}, indent=2, ensure_ascii=False) + "\n"


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
        return [_plain(item) if not isinstance(item, Region) else item.model_dump() for item in value]
    return value


def _replaced(node: Any, path: tuple[str | int, ...], value: Any) -> Any:
    if not path:
        return value
    step = path[0]
    if isinstance(node, dict):
        return {**node, step: _replaced(node.get(step), path[1:], value)}
    items = list(node)
    items[int(step)] = _replaced(items[int(step)], path[1:], value)
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


_values: deque[tuple[dict[str, str], dict[str, Any]]] = deque(maxlen=8)


def _known(parameters: dict[str, str]) -> dict[str, Any]:
    """Where the values of a project's parameters are kept, which are never changed in place: by the very object, which is kept as well."""
    for stated, values in tuple(_values):
        if stated is parameters:
            return values
    fresh: dict[str, Any] = {}
    _values.append((parameters, fresh))
    return fresh


def load_project(data: Any) -> Project:
    """Project of a JSON form (text, bytes or parsed); every quantity is evaluated once so that a bad one is refused."""
    if isinstance(data, str | bytes):
        try:
            data = json.loads(data)
        except (ValueError, RecursionError) as error:
            raise LabilisError(f"This is not JSON ({error}).", remedy="Check the file.", code="json") from error
    if isinstance(data, dict) and data.get("labilis", FORMAT_VERSION) != FORMAT_VERSION:
        raise LabilisError(f"Model format {data.get('labilis')!r} is not known to this version.", "labilis",
                           f"This program reads format {FORMAT_VERSION}; a newer Labilis may have written the file.",
                           "version")
    try:
        project = Project.model_validate(data)
    except ValidationError as error:
        where, message = _first_message(error)
        raise LabilisError(message[:1].upper() + message[1:] + ".", where, "Correct it in the model.", "model") from error
    for name in project.parameters:
        try:
            evaluate(name, project.parameters, _known(project.parameters))
        except LabilisError as error:
            raise LabilisError(error.what, error.where or f"parameters/{name}", error.remedy, error.code) from error
    for where, text, kind in project.stated_quantities():
        project.value(text, kind, where)
    for item in project.materials:
        _check_material(project, item)
    _check_sizes(project)
    _check_trace(project)
    for variant in project.variants:
        try:
            statements_of(variant)
        except LabilisError as error:
            raise LabilisError(error.what, f"variants/{variant.name}/{error.where}", error.remedy, error.code) from error
    return project


def statements_of(variant: Variant) -> Project:
    """The design of a variant, without plans and other variants. Raises LabilisError where it is not one."""
    if nested := {"plans", "variants"} & set(variant.statements):
        raise LabilisError(f"A variant has {min(nested)} of its own.", min(nested), "Leave them out: they belong to the project.", "model")
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
            raise LabilisError(f"'{text}' is not above zero.", f"{where}/{field}", "Give a positive value.", "material")
    if item.poisson_ratio is not None:
        ratio = project.value(item.poisson_ratio, "number", where)
        if not -1 < ratio < 0.495:
            raise LabilisError(f"Poisson ratio {item.poisson_ratio} cannot be used: it must lie above -1 and under 0.495.",
                               f"{where}/poisson_ratio", "At 0.5 the material keeps its volume and these elements lock; "
                               "metals lie near 0.3.", "poisson")


def _check_trace(project: Project) -> None:
    ranges = {"strain": (1e-4, 1.0), "fall": (1e-3, 10.0), "first": (0.0, 1e9), "shortest": (0.0, 1e9), "longest": (0.0, 1e9)}
    for field, (low, high) in ranges.items():
        text = getattr(project.trace, field)
        if text is not None and not low < project.value(text, "number", f"trace/{field}") <= high:
            raise LabilisError(f"'{text}' does not lie between {low:g} and {high:g}.", f"trace/{field}", "Give a number in that range.",
                               "trace")


def _check_sizes(project: Project) -> None:
    sizes = [("mesh/size", project.mesh.size)] + [(f"mesh/zones/{z.region}", z.size) for z in project.mesh.zones]
    for where, text in sizes:
        if text is not None and project.value(text, "length", where) <= 0:
            raise LabilisError(f"An element size of '{text}' is not above zero.", where, "Give a positive length.", "size")
    if project.mesh.fineness is not None and not 0.1 <= project.value(project.mesh.fineness, "number", "mesh/fineness") <= 20:
        raise LabilisError(f"A fineness of '{project.mesh.fineness}' is not between 0.1 and 20.", "mesh/fineness",
                           "Give a number in that range, or an element size.", "size")
    if not 1e-4 <= project.value(project.mesh.within, "number", "mesh/within") <= 0.5:
        raise LabilisError(f"A mesh error of '{project.mesh.within}' is not between 0.01 % and 50 %.", "mesh/within",
                           "2 % is usual.", "size")
    if project.mesh.weld_gap is not None and project.value(project.mesh.weld_gap, "length", "mesh/weld_gap") < 0:
        raise LabilisError(f"A weld gap of '{project.mesh.weld_gap}' is below zero.", "mesh/weld_gap",
                           "Give a length of zero or more.", "size")
    if project.value(project.criteria.required_factor, "number") <= 0:
        raise LabilisError("The required factor must be above zero.", "criteria/required_factor", "3 is usual for a "
                           "machine part.", "criteria")
    if project.euler.length is not None and project.value(project.euler.length, "length") <= 0:
        raise LabilisError("The free length must be above zero.", "euler/length", "Give a positive length.", "euler")


def json_schema() -> dict[str, Any]:
    """JSON Schema of the text form, generated from the statements."""
    schema = Project.model_json_schema()
    schema["$schema"] = "https://json-schema.org/draft/2020-12/schema"
    schema["title"] = "Labilis model"
    return schema
