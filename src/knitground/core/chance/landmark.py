"""Tiles of a mix that the eye catches again and again, because they look unlike the others."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

CAUGHT = 2.2
"""How many times as unlike as the others are on average a tile is that the eye catches."""
MOST_SHARE = 0.3
"""Part of the cells from which a tile is ground, not something on it."""


def unlikeness(pictures: NDArray[np.uint8], shares: Sequence[float]) -> NDArray[np.float64]:
    """Tell how unlike the whole each of some tiles looks, 1 for as unlike as they are on average.

    Parameters
    ----------
    pictures : (n, h, w, 4), colours multiplied by alpha, which comes last
    shares : (n,) parts of the cells that they take

    Returns
    -------
    (n,) all 1 if they look the same

    Notes
    -----
    Own derivation: the root of the mean square by which its pixels differ from the mean picture,
    see-through parts as grey, over the mean of all by their shares.

    Examples
    --------
    >>> flat = np.full((3, 2, 2, 4), 255, np.uint8)
    >>> flat[2, 0, 0, :3] = 0
    >>> unlikeness(flat, (0.5, 0.4, 0.1)).round(1).tolist()
    [0.6, 0.6, 5.0]
    """
    parts = np.asarray(shares, np.float64) / max(1e-9, float(np.sum(shares)))
    alpha: NDArray[Any] = pictures[..., 3:].astype(np.float64) / 255
    seen = pictures[..., :3] + 128 * (1 - alpha)
    mean = (seen * parts[:, None, None, None]).sum(axis=0)
    off: NDArray[np.float64] = np.sqrt(((seen - mean) ** 2).mean(axis=(1, 2, 3)))
    whole = float((off * parts).sum())
    return off / whole if whole > 1e-6 else np.ones(len(off))


def landmarks(pictures: NDArray[np.uint8], shares: Sequence[float]) -> list[int]:
    """List the tiles that the eye catches, the most striking first.

    One of two tiles is as unlike as the other: the rarer one counts.
    """
    if len(pictures) < 2:
        return []
    found = unlikeness(pictures, shares)
    order = np.argsort(-found, kind="stable").tolist()
    return [n for n in order if found[n] >= CAUGHT and shares[n] < MOST_SHARE]
