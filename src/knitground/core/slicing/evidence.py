"""What the pixels of a sheet say along one axis: flat columns, changes, crossings.

Everything here works on columns; rows are the columns of the transposed sheet.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from knitground.core.model.tileset import Picture

Codes = NDArray[np.uint32]
Profile = NDArray[np.float64]
NOTHING = np.uint32(0)
_BAND = 256
_DROPPED = (0, 0, 0, 0, 0, 1, 1, 1, 1)
"""How many of so many bands may be spoiled."""


def colour_codes(picture: Picture) -> Codes:
    """Give each pixel one number for its colour; all fully see-through pixels get 0.

    Parameters
    ----------
    picture : (H, W, 4) uint8

    Returns
    -------
    (H, W) uint32
    """
    codes: Codes = np.ascontiguousarray(picture).view(np.uint32)[..., 0].copy()
    codes[picture[..., 3] == 0] = NOTHING
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
    """Profiles along one axis of a sheet of `size` columns.

    `flat[x]`: part of column x that is background, over rows that hold anything else at all.
    `change[x]`: how much the sheet changes between columns x - 1 and x, against its surroundings
    (log of a ratio; 0 at both ends), `differs[x]` in what part of the rows. `crossing[x]`: part of
    the rows in which content goes across from x - 1 to x. `filled`: part of the sheet that is not
    background.
    """

    size: int
    flat: Profile
    change: Profile
    differs: Profile
    crossing: Profile
    filled: float


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
    flat = _flat(solid)
    crossing = np.zeros(codes.shape[1] + 1)
    crossing[1:-1] = (solid[:, 1:] & solid[:, :-1]).mean(axis=0)
    differs = np.zeros(codes.shape[1] + 1)
    changed = codes[:, 1:] != codes[:, :-1]
    differs[1:-1] = changed.mean(axis=0)
    amount = np.abs(np.diff(luma, axis=1))
    change = np.zeros(codes.shape[1] + 1)
    change[1:-1] = _change(changed, amount)
    return Evidence(codes.shape[1], flat, change, differs, crossing, float(solid.mean()))


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
