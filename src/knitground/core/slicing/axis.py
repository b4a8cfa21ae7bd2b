"""Grids along one axis: every pitch, offset and spacing, rated by how well it explains the pixels.

A grid divides the lines of a sheet into those that it lays and all others. It explains a profile if
the two kinds are more alike among themselves than all together: the gain of log-likelihood when one
normal distribution is replaced by two. Multiples of the tile leave lines unexplained, parts of it
lay lines where there is nothing; both gain less. (Own derivation.)
"""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.slicing.evidence import Evidence, Profile

MAX_PITCH = 288
MAX_SPACING = 16
MAX_MARGIN = 24
_KEEP = 64
_TEMPER = 24.0
_FEW = np.array([0.0, 0.35, 0.7, 0.9, 1.0])
"""How far one, two, three lines are to be believed."""


@dataclass(frozen=True)
class AxisGuess:
    """A grid along one axis, in pixels, and why.

    `gain` is how much better it explains the sheet than no grid does (log-likelihood, tempered).
    `gutter`: flat part of the spacing; `repeated`: the spacing repeats the tiles' borders.
    """

    tile: int
    spacing: int
    margin: int
    count: int
    gain: float
    gutter: float = 0.0
    change: float = 0.0
    crossing: float = 0.0
    repeated: bool = False

    @property
    def pitch(self) -> int:
        """Pixels from one tile to the next."""
        return self.tile + self.spacing

    def rest(self, size: int) -> int:
        """Pixels after the last whole tile."""
        return size - self.margin - self.count * self.pitch + self.spacing


