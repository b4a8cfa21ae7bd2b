"""Cells packed block by block; what was packed before is not packed again.

A block is known by a hash of all that it holds, never by where it comes from: so what is kept can
not be out of date. A project that is saved after a stroke, or kept as a copy meanwhile, packs only
the blocks that the stroke has changed.
"""

from __future__ import annotations

import base64
import zlib
from collections import OrderedDict
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from threading import Lock
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.digest import digest_of
from knitground.core.files.mapformats import MAX_BLOCK_ROWS, PackedFile

_BLOCK_CELLS = 262_144
_MOST_KEPT = 64 * 1024 * 1024
_WORKERS = 4
_Value = TypeVar("_Value")


class _Kept:
    """The texts of packed blocks by what they hold, those asked for last, up to a size."""

    def __init__(self) -> None:
        self._texts: OrderedDict[bytes, str] = OrderedDict()
        self._size = 0
        self._lock = Lock()

    def of(self, key: bytes, make: Callable[[], str]) -> str:
        with self._lock:
            text = self._texts.get(key)
            if text is not None:
                self._texts.move_to_end(key)
                return text
        text = make()  # two may make the same at once: it is the same
        with self._lock:
            if key not in self._texts:
                self._size += len(text)
            self._texts[key] = text
            while self._size > _MOST_KEPT:
                _, gone = self._texts.popitem(last=False)
                self._size -= len(gone)
        return text


_kept = _Kept()


def each_of(work: Callable[[Any], _Value], things: Iterable[Any]) -> list[_Value]:
    """Do work for each of some things; where there are many, several at once.

    It is for work that lets other threads run: packing, unpacking, hashing, NumPy.
    """
    every = list(things)
    if len(every) < _WORKERS:
        return [work(each) for each in every]
    with ThreadPoolExecutor(_WORKERS) as pool:
        return list(pool.map(work, every))


class Blocks:
    """Cells (h, w) in blocks of rows, each known by a hash of what it holds.

    Parameters
    ----------
    cells : uint8, or anything that fits int32
    """

    def __init__(self, cells: NDArray[Any]) -> None:
        self.small = cells.dtype == np.uint8
        self._cells = cells if self.small else cells.astype("<i4", copy=False)
        self.step = min(MAX_BLOCK_ROWS, max(1, _BLOCK_CELLS // max(1, cells.shape[1])))
        self._tops = range(0, cells.shape[0], self.step)
        self._marks = each_of(self._mark, self._tops)

    def _block(self, top: int) -> NDArray[Any]:
        return np.ascontiguousarray(self._cells[top : top + self.step])

    def _mark(self, top: int) -> bytes:
        block = self._block(top)
        return digest_of(block) + f"{block.dtype.str} {block.shape}".encode()

    def used(self, most: int) -> NDArray[np.intp]:
        """List the numbers from 0 to `most` that stand in the cells, ascending; others left out."""

        def look(number: int) -> bytes:
            text = _kept.of(self._marks[number] + b"used", lambda: self._used(number))
            return base64.b64decode(text)

        found = each_of(look, range(len(self._tops)))
        every = np.unique(np.concatenate([np.zeros(0, np.int64), *(
            np.frombuffer(each, np.int64) for each in found
        )]))  # fmt: skip
        return np.asarray(every[(every >= 0) & (every <= most)], np.intp)

    def _used(self, number: int) -> str:
        block = self._block(self._tops[number]).ravel()
        low = int(block.min())
        # Counting is ten times faster than sorting, and places are small numbers.
        high = int(block.max()) - low
        if high < 4 * block.size:
            numbers = np.flatnonzero(np.bincount(block - low, minlength=high + 1)) + low
        else:
            numbers = np.unique(block)
        return base64.b64encode(numbers.astype(np.int64).tobytes()).decode()

    def packed(self, table: NDArray[np.int32] | None = None) -> PackedFile:
        """Pack them, or what a table gives for each number: for one beyond it that of its end."""
        said = b"" if table is None else digest_of(table)

        def pack(number: int) -> str:
            return _kept.of(self._marks[number] + said, lambda: self._pack(number, table))

        blocks = each_of(pack, range(len(self._tops)))
        kind = "uint8" if self.small and table is None else "int32"
        return PackedFile.model_construct(packed=kind, block_rows=self.step, blocks=blocks)

    def _pack(self, number: int, table: NDArray[np.int32] | None) -> str:
        block = self._block(self._tops[number])
        if table is not None:
            block = table[np.clip(block, 0, len(table) - 1)].astype("<i4", copy=False)
        return base64.b64encode(zlib.compress(block.tobytes(), 3)).decode()
