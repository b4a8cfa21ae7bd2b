"""What a project may hold: every bound once, for edits and for files.

The models annotate their fields with these types. The file models in `core/files/formats.py` are
made of the same ones, and every edit checks what it sets against them (`check_field`), so what an
edit accepts can be saved, and what was saved can be opened.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, fields, is_dataclass
from enum import Enum
from functools import lru_cache
from types import NoneType, UnionType
from typing import Annotated, Any, Union, get_args, get_origin, get_type_hints

from annotated_types import Ge, Le, MaxLen, MinLen

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say

MAX_SIDE_PX = 16_384
MAX_SHEET_PIXELS = 8192 * 5120
"""Pixels of one sheet: up to 20 bytes each are needed at once to read, look at and draw it, and a
sheet is to take less than a gigabyte in all."""
MAX_SIDE = 65_535
MAX_CELLS = 4096 * 4096
MAX_PROJECT_CELLS = 2**29
"""Cells of all layers of all maps of a project: 2 GiB."""
MAX_SHEETS_BYTES = 2**29
"""Bytes of all sheets of a project in memory: 4 for each pixel, and the files they came from."""
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
Index = Annotated[int, Ge(0), Le(MAX_SIDE_PX)]
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
ApartSteps = Annotated[int, Ge(1), Le(3)]
BorderCells = Annotated[int, Ge(-16), Le(16)]
ClumpCells = Annotated[float, Ge(1), Le(256)]
OwnClump = Annotated[float, Ge(0), Le(256)]
Octaves = Annotated[int, Ge(1), Le(8)]
Strength = Annotated[int, Ge(1), Le(FULL_TINT)]
Number = Annotated[int, Ge(0), Le(2**31 - 1)]
MarkerNumber = Annotated[int, Ge(0), Le(2**31 - 1)]
Seed = Annotated[int, Ge(-(2**63)), Le(2**63 - 1)]


Where = tuple[Any, str]
"""A model, and the name of one of its fields: put into words only where something is wrong."""
Checker = Callable[[Any, Where, Any], None]
"""Checks a value; the last one is what was there before, whose parts are trusted."""


def check_field(owner: object, name: str, value: object, before: object = None) -> None:
    """Check what a field of a model is to hold; parts that were there before are trusted.

    Raises
    ------
    EditError
        A number is out of bounds, a text too long, a list too full.
    """
    check = _checks(_type(owner)).get(name)
    if check is not None:
        check(value, (owner, name), before)


def check_model(model: object) -> None:
    """Check all that a model holds, and what that holds."""
    for name, check in _checks(_type(model)).items():
        check(getattr(model, name), (model, name), None)


def _type(value: object) -> Any:
    return type(value)


@lru_cache(maxsize=256)
def _checks(kind: Any) -> dict[str, Checker]:
    """Give the checks of a model's fields that are bounded."""
    if is_dataclass(kind):
        names = [each.name for each in fields(kind)]
    else:
        names = list(getattr(kind, "_fields", ()))
    hints = get_type_hints(kind, include_extras=True) if names else {}
    return {name: _checker(hints[name]) for name in names if _bounded(hints[name])}


@lru_cache(maxsize=4096)
def _is_model(kind: Any) -> bool:
    if not isinstance(kind, type) or issubclass(kind, Enum):
        return False
    return is_dataclass(kind) or hasattr(kind, "_fields")


def _bounded(hint: Any) -> bool:
    """Whether a type says anything that is to be checked."""
    if get_origin(hint) is Annotated or hint is str:
        return True
    if _is_model(hint):
        return True
    return any(_bounded(each) for each in get_args(hint) if each is not Ellipsis)


def _words(where: Where) -> tuple[str, str]:
    """Name a field, and the model that has it."""
    owner, field = where
    kind = re.sub(r"(?<=[a-z])(?=[A-Z])", " ", type(owner).__name__).lower()
    called = getattr(owner, "name", None)
    who = (
        say(" of {kind} “{called}”", kind=kind, called=called[:40])
        if isinstance(called, str) and called
        else say(" of {kind}", kind=kind)
    )
    return field.replace("_", " "), who


@lru_cache(maxsize=1024)
def _checker(hint: Any) -> Checker:
    """Make the check of a type, once: models of many thousand parts are checked at every edit."""
    origin, args = get_origin(hint), get_args(hint)
    if origin is Annotated:
        return _bounded_checker(_checker(args[0]), args[1:])
    if origin in (Union, UnionType):
        return _union_checker(args)
    if hint is str:
        return _check_text
    if hint is float or hint is int:
        return _check_number
    if origin is tuple and Ellipsis not in args:
        return _fixed_checker(tuple(_checker(each) for each in args))
    if origin in (list, tuple, frozenset):
        return _items_checker(_checker(args[0])) if _bounded(args[0]) else _check_nothing
    if origin in (dict, Mapping):
        return _dict_checker(_checker(args[0]), _checker(args[1]))
    return _check_part


def _check_nothing(value: Any, where: Where, before: Any) -> None:
    """Let anything be."""


def _check_part(value: Any, where: Where, before: Any) -> None:
    kind = _type(value)
    if _is_frozen(kind):
        try:
            _check_once(value)  # thousands of tiles often have the same facts
        except TypeError:  # a part of it can not be hashed
            check_model(value)
    elif _is_model(kind):
        check_model(value)


@lru_cache(maxsize=256)
def _is_frozen(kind: Any) -> bool:
    """Whether a model's parts are values throughout, so that equal ones are equally fine."""
    return is_dataclass(kind) and bool(getattr(kind, _FROZEN).frozen) and kind.__hash__ is not None


_FROZEN = "__dataclass_params__"


@lru_cache(maxsize=65_536)
def _check_once(value: Any) -> None:
    check_model(value)


