"""Properties: named values of a kind, given to tiles."""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from typing import Annotated, ClassVar

from annotated_types import MaxLen

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import later, say
from knitground.core.model.limits import Name, Text, Word

Value = str | int | float | bool


class PropertyKind(StrEnum):
    """What a property's value is."""

    TEXT = later("text")
    WHOLE = later("whole number")
    NUMBER = later("number")
    YES_NO = later("yes or no")
    COLOUR = later("colour")
    FILE = later("file")
    CHOICE = later("choice")


@dataclass(frozen=True)
class Property:
    """A named value. It is kept as text, as it was typed; `typed` is what a game reads.

    `choices` are what a value of the kind “choice” may be.
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    name: Name
    value: Text = ""
    kind: PropertyKind = PropertyKind.TEXT
    choices: Annotated[tuple[Word, ...], MaxLen(256)] = ()

    @property
    def typed(self) -> Value:
        """The value as its kind says; what does not fit its kind stays text.

        Examples
        --------
        >>> Property("hard", "yes", PropertyKind.YES_NO).typed
        True
        >>> Property("toll", "12", PropertyKind.WHOLE).typed
        12
        """
        try:
            return checked_value(self)
        except EditError:
            return self.value


Properties = Annotated[tuple[Property, ...], MaxLen(256)]
"""Of one thing, in order."""


@dataclass(frozen=True)
class TagDefault:
    """Properties that all tiles of a tileset with a tag have; without a tag, all its tiles."""

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    tag: Word
    properties: Properties


TagDefaults = Annotated[tuple[TagDefault, ...], MaxLen(1024)]


def typed_values(own: Properties) -> dict[str, Value]:
    """Give the values of a thing's properties by their names, as a game reads them."""
    return {each.name: each.typed for each in own}


def checked_value(each: Property) -> Value:
    """Give a property's value as its kind says.

    Raises
    ------
    EditError
        The text is no such value.
    """
    text = each.value.strip()
    what = say("property “{name}” is “{value}”", name=each.name, value=each.value[:40])
    if each.kind is PropertyKind.YES_NO:
        if text.lower() not in ("yes", "no"):
            raise EditError(say("{what}, which is neither yes nor no: give one of them", what=what))
        return text.lower() == "yes"
    if each.kind in (PropertyKind.WHOLE, PropertyKind.NUMBER):
        return _number(text, what, whole=each.kind is PropertyKind.WHOLE)
    if each.kind is PropertyKind.COLOUR and not re.fullmatch(r"#[0-9a-fA-F]{6}", text):
        raise EditError(say("{what}, which is no colour: give #rrggbb", what=what))
    if each.kind is PropertyKind.FILE and (text.startswith("/") or ".." in text.split("/")):
        raise EditError(
            say("{what}, which lies outside the project: give a path inside its folder", what=what)
        )
    if each.kind is PropertyKind.CHOICE and text not in each.choices:
        some = ", ".join(each.choices[:8]) or say("nothing: add choices first")
        raise EditError(say("{what}, which is none of its choices ({some})", what=what, some=some))
    return each.value


def _number(text: str, what: str, *, whole: bool) -> int | float:
    kind = "whole number" if whole else "number"
    try:
        # Beyond forty digits it is cut, and so no number any more.
        number: int | float = int(text[:41]) if whole else float(text[:41])
    except ValueError as error:
        raise EditError(
            say("{what}, which is no {kind}: give one of at most 40 digits", what=what, kind=kind)
        ) from error
    if len(text) > 40:
        raise EditError(
            say("{what}, which is no {kind}: give one of at most 40 digits", what=what, kind=kind)
        )
    if number != number or number in (float("inf"), float("-inf")):
        raise EditError(say("{what}, which is no number: give one", what=what))
    return number
