"""What is found once for the same objects."""

from __future__ import annotations

import gc
import weakref
from dataclasses import dataclass

from labilis.model import Project
from labilis.results.memo import once_for


@dataclass(frozen=True)
class Thing:
    value: float


def test_the_very_same_objects_are_asked_for_once_and_equal_ones_anew() -> None:
    asked: list[float] = []

    @once_for
    def doubled(one: Thing, other: Thing) -> float:
        asked.append(one.value)
        return one.value + other.value

    one, other = Thing(1.0), Thing(2.0)
    assert [doubled(one, other) for _ in range(3)] == [3.0, 3.0, 3.0] and len(asked) == 1
    assert doubled(other, one) == 3.0 and doubled(Thing(1.0), other) == 3.0 and len(asked) == 3


def test_nothing_is_kept_alive_and_what_comes_to_the_same_place_is_another() -> None:
    @once_for
    def value(thing: Thing) -> float:
        return thing.value

    for number in range(200):  # new ones are often made where the last one was
        thing = Thing(float(number))
        gone = weakref.ref(thing)
        assert value(thing) == number
        del thing
        gc.collect(0)
        assert gone() is None

    @once_for
    def name(project: Project) -> str:
        return project.name

    assert name(Project(name="a")) == "a" and name(Project(name="b")) == "b"