def _check_number(value: Any, where: Where, before: Any) -> None:
    if not isinstance(value, int | float) or value != value:
        what = _words(where)
        raise EditError(say("{what}{what2} is not a number: give one", what=what[0], what2=what[1]))


def _bounded_checker(inner: Checker, bounds: tuple[Any, ...]) -> Checker:
    lows = [each.ge for each in bounds if isinstance(each, Ge)]
    highs = [each.le for each in bounds if isinstance(each, Le)]
    low: Any = lows[0] if lows else None
    high: Any = highs[0] if highs else None
    others = tuple(each for each in bounds if isinstance(each, MinLen | MaxLen | Like))

    def check(value: Any, where: Where, before: Any) -> None:
        inner(value, where, before)
        if (low is not None and value < low) or (high is not None and value > high):
            what = _words(where)
            raise EditError(
                say(
                    "{what} {number_words}{what2} is out of bounds: give {number_words2} to "
                    "{number_words3}",
                    what=what[0],
                    number_words=number_words(value),
                    what2=what[1],
                    number_words2=number_words("" if low is None else low),
                    number_words3=number_words("" if high is None else high),
                )
            )
        if others:
            _check_form(others, value, where)

    return check


def _union_checker(args: tuple[Any, ...]) -> Checker:
    rest = [each for each in args if each is not NoneType]
    one = _checker(rest[0]) if len(rest) == 1 else _check_part
    may_be_none = NoneType in args

    def check(value: Any, where: Where, before: Any) -> None:
        if value is not None or not may_be_none:
            one(value, where, before)

    return check


def _fixed_checker(parts: tuple[Checker, ...]) -> Checker:
    def check(value: Any, where: Where, before: Any) -> None:
        for part, each in zip(parts, value):
            part(each, where, None)

    return check


def _items_checker(part: Checker) -> Checker:
    def check(value: Iterable[Any], where: Where, before: Any) -> None:
        known = (
            {id(each) for each in before} if isinstance(before, list | tuple | frozenset) else ()
        )
        for each in value:
            if id(each) not in known:
                part(each, where, None)

    return check


def _dict_checker(key_check: Checker, value_check: Checker) -> Checker:
    def check(value: Mapping[Any, Any], where: Where, before: Any) -> None:
        old = before if isinstance(before, dict) else {}
        known: set[int] = set()
        for key in _ends([key for key in value if key not in old]):
            key_check(key, where, None)
        for key, each in value.items():
            if id(each) not in known and old.get(key) is not each:
                value_check(each, where, None)
                known.add(id(each))

    return check


def _ends(keys: list[Any]) -> list[Any]:
    """Give of many keys that are alike rows of whole numbers only the least and the largest ones.

    Numbers have bounds on both sides: where the ends are within them all are.
    """
    plain = len(keys) > 16 and all(type(each) is tuple for each in keys)
    if not plain or len({len(each) for each in keys}) != 1:
        return keys
    columns = list(zip(*keys))
    if not all(type(each) is int for column in columns for each in column):
        return keys
    return [tuple(map(min, columns)), tuple(map(max, columns))]


def _check_text(value: Any, where: Where, before: Any) -> None:
    if not isinstance(value, str):
        what = _words(where)
        raise EditError(
            say(
                "{what} {value!r:.40}{what2} is not text: type some",
                what=what[0],
                value=value,
                what2=what[1],
            )
        )
    if value.isascii():
        return
    try:
        value.encode()
    except UnicodeEncodeError as error:
        what = _words(where)
        raise EditError(
            say(
                "{what} {value!r:.40}{what2} has a letter (place {start}) that no file can "
                "hold: type another name",
                what=what[0],
                value=value,
                what2=what[1],
                start=error.start + 1,
            )
        ) from error


def _check_form(bounds: tuple[Any, ...], value: Any, where: Where) -> None:
    for bound in bounds:
        if isinstance(bound, MinLen) and len(value) < bound.min_length:
            what = _words(where)
            raise EditError(
                say(
                    "{what}{what2} is empty: give at least {min_length}",
                    what=what[0],
                    what2=what[1],
                    min_length=bound.min_length,
                )
            )
        if isinstance(bound, MaxLen) and len(value) > bound.max_length:
            raise EditError(_too_many(value, bound.max_length, _words(where)))
        if isinstance(bound, Like) and not re.match(bound.pattern, value):
            what = _words(where)
            raise EditError(
                say(
                    "{what} “{value}”{what2} is not of the form {words}",
                    what=what[0],
                    value=value[:20],
                    what2=what[1],
                    words=bound.words,
                )
            )


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
        return str(value) if abs(value) < 10**18 else say("a number of more than 18 digits")
    return f"{value:g}"


def _too_many(value: Any, most: int, what: tuple[str, str]) -> str:
    if isinstance(value, str):
        return say(
            "{what} “{value}…”{what2} is too long: give at most {most} letters",
            what=what[0],
            value=value[:20],
            what2=what[1],
            most=most,
        )
    return say(
        "{count} {what}{what2} are too many: at most {most} fit",
        count=len(value),
        what=what[0],
        what2=what[1],
        most=most,
    )


def sheet_words(width: int, height: int) -> str:
    """Say why a sheet of so many pixels is too large; empty if it is not."""
    if width > MAX_SIDE_PX or height > MAX_SIDE_PX:
        return say(
            "{width} × {height} px is over {max_side_px} px a side",
            width=width,
            height=height,
            max_side_px=MAX_SIDE_PX,
        )
    if width * height > MAX_SHEET_PIXELS:
        return say(
            "{width} × {height} px is over {max_sheet_pixels} px in all",
            width=width,
            height=height,
            max_sheet_pixels=MAX_SHEET_PIXELS,
        )
    return ""
