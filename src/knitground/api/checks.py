"""What scripts hand in, looked at before anything is done with it: each refusal is a KnitError."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from contextlib import suppress
from dataclasses import fields
from pathlib import Path
from typing import Any, Protocol, TypeVar

import numpy as np
from numpy.typing import NDArray
from pydantic import TypeAdapter, ValidationError

from knitground.core.base.errors import EditError
from knitground.core.base.progress import Progress, no_progress

Pair = tuple[int, int]
Told = Callable[[float], object]
"""Called with the part that is done, 0 to 1; it may raise `Cancelled` to call the work off."""


class _Named(Protocol):
    @property
    def name(self) -> str: ...


Thing = TypeVar("Thing", bound=_Named)
Made = TypeVar("Made")


def short(value: object) -> str:
    """Write a value for an error."""
    return repr(str(value)[:80])


def check_kind(value: object, kinds: tuple[type, ...], what: str, example: str) -> None:
    """See to it that a value is of a kind."""
    if not isinstance(value, kinds):
        raise EditError(f"{short(value)} is not {what}: give one like {example}")


def text(value: object, what: str) -> str:
    """Take a text, which may be empty."""
    if not isinstance(value, str):
        raise EditError(f"{what} is {short(value)}: give a text")
    return value


def name_of(value: object, what: str) -> str:
    """Take a name."""
    if not isinstance(value, str) or not value.strip():
        raise EditError(f"{short(value)} is no name of a {what}: give a text")
    return value


def names_of(value: object, what: str) -> list[str]:
    """Take a list of names."""
    if isinstance(value, str) or not isinstance(value, Sequence) or not value:
        raise EditError(f"{short(value)} is no list of {what}s: give one like ['grass', 'sand']")
    return [name_of(each, what) for each in value]


def path_of(value: object) -> Path:
    """Take a path of a file or folder."""
    if not isinstance(value, str | Path) or not str(value) or "\0" in str(value):
        raise EditError(f"{short(value)} is no path of a file or folder: give one")
    return Path(value)


def whole(value: object, what: str, least: int, most: int) -> int:
    """Take a whole number within bounds, which belong to it."""
    if isinstance(value, bool) or not isinstance(value, int | np.integer):
        raise EditError(f"{what} is {short(value)}: give a whole number")
    if not least <= value <= most:
        raise EditError(f"{what} is {value}: give {least} to {most}")
    return int(value)


def number(value: object, what: str, least: float, most: float) -> float:
    """Take a number within bounds, which belong to it."""
    kinds = int | float | np.integer | np.floating
    if isinstance(value, bool) or not isinstance(value, kinds):
        raise EditError(f"{what} is {short(value)}: give a number")
    if not least <= value <= most:
        raise EditError(f"{what} is {value}: give {least:g} to {most:g}")
    return float(value)


def pair(value: object, what: str, *, least: int, most: int) -> Pair:
    """Take two whole numbers, of rows and of columns."""
    if not isinstance(value, Sequence) or isinstance(value, str | bytes) or len(value) != 2:
        raise EditError(f"{what} is {short(value)}: give (row, column) or (height, width)")
    return whole(value[0], what, least, most), whole(value[1], what, least, most)


def one_of(value: object, known: Iterable[str], what: str) -> str:
    """Take one of several words."""
    words = list(known)
    if value not in words:
        raise EditError(f"{short(value)} is no {what}: give one of {', '.join(words)}")
    return str(value)


def progress_of(told: Told | None) -> Progress:
    """Take what is to be told of progress."""
    if told is None:
        return no_progress
    if not callable(told):
        raise EditError(f"{short(told)} can not be told of progress: give a function of one number")
    listener = told
    return lambda part: (listener(part), None)[1]


def named(things: Sequence[Thing], name: str, what: str) -> Thing:
    """Find a thing by its name."""
    for each in things:
        if each.name == name:
            return each
    known = ", ".join(f"“{each.name}”" for each in things) or "none"
    raise EditError(f"there is no {what} “{str(name)[:60]}”: there are {known}")


def numbers_in(
    value: object, what: str, shape: tuple[int, ...] | None, least: int, most: int
) -> NDArray[np.int64]:
    """Take an array of whole numbers of a shape (None: any two sides) within bounds."""
    found = None
    with suppress(ValueError, TypeError):
        found = np.asarray(value)
    if found is None or found.dtype.kind not in "iub":
        raise EditError(f"{what} are {short(value)}: give an array of whole numbers")
    if found.ndim != 2 if shape is None else found.shape != shape:
        wanted = "two sides" if shape is None else f"the shape {shape}"
        raise EditError(f"{what} have the shape {found.shape}: give an array of {wanted}")
    if found.size and not (least <= int(found.min()) and int(found.max()) <= most):
        worst = int(found.min()) if int(found.min()) < least else int(found.max())
        raise EditError(f"{what} hold {worst}: give numbers from {least} to {most}")
    return found.astype(np.int64)


def built(kind: type[Made], values: Mapping[str, Any], what: str) -> Made:
    """Build something of values by name; what does not fit is told."""
    known = {each.name for each in fields(kind) if each.init}  # type: ignore[arg-type]
    strange = [each for each in values if each not in known]
    if strange:
        raise EditError(f"{what} has no “{strange[0]}”: it has {', '.join(sorted(known))}")
    try:
        return TypeAdapter(kind).validate_python(dict(values))
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = " ".join(str(part) for part in first["loc"]) or "it"
        raise EditError(
            f"{what}: {where} is {short(first.get('input'))}: {first['msg']}"
        ) from error
