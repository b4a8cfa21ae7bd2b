"""The formats that maps are shipped in, and what those that ship a map share.

A format is a module that makes one `ShipFormat`, and a line in `FORMATS` (`ship.py`): the window's
forms, the command line's choices and the names that are looked at before anything is written come
from there. Its options are the fields of a dataclass; what a field is called, and what it may hold,
stands with it (`option`).
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, fields
from functools import lru_cache
from typing import Any, Protocol, TypeVar

from pydantic import TypeAdapter, ValidationError

from knitground.core.base.errors import PlaceError
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.ship.names import ShipNames
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Picture
from knitground.core.render.atlas import Atlas

Made = TypeVar("Made")


def option(default: Any, title: str, hint: str = "", example: str = "") -> Any:
    """Make a field of a format's options: what it is by itself, and what people read."""
    return field(default=default, metadata={"title": title, "hint": hint, "example": example})


@dataclass(frozen=True)
class NoOptions:
    """A format that asks for nothing."""


class Kept:
    """What was made before of the same: kept from one shipment to the next, while it is asked for.

    Keys are prints of all that something is made of, so nothing that is kept is out of date.
    """

    def __init__(self) -> None:
        self._old: dict[bytes, Any] = {}
        self._new: dict[bytes, Any] = {}

    def once(self, key: bytes, make: Callable[[], Made]) -> Made:
        """Make something, or give what was made of the same before."""
        if key not in self._new:
            self._new[key] = self._old[key] if key in self._old else make()
        made: Made = self._new[key]
        return made

    def turn(self) -> None:
        """Forget what the last shipment did not ask for."""
        self._old, self._new = self._new, {}


@dataclass(eq=False)
class ShipJob:
    """What is shipped: a project's maps, knitted, and what their formats share."""

    project: Project
    names: ShipNames
    kept: Kept = field(default_factory=Kept)
    _atlases: dict[int, Atlas] = field(default_factory=dict)

    def atlas(self, map_: Map) -> Atlas:
        """Give the pictures of a map's tiles, drawn once for all formats."""
        if id(map_) not in self._atlases:
            self._atlases = {id(map_): Atlas(self.project, map_)}  # one map after the other
        return self._atlases[id(map_)]

    def stem(self, map_: Map) -> str:
        """Give what the names of a map's files begin with."""
        return self.names.maps[map_.name]


class MakesFiles(Protocol):
    """Makes the files of a map, by their names; the map is knitted."""

    def __call__(
        self, job: ShipJob, map_: Map, options: Any, progress: Progress = no_progress
    ) -> dict[str, bytes]:
        """Make them."""


@dataclass(frozen=True)
class ShipFormat:
    """A format: what it is called, what it holds, its files and their names.

    Parameters
    ----------
    key : its name on the command line and in files
    title, hint : what people read
    usual : whether it is shipped where nobody says which
    names : every file that may be written of a map, with the format's options
    options : a dataclass of what can be chosen
    sample : makes a small picture of what comes out of a map, at most so many pixels across and
        down; None: it is nothing to look at
    """

    key: str
    title: str
    hint: str
    names: Callable[[ShipJob, Map, Any], list[str]]
    files: MakesFiles
    usual: bool = False
    options: type = NoOptions
    sample: Callable[[ShipJob, Map, Any, int], Picture] | None = None

    def chosen(self, values: dict[str, Any] | None = None) -> Any:
        """Make its options of those that are given; all others are as by themselves.

        Raises
        ------
        PlaceError
            It has no such option, or can not be so.
        """
        known = [each.name for each in fields(self.options)]
        strange = [name for name in values or {} if name not in known]
        if strange:
            which = ", ".join(known) or say("none")
            raise PlaceError(
                say(
                    "{key} has no option “{strange}”: it has {which}",
                    key=self.key,
                    strange=strange[0][:60],
                    which=which,
                )
            )
        try:
            return _adapter(self.options).validate_python(values or {})
        except ValidationError as error:
            first = error.errors()[0]
            name = ".".join(str(each) for each in first["loc"][:1])
            value = str(first.get("input"))[:60]
            raise PlaceError(
                say(
                    "{key}.{name} is “{value}”: {first}",
                    key=self.key,
                    name=name,
                    value=value,
                    first=first["msg"].lower(),
                )
            ) from error


@lru_cache(maxsize=64)
def _adapter(kind: type) -> TypeAdapter[Any]:
    return TypeAdapter(kind)
