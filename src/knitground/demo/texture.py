"""Small tools for drawing pixel art by script: periodic noise, dithering, palettes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

SIZE = 16
Field = NDArray[np.float64]
Pixels = NDArray[np.uint8]

BAYER = (
    np.array([[0, 8, 2, 10], [12, 4, 14, 6], [3, 11, 1, 9], [15, 7, 13, 5]], np.float64) + 0.5
) / 16


def colour(code: str) -> NDArray[np.uint8]:
    """Turn #rrggbb into RGBA."""
    return np.array([*bytes.fromhex(code.lstrip("#")), 255], np.uint8)


def periodic_noise(seed: int, cells: int, size: int = SIZE) -> Field:
    """Smooth noise in 0 … 1 that repeats every `size` pixels; `cells` lattice cells a side."""
    rng = np.random.default_rng(seed)
    lattice = rng.random((cells, cells))
    at = (np.arange(size) + 0.5) / size * cells
    low = np.floor(at).astype(int)
    part = at - low
    part = part * part * (3 - 2 * part)
    rows = lattice[low % cells] * (1 - part)[:, None] + lattice[(low + 1) % cells] * part[:, None]
    out: Field = rows[:, low % cells] * (1 - part) + rows[:, (low + 1) % cells] * part
    return out


def dithered(field: Field, steps: int) -> NDArray[np.intp]:
    """Cut a field in 0 … 1 into steps 0 … steps - 1, ordered dithering between them."""
    high, wide = field.shape
    pattern = np.tile(BAYER, (high // 4 + 1, wide // 4 + 1))[:high, :wide]
    level = field * (steps - 1)
    whole = np.floor(level)
    out = whole + (level - whole > pattern)
    return np.asarray(np.clip(out, 0, steps - 1), np.intp)


def calm(field: Field, by: float) -> Field:
    """Pull a field towards its middle, so that dithering shows in fewer places."""
    return 0.5 + (field - 0.5) * by