def axis_guesses(evidence: Evidence) -> list[AxisGuess]:
    """Rate all grids along an axis; the best ones first, by evidence and habit."""
    size = evidence.size
    guesses = [AxisGuess(size, 0, 0, 1, 0.0)]
    change = np.clip(evidence.change[1:-1], -1.5, 2.5)
    crossing = _log_crossing(evidence)
    for pitch in range(4, min(MAX_PITCH, size // 2 + MAX_SPACING) + 1):
        guesses += _of_pitch(evidence, change, crossing, pitch)
    # Neighbouring columns are alike, so that a large gain is not as sure as it looks.
    tempered = [replace(g, gain=_TEMPER * float(np.log1p(g.gain / _TEMPER))) for g in guesses]
    tempered.sort(key=lambda g: -(g.gain + habit(g, size)))
    return tempered[:_KEEP]


def _log_crossing(evidence: Evidence) -> Profile:
    inner = evidence.crossing[1:-1]
    middle = float(inner.mean()) if inner.size else 0.0
    if middle <= 0 or evidence.filled > 0.97:
        return np.zeros_like(inner)
    return np.asarray(-np.log(0.02 + inner / middle))


def _of_pitch(
    evidence: Evidence, change: Profile, crossing: Profile, pitch: int
) -> list[AxisGuess]:
    size = evidence.size
    lines = np.arange(1, size)
    offsets = np.arange(min(pitch, MAX_MARGIN + 1))
    out = []
    by_change = _gains(change, lines % pitch, pitch, 0.10)
    by_crossing = _gains(crossing, lines % pitch, pitch, 0.15)
    plain = 0.5 * by_change[0] + 0.5 * by_crossing[0]
    for offset in _best(plain[offsets], 3):
        out.append(_plain(evidence, pitch, int(offset), plain, by_change[1], by_crossing[1]))
    out += [g for each in list(out) if (g := _repeated(evidence, each)) is not None]
    out += _gutters(evidence, change, pitch)
    return [g for g in out if g.tile >= 4 and g.count >= 1 and g.margin + g.tile <= size]


def _best(values: Profile, count: int) -> NDArray[np.intp]:
    picked = np.argsort(-values)[:count]
    return np.unique(np.append(picked, 0))


def _plain(
    evidence: Evidence, pitch: int, offset: int, gain: Profile, lift: Profile, clear: Profile
) -> AxisGuess:
    count = max(1, (evidence.size - offset) // pitch)
    tempered = float(gain[offset])
    return AxisGuess(
        pitch, 0, offset, count, tempered, 0.0, float(lift[offset]), float(clear[offset])
    )


def _gains(
    values: Profile, phase: NDArray[np.intp], pitch: int, floor: float
) -> tuple[Profile, Profile]:
    """Gain of every offset of a pitch, and how much higher its lines are than the rest.

    Offsets whose lines are lower than the rest gain nothing.
    """
    total = values.size
    count = np.bincount(phase, minlength=pitch).astype(float)
    sums = np.bincount(phase, values, pitch)
    squares = np.bincount(phase, values * values, pitch)
    rest = np.maximum(total - count, 1)
    many = np.maximum(count, 1)
    mean, other = sums / many, (values.sum() - sums) / rest
    spread = np.maximum(squares / many - mean**2, 0) + floor
    other_spread = np.maximum((float((values**2).sum()) - squares) / rest - other**2, 0) + floor
    all_spread = float(values.var()) + floor
    gain = 0.5 * (
        total * np.log(all_spread) - count * np.log(spread) - (total - count) * np.log(other_spread)
    )
    gain *= _FEW[np.minimum(count.astype(int), len(_FEW) - 1)]
    lift = mean - other
    return np.where((lift > 0) & (count > 0), np.maximum(gain, 0.0), 0.0), lift


def _repeated(evidence: Evidence, guess: AxisGuess) -> AxisGuess | None:
    """Turn a grid without spacing into one whose spacing repeats the tiles' borders, if so."""
    size, pitch, offset = evidence.size, guess.tile, guess.margin
    ends = np.arange(offset + pitch, size - 1, pitch)
    if ends.size < 2 or guess.change <= 0:
        return None
    raw = evidence.differs
    usual = float(raw[1:-1].mean())
    if usual < 0.08:
        return None
    width = 0
    for n in range(1, 5):
        at = np.concatenate([ends - n, ends + n])
        at = at[(at > 0) & (at < size)]
        if at.size == 0 or float(raw[at].mean()) > 0.04 * usual + 0.002:
            break
        width = n
    if width == 0 or pitch - 2 * width < 4:
        return None
    margin = offset + width if offset + width < pitch else offset + width - pitch
    tile = pitch - 2 * width
    count = max(1, (size - margin + 2 * width) // pitch)
    bonus = 6.0 + 1.5 * min(ends.size, 12)
    return replace(
        guess, tile=tile, spacing=2 * width, margin=margin, count=count, repeated=True,
        gain=guess.gain + bonus,
    )  # fmt: skip


def _gutters(evidence: Evidence, change: Profile, pitch: int) -> list[AxisGuess]:
    """Find grids with gaps: runs of offsets at which nearly every column is background.

    A gap may be spacing, or a part of each tile that no picture fills, or both; the more the
    columns beside it are filled, the surer it is spacing.
    """
    size = evidence.size
    lines = size // pitch
    if lines == 0:
        return []
    if lines == 1:
        # One whole pitch: a gap must come again in what is left, else it may be the margin alone.
        again = size - pitch
        both = np.minimum(evidence.flat[:again], evidence.flat[pitch:])
        by_phase = np.concatenate([both, np.zeros(pitch - again)])[None]
    else:
        by_phase = evidence.flat[: lines * pitch].reshape(lines, pitch)
    # The middle one, not the mean: a large piece or a line of text may lie across some gutters.
    flat = np.median(by_phase, axis=0) if lines > 2 else by_phase.min(axis=0)
    # On a sheet that is mostly filled, a column that is mostly background is a gutter all the same.
    is_flat = flat > 0.985 - 0.8 * max(0.0, evidence.filled - 0.6)
    if not is_flat.any() or is_flat.all():
        return []
    mean = by_phase.mean(axis=0)
    out = []
    for start, length in _runs(is_flat):
        if length <= 3 * pitch // 4:
            out += _gap(evidence, change, mean, pitch, start, length)
    return out


def _runs(mask: NDArray[np.bool_]) -> list[tuple[int, int]]:
    """List runs of true places round a circle: start and length."""
    size = mask.size
    starts = np.flatnonzero(mask & ~np.roll(mask, 1))
    out = []
    for start in starts.tolist():
        length = 0
        while length < size and mask[(start + length) % size]:
            length += 1
        out.append((start, length))
    return out


def _gap(
    evidence: Evidence, change: Profile, flat: Profile, pitch: int, start: int, length: int
) -> list[AxisGuess]:
    """Give the grids that a gap of so many columns speaks for."""
    size = evidence.size
    gap = np.zeros(size, np.bool_)
    for n in range(length):
        gap[(start + n) % pitch :: pitch] = True
    beside = float(flat[(start - 1) % pitch] + flat[(start + length) % pitch]) / 2
    value = -np.log(0.03 + 1.0 - evidence.flat)
    line = np.zeros(size + 1, np.bool_)
    line[(start + length) % pitch :: pitch] = line[start::pitch] = True
    gain = 0.5 * _two_kinds(value, gap, 0.10) + 0.5 * _two_kinds(change, line[1:-1], 0.10)
    contrast = 1.0 - beside
    trust = float(np.clip((contrast / max(evidence.filled, 0.02) - 0.3) / 0.35, 0.0, 1.0))
    end = (start + length) % pitch
    out = []
    for spacing in sorted({0, 1, 2, 3, 4, length}):
        if spacing > min(length, MAX_SPACING) or pitch - spacing < 4:
            continue
        if length <= 2:
            part = 1.0 if trust < 0.5 or spacing == length else 1.0 - 0.9 * trust
        else:
            part = max(trust, 0.3) if spacing == length else 1.0 - 0.9 * trust
        for margin in _margins(pitch, start, length, spacing, end):
            count = (size - margin + spacing) // pitch
            if count >= 1:
                sure = float(flat[start]) if spacing else 0.0
                out.append(
                    AxisGuess(pitch - spacing, spacing, margin, count, gain * part, sure, contrast)
                )
    return out


def _margins(pitch: int, start: int, length: int, spacing: int, end: int) -> list[int]:
    """Give margins that lay the spacing inside the gap: usual ones, else the middle."""
    fits = [(start + spacing + n) % pitch for n in range(length - spacing + 1)]
    usual = [m for m in (0, spacing) if m in fits]
    middle = (start + (length + spacing) // 2) % pitch
    found = usual or [middle]
    if spacing == length:
        found = [end]
    return [m for m in dict.fromkeys(found) if m <= MAX_MARGIN]


def _two_kinds(values: Profile, one: NDArray[np.bool_], floor: float) -> float:
    """Gain of telling the values marked apart from the others; 0 if they are lower."""
    n = int(one.sum())
    if n == 0 or n == values.size:
        return 0.0
    a, b = values[one], values[~one]
    if a.mean() <= b.mean():
        return 0.0
    return float(
        0.5
        * (
            values.size * np.log(values.var() + floor)
            - n * np.log(a.var() + floor)
            - (values.size - n) * np.log(b.var() + floor)
        )
    )


def habit(guess: AxisGuess, size: int) -> float:
    """Rate how usual the numbers are, apart from the pixels: about log of how often."""
    tile, spacing, margin = guess.tile, guess.spacing, guess.margin
    score = 0.0
    if tile % 16 == 0:
        score += 3.0
    elif tile % 8 == 0:
        score += 2.2
    elif tile % 2 == 0:
        score += 0.6
    else:
        score -= 1.6
    score += 1.0 if tile in (16, 32) else 0.4 if tile in (8, 24, 48, 64) else 0.0
    score -= 4.0 if tile < 8 else 0.0
    score -= {0: 0.0, 1: 1.0, 2: 1.3, 3: 2.4, 4: 2.2}.get(spacing, 3.2)
    if margin:
        score -= 1.2 if margin == spacing or guess.repeated else 3.4
    rest = guess.rest(size)
    if rest == margin or rest == 0 or (spacing and rest == spacing):
        score += 2.5
    elif guess.count > 1:
        score -= 1.5 + 2.0 * min(1.0, rest / guess.pitch)
    return score
