"""What the pixels of a sheet say along one axis: flat columns, changes, crossings.

Everything here works on columns; rows are the columns of the transposed sheet.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
from numpy.typing import NDArray
from scipy.fft import irfft, next_fast_len, rfft
from scipy.ndimage import uniform_filter1d

from knitground.core.model.tileset import Picture

Codes = NDArray[np.uint32]
Profile = NDArray[np.float64]
NOTHING = np.uint32(0)
_BAND = 256
_THICK = 4
_FULL = 0.97
"""Of a sheet that is filled so far nothing can be said by what crosses."""
_DROPPED = (0, 0, 0, 0, 0, 1, 1, 1, 1)
"""How many of so many bands may be spoiled."""


def colour_codes(picture: Picture) -> Codes:
    """Give each pixel one number for its colour; all fully see-through pixels get 0.

    Parameters
    ----------
    picture : (H, W, 4) uint8

    Returns
    -------
    (H, W) uint32; the picture's own memory where nothing had to be changed, so not to be written
    """
    codes: Codes = np.ascontiguousarray(picture).view(np.uint32)[..., 0]
    hidden = picture[..., 3] == 0
    hidden &= codes != NOTHING
    if hidden.any():
        codes = np.where(hidden, NOTHING, codes)
    return codes


def backgrounds(codes: Codes) -> list[np.uint32]:
    """List the colours that may lie between tiles, the likeliest first.

    See-through pixels count from one in a hundred up. Else a colour counts if it fills whole rows
    or columns, or most of the sheet's rim.
    """
    found: dict[int, float] = {}
    share = float((codes == NOTHING).mean())
    if share > 0.01:
        found[int(NOTHING)] = 1.0 + share
    for lines in (codes, codes.T):
        flat = lines[:, (lines == lines[:1]).all(axis=0)]
        if flat.size:
            colours, counts = np.unique(flat[0], return_counts=True)
            for colour, count in zip(colours[:64], counts[:64]):
                part = float(count) / lines.shape[1]
                found[int(colour)] = max(found.get(int(colour), 0.0), min(1.0, part * 3))
    rim = np.concatenate([codes[0], codes[-1], codes[:, 0], codes[:, -1]])
    colours, counts = np.unique(rim, return_counts=True)
    best = int(counts.argmax())
    if counts[best] > 0.4 * rim.size:
        colour = int(colours[best])
        found[colour] = max(found.get(colour, 0.0), float(counts[best]) / rim.size)
    found.update({c: v for c, v in _common(codes).items() if c not in found})
    ordered = sorted(found, key=lambda colour: -found[colour])
    return [np.uint32(colour) for colour in ordered[:3]]


def _common(codes: Codes) -> dict[int, float]:
    step = max(1, int((codes.size / 250_000) ** 0.5))
    colours, counts = np.unique(codes[::step, ::step], return_counts=True)
    best = int(counts.argmax())
    part = float(counts[best]) / counts.sum()
    return {int(colours[best]): part} if part > 0.25 else {}


@dataclass(frozen=True, eq=False)
class Evidence:
    """Profiles along one axis of a sheet of `size` columns, over rows that hold anything at all.

    Columns: `flat[x]`, part of column x that is background. Lines, between columns x - 1 and x, 0
    at both ends: `crossing`, part of the rows in which content goes across; `hardly`, whether
    hardly any does; `clear`, minus the log of the crossing against its mean; `seam`, how much the
    sheet changes against its surroundings (log of a ratio); `step`, how many rows change more here
    than at both sides, standardised; `drop`, how much less often than round it both sides are
    filled and alike, standardised; `differs`, part of the rows whose colour changes.
    `unlike[p]`: how unlike the sheet is to itself moved by p columns (p from 1; inf elsewhere).
    `drawn`: whether a column belongs to a drawn line: one to four columns of one colour that is
    another at both sides. `filled`: part of the sheet that is not background; `runs`: first and
    last line of each run of lines that hardly anything crosses, without those at the rim: (n, 2).
    """

    size: int
    flat: Profile
    crossing: Profile
    hardly: NDArray[np.bool_]
    clear: Profile
    seam: Profile
    step: Profile
    drop: Profile
    differs: Profile
    unlike: Profile
    drawn: NDArray[np.bool_]
    filled: float
    runs: NDArray[np.intp]


def gather(codes: Codes, luma: NDArray[np.float32], background: np.uint32) -> Evidence:
    """Gather the evidence of columns for one background colour.

    Parameters
    ----------
    codes, luma : (H, W) colour numbers and brightness
    background : the colour taken to lie between tiles
    """
    solid = codes != background
    rows = solid.any(axis=1)
    if not rows.any():
        rows[:] = True
    if not rows.all():  # a copy of all of a large sheet would be hundreds of megabytes
        solid, codes, luma = solid[rows], codes[rows], luma[rows]
    size = codes.shape[1]
    both = solid[:, 1:] & solid[:, :-1]
    changed = codes[:, 1:] != codes[:, :-1]
    amount = np.abs(np.diff(luma, axis=1))
    filled = float(solid.mean())
    inner = both.mean(axis=0)
    middle = float(inner.mean()) if inner.size else 0.0
    crosses = middle > 0 and filled <= _FULL
    clear = -np.log(0.02 + inner / middle) if crosses else np.zeros_like(inner)
    hardly = inner < 0.02 * middle if crosses else np.zeros(inner.shape, np.bool_)
    alike = (both & (amount < 8.0)).mean(axis=0)
    return Evidence(
        size=size,
        flat=_flat(solid),
        crossing=_ended(inner),
        hardly=_ended(hardly).astype(np.bool_),
        clear=_ended(clear),
        seam=_ended(_change(changed, amount)),
        step=_ended(_steps(amount)),
        drop=_ended(_drops(alike)),
        differs=_ended(changed.mean(axis=0)),
        unlike=_unlike(luma, solid),
        drawn=_drawn(codes, changed),
        filled=filled,
        runs=_clear_runs(hardly),
    )


def _ended(inner: NDArray[Any]) -> Profile:
    """Lines between columns with one more at each end, which says nothing."""
    return np.concatenate([[0.0], inner.astype(np.float64), [0.0]])


def _steps(amount: NDArray[np.float32]) -> Profile:
    """How many rows change by more here than at both sides: lines are drawn one pixel sharp."""
    if amount.shape[1] < 3:
        return np.zeros(amount.shape[1])
    middle = amount[:, 1:-1]
    sharp = (middle > amount[:, :-2] + 3.0) & (middle > amount[:, 2:] + 3.0)
    share = np.zeros(amount.shape[1])
    share[1:-1] = sharp.mean(axis=0)
    return np.asarray(np.clip((share - share.mean()) / (share.std() + 0.02), -2.0, 6.0))


def _drops(alike: Profile) -> Profile:
    """How much lower a profile is than the four lines at each side, standardised."""
    if alike.size < 3:
        return np.zeros_like(alike)
    round_it = uniform_filter1d(alike, 9, mode="nearest")
    drop = (round_it * 9 - alike) / 8 - alike
    return np.asarray(np.clip(drop / (drop.std() + 0.02), -2.0, 6.0))


def _unlike(luma: NDArray[np.float32], solid: NDArray[np.bool_]) -> Profile:
    """Mean squared difference of the sheet and itself moved by p columns, for p to half its size.

    By Fourier transforms of rows: sum over x of (a(x) - a(x + p))² from running sums and the
    correlation. Of tall sheets rows are left out evenly.
    """
    high, wide = luma.shape
    every = max(1, high * wide // 400_000)
    rows = luma[::every].astype(np.float64) / 128.0 + 0.7 * solid[::every]
    most = wide // 2 + 24
    out = np.full(wide + 1, np.inf)
    length = next_fast_len(wide + most, real=True)
    moved = rfft(rows, length, axis=1)
    same = irfft((np.abs(moved) ** 2).sum(axis=0), length)[: most + 1]
    squares = np.concatenate([[0.0], np.cumsum((rows**2).sum(axis=0))])
    for p in range(1, min(most, wide - 1) + 1):
        ends = squares[wide - p] + squares[wide] - squares[p]
        out[p] = max(0.0, (ends - 2 * same[p]) / (rows.shape[0] * (wide - p)))
    return out


def _drawn(codes: Codes, changed: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which columns are lines that somebody drew between the tiles, all along in one colour."""
    high, size = codes.shape
    out = np.zeros(size, np.bool_)
    if high < 8 or size < 8:
        return out
    middle = codes[high // 2]
    plain = ((codes == middle).mean(axis=0) > 0.9) & (middle != NOTHING)
    other = np.concatenate([[True], changed.mean(axis=0) > 0.3, [True]])
    breaks = np.flatnonzero((middle[1:] != middle[:-1]) | (plain[1:] != plain[:-1])) + 1
    for start, stop in pairwise([0, *breaks.tolist(), size]):
        if plain[start] and stop - start <= _THICK and other[start] and other[stop]:
            out[start:stop] = True
    return out


def _clear_runs(hardly: NDArray[np.bool_]) -> NDArray[np.intp]:
    edges = np.diff(np.concatenate([[0], hardly.astype(np.int8), [0]]))
    first, last = np.flatnonzero(edges == 1) + 1, np.flatnonzero(edges == -1)
    inside = (first > 1) & (last < hardly.size)
    return np.stack([first[inside], last[inside]], axis=1)


def _flat(solid: NDArray[np.bool_]) -> Profile:
    """Part of each column that is background; the worst of several bands of rows is left out.

    A large piece laid across the gutters, or a line of text, then does not hide them.
    """
    height = solid.shape[0]
    bands = int(np.clip(height // 16, 1, 8))
    edges = np.linspace(0, height, bands + 1).astype(int)
    parts = np.stack([1.0 - solid[a:b].mean(axis=0) for a, b in pairwise(edges.tolist())])
    parts.sort(axis=0)
    return np.asarray(parts[_DROPPED[bands] :].mean(axis=0))


def _change(changed: NDArray[np.bool_], amount: NDArray[np.float32]) -> Profile:
    """Log of the change at each line against the median of the lines near it.

    Worked out in bands of rows and averaged: a large piece that lies across some lines, or a line
    of text, then spoils its own band only.
    """
    height, lines = changed.shape
    bands = int(np.clip(height // 12, 1, 24))
    edges = np.linspace(0, height, bands + 1).astype(int)
    total: Profile = np.zeros(lines)
    reach = min(12, max(1, lines // 4))
    for top, bottom in pairwise(edges.tolist()):
        part = 0.5 * changed[top:bottom].mean(axis=0) + amount[top:bottom].mean(axis=0) / 127.0
        raw = np.log(0.01 + part)
        padded = np.pad(raw, reach, mode="reflect" if lines > reach else "edge")
        windows = np.lib.stride_tricks.sliding_window_view(padded, 2 * reach + 1)
        total = total + np.clip(raw - np.median(windows, axis=1), -1.5, 2.5)
    return np.asarray(total / bands, np.float64)


def brightness(picture: Picture) -> NDArray[np.float32]:
    """Give the brightness of each pixel, 0 to 255, dimmed by its alpha: (H, W) float32."""
    out = np.empty(picture.shape[:2], np.float32)
    weights = np.array([0.35, 0.45, 0.2], np.float32)
    for top in range(0, picture.shape[0], _BAND):  # else a large sheet takes four times its size
        part = picture[top : top + _BAND]
        alpha = part[..., 3].astype(np.float32) / 255
        out[top : top + _BAND] = (part[..., :3].astype(np.float32) @ weights) * alpha
    return out
