"""JSON as text: written so that differences read well, read with errors that name the place."""

from __future__ import annotations

import json
from typing import Any, TypeVar

from numpy.typing import NDArray
from pydantic import BaseModel, ValidationError

from knitground.core.base.errors import FormatError
from knitground.core.base.tongue import say

_FIRST = 1024
Model = TypeVar("Model", bound=BaseModel)


def to_text(value: Any) -> str:
    """Write JSON indented by one, lists and objects of plain values on one line.

    Examples
    --------
    >>> print(to_text({"rows": [[1, 2], [3, 4]]}), end="")
    {
     "rows": [
      [1,2],
      [3,4]
     ]
    }
    """
    pieces: list[str] = []
    _write(value, 1, pieces)
    pieces.append("\n")
    return "".join(pieces)


class Written(str):
    """JSON that is written already; `to_text` takes it as it is."""

    __slots__ = ()


def rows_text(rows: NDArray[Any], depth: int) -> Written:
    """Write numbers (h, w) as `to_text` would at a depth of indentation, many times as fast."""
    if not rows.size:
        return Written(json.dumps(rows.tolist(), separators=(",", ":")))
    pad = "\n" + " " * depth
    lines = (pad + "[" + ",".join(map(str, row)) + "]" for row in rows.tolist())
    return Written("[" + ",".join(lines) + "\n" + " " * (depth - 1) + "]")


def _write(value: Any, depth: int, out: list[str]) -> None:
    if isinstance(value, Written):
        out.append(value)
        return
    children = value.values() if isinstance(value, dict) else value
    if not isinstance(value, dict | list | tuple) or not any(
        isinstance(each, dict | list | tuple | Written) for each in children
    ):
        separators = (",", ":") if isinstance(value, list | tuple) else (", ", ": ")
        out.append(json.dumps(value, ensure_ascii=False, separators=separators))
        return
    pad = "\n" + " " * depth
    brackets = "{}" if isinstance(value, dict) else "[]"
    out.append(brackets[0])
    items = value.items() if isinstance(value, dict) else enumerate(value)
    for place, (key, each) in enumerate(items):
        out.append(("," if place else "") + pad)
        if isinstance(value, dict):
            out.append(json.dumps(key, ensure_ascii=False) + ": ")
        _write(each, depth + 1, out)
    out.append("\n" + " " * (depth - 1) + brackets[1])


def model_bytes(model: BaseModel) -> bytes:
    """Write a model as JSON, UTF-8."""
    return to_text(model.model_dump(mode="json")).encode()


def read_model(raw: bytes, name: str, kind: type[Model], wanted: str, newest: int) -> Model:
    """Read the bytes of one of our files.

    Parameters
    ----------
    name : of the file, for errors
    kind : the model of its newest version
    wanted : its format's name
    newest : newest version that can be read

    Raises
    ------
    FormatError
        It is not JSON, of another format, of a newer version, or a value is wrong.
    """
    data = _load(raw, name)
    found = data.get("format") if isinstance(data, dict) else None
    if found != wanted:
        raise FormatError(
            say(
                "{name}: its format is {short}, not “{wanted}”: choose another file",
                name=name,
                short=_short(found),
                wanted=wanted,
            )
        )
    version = data.get("version")
    if isinstance(version, int) and not isinstance(version, bool) and version > newest:
        raise FormatError(
            say(
                "{name}: version {version} is newer than {newest}, the newest this program "
                "knows: open it with a newer Knit Ground",
                name=name,
                version=version,
                newest=newest,
            )
        )
    migrate = getattr(kind, "migrated", None)
    try:
        return kind.model_validate(migrate(data) if migrate else data)
    except ValidationError as error:
        first = error.errors(include_url=False)[0]
        where = ".".join(str(part) for part in first["loc"]) or say("the file")
        raise FormatError(
            say(
                "{name}: {where} is {short}: {first}",
                name=name,
                where=where,
                short=_short(first.get("input")),
                first=first["msg"],
            )
        ) from error


def _load(raw: bytes, name: str) -> Any:
    if not raw[:_FIRST].lstrip().startswith((b"{", b"[")):
        raw = _begin_of(raw)  # enough to say what is wrong, without unpacking a gigabyte of it
    try:
        return json.loads(raw.decode("utf-8"))
    except UnicodeDecodeError as error:
        raise FormatError(
            say("{name} is not UTF-8 text (byte {start})", name=name, start=error.start)
        ) from error
    except json.JSONDecodeError as error:
        raise FormatError(
            say(
                "{name} is broken in line {lineno}, column {colno}: {msg}; what it was "
                "before the last save, if that is kept, is {name}.previous",
                name=name,
                lineno=error.lineno,
                colno=error.colno,
                msg=error.msg,
            )
        ) from error
    except ValueError as error:  # Python reads numbers of at most 4300 digits
        raise FormatError(
            say("{name} holds a number of thousands of digits: not one of ours", name=name)
        ) from error
    except (RecursionError, MemoryError) as error:
        raise FormatError(
            say("{name} is nested too deeply, or too large, to be ours", name=name)
        ) from error


def _begin_of(raw: bytes) -> bytes:
    """The first bytes, cut between letters."""
    end = min(len(raw), _FIRST)
    while 0 < end < len(raw) and raw[end] & 0xC0 == 0x80:  # in the middle of a letter of UTF-8
        end -= 1
    return raw[:end]


def _short(value: Any) -> str:
    try:
        text = repr(value)
    except ValueError:  # a number of thousands of digits
        text = say("a very long number")
    return text if len(text) <= 60 else text[:57] + "…"
