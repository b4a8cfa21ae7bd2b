"""Grids along one axis: candidates, and what speaks for and against each.

Every candidate is described by the same features, each of which a person could name: what its lines
explain, what they leave unexplained, what is usual. `gridweights` says how much each counts.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.slicing.axisfeatures import MAX_SPACING, AxisGrids, axis_features
from knitground.core.slicing.evidence import Evidence
from knitground.core.slicing.pitches import MIN_PITCH, Folded, Numbers, fold

MAX_MARGIN = 64
_SPACINGS = (1, 2, 3, 4, 5, 6, 8, 10, 12, 16)


def axis_grids(evidence: Evidence) -> AxisGrids:
    """List the grids along an axis that are worth a look, and describe them."""
    folded = fold(evidence)
    plain = _plain(folded)
    rows = np.concatenate([
        _whole(evidence), plain, _repeated(folded, plain), _gutters(folded),
    ])  # fmt: skip
    tile, spacing, margin, repeated = rows.T
    size = evidence.size
    count = np.where(
        tile + margin >= size, 1, np.maximum((size - margin + spacing) // (tile + spacing), 1)
    )
    lone = np.arange(len(rows)) < len(_whole(evidence))
    count[lone] = 1
    even = (spacing > 0) & (margin < spacing) & (size % (tile + spacing) == 0) & (repeated == 0)
    # There the spacing is split over both ends of the sheet: a border inside plain tiles.
    split = even & (margin > 0)
    fits = (tile >= MIN_PITCH) & (margin + tile <= size) & ~split
    rows, count = rows[fits], count[fits]
    tile, spacing, margin, repeated = rows.T
    none = np.zeros(tile.size)
    grids = AxisGrids(size, tile, spacing, margin, count, repeated.astype(np.bool_), {}, none)
    grids.features.update(axis_features(folded, grids))
    return grids


# Candidates: rows of tile, spacing, margin, repeated


def _whole(evidence: Evidence) -> Numbers:
    """One tile over the whole side; also less an empty tail, or an empty rim."""
    size = evidence.size
    full = np.flatnonzero(evidence.flat < 0.985)
    rows = [(size, 0, 0, 0)]
    if full.size:
        before, after = int(full[0]), size - 1 - int(full[-1])
        if 0 < after < size - MIN_PITCH:
            rows.append((size - after, 0, 0, 0))
        if 0 < before <= MAX_SPACING and 0 < after <= MAX_SPACING:
            rows.append((size - before - after, 0, before, 0))
            if before != after:
                rows.append((size - before, 0, before, 0))
                rows.append((size - 2 * before, 0, before, 0))
    return np.array(list(dict.fromkeys(rows)), np.intp)


def _plain(folded: Folded) -> Numbers:
    """Grids without spacing: every pitch, at phase 0, at its best ones, and in the middle."""
    evidence = folded.evidence
    size = evidence.size
    value = np.array([0.5, 0.5, 0.25, 0.25]) @ folded.gains
    rows = []
    rim = _rim(evidence)
    for pitch in range(MIN_PITCH, folded.top + 1):
        start = int(folded.at(np.array(pitch), np.array(0)))
        here = value[start : start + min(pitch, MAX_MARGIN + 1)]
        found = [0, *np.argsort(-here)[:3].tolist()]
        rest = size % pitch
        found += [each for each in (rest, rest // 2) if 0 < each <= rim]
        rows += [(pitch, 0, phase, 0) for phase in dict.fromkeys(found)]
    return np.array(rows, np.intp).reshape(-1, 4)


def _rim(evidence: Evidence) -> int:
    """How many columns at the start hold nothing."""
    full = np.flatnonzero(evidence.flat < 0.985)
    return int(full[0]) if full.size else 0


def _repeated(folded: Folded, plain: Numbers) -> Numbers:
    """Grids whose spacing repeats the tiles' borders: beside a line nothing changes."""
    usual = float(folded.evidence.differs[1:-1].mean()) if folded.evidence.size > 1 else 0.0
    if usual < 0.08:
        return np.zeros((0, 4), np.intp)
    pitch, offset = plain[:, 0], plain[:, 2]
    width = np.zeros(len(plain), np.intp)
    open_ = (folded.evidence.size - offset) // pitch >= 3
    # An empty border does not repeat anything.
    open_ &= folded.flats[folded.at(pitch, offset)] < 0.5
    for n in range(1, 5):
        worst = np.maximum(
            folded.differs[folded.at(pitch, offset + n)],
            folded.differs[folded.at(pitch, offset - n)],
        )
        open_ &= worst <= 0.04 * usual + 0.002
        width[open_] = n
    good = (width > 0) & (pitch - 2 * width >= MIN_PITCH)
    pitch, offset, width = pitch[good], offset[good], width[good]
    margin = (offset + width) % pitch
    return np.stack([pitch - 2 * width, 2 * width, margin, np.ones_like(margin)], axis=1)


def _gutters(folded: Folded) -> Numbers:
    """Grids with gaps: runs of phases at which nearly every column is background.

    A gap may be spacing, or a part of each tile that no picture fills, or both.
    """
    rows: list[tuple[int, int, int, int]] = []
    size = folded.evidence.size
    for pitch in range(MIN_PITCH + 1, folded.top + 1):
        start = int(folded.at(np.array(pitch), np.array(0)))
        flats = folded.flats[start : start + pitch]
        mask = flats >= (0.7 if size // pitch > 2 else 0.99)
        if not mask.any() or mask.all():
            continue
        for first, length in _runs(mask):
            if length <= 3 * pitch // 4:
                rows += _gap(pitch, first, length)
    return np.array(list(dict.fromkeys(rows)), np.intp).reshape(-1, 4)


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """List runs of true places round a circle: start and length."""
    size = mask.size
    starts = np.flatnonzero(mask & ~np.roll(mask, 1))
    stops = np.flatnonzero(~mask & np.roll(mask, 1))
    out = []
    for start in starts.tolist():
        after = stops[stops > start]
        stop = int(after[0]) if after.size else int(stops[0]) + size
        out.append((start, stop - start))
    return out


def _gap(pitch: int, first: int, length: int) -> list[tuple[int, int, int, int]]:
    """Give the grids that a gap of so many columns speaks for."""
    rows = []
    for spacing in sorted({*_SPACINGS, length}):
        if spacing > min(length, MAX_SPACING) or pitch - spacing < MIN_PITCH:
            continue
        fits = [(first + spacing + n) % pitch for n in range(length - spacing + 1)]
        usual = [m for m in (0, spacing, spacing // 2, 2 * spacing) if m in fits]
        margins = [*usual, fits[-1], fits[len(fits) // 2]]
        rows += [
            (pitch - spacing, spacing, m, 0) for m in dict.fromkeys(margins) if m <= MAX_MARGIN
        ]
    return rows
