"""What a text in the statements is: a quantity of some kind, or the name of something else that is
stated. It is part of the type of the field, and one walker finds all of them; validation, keys,
renaming, removal, the schema and the window's editors stand on it.

A field of type `Length` holds '12 mm' or an expression of that kind. Where the kind hangs on the
rest of the statement (a spring per area), the field is a `Quantity` and its statement answers
`kind_of`. A field of type `Annotated[str, Names("regions")]` holds a region's name."""

from __future__ import annotations

import types
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from typing import Annotated, Any, Literal, NamedTuple, Union, get_args, get_origin

from pydantic import BaseModel, GetJsonSchemaHandler
from pydantic_core import CoreSchema

Path = tuple[str | int, ...]
# how a name stands in a text: alone; as a piece or one of its copies, `leg.2`; before a stroke and
# the name of a face, `leg.2/foot`; inside the place of a statement, `pieces/leg/thickness`; or a
# kind of mode in its stead
Form = Literal["name", "body", "face", "place", "share"]


@dataclass(frozen=True)
class QuantityOf:
    """Marks a text as a quantity of a kind of `units.KINDS`; '' where its statement says which,
    by `kind_of`."""

    kind: str

    def __get_pydantic_json_schema__(
        self, core: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        """The schema says the kind too."""
        return {**handler(core), **({"quantity": self.kind} if self.kind else {})}


@dataclass(frozen=True)
class Names:
    """Marks a text as the name of something in one of these lists of the project."""

    to: tuple[str, ...]
    form: Form = "name"

    def __get_pydantic_json_schema__(
        self, core: CoreSchema, handler: GetJsonSchemaHandler
    ) -> dict[str, Any]:
        """The schema says what is named."""
        return {**handler(core), "names": list(self.to)}


Number = Annotated[str, QuantityOf("number")]
Length = Annotated[str, QuantityOf("length")]
Angle = Annotated[str, QuantityOf("angle")]
Force = Annotated[str, QuantityOf("force")]
Moment = Annotated[str, QuantityOf("moment")]
Stress = Annotated[str, QuantityOf("stress")]
LineForce = Annotated[str, QuantityOf("line force")]
Density = Annotated[str, QuantityOf("density")]
Expansion = Annotated[str, QuantityOf("expansion")]
Acceleration = Annotated[str, QuantityOf("acceleration")]
Temperature = Annotated[str, QuantityOf("temperature")]
Quantity = Annotated[str, QuantityOf("")]

FileName = Annotated[str, Names(("geometry",))]
MaterialName = Annotated[str, Names(("materials",))]
PieceName = Annotated[str, Names(("pieces",))]
BodyName = Annotated[str, Names(("pieces",), "body")]
FaceName = Annotated[str, Names(("pieces", "scribes"), "face")]
RegionName = Annotated[str, Names(("regions",))]
TargetName = Annotated[str, Names(("regions", "hubs"))]
SupportName = Annotated[str, Names(("supports",))]
LoadName = Annotated[str, Names(("loads",))]
CaseName = Annotated[str, Names(("cases",))]
PlaceName = Annotated[str, Names(("parameters", "pieces"), "place")]
ShareName = Annotated[str, Names(("pieces",), "share")]  # a piece, or one of the kinds of modes


class Leaf(NamedTuple):
    """A marked text: where it is in the JSON form, what it says, what it is, and the statement
    and field that hold it."""

    path: Path
    text: str
    mark: QuantityOf | Names
    owner: Any
    field: str

    @property
    def kind(self) -> str:
        """Kind of a quantity, '' for a name and for a text that its statement says to be none."""
        if not isinstance(self.mark, QuantityOf):
            return ""
        if self.mark.kind:
            return self.mark.kind
        return str(self.owner.kind_of(self.field, self.path[-1]))


class _Shape(NamedTuple):
    """What a field's type says of the texts in it: `mark` of the text, `places` of a tuple of fixed
    length, `each` of what a longer one or a table holds."""

    mark: QuantityOf | Names | None = None
    places: tuple[_Shape | None, ...] = ()
    each: _Shape | None = None


def leaves(value: Any, path: Path = ()) -> Iterator[Leaf]:
    """All marked texts of a statement, in the order of its fields."""
    for name, shape in _shapes(type(value)):  # type: ignore[arg-type]
        yield from _inside(getattr(value, name), shape, (*path, name), value, name)


def kind_at(statement: BaseModel, field: str) -> str:
    """Kind of the quantity or quantities of a field of a statement. Raises KeyError for a field
    that holds none."""
    shape = dict(_shapes(type(statement)))[field]  # type: ignore[arg-type]
    while shape is not None and shape.mark is None:
        shape = shape.each if shape.each is not None else shape.places[0]
    mark = None if shape is None else shape.mark
    if not isinstance(mark, QuantityOf):
        raise KeyError(field)
    return mark.kind or str(statement.kind_of(field, field))  # type: ignore[attr-defined]


def mentioned(text: str, form: Form) -> str:
    """The name in a text that mentions it: 'leg.2' of 'leg.2/foot', 'leg' of
    'pieces/leg/thickness'."""
    if form == "face":
        return text.split("/")[0]
    if form == "place" and "/" in text:
        return text.split("/")[1]
    return text


def respelt(text: str, form: Form, field: str, names: Mapping[str, str]) -> str:
    """A text that mentions one of `names` of a list with its new name, or as it was where it
    mentions another: 'arm.2/foot' for 'leg.2/foot'."""
    if form == "place" and "/" in text:
        head, name, *rest = text.split("/")
        return "/".join([head, names.get(name, name), *rest]) if head == field else text
    if form == "place" and field != "parameters":
        return text
    if form == "face":
        name, slash, rest_of = text.partition("/")
        return names.get(name, name) + slash + rest_of
    return names.get(text, text)


def where_of(root: Any, path: Path) -> str:
    """A path in words: items of lists by their names, 'loads/push/components/0'."""
    words, place = [], root
    for step in path:
        place = (
            place[step]
            if isinstance(step, int)
            else place.get(step)
            if isinstance(place, dict)
            else getattr(place, step, None)
        )
        words.append(label_of(place) or str(step) if isinstance(step, int) else step)
    return "/".join(words)


def label_of(item: Any) -> str:
    """What tells an item of a list apart from the others: its name, or what it is about; '' for
    one that only has a place."""
    for key in ("name", "region", "load", "case", "member", "parameter"):
        if isinstance(text := getattr(item, key, None), str) and text:
            return text
    return ""


def _inside(value: Any, shape: _Shape | None, path: Path, owner: Any, field: str) -> Iterator[Leaf]:
    if value is None:
        return
    if isinstance(value, str):
        if (
            shape is not None
            and shape.mark is not None
            and (value or isinstance(shape.mark, QuantityOf))
        ):  # no name names nothing
            yield Leaf(path, value, shape.mark, owner, field)
    elif isinstance(value, BaseModel):
        yield from leaves(value, path)
    elif isinstance(value, tuple):
        for number, item in enumerate(value):
            inner = None if shape is None else shape.places[number] if shape.places else shape.each
            yield from _inside(item, inner, (*path, number), owner, field)
    elif isinstance(value, dict):
        for key, item in value.items():
            yield from _inside(
                item, None if shape is None else shape.each, (*path, key), owner, field
            )


@cache
def _shapes(statement: type[BaseModel]) -> tuple[tuple[str, _Shape | None], ...]:
    """Fields of a kind of statement that can hold marked texts, with what their types say."""
    found = []
    for name, field in statement.model_fields.items():
        shape = _shape_of(field.annotation, tuple(field.metadata))
        if shape is not None or _holds_statements(field.annotation):
            found.append((name, shape))
    return tuple(found)


def _shape_of(annotation: Any, marks: tuple[Any, ...] = ()) -> _Shape | None:
    for mark in marks:
        if isinstance(mark, QuantityOf | Names):
            return _Shape(mark)
    origin, arguments = get_origin(annotation), get_args(annotation)
    if origin is Annotated:
        return _shape_of(arguments[0], arguments[1:])
    if origin is tuple:
        inner = [_shape_of(argument) for argument in arguments if argument is not Ellipsis]
        if not any(inner):
            return None
        return _Shape(each=inner[0]) if Ellipsis in arguments else _Shape(places=tuple(inner))
    if origin is dict:
        return None if (shape := _shape_of(arguments[1])) is None else _Shape(each=shape)
    if origin in (Union, types.UnionType):
        return next(
            (shape for argument in arguments if (shape := _shape_of(argument)) is not None), None
        )
    return None


def _holds_statements(annotation: Any) -> bool:
    if isinstance(annotation, type) and issubclass(annotation, BaseModel):
        return True
    return any(_holds_statements(argument) for argument in get_args(annotation))
