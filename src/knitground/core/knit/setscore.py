"""How much a group of tiles looks like a terrain set of a kind: labels without any example."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import product

import numpy as np
from numpy.typing import NDArray

from knitground.core.knit.codes import Codes, corner_codes, edge_codes, ring_codes
from knitground.core.knit.faces import ALPHA, CHANNELS, OPAQUE, Described, Floats
from knitground.core.knit.labelling import Labeller, Labels
from knitground.core.model.terrain import SetKind

_WANT = {SetKind.EDGE: 16.0, SetKind.CORNER: 14.0, SetKind.RING: 47.0}
"""Different combinations that a whole set has."""
_FLOOR, _FLOOR_WHOLE = 4e-4, 5e-5
"""Variance that is nothing: else pictures with empty borders would be wholly explained. Where tiles
fill their borders a shade of the same colour is something."""
_CLEARLY = 0.85
"""Part of what names cost as they are, below which others are taken."""
_TURNED, MOST_ONCE = 0.85, 12
"""Part of the score of a whole edge set that one has whose ways are drawn once, to be turned; up to
so many tiles it may have."""
_STRANGE, _STRANGE_LEAST = 3.0, 1.5


@dataclass(frozen=True, eq=False)
class Looked:
    """What a group of tiles looks like as a set of a kind.

    Parameters
    ----------
    count : of values
    values : (n, slots) numbers of values, in the order of `labelling`
    fits : (n,) whether a tile goes with the others
    score : 0 to 1
    fit : part of what differs that the labels explain, 0 to 1
    """

    kind: SetKind
    count: int
    values: NDArray[np.int64]
    fits: NDArray[np.bool_]
    score: float
    fit: float


def codes_of(kind: SetKind, count: int = 2) -> Codes:
    """Give the codes of some values of a kind, of one terrain for a ring set."""
    if kind is SetKind.RING:
        return ring_codes(1)
    return corner_codes(count) if kind is SetKind.CORNER else edge_codes(count)


def look_as(told: Described, kind: SetKind, values: int = 2, *, quick: bool = False) -> Looked:
    """Look at described tiles as at a set of a kind; `quick` is good enough to compare groups."""
    codes = codes_of(kind, values)
    count = len(told.lines)
    allowed = np.ones((count, len(codes.values)), np.bool_)
    labeller = Labeller(told, codes, allowed, np.full((count, codes.values.shape[1]), -1, np.int64))
    labels = labeller.solve(starts=labeller.free_starts(), quick=quick)
    if kind is not SetKind.RING and values == 2:
        labels.code = _named_alike(told, codes, labels.code)
    return _judged(kind, told, codes, labels)


def look_like(told: Described, kind: SetKind, count: int, values: NDArray[np.int64]) -> Looked:
    """Look at described tiles as at a set of a kind whose labels, (n, slots), somebody else has."""
    codes = codes_of(kind, count)
    numbers = {tuple(each): n for n, each in enumerate(codes.values.tolist())}
    allowed = np.zeros((len(values), len(codes.values)), np.bool_)
    allowed[np.arange(len(values)), [numbers[tuple(each)] for each in values.tolist()]] = True
    labeller = Labeller(told, codes, allowed, np.full(values.shape, -1, np.int64))
    return _judged(kind, told, codes, labeller.solve(starts=labeller.free_starts(), quick=True))


def _named_alike(told: Described, codes: Codes, code: NDArray[np.int64]) -> NDArray[np.int64]:
    """Name the two values at each slot as at the others: what looks alike is of one name.

    What the values at a slot are is found slot by slot, so that their names may be swapped at one
    of them. All ways to name them are compared by how near the means of a name come to each other.
    """
    values = codes.values[code]
    part, weights = told.parts[0], told.weights[0]
    if any(len(np.unique(values[:, slot])) < 2 for slot in range(4)):
        return code
    means = np.array([[part[values[:, slot] == value, slot].mean(axis=0) for value in (0, 1)]
                      for slot in range(4)])  # fmt: skip
    ways = np.array([(0, *way) for way in product((0, 1), repeat=3)])
    costs = []
    for way in ways:
        named = np.stack([means[slot, [swap, 1 - swap]] for slot, swap in enumerate(way)])
        costs.append(float((weights * named.var(axis=0)).sum()))
    best = int(np.argmin(costs))
    if costs[best] > _CLEARLY * costs[0]:
        return code
    numbers = {tuple(each): n for n, each in enumerate(codes.values.tolist())}
    swapped = (values ^ ways[best]).tolist()
    return np.array([numbers[tuple(each)] for each in swapped], np.int64)


def _judged(kind: SetKind, told: Described, codes: Codes, labels: Labels) -> Looked:
    fits = labels.cost <= max(_STRANGE * float(np.median(labels.cost)), _STRANGE_LEAST)
    code = labels.code[fits]
    values = codes.values[code]
    if len(code) < 4:
        return Looked(kind, codes.count, codes.values[labels.code], fits, 0.0, 0.0)
    explained, worst = [], []
    _, counts = np.unique(code, return_counts=True)
    capped = np.minimum(counts, 2 * np.median(counts))
    shares = capped / capped.sum()
    variety = float(np.exp(-(shares * np.log(shares)).sum()))
    wanted = _WANT[kind] * (1 if kind is SetKind.RING else codes.count - 1)
    floor, first = _floor(told.lines[fits], variety / _WANT[kind]), 0
    for part, weights in zip(told.parts, told.weights):
        for slot in range(part.shape[1]):
            total, within = _spread(part[fits, slot], values[:, first + slot], weights)
            explained.append((total, within))
            worst.append((total - within) / (total + floor))
        first += part.shape[1]
    sep = _part(explained, floor)
    even = np.full(told.lines.shape[-1], 1 / told.lines.shape[-1])
    states = codes.states[code]
    spreads = [_spread(told.lines[fits, side], states[:, side], even) for side in range(4)]
    line = _part(spreads, floor)
    sides = values if kind is not SetKind.RING else values[:, :4]
    rarest = float(np.bincount(sides.ravel(), minlength=codes.count).min() / sides.size)
    rarest *= codes.count / 2
    low = max(0.0, min(worst))
    fit = float(np.sqrt(max(0.0, sep) * max(0.0, line)))
    whole = 1 / (1 + np.exp(-9 * (variety / wanted - 0.5)))
    if kind is SetKind.EDGE:
        whole = max(whole, _TURNED * np.clip((fit - 0.6) / 0.25, 0, 1) * _ways_once(values))
    score = (
        np.clip((fit - 0.35) / 0.55, 0, 1)
        * whole
        * (0.4 + 0.6 * np.clip(low / 0.5, 0, 1))
        * (0.5 + 0.5 * np.clip(rarest / 0.15, 0, 1))
        * np.sqrt(fits.mean())
    )
    return Looked(kind, codes.count, codes.values[labels.code], fits, float(score), fit)


def _ways_once(values: NDArray[np.int64]) -> float:
    """Tell how much an edge set is whole but for tiles that are others turned, 0 to 1.

    Many sheets draw each way once: an end, a straight, a bend, a fork and a crossing; all others
    are these turned. `values` (n, 4) of the sides, clockwise. Each of the five has to be there once
    or, of straights, twice.
    """
    best = 0.0
    for way in (0, 1):  # which of the two values the way is, is not known yet
        on = (values == way).astype(np.int64)
        kinds = np.where((on.sum(axis=1) == 2) & (on[:, 0] == on[:, 2]), 5, on.sum(axis=1))
        counts = np.bincount(kinds, minlength=6)[1:]
        if len(values) <= MOST_ONCE and (counts > 0).all():
            best = max(best, float(1 / counts.max()) if counts.max() > 2 else 1.0)
    return best


def _spread(x: Floats, labels: NDArray[np.int64], weights: Floats) -> tuple[float, float]:
    """Give the weighted variance of all, and what is left within those of the same label."""
    centred = x - x.mean(axis=0)
    total = float((weights * (centred**2).sum(axis=0)).sum())
    on = (labels[:, None] == np.unique(labels)).astype(np.float64)
    sums = on.T @ centred
    between = float((weights * (sums**2 / on.sum(axis=0)[:, None])).sum())
    return total / len(x), max(0.0, total - between) / len(x)


def _floor(lines: Floats, part: float) -> float:
    """Give the variance that is nothing.

    Parameters
    ----------
    lines : (n, 4, features) of the tiles' borders
    part : of the combinations of two terrains, how many are there; a few tiles are easily alike by
        chance
    """
    whole = lines[..., ALPHA::CHANNELS].min(axis=(1, 2)) > 0.99 * OPAQUE
    sure = float(whole.mean() * np.clip((part - 0.5) / 0.3, 0, 1))
    return _FLOOR + (_FLOOR_WHOLE - _FLOOR) * sure


def _part(pairs: list[tuple[float, float]], floor: float) -> float:
    total = sum(all_ for all_, _ in pairs)
    within = sum(left for _, left in pairs)
    return (total - within) / (total + floor * len(pairs))
