"""What a project may hold: every bound once, for edits and for files.

The models annotate their fields with these types. The file models in `core/files/formats.py` are
made of the same ones, and every edit checks what it sets against them (`check_field`), so what an
edit accepts can be saved, and what was saved can be opened.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, fields, is_dataclass
from enum import Enum
from functools import lru_cache
from types import NoneType, UnionType
from typing import Annotated, Any, Union, get_args, get_origin, get_type_hints

from annotated_types import Ge, Le, MaxLen, MinLen

from knitground.core.base.errors import EditError

MAX_SIDE_PX = 16_384
MAX_SIDE = 65_535
MAX_CELLS = 4096 * 4096
MAX_PROJECT_CELLS = 2**29
"""Cells of all layers of all maps of a project: 2 GiB."""
MAX_PROJECT_PIXELS = 2**29
"""Pixels of all sheets of a project: 2 GiB."""
MAX_NAME = 200
MAX_LAYERS = 64
MAX_TERRAINS = 64
MAX_MARKERS = 16_384
MAX_CORNERS = 1024
MAX_FRAMES = 4096
MAX_SHIFT = MAX_SIDE_PX
MAX_PIECES = 16_384
MAX_TRAY = 4096
MAX_STEPS = 256
MAX_PARTS = 4096
"""Tilesets, and maps, of one project."""
MAX_RULES = 4096
MAX_BLOCK = 1024
"""Cells of a block that a rewrite rule reads or writes."""
MAX_REACH = 32
"""Cells that a rule may look away from its own."""
MAX_PASSES = 8
MAX_WEIGHT = 1e6
MIN_SCALE, MAX_SCALE = 0.05, 64.0
FULL_TINT = 127


@dataclass(frozen=True)
class Like:
    """A text must have this form, which `words` tells."""

    pattern: str
    words: str

    def __get_pydantic_core_schema__(self, source: Any, handler: Any) -> Any:
        """Let file models check the same form."""
        schema = handler(source)
        schema["pattern"] = self.pattern
        return schema


Name = Annotated[str, MinLen(1), MaxLen(MAX_NAME)]
Word = Annotated[str, MaxLen(MAX_NAME)]
Text = Annotated[str, MaxLen(10_000)]
FileName = Annotated[str, MinLen(1), MaxLen(1024)]
Letter = Annotated[str, MinLen(1), MaxLen(1)]
HexColour = Annotated[str, Like(r"^#[0-9a-fA-F]{6}$", "#rrggbb")]
Side = Annotated[int, Ge(0), Le(MAX_SIDE_PX)]
TileSide = Annotated[int, Ge(1), Le(MAX_SIDE_PX)]
CellSide = Annotated[int, Ge(1), Le(MAX_SIDE)]
Place = Annotated[int, Ge(0), Le(MAX_SIDE_PX)]
Channel = Annotated[int, Ge(0), Le(255)]
Tolerance = Annotated[int, Ge(0), Le(765)]
Turn = Annotated[int, Ge(0), Le(7)]
Shift = Annotated[int, Ge(-MAX_SIDE_PX), Le(MAX_SIDE_PX)]
AnchorPx = Annotated[int, Ge(-MAX_SIDE_PX), Le(2 * MAX_SIDE_PX)]
ShapePx = Annotated[float, Ge(-MAX_SIDE_PX), Le(2 * MAX_SIDE_PX)]
Milliseconds = Annotated[int, Ge(1), Le(600_000)]
Weight = Annotated[float, Ge(0), Le(MAX_WEIGHT)]
Part = Annotated[float, Ge(0), Le(1)]
Coordinate = Annotated[float, Ge(-4e6), Le(4e6)]
HalfCells = Annotated[int, Ge(-2 * MAX_REACH), Le(2 * MAX_REACH)]
CellsAway = Annotated[int, Ge(-MAX_REACH), Le(MAX_REACH)]
Every = Annotated[int, Ge(1), Le(4096)]
Passes = Annotated[int, Ge(1), Le(MAX_PASSES)]
Degrees = Annotated[float, Ge(-360), Le(360)]
Scale = Annotated[float, Ge(MIN_SCALE), Le(MAX_SCALE)]
Cells = Annotated[float, Ge(2), Le(4096)]
ClumpCells = Annotated[float, Ge(1), Le(256)]
Octaves = Annotated[int, Ge(1), Le(8)]
Strength = Annotated[int, Ge(1), Le(FULL_TINT)]
Number = Annotated[int, Ge(0), Le(2**31 - 1)]
MarkerNumber = Annotated[int, Ge(0), Le(2**31 - 1)]
Seed = Annotated[int, Ge(-(2**63)), Le(2**63 - 1)]


def check_field(owner: object, name: str, value: object, before: object = None) -> None:
    """Check what a field of a model is to hold; parts that were there before are trusted.

    Raises
    ------
    EditError
        A number is out of bounds, a text too long, a list too full.
    """
    hint = _hints(_type(owner)).get(name)
    if hint is not None:
        _check(hint, value, _words(owner, name), before)


def check_model(model: object) -> None:
    """Check all that a model holds, and what that holds."""
    for name, hint in _hints(_type(model)).items():
        _check(hint, getattr(model, name), _words(model, name), None)


def _type(value: object) -> Any:
    return type(value)


@lru_cache(maxsize=256)
def _hints(kind: Any) -> dict[str, Any]:
    if is_dataclass(kind):
        hints = get_type_hints(kind, include_extras=True)
        return {each.name: hints[each.name] for each in fields(kind) if _bounded(hints[each.name])}
    hints = get_type_hints(kind, include_extras=True) if hasattr(kind, "_fields") else {}
    return {name: hint for name, hint in hints.items() if _bounded(hint)}


@lru_cache(maxsize=4096)
def _is_model(kind: Any) -> bool:
    return isinstance(kind, type) and (is_dataclass(kind) or hasattr(kind, "_fields"))


def _bounded(hint: Any) -> bool:
    """Whether a type says anything that is to be checked."""
    if get_origin(hint) is Annotated or hint is str:
        return True
    if _is_model(hint):
        return True
    return any(_bounded(each) for each in get_args(hint) if each is not Ellipsis)


def _words(owner: object, field: str) -> tuple[str, str]:
    """Name a field, and the model that has it."""
    kind = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", type(owner).__name__).lower()
    called = getattr(owner, "name", None)
    who = f" of {kind} “{called[:40]}”" if isinstance(called, str) and called else f" of {kind}"
    return field.replace("_", " "), who


def _check(hint: Any, value: Any, what: tuple[str, str], before: Any) -> None:
    origin, args = get_origin(hint), get_args(hint)
    if origin is Annotated:
        _check(args[0], value, what, before)
        _check_bounds(args[1:], value, what)
    elif origin in (Union, UnionType):
        _check_union(args, value, what, before)
    elif hint is str:
        _check_text(value, what)
    elif hint is float or hint is int:
        if not isinstance(value, int | float) or value != value:
            raise EditError(f"{what[0]}{what[1]} is not a number: give one")
    elif origin in (list, tuple, frozenset):
        _check_items(origin, args, value, what, before)
    elif origin in (dict, Mapping):
        old = before if isinstance(before, dict) else {}
        for key, each in value.items():
            if key not in old:
                _check(args[0], key, what, None)
            if old.get(key) is not each:
                _check(args[1], each, what, None)
    elif _is_model(_type(value)) and not isinstance(value, Enum):
        check_model(value)


def _check_union(args: tuple[Any, ...], value: Any, what: tuple[str, str], before: Any) -> None:
    if value is None and NoneType in args:
        return
    rest = [each for each in args if each is not NoneType]
    if len(rest) == 1:
        _check(rest[0], value, what, before)
    elif _is_model(_type(value)):
        check_model(value)


def _check_items(
    origin: Any, args: tuple[Any, ...], value: Iterable[Any], what: tuple[str, str], before: Any
) -> None:
    if origin is tuple and Ellipsis not in args:
        for hint, each in zip(args, value):
            _check(hint, each, what, None)
        return
    if not _bounded(args[0]):
        return
    known = {id(each) for each in before} if isinstance(before, list | tuple | frozenset) else set()
    for each in value:
        if id(each) not in known:
            _check(args[0], each, what, None)


def _check_text(value: Any, what: tuple[str, str]) -> None:
    if not isinstance(value, str):
        raise EditError(f"{what[0]} {value!r:.40}{what[1]} is not text: type some")
    try:
        value.encode()
    except UnicodeEncodeError as error:
        raise EditError(
            f"{what[0]} {value!r:.40}{what[1]} has a letter (place {error.start + 1}) that no file "
            "can hold: type another name"
        ) from error


def _check_bounds(bounds: tuple[Any, ...], value: Any, what: tuple[str, str]) -> None:
    for bound in bounds:
        if isinstance(bound, Ge | Le):
            low = next((each.ge for each in bounds if isinstance(each, Ge)), "")
            high = next((each.le for each in bounds if isinstance(each, Le)), "")
            off = value < bound.ge if isinstance(bound, Ge) else value > bound.le
            if off:
                raise EditError(
                    f"{what[0]} {number_words(value)}{what[1]} is out of bounds: give "
                    f"{number_words(low)} to {number_words(high)}"
                )
        elif isinstance(bound, MinLen) and len(value) < bound.min_length:
            raise EditError(f"{what[0]}{what[1]} is empty: give at least {bound.min_length}")
        elif isinstance(bound, MaxLen) and len(value) > bound.max_length:
            raise EditError(_too_many(value, bound.max_length, what))
        elif isinstance(bound, Like) and not re.match(bound.pattern, value):
            raise EditError(f"{what[0]} “{value[:20]}”{what[1]} is not of the form {bound.words}")


def number_words(value: Any) -> str:
    """Write a number, however large, in a few letters.

    Examples
    --------
    >>> number_words(16384), number_words(0.5), number_words(10**5000)
    ('16384', '0.5', 'a number of more than 18 digits')
    """
    if isinstance(value, str):
        return value
    if isinstance(value, int):
        return str(value) if abs(value) < 10**18 else "a number of more than 18 digits"
    return f"{value:g}"


def _too_many(value: Any, most: int, what: tuple[str, str]) -> str:
    if isinstance(value, str):
        return f"{what[0]} “{value[:20]}…”{what[1]} is too long: give at most {most} letters"
    return f"{len(value)} {what[0]}{what[1]} are too many: at most {most} fit"
