"""Cells in files: rows of numbers while small, packed blocks above that."""

from __future__ import annotations

import base64
import binascii
import zlib
from collections.abc import Callable
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import FormatError
from knitground.core.base.tongue import say
from knitground.core.files.mapformats import CellsFile, PackedFile, RowsFile
from knitground.core.files.packing import Blocks, each_of

ROWS_LIMIT = 65_536


def to_file(cells: NDArray[Any]) -> CellsFile:
    """Write int32 or uint8 cells (h, w)."""
    if cells.size <= ROWS_LIMIT:
        return RowsFile.model_construct(rows=cells.tolist())
    return packed(cells)


def packed(cells: NDArray[Any]) -> PackedFile:
    """Write cells packed, whatever their number."""
    return Blocks(cells).packed()


def from_file(
    cells: CellsFile, height: int, width: int, low: int, high: int, what: str,
    table: NDArray[np.int32] | None = None, kept: type[np.integer[Any]] = np.int32,
) -> NDArray[Any]:  # fmt: skip
    """Read cells that must be height × width numbers from low to high.

    Parameters
    ----------
    table : what each number from 0 to high stands for
    kept : as what numbers they are given, all from low to high among them

    Raises
    ------
    FormatError
        Another size, a number out of bounds, or packed data that is broken or unpacks to more
        than height × width numbers (no more than that is ever unpacked).
    """

    def check(part: NDArray[Any]) -> None:
        if part.size and (int(part.min()) < low or int(part.max()) > high):
            worst = int(part.min()) if int(part.min()) < low else int(part.max())
            raise FormatError(
                say(
                    "{what}: {worst} is outside {low} … {high}, what the file itself lists",
                    what=what,
                    worst=worst,
                    low=low,
                    high=high,
                )
            )

    if isinstance(cells, RowsFile):
        out = _from_rows(cells.rows, height, width, what)
        check(out)
        return (out if table is None else table[out]).astype(kept, copy=False)
    return _from_packed(cells, height, width, what, check, table, kept)


def _from_rows(rows: list[list[int]], height: int, width: int, what: str) -> NDArray[np.int32]:
    if len(rows) != height or any(len(row) != width for row in rows):
        found = len(rows[0]) if rows else 0
        raise FormatError(
            say(
                "{what}: {found} × {count} numbers stand where {width} × {height} must be",
                what=what,
                found=found,
                count=len(rows),
                width=width,
                height=height,
            )
        )
    try:
        return np.array(rows, np.int32).reshape(height, width)
    except (OverflowError, ValueError) as error:
        raise FormatError(say("{what}: a number does not fit 32 bits", what=what)) from error


def _from_packed(
    cells: PackedFile, height: int, width: int, what: str,
    check: Callable[[NDArray[Any]], None], table: NDArray[np.int32] | None,
    kept: type[np.integer[Any]],
) -> NDArray[Any]:  # fmt: skip
    """Unpack, check and look up block by block: each while the processor has it at hand."""
    kind = np.dtype(np.uint8) if cells.packed == "uint8" else np.dtype("<i4")
    step = cells.block_rows
    if len(cells.blocks) != -(-height // step):
        raise FormatError(
            say(
                "{what}: {count} blocks of {step} rows do not make {height} rows",
                what=what,
                count=len(cells.blocks),
                step=step,
                height=height,
            )
        )
    wanted = [place for place in range(len(cells.blocks)) if cells.is_wanted(place)]
    new = np.empty if len(wanted) == len(cells.blocks) else np.zeros
    out = new((height, width), kept)

    def read(place: int) -> None:
        top = place * step
        rows = min(step, height - top)
        data = _unpacked(
            cells.blocks[place],
            rows * width * kind.itemsize,
            say("{what}, block {place}", what=what, place=place + 1),
        )
        block = np.frombuffer(data, kind).reshape(rows, width)
        check(block)
        out[top : top + rows] = block if table is None else table[block]

    each_of(read, wanted)
    return out


def _unpacked(block: str, size: int, what: str) -> bytes:
    try:
        unpacker = zlib.decompressobj()
        data = unpacker.decompress(base64.b64decode(block, validate=True), size + 1)
    except (binascii.Error, zlib.error, ValueError) as error:
        raise FormatError(say("{what} is broken: {error}", what=what, error=error)) from error
    if unpacker.unused_data or (len(data) == size and not unpacker.eof):
        raise FormatError(say("{what} goes on after its end: it is broken", what=what))
    if len(data) != size:
        more = say("more than") if len(data) > size else say("{count} instead of", count=len(data))
        raise FormatError(
            say(
                "{what} unpacks to {more} {size} bytes, the map's size",
                what=what,
                more=more,
                size=size,
            )
        )
    return data
