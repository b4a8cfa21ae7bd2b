"""The counted hash: a number for every cell, the same in any order and on any machine.

Chance in this program is never streamed. A cell's number depends on (seed, layer, row, column)
alone, so a part of a map that is made again gets what the whole would have got.

Notes
-----
Own derivation on the finaliser of MurmurHash3 (A. Appleby, public domain): rows and columns are
mixed strongly in one dimension each, joined by xor, and spread by two multiplications and one
xorshift. Only the *high* bits of the result are to be used.
"""

from typing import Any

import numpy as np
from numpy.typing import NDArray

U32 = NDArray[np.uint32]
_SPREAD_1 = np.uint32(0x9E3779B1)
_SPREAD_2 = np.uint32(0x85EBCA77)
_MASK = 0xFFFFFFFF


def mix(values: U32) -> U32:
    """Mix each 32-bit number strongly; returns a new array of the same shape."""
    out = values.astype(np.uint32)
    out ^= out >> np.uint32(16)
    out *= np.uint32(0x85EBCA6B)
    out ^= out >> np.uint32(13)
    out *= np.uint32(0xC2B2AE35)
    out ^= out >> np.uint32(16)
    return out


def mix_one(*parts: int) -> int:
    """Mix whole numbers of any size into one 32-bit number, order counting.

    Examples
    --------
    >>> mix_one(1, 2) == mix_one(1, 2), mix_one(1, 2) == mix_one(2, 1)
    (True, False)
    """
    state = 0x2545F491
    for part in parts:
        while True:
            state = (state ^ (part & _MASK)) * 0x9E3779B1 & _MASK
            state ^= state >> 15
            state = state * 0x85EBCA6B & _MASK
            state ^= state >> 13
            part >>= 32
            if part in (0, -1):
                break
    return state


def row_numbers(rows: NDArray[Any], seed: int, layer: int) -> U32:
    """Numbers of the rows: one factor of `cell_numbers`, shape (h,)."""
    return mix(rows.astype(np.uint32) * _SPREAD_1 + np.uint32(mix_one(seed, layer, 1)))


def column_numbers(cols: NDArray[Any], seed: int, layer: int) -> U32:
    """Numbers of the columns: the other factor of `cell_numbers`, shape (w,)."""
    return mix(cols.astype(np.uint32) * _SPREAD_2 + np.uint32(mix_one(seed, layer, 2)))


def join(row_part: U32, col_part: U32, out: U32) -> U32:
    """Join row and column numbers into cell numbers, in place in `out` of shape (h, w)."""
    np.bitwise_xor(row_part[:, None], col_part[None, :], out=out)
    out *= _SPREAD_1
    out ^= out >> np.uint32(15)
    out *= _SPREAD_2
    return out


def cell_numbers(rows: NDArray[Any], cols: NDArray[Any], seed: int, layer: int = 0) -> U32:
    """Give the number of every cell of rows × cols.

    Parameters
    ----------
    rows, cols : integer arrays of shape (h,) and (w,)
        The cells' own rows and columns; they need not be in a row.
    seed, layer : int
        Any whole numbers.

    Returns
    -------
    uint32 array of shape (h, w); use its high bits.
    """
    out = np.empty((len(rows), len(cols)), np.uint32)
    return join(row_numbers(rows, seed, layer), column_numbers(cols, seed, layer), out)
