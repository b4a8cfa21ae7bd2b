"""Profiles: what of a project is shipped, in which formats, and into which folder of it."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Annotated, ClassVar

from annotated_types import MaxLen, MinLen

from knitground.core.model.limits import Name, Word

OptionValue = bool | int | str


@dataclass(frozen=True)
class ShipPart:
    """A format of a profile, and its options that are not as they are by themselves."""

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    format: Annotated[str, MinLen(1), MaxLen(40)]
    options: Annotated[dict[str, OptionValue], MaxLen(32)] = field(default_factory=dict)


@dataclass(frozen=True)
class Profile:
    """What is shipped together.

    Parameters
    ----------
    maps : their names; none are all
    parts : formats; none are the usual ones
    folder : inside of the project's own, into which it is shipped. Where else is a matter of a
        machine, not of the project: whoever opens a stranger's project writes nowhere else.
    on_save : whether it is shipped each time that the project is saved in the window
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    name: Name
    maps: Annotated[tuple[Name, ...], MaxLen(4096)] = ()
    parts: Annotated[tuple[ShipPart, ...], MaxLen(64)] = ()
    folder: Word = "shipped"
    on_save: bool = False


Profiles = Annotated[tuple[Profile, ...], MaxLen(256)]
