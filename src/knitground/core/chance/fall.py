"""How a mix falls: each cell by itself, in exact shares, never side by side, or in clumps.

Every way is counted, not streamed: what a cell gets depends on its own place and a bounded
surrounding, so a part is what the whole is, in any order.

Notes
-----
Own derivations. Exact shares deal out a sequence in which each tile comes as evenly as can be
(stride scheduling, C. Waldspurger, 1995). “Never side by side” draws the two colours of a
chessboard in turn, each cell among the tiles that do not lie beside it yet. Clumps take, cell by
cell, the tile whose field of smooth noise is highest; how much is added to each field is found by
trial on a sample.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.errors import EditError
from knitground.core.base.hashing import cell_numbers, mix_one
from knitground.core.base.tongue import say
from knitground.core.chance.apart import Choice, apart_cells, apart_in, far_in
from knitground.core.chance.draw import MIX_SLOTS, draw_cells, slot_counts, slot_table
from knitground.core.model.mix import Fall, FallWay

_DEAL = 16
"""Side of the blocks in which shares are exact where a brush lays cells bit by bit."""
_PILOT = 128
_MOST_APART = 0.28
_MOST_FAR = {2: 0.11, 3: 0.07}
"""Part that one tile may take, by the steps that it keeps from itself."""


def fall_cells(
    weights: tuple[float, ...],
    fall: Fall,
    rows: NDArray[Any],
    cols: NDArray[Any],
    seed: int,
    layer: int,
    torus: tuple[int, int] | None = None,
    dealt: NDArray[np.bool_] | None = None,
    own: tuple[float, ...] = (),
) -> Choice:
    """Choose one of some things for every cell of rows × cols.

    Parameters
    ----------
    weights : (n,) more than 0 each
    rows, cols : (h,) and (w,) the cells' own rows and columns; they need not be in a row
    torus : height and width of a map that wraps: ways that look at neighbours look over its border
    dealt : (h, w) the cells among which shares are to be exact; without it they are exact in
        blocks of 16 × 16 cells of the map
    own : (n,) cells from one clump to the next of each, 0 for those that have no size of their own

    Returns
    -------
    (h, w) int32, 0 to n − 1

    Raises
    ------
    EditError
        The weights can not be used, or there is one tile that may not lie beside itself.
    """
    if fall.way is FallWay.DEALT:
        return _dealt(weights, rows, cols, seed, layer, dealt)
    if fall.way is FallWay.APART:
        check_fall(weights, fall)
        return apart_cells(
            _corrected(weights, fall.steps), rows, cols, seed, layer, torus, fall.steps
        )
    if fall.way is FallWay.CLUMPS:
        return _clumps(weights, fall.size, own, rows, cols, seed, layer, torus)
    table = slot_table(np.arange(len(weights)), weights, MIX_SLOTS)
    return draw_cells(table, rows, cols, seed, layer)


def check_fall(weights: tuple[float, ...], fall: Fall) -> None:
    """Refuse what can not be.

    Raises
    ------
    EditError
        Too few tiles never to lie side by side, or one that would have to take over half.
    """
    if fall.way is not FallWay.APART:
        return
    some = [each for each in weights if each > 0]
    if fall.steps > 1:
        _check_steps(some, fall.steps)
        return
    if len(some) == 2 and some[0] == some[1]:
        return  # as on a chessboard
    if len(some) < 5:
        one = say("one tile") if len(some) == 1 else say("{count} tiles", count=len(some))
        raise EditError(
            say(
                "{tiles} can not keep apart by chance: it takes five, or two with the same "
                "weight; add some, or let the mix fall in exact shares",
                tiles=one,
            )
        )
    most = max(some) / sum(some)
    if most > _MOST_APART:
        raise EditError(
            say(
                "a tile of {most:.0%} can not keep apart from itself: {most_apart:.0%} is "
                "the most; lower its weight, or let the mix fall in exact shares",
                most=most,
                most_apart=_MOST_APART,
            )
        )


def _check_steps(some: list[float], steps: int) -> None:
    """Refuse too few tiles, or one that takes too much, for two of the same to be so far apart."""
    need = 2 * steps * (steps + 1) + 1
    if len(some) < need:
        fits = max((n for n in (1, 2, 3) if len(some) > 2 * n * (n + 1)), default=0)
        cure = (
            say("let them keep {fits} apart", fits=fits)
            if fits
            else say("let the mix fall in exact shares")
        )
        one = say("one tile") if len(some) == 1 else say("{count} tiles", count=len(some))
        raise EditError(
            say(
                "{tiles} can not keep {steps} steps apart by chance: it takes {need}; add some, "
                "or {cure}",
                tiles=one,
                steps=steps,
                need=need,
                cure=cure,
            )
        )
    most, bound = max(some) / sum(some), _MOST_FAR[steps]
    if most > bound:
        raise EditError(
            say(
                "a tile of {most:.0%} can not keep {steps} steps from itself: {bound:.0%} is "
                "the most; lower its weight",
                most=most,
                steps=steps,
                bound=bound,
            )
        )


# Exact shares


@lru_cache(maxsize=64)
def _sequence(weights: tuple[float, ...]) -> Choice:
    """Lay 65 536 choices in a row, each as evenly as can be: (65 536,)."""
    counts = slot_counts(weights, MIX_SLOTS)
    which = np.repeat(np.arange(len(weights), dtype=np.int32), counts)
    within = np.concatenate([np.arange(count) for count in counts.tolist()])
    at = (within + 0.5) / np.repeat(counts, counts)
    return which[np.argsort(at, kind="stable")]


def _dealt(
    weights: tuple[float, ...],
    rows: NDArray[Any],
    cols: NDArray[Any],
    seed: int,
    layer: int,
    dealt: NDArray[np.bool_] | None,
) -> Choice:
    if dealt is not None:
        return _dealt_among(weights, rows, cols, seed, layer, dealt)
    sequence = _sequence(weights)
    block_row, block_col = np.asarray(rows) // _DEAL, np.asarray(cols) // _DEAL
    out = np.empty((len(rows), len(cols)), np.int32)
    for top in np.unique(block_row).tolist():
        for left in np.unique(block_col).tolist():
            own_rows = np.arange(top * _DEAL, (top + 1) * _DEAL)
            own_cols = np.arange(left * _DEAL, (left + 1) * _DEAL)
            numbers = cell_numbers(own_rows, own_cols, seed, layer)
            rank = np.empty(_DEAL * _DEAL, np.int64)
            rank[np.argsort(numbers.ravel(), kind="stable")] = np.arange(rank.size)
            start = mix_one(seed, layer, top, left) & 0xFFFF
            values = sequence[(rank + start) % MIX_SLOTS].reshape(_DEAL, _DEAL)
            down, across = np.flatnonzero(block_row == top), np.flatnonzero(block_col == left)
            picked = values[np.asarray(rows)[down] % _DEAL][:, np.asarray(cols)[across] % _DEAL]
            out[np.ix_(down, across)] = picked
    return out


def _dealt_among(
    weights: tuple[float, ...],
    rows: NDArray[Any],
    cols: NDArray[Any],
    seed: int,
    layer: int,
    dealt: NDArray[np.bool_],
) -> Choice:
    """Deal among the cells of a mask: counts by largest remainder, exact to the cell."""
    out = np.zeros(dealt.shape, np.int32)
    inside = np.flatnonzero(dealt)
    if not inside.size:
        return out
    exact = np.asarray(weights) / sum(weights) * inside.size
    counts = np.floor(exact).astype(np.int64)
    order = np.argsort(-(exact - counts), kind="stable")
    counts[order[: inside.size - int(counts.sum())]] += 1
    numbers = cell_numbers(rows, cols, seed, layer).ravel()[inside]
    by_number = inside[np.argsort(numbers, kind="stable")]
    out.ravel()[by_number] = np.repeat(np.arange(len(weights), dtype=np.int32), counts)
    return out


# Never side by side


@lru_cache(maxsize=64)
def _corrected(weights: tuple[float, ...], steps: int = 1) -> tuple[float, ...]:
    """Correct weights for what keeping apart does to the shares, by trial on a sample."""
    wanted = np.asarray(weights) / sum(weights)
    tried = wanted.copy()
    at = np.arange(_PILOT)
    for number in range(10):
        seed = 77 + number
        if steps == 1:
            laid = apart_in(tuple(tried), at, at, seed, 0, (True, True), None)
        else:
            size = (_PILOT, _PILOT)
            laid = far_in(steps, tuple(tried), at, at, seed, 0, (True, True), size)
        have = np.bincount(laid.ravel(), minlength=len(weights)) / laid.size
        tried = tried * (wanted / np.maximum(have, 1e-6)) ** 0.9
        tried /= tried.sum()
    return tuple(tried.tolist())


# Clumps


def _clumps(
    weights: tuple[float, ...],
    size: float,
    own: tuple[float, ...],
    rows: NDArray[Any],
    cols: NDArray[Any],
    seed: int,
    layer: int,
    torus: tuple[int, int] | None,
) -> Choice:
    apart = [n for n, each in enumerate(own) if each and each != size]
    others = [n for n in range(len(weights)) if n not in apart] or [apart.pop()]
    bias = _bias(tuple(weights[n] for n in others), round(float(size), 2))
    best = np.full((len(rows), len(cols)), -np.inf, np.float32)
    out = np.zeros(best.shape, np.int32)
    for n, more in zip(others, bias):
        field = _field(rows, cols, size, mix_one(seed, 53, n), layer, torus) + np.float32(more)
        higher = field > best
        out[higher] = n
        best[higher] = field[higher]
    # Those with clumps of their own size take their part first, the large ones before the small.
    free, left = np.ones(best.shape, np.bool_), sum(weights)
    for n in sorted(apart, key=lambda n: -own[n]):
        field = _field(rows, cols, own[n], mix_one(seed, 53, n), layer, torus)
        part = _threshold(round(weights[n] / left, 4), round(float(own[n]), 2))
        mine = free & (field >= part)
        out[mine] = n
        free &= ~mine
        left -= weights[n]
    return out


def _field(
    rows: NDArray[Any],
    cols: NDArray[Any],
    size: float,
    seed: int,
    layer: int,
    torus: tuple[int, int] | None,
) -> NDArray[np.float32]:
    """Give smooth noise of clumps of a size, 0 to 1 or so, with a little roughness."""
    whole = np.zeros((len(rows), len(cols)), np.float32)
    for part, scale in ((1.0, size), (0.45, max(1.0, size / 2.5))):
        down, y0, y1 = _lattice(rows, scale, torus[0] if torus else None)
        across, x0, x1 = _lattice(cols, scale, torus[1] if torus else None)
        # Across first, on the few lines of the lattice; then down, on all rows.
        lines, at = np.unique(np.stack([y0, y1]), return_inverse=True)
        left, right = (_values(lines, x, mix_one(seed, int(part * 100)), layer) for x in (x0, x1))
        line = left + (right - left) * across[None, :]
        top, bottom = line[at.reshape(2, -1)]
        bottom -= top
        bottom *= down[:, None]
        bottom += top
        bottom *= np.float32(part)
        whole += bottom
    return whole


def _lattice(
    numbers: NDArray[Any], scale: float, period: int | None
) -> tuple[NDArray[np.float32], NDArray[np.intp], NDArray[np.intp]]:
    at = np.asarray(numbers, np.float64)
    steps = max(1, round(period / scale)) if period is not None else 0
    place = at * steps / period if period is not None else at / scale
    first = np.floor(place).astype(np.intp)
    part = (place - first).astype(np.float32)
    second = first + 1
    if steps:
        first, second = first % steps, second % steps
    return part * part * (3 - 2 * part), first, second


def _values(
    rows: NDArray[np.intp], cols: NDArray[np.intp], seed: int, layer: int
) -> NDArray[np.float32]:
    numbers = cell_numbers(rows, cols, seed, layer) >> np.uint32(8)
    return numbers.astype(np.float32) / np.float32(1 << 24)


@lru_cache(maxsize=64)
def _bias(weights: tuple[float, ...], size: float) -> tuple[float, ...]:
    """Find what to add to each field so that the shares come out, by trial on a sample."""
    wanted = np.asarray(weights) / sum(weights)
    at = np.arange(0, _PILOT * 2) * max(1, int(size / 4))
    fields = np.stack(
        [_field(at, at, size, mix_one(999, 53, n), 0, None) for n in range(len(wanted))]
    )
    bias = np.zeros(len(wanted), np.float32)
    for number in range(60):
        have = np.bincount((fields + bias[:, None, None]).argmax(0).ravel(), minlength=len(wanted))
        part = have / have.sum()
        step = 0.5 * 0.94**number
        bias += np.float32(step) * np.clip(
            np.log(np.maximum(wanted, 1e-4)) - np.log(np.maximum(part, 1e-4)), -1, 1
        ).astype(np.float32)
    return tuple(bias.tolist())


def laid_cells(
    density: float,
    fall: Fall,
    rows: NDArray[Any],
    cols: NDArray[Any],
    seed: int,
    layer: int,
    torus: tuple[int, int] | None = None,
) -> NDArray[np.bool_]:
    """Tell which cells get a tile at all where only a part of them does: (h, w).

    Of a mix that falls in clumps those cells lie in clumps too.
    """
    if fall.way is FallWay.CLUMPS and 0 < density < 1:
        field = _field(rows, cols, fall.size, mix_one(seed, 59), layer, torus)
        return np.asarray(field >= _threshold(round(density, 4), round(float(fall.size), 2)))
    # Another draw than which tile it is: else few tiles would mean one kind.
    numbers = cell_numbers(rows, cols, mix_one(seed, 1), layer) >> np.uint32(8)
    return np.asarray(numbers < density * (1 << 24))


@lru_cache(maxsize=64)
def _threshold(density: float, size: float) -> float:
    """Find the height above which a part of a field lies, by trial on samples."""
    at = np.arange(0, _PILOT * 2) * max(1, int(size / 4))
    fields = [_field(at, at, size, mix_one(998, 59, n), 0, None) for n in range(6)]
    return float(np.quantile(np.stack(fields), 1 - density))


# Visible repetition


def repetition(cells: NDArray[Any]) -> tuple[float, tuple[int, int]]:
    """Tell how much a fill repeats where the eye would catch it.

    Returns
    -------
    the largest value of the summed autocorrelations of the tiles away from the origin (0.006 for
    a random fill of 256 × 256, 1 for one block repeated), and the step (down, across) at which
    """
    values, places = np.unique(cells, return_inverse=True)
    places = places.reshape(cells.shape)
    whole = np.zeros(cells.shape)
    spread = 0.0
    for n in range(len(values)):
        plane = (places == n).astype(np.float64)
        plane -= plane.mean()
        power = np.abs(np.fft.rfft2(plane)) ** 2
        whole += np.fft.irfft2(power, cells.shape)
        spread += float((plane**2).sum())
    if spread <= 0:
        return 1.0, (1, 1)
    whole /= spread
    whole[0, 0] = -1
    at = np.unravel_index(int(whole.argmax()), whole.shape)
    step = tuple(int(a) if a <= s // 2 else int(a) - s for a, s in zip(at, cells.shape))
    return float(whole.max()), (step[0], step[1])
