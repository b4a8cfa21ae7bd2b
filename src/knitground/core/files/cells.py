"""Cells in files: rows of numbers while small, packed blocks above that."""

from __future__ import annotations

import base64
import binascii
import zlib
from concurrent.futures import ThreadPoolExecutor
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import FormatError
from knitground.core.files.mapformats import MAX_BLOCK_ROWS, CellsFile, PackedFile, RowsFile

ROWS_LIMIT = 65_536
_BLOCK_CELLS = 262_144


def to_file(cells: NDArray[Any]) -> CellsFile:
    """Write int32 or uint8 cells (h, w)."""
    if cells.size <= ROWS_LIMIT:
        return RowsFile.model_construct(rows=cells.tolist())
    return packed(cells)


def packed(cells: NDArray[Any]) -> PackedFile:
    """Write cells packed, whatever their number."""
    small = cells.dtype == np.uint8
    plain = cells.astype(np.uint8 if small else "<i4", copy=False)
    step = min(MAX_BLOCK_ROWS, max(1, _BLOCK_CELLS // max(1, cells.shape[1])))

    def pack(top: int) -> str:
        return base64.b64encode(zlib.compress(plain[top : top + step].tobytes(), 3)).decode()

    tops = range(0, cells.shape[0], step)
    if len(tops) < 4:
        blocks = [pack(top) for top in tops]
    else:
        with ThreadPoolExecutor(4) as pool:  # packing lets other threads run
            blocks = list(pool.map(pack, tops))
    return PackedFile(packed="uint8" if small else "int32", block_rows=step, blocks=blocks)


def from_file(
    cells: CellsFile, height: int, width: int, low: int, high: int, what: str
) -> NDArray[np.int32]:
    """Read cells that must be height × width numbers from low to high.

    Raises
    ------
    FormatError
        Another size, a number out of bounds, or packed data that is broken or unpacks to more
        than height × width numbers (no more than that is ever unpacked).
    """
    if isinstance(cells, RowsFile):
        out = _from_rows(cells.rows, height, width, what)
    else:
        out = _from_packed(cells, height, width, what)
    if out.size and (int(out.min()) < low or int(out.max()) > high):
        worst = int(out.min()) if int(out.min()) < low else int(out.max())
        raise FormatError(f"{what}: {worst} is outside {low} … {high}, what the file itself lists")
    return out


def _from_rows(rows: list[list[int]], height: int, width: int, what: str) -> NDArray[np.int32]:
    if len(rows) != height or any(len(row) != width for row in rows):
        found = len(rows[0]) if rows else 0
        raise FormatError(
            f"{what}: {found} × {len(rows)} numbers stand where {width} × {height} must be"
        )
    try:
        return np.array(rows, np.int32).reshape(height, width)
    except (OverflowError, ValueError) as error:
        raise FormatError(f"{what}: a number does not fit 32 bits") from error


def _from_packed(cells: PackedFile, height: int, width: int, what: str) -> NDArray[np.int32]:
    kind = np.dtype(np.uint8) if cells.packed == "uint8" else np.dtype("<i4")
    step = cells.block_rows
    if len(cells.blocks) != -(-height // step):
        raise FormatError(
            f"{what}: {len(cells.blocks)} blocks of {step} rows do not make {height} rows"
        )
    out = np.empty((height, width), np.int32)
    for place, block in enumerate(cells.blocks):
        top = place * step
        rows = min(step, height - top)
        data = _unpacked(block, rows * width * kind.itemsize, f"{what}, block {place + 1}")
        out[top : top + rows] = np.frombuffer(data, kind).reshape(rows, width)
    return out


def _unpacked(block: str, size: int, what: str) -> bytes:
    try:
        unpacker = zlib.decompressobj()
        data = unpacker.decompress(base64.b64decode(block, validate=True), size + 1)
    except (binascii.Error, zlib.error, ValueError) as error:
        raise FormatError(f"{what} is broken: {error}") from error
    if unpacker.unused_data or (len(data) == size and not unpacker.eof):
        raise FormatError(f"{what} goes on after its end: it is broken")
    if len(data) != size:
        more = "more than" if len(data) > size else f"{len(data)} instead of"
        raise FormatError(f"{what} unpacks to {more} {size} bytes, the map's size")
    return data
