"""Likely grids: slicings that the pixels of a sheet speak for, with reasons in words."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.model.slicing import Area, Slicing
from knitground.core.model.tileset import Picture
from knitground.core.slicing.axis import axis_grids
from knitground.core.slicing.axisfeatures import AxisGrids
from knitground.core.slicing.evidence import (
    Profile,
    backgrounds,
    brightness,
    colour_codes,
    gather,
)
from knitground.core.slicing.gridweights import AXIS, PAIR, SCORE, Weights
from knitground.core.slicing.pairs import Pairs, join_axes, pair_up

_BEST = 40
_OFFERED, _ALWAYS = 0.02, 3
"""After the first three, guesses of a lower score are not offered."""


_LOOKED_AT = 12_000_000
"""Pixels: what is found out along an axis takes some 20 bytes each."""


@dataclass(frozen=True)
class GridGuess:
    """A slicing that the program proposes.

    `score` is 0 to 1: how sure it is; of guesses with 0.9 nine in ten are right. `reasons` say in
    words what the pixels show.
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
            (say("margin"), cut.margin_x, cut.margin_y),
            (say("spacing"), cut.spacing_x, cut.spacing_y),
        ):
            if x or y:
                text += f", {name} {x}" if x == y else f", {name} {x}, {y}"
        return text


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
    For each colour that may lie between tiles the grids of both axes are described by `axis_grids`
    and rated; the best of both are put together and rated as pairs. What each feature counts was
    fitted on real sheets by `tools/fit_grids.py`.
    """
    if image.shape[0] < 8 or image.shape[1] < 8:
        return []
    codes = colour_codes(image)
    if (codes == codes[0, 0]).all():
        return []
    grounds = backgrounds(codes) or [codes[0, 0]]
    del codes
    axes = both_axes(image, grounds)
    pairs = join_axes([pair_up(a, d) for a, d in axes])
    if not len(pairs):
        return []
    rating = rate(pairs.features, PAIR)
    near = the_best(pairs, rating)
    rating, pairs = rating[near], pairs.some(near)
    order = np.argsort(-rating, kind="stable")
    first = int(order[0])
    kept = _varied(pairs, order, top)
    sure = _sure(score_features(pairs, rating))
    out: list[GridGuess] = []
    for n in kept:
        score = round(sure * float(np.exp(rating[n] - rating[first])), 3)
        if score >= _OFFERED or len(out) < _ALWAYS:
            out.append(_guess(pairs, n, score))
    return out


def both_axes(image: Picture, grounds: list[np.uint32]) -> list[tuple[AxisGrids, AxisGrids]]:
    """Grids across and down with their ratings, for each colour that may lie between tiles.

    Of a very large sheet some lines are left out evenly: each tells by itself what it shows.
    """
    every = -(-image.shape[0] * image.shape[1] // _LOOKED_AT)
    found: list[list[AxisGrids]] = []
    for part, across in ((image[::every], True), (image[:, ::every], False)):
        codes, luma = colour_codes(part), brightness(part)
        if not across:
            codes, luma = codes.T, luma.T
        grids = [axis_grids(gather(codes, luma, ground)) for ground in grounds]
        found.append([each.rated(rate(each.features, AXIS)) for each in grids])
    return list(zip(*found))


def the_best(pairs: Pairs, rating: Profile) -> list[int]:
    """The best pairs whose numbers all differ."""
    seen: set[tuple[int, ...]] = set()
    out: list[int] = []
    for n in np.argsort(-rating, kind="stable")[:400].tolist():
        numbers = pairs.numbers(n)
        if numbers not in seen:
            seen.add(numbers)
            out.append(n)
        if len(out) == _BEST:
            break
    return out


def rate(features: dict[str, Profile], weights: Weights) -> Profile:
    """Sum of the features, each times what it counts."""
    out: Profile = np.zeros(next(iter(features.values())).shape)
    for name, values in features.items():
        if name in weights:
            out = out + weights[name][0] * values
    return out


def likely_in_area(image: Picture, area: Area | None, top: int = 5) -> list[GridGuess]:
    """Guess how a region of a sheet is cut; the guesses carry the region with them."""
    if area is None:
        return likely_grids(image, top)
    left, upper, wide, high = area
    found = likely_grids(image[upper : upper + high, left : left + wide], top)
    return [replace(guess, slicing=replace(guess.slicing, area=area)) for guess in found]


def _varied(pairs: Pairs, order: NDArray[np.intp], top: int) -> list[int]:
    """Keep the best ones, but of one tile size no more than two: a list is there to choose from."""
    kept: list[int] = []
    for n in order.tolist():
        alike = sum(pairs.numbers(k)[:2] == pairs.numbers(n)[:2] for k in kept)
        if alike < 2:
            kept.append(n)
        if len(kept) == top:
            break
    return kept


def score_features(pairs: Pairs, rating: Profile) -> dict[str, float]:
    """What tells how sure the best guess is: its share, its lead, what the pixels say at all."""
    order = np.argsort(-rating, kind="stable")
    best = int(order[0])
    share = 1.0 / float(np.exp(rating - rating[best]).sum())
    lead = float(rating[best] - rating[order[1]]) if len(order) > 1 else 6.0
    own = {name: float(pairs.features[name][best]) for name in pairs.features}
    a, d = pairs.across[best], pairs.down[best]
    axes = pairs.axes[int(pairs.ground[best])]
    lone = own["lone axis"]
    count = float(axes[0].count[a] * axes[1].count[d])
    more: dict[str, float] = {}
    for name in ("gain clear", "gain seam", "runs held", "seams held", "lines clear", "repeats",
                 "fits", "alike"):  # fmt: skip
        x, y = float(axes[0].features[name][a]), float(axes[1].features[name][d])
        more[f"weaker {name}"] = max(x, y) if lone else min(x, y)
        more[f"stronger {name}"] = max(x, y)
    return {
        "always": 1.0, "share": share, "lead": min(lead, 6.0), "log count": float(np.log(count)),
        "few": float(count <= 4), "lone": lone, "square": own["square"],
        "absolute": float(axes[0].rating[a] + axes[1].rating[d]) / 10.0, **more,
    }  # fmt: skip


def _sure(features: dict[str, float]) -> float:
    z = sum(SCORE[name][0] * value for name, value in features.items() if name in SCORE)
    return float(1.0 / (1.0 + np.exp(-z)))


def _guess(pairs: Pairs, n: int, score: float) -> GridGuess:
    tile_w, tile_h, margin_x, margin_y, spacing_x, spacing_y = pairs.numbers(n)
    slicing = Slicing(tile_w, tile_h, margin_x, margin_y, spacing_x, spacing_y)
    columns, rows = pairs.shape(n)
    return GridGuess(slicing, columns, rows, score, _reasons(pairs, n, columns, rows))


def _reasons(pairs: Pairs, n: int, columns: int, rows: int) -> tuple[str, ...]:
    axes = pairs.axes[int(pairs.ground[n])]
    places = (int(pairs.across[n]), int(pairs.down[n]))

    def of(name: str) -> list[float]:
        return [
            float(axis.features[name][at]) for axis, at in zip(axes, places) if axis.count[at] > 1
        ]

    out = []
    repeated = [bool(axis.repeated[at]) for axis, at in zip(axes, places) if axis.count[at] > 1]
    if repeated and all(repeated):
        width = int(axes[0].spacing[places[0]] or axes[1].spacing[places[1]]) // 2
        out.append(say("tiles' borders are repeated {width} px outwards", width=width))
    elif any(of("spacing")) and max(of("gutter not clean"), default=1.0) < 0.05:
        out.append(say("gutters are one flat colour"))
    if max(of("lines clear"), default=0.0) > 0.6:
        out.append(say("hardly any art is cut by a line"))
    if max(of("seams held"), default=0.0) > 0.5 and not out:
        out.append(say("colours change at the lines"))
    pitches = [int(axis.pitch[at]) for axis, at in zip(axes, places)]
    if columns > 1 and rows > 1:
        same = pitches[0] == pitches[1]
        every = f"{pitches[0]}" if same else f"{pitches[0]} × {pitches[1]}"
    else:
        every = f"{pitches[0] if columns > 1 else pitches[1]}"
    out.append(say("repeats every {every} px", every=every))
    if all(of("fits")):
        out.append(say("fills the sheet exactly"))
    out.append(say("{columns} × {rows} tiles", columns=columns, rows=rows))
    return tuple(out)
