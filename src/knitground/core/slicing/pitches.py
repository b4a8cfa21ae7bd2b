"""Profiles of a sheet folded at every pitch: what the lines of a grid look like against the rest.

A grid divides the lines of a sheet into those that it lays and all others. It explains a profile if
the two kinds are more alike among themselves than all together: the gain of log-likelihood when one
normal distribution is replaced by two. Multiples of the tile leave lines unexplained, parts of it
lay lines where there is nothing; both gain less. (Own derivation.)
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.slicing.evidence import Evidence, Profile

MIN_PITCH, MAX_PITCH = 4, 576
Numbers = NDArray[np.intp]
LINES = ("clear", "seam", "step", "drop")
"""Profiles of lines that are folded, in the order of the tables."""
_TEMPER = 24.0
_FEW = np.array([0.0, 0.35, 0.7, 0.9, 1.0])
"""How far one, two, three lines are to be believed."""
_FLOOR = np.array([0.15, 0.10, 0.30, 0.30])


@dataclass(frozen=True, eq=False)
class Folded:
    """Tables by pitch and phase, one behind the other; `at(p, phase)` gives the place.

    `flat`, `flats`: (n,) mean of the columns' flatness at a phase and part of them that is flat;
    `drawn`: (n,) part of the drawn columns; `hardly`, `differs`: (n,) means over lines; `gains`,
    `lifts`: (4, n), see `_gains`.
    """

    evidence: Evidence
    top: int
    flat: Profile
    flats: Profile
    hardly: Profile
    differs: Profile
    drawn: Profile
    gains: NDArray[np.float64]
    lifts: NDArray[np.float64]

    def at(self, pitch: Numbers, phase: Numbers) -> Numbers:
        """Place of a pitch and a phase (any whole number) in the tables."""
        start = pitch * (pitch - 1) // 2 - MIN_PITCH * (MIN_PITCH - 1) // 2
        return start + phase % pitch

    def has(self, pitch: Numbers) -> NDArray[np.bool_]:
        """Whether a pitch is in the tables."""
        return (pitch >= MIN_PITCH) & (pitch <= self.top)


def fold(evidence: Evidence) -> Folded:
    """Fold the profiles at all pitches from 4 to 576 px that leave room for a second line."""
    size = evidence.size
    top = max(MIN_PITCH, min(MAX_PITCH, size - 1))
    lines = np.stack([getattr(evidence, name) for name in LINES])[:, :size].copy()
    lines[:, 0] = 0.0
    inner = np.ones(size)
    inner[0] = 0.0  # the rim is no line
    is_flat = evidence.flat > 0.985 - 0.8 * max(0.0, evidence.filled - 0.6)
    rows = np.concatenate(
        [lines, lines**2, inner[None], evidence.hardly[None, :size], evidence.differs[None, :size],
         evidence.flat[None], is_flat[None], np.ones((1, size)), evidence.drawn[None]]
    )  # fmt: skip
    parts = []
    for pitch in range(MIN_PITCH, top + 1):
        count = -(-size // pitch)
        padded = np.zeros((rows.shape[0], count * pitch))
        padded[:, :size] = rows
        parts.append(padded.reshape(rows.shape[0], count, pitch).sum(axis=1))
    table = np.concatenate(parts, axis=1)
    many, columns = np.maximum(table[8], 1), np.maximum(table[13], 1)
    gains, lifts = _gains(lines, table[:4], table[4:8], table[8])
    return Folded(
        evidence, top, table[11] / columns, table[12] / columns, table[9] / many,
        table[10] / many, table[14] / max(1, int(evidence.drawn.sum())), gains, lifts,
    )  # fmt: skip


def _gains(
    lines: NDArray[np.float64],
    sums: NDArray[np.float64],
    squares: NDArray[np.float64],
    count: Profile,
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Gain and lift of the lines at every place of the tables.

    Gains are tempered, for neighbouring columns are alike, so that a large one is not as sure as it
    looks, and 0 where the lines are lower than the rest; lifts are in deviations of the profile.
    """
    size = lines.shape[1] - 1
    all_sums, all_squares = lines.sum(axis=1), (lines**2).sum(axis=1)
    rest = np.maximum(size - count, 1)
    many = np.maximum(count, 1)
    floor = _FLOOR[:, None]
    mean, other = sums / many, (all_sums[:, None] - sums) / rest
    spread = np.maximum(squares / many - mean**2, 0) + floor
    other_spread = np.maximum((all_squares[:, None] - squares) / rest - other**2, 0) + floor
    total = max(size, 1)
    variance = np.maximum(all_squares / total - (all_sums / total) ** 2, 0)
    whole = (variance + _FLOOR)[:, None]
    gain = 0.5 * (
        total * np.log(whole) - count * np.log(spread) - (total - count) * np.log(other_spread)
    )
    gain = gain * _FEW[np.minimum(count.astype(int), len(_FEW) - 1)]
    lift = mean - other
    good = (lift > 0) & (count > 0)
    gain = np.where(good, np.maximum(gain, 0.0), 0.0)
    lift = np.where(count > 0, lift / np.sqrt(whole), 0.0)
    return _TEMPER * np.log1p(gain / _TEMPER), np.clip(lift, -1.0, 3.0)
