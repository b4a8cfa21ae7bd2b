"""Likely grids: slicings that the pixels of a sheet speak for, with reasons in words."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Picture
from knitground.core.slicing.axis import AxisGuess, axis_guesses, habit
from knitground.core.slicing.evidence import backgrounds, brightness, colour_codes, gather

_SCALE = 14.0
_ENOUGH = 6.0


@dataclass(frozen=True)
class GridGuess:
    """A slicing that the program proposes.

    `score` is 0 to 1: how sure it is; `reasons` say in words what the pixels show.
    """

    slicing: Slicing
    columns: int
    rows: int
    score: float
    reasons: tuple[str, ...]


@dataclass(frozen=True)
class _Pair:
    across: AxisGuess
    down: AxisGuess
    rating: float


def likely_grids(image: Picture, top: int = 5) -> list[GridGuess]:
    """Guess how a sheet is cut.

    Parameters
    ----------
    image : (H, W, 4) uint8, straight alpha
    top : how many guesses at most

    Returns
    -------
    guesses, best first; none if nothing regular is there

    Notes
    -----
    For each colour that may lie between tiles and each axis all pitches to 288 px, margins to 24
    and spacings to 16 are rated by `axis_guesses`; the best of both axes are then put together,
    with a preference for equal numbers.
    """
    if image.shape[0] < 8 or image.shape[1] < 8:
        return []
    codes, luma = colour_codes(image), brightness(image)
    pairs: dict[tuple[int, ...], _Pair] = {}
    for background in backgrounds(codes) or [codes[0, 0]]:
        across = axis_guesses(gather(codes, luma, background))
        down = axis_guesses(gather(codes.T, luma.T, background))
        for pair in _pairs(across, down, image.shape[1], image.shape[0]):
            key = _numbers(pair)
            if key not in pairs or pair.rating > pairs[key].rating:
                pairs[key] = pair
    found = sorted(pairs.values(), key=lambda pair: -pair.rating)
    kept = [pair for pair in found if _evidence(pair) > _ENOUGH][:top]
    return [_guess(pair, kept[0].rating) for pair in kept]


def _numbers(pair: _Pair) -> tuple[int, ...]:
    a, d = pair.across, pair.down
    return (a.tile, d.tile, a.margin, d.margin, a.spacing, d.spacing)


def _pairs(
    across: list[AxisGuess], down: list[AxisGuess], width: int, height: int
) -> list[_Pair]:
    rated_down = [(guess, guess.gain + habit(guess, height)) for guess in down]
    out = []
    for a in across:
        rating_a = a.gain + habit(a, width)
        for d, rating_d in rated_down:
            if a.count * d.count > 1:
                out.append(_Pair(a, d, rating_a + rating_d + _harmony(a, d)))
    out.sort(key=lambda pair: -pair.rating)
    return out[:40]


def _harmony(a: AxisGuess, d: AxisGuess) -> float:
    """Rate how well the numbers of both axes go together."""
    score = 0.0
    if a.tile == d.tile:
        score += 4.0
    elif a.tile == 2 * d.tile or d.tile == 2 * a.tile:
        score += 1.0
    elif max(a.tile, d.tile) > 4 * min(a.tile, d.tile):
        score -= 4.0
    lone = a.count == 1 or d.count == 1
    if a.spacing == d.spacing or lone:
        score += 2.5
    if a.margin == d.margin or lone:
        score += 1.5
    if a.repeated != d.repeated and not lone:
        score -= 4.0
    return score


def _evidence(pair: _Pair) -> float:
    return pair.across.gain + pair.down.gain


def _guess(pair: _Pair, best: float) -> GridGuess:
    a, d = pair.across, pair.down
    slicing = Slicing(a.tile, d.tile, a.margin, d.margin, a.spacing, d.spacing)
    sure = 1.0 - float(np.exp(-_evidence(pair) / _SCALE))
    near = float(np.exp((pair.rating - best) / 8.0))
    return GridGuess(slicing, a.count, d.count, round(sure * near, 3), _reasons(pair))


def _reasons(pair: _Pair) -> tuple[str, ...]:
    a, d = pair.across, pair.down
    reasons = []
    if a.repeated and d.repeated:
        reasons.append(f"tiles' borders are repeated {a.spacing // 2} px outwards")
    elif a.gutter > 0.98 or d.gutter > 0.98:
        reasons.append("gutters are one flat colour")
    pitches = f"{a.pitch} px" if a.pitch == d.pitch else f"{a.pitch} × {d.pitch} px"
    if a.crossing > 0.4 or d.crossing > 0.4:
        reasons.append("hardly any art is cut by a line")
    if max(a.change, d.change) > 0.15 and not reasons:
        reasons.append("colours change at the lines")
    reasons.append(f"repeats every {pitches}")
    reasons.append(f"{a.count} × {d.count} tiles")
    return tuple(reasons)
