"""Likely grids: slicings that the pixels of a sheet speak for, with reasons in words."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Picture
from knitground.core.slicing.axis import AxisGuess, axis_guesses, habit
from knitground.core.slicing.evidence import backgrounds, brightness, colour_codes, gather

_ENOUGH = 2.0


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

    def words(self) -> str:
        """Name the grid by its numbers.

        Examples
        --------
        >>> GridGuess(Slicing(16, 16, 4, 4, 2, 2), 12, 6, 0.9, ()).words()
        '16 × 16, margin 4, spacing 2'
        """
        cut = self.slicing
        text = f"{cut.tile_width} × {cut.tile_height}"
        for name, x, y in (
            ("margin", cut.margin_x, cut.margin_y),
            ("spacing", cut.spacing_x, cut.spacing_y),
        ):
            if x or y:
                text += f", {name} {x}" if x == y else f", {name} {x}, {y}"
        return text


@dataclass(frozen=True)
class _Pair:
    across: AxisGuess
    down: AxisGuess
    rating: float
    sure: float


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
    good = [p for p in found if _evidence(p.across, p.down) > _ENOUGH or _usual(p, image)]
    kept = _varied(good, top)
    return [_guess(pair, kept[0].rating) for pair in kept]


def likely_in_area(image: Picture, area: Area | None, top: int = 5) -> list[GridGuess]:
    """Guess how a region of a sheet is cut; the guesses carry the region with them."""
    if area is None:
        return likely_grids(image, top)
    left, upper, wide, high = area
    found = likely_grids(image[upper : upper + high, left : left + wide], top)
    return [replace(guess, slicing=replace(guess.slicing, area=area)) for guess in found]


def _varied(pairs: list[_Pair], top: int) -> list[_Pair]:
    """Keep the best ones, but of one tile size no more than two: a list is there to choose from."""
    kept: list[_Pair] = []
    for pair in pairs:
        alike = sum(
            (pair.across.tile, pair.down.tile) == (each.across.tile, each.down.tile)
            for each in kept
        )
        if alike < 2:
            kept.append(pair)
        if len(kept) == top:
            break
    return kept


def _numbers(pair: _Pair) -> tuple[int, ...]:
    a, d = pair.across, pair.down
    return (a.tile, d.tile, a.margin, d.margin, a.spacing, d.spacing)


def _pairs(across: list[AxisGuess], down: list[AxisGuess], width: int, height: int) -> list[_Pair]:
    usual_down = [(guess, habit(guess, height)) for guess in down]
    out = []
    for a in across:
        usual_a = habit(a, width)
        for d, usual_d in usual_down:
            if a.count * d.count > 1:
                usual = usual_a + usual_d + _harmony(a, d)
                out.append(_Pair(a, d, a.gain + d.gain + usual, _sure(a, d, usual, width, height)))
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
    if lone and a.tile == d.tile and max(a.count, d.count) >= 3:
        score += 3.0  # a strip of square frames
    if a.spacing == d.spacing or lone:
        score += 2.5
    if a.margin == d.margin or lone:
        score += 1.5
    if a.repeated != d.repeated and not lone:
        score -= 4.0
    return score


def _evidence(a: AxisGuess, d: AxisGuess) -> float:
    """Rate how much the pixels say: the weaker of two axes counts most."""
    if a.count == 1 or d.count == 1:
        return max(a.gain, d.gain)
    return min(a.gain, d.gain) + 0.2 * max(a.gain, d.gain)


def _usual(pair: _Pair, image: Picture) -> bool:
    """Whether the numbers alone are a fair guess: square tiles of a usual size that fit exactly."""
    a, d = pair.across, pair.down
    plain = not (a.margin or d.margin or a.spacing or d.spacing)
    fits = image.shape[1] % a.tile == 0 and image.shape[0] % d.tile == 0
    if not (plain and fits and a.tile == d.tile):
        return False
    strip = min(a.count, d.count) == 1 and 3 <= max(a.count, d.count) <= 24
    return strip or (a.tile % 8 == 0 and a.gain + d.gain > 1.0)


def _guess(pair: _Pair, best: float) -> GridGuess:
    a, d = pair.across, pair.down
    slicing = Slicing(a.tile, d.tile, a.margin, d.margin, a.spacing, d.spacing)
    near = float(np.exp((pair.rating - best) / 12.0))
    return GridGuess(slicing, a.count, d.count, round(pair.sure * near, 3), _reasons(pair))


def _sure(a: AxisGuess, d: AxisGuess, usual: float, width: int, height: int) -> float:
    """Tell how sure a guess is, 0 to 1.

    Logistic regression on even seeds of the sheets of `bench/grids.py`, with and without a grid:
    many tiles that fit the sheet exactly are what a sheet without a grid does not have by chance.
    """
    exact = sum(
        each.rest(size) in (0, each.margin, each.spacing)
        for each, size in ((a, width), (d, height))
    )
    lone = a.count == 1 or d.count == 1
    high = max(a.gain, d.gain)
    z = (
        0.065 * (0.6 * high if lone else min(a.gain, d.gain))
        + 0.066 * high
        + 0.253 * usual
        + 1.145 * float(np.log(a.count * d.count))
        + 0.365 * exact
        - 0.46 * lone
        - 7.24
    )
    return float(1.0 / (1.0 + np.exp(-z)))


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
