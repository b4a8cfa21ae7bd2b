"""Several grids on one sheet: areas that are each cut in their own way."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.model.slicing import Area
from knitground.core.model.tileset import Picture
from knitground.core.slicing.evidence import Codes, backgrounds, brightness, colour_codes
from knitground.core.slicing.likely import GridGuess, likely_grids

Look = Callable[[Picture], list[GridGuess]]
_LEAST_SIDE, _LEAST_PART = 24, 0.08
"""An area is this large at least: px, and part of the sheet's side."""
_CUTS, _MOST = 4, 4
_MOST_PIXELS = 2048 * 2048
_SURE, _BETTER = 0.6, 0.12
_STILL = 0.3
"""Part of the best score that the whole sheet's grid must still have in a part to count there."""
_NEARLY = 0.7
"""From earlier on the tiles fill the area exactly: it need not be surer than this, relatively."""
_ONE_IS_ENOUGH = 0.93
"""A whole sheet that is so surely one grid is not cut."""


@dataclass(frozen=True)
class AreaGuess:
    """A part of a sheet (left, top, width, height in px) and its likely grid; None: no grid."""

    area: Area
    guess: GridGuess | None


def likely_areas(
    image: Picture, whole: list[GridGuess] | None = None, progress: Progress = no_progress
) -> list[AreaGuess]:
    """Find areas of a sheet that have different grids, or a grid beside something without one.

    Parameters
    ----------
    image : (H, W, 4) uint8
    whole : what `likely_grids` says of all of it, if it is known
    progress : asked before each part is judged, so that it can be called off

    Returns
    -------
    two areas and more, from the upper left on; none if one grid explains the sheet as well, or if
    it is larger than 2048 × 2048 px

    Notes
    -----
    The sheet is cut in two where a band of nothing, or a seam, goes all across, the widest first;
    both parts are judged by themselves, and cut again if that says more. (Own arrangement.)
    """
    if image.shape[0] * image.shape[1] > _MOST_PIXELS:
        return []  # it would take half a minute
    if min(image.shape[:2]) < 2 * _LEAST_SIDE and max(image.shape[:2]) < 4 * _LEAST_SIDE:
        return []

    def look(part: Picture) -> list[GridGuess]:
        progress(0.0)  # how many parts there are is not known: only to be called off
        return likely_grids(part)

    whole = look(image) if whole is None else whole
    found = _cut(image, (0, 0, image.shape[1], image.shape[0]), whole, 2, look)
    return found if len(found) > 1 else []


def _cut(
    image: Picture, area: Area, whole: list[GridGuess], depth: int, look: Look
) -> list[AreaGuess]:
    """Cut an area in two if both parts say more than the whole."""
    left, top, wide, high = area
    own = whole[0] if whole else None
    alone = [AreaGuess(area, own if own is not None and own.score >= _SURE else None)]
    sure = own.score if own is not None else 0.0
    if sure >= _ONE_IS_ENOUGH or depth == 0:
        return alone
    part = image[top : top + high, left : left + wide]
    best: tuple[float, list[tuple[Area, list[GridGuess]]]] | None = None
    for areas in _ways(part):
        both = _both(part, areas, look)
        if both is None:
            continue
        value = _value(both)
        enough = _SURE if own is not None and _refuted(own, both) else sure + _BETTER
        if value > enough and (best is None or value > best[0]):
            best = (value, both)
    if best is None:
        return alone
    out: list[AreaGuess] = []
    for (x, y, w, h), guesses in best[1]:
        out += _cut(image, (left + x, top + y, w, h), guesses, depth - 1, look)
    return out[:_MOST] if _differ(out) else alone


def _both(
    part: Picture, areas: tuple[Area, Area], look: Look
) -> list[tuple[Area, list[GridGuess]]] | None:
    """Judge both areas; None as soon as the larger one shows no grid, for then nothing is won."""
    at = int(areas[1][2] * areas[1][3] > areas[0][2] * areas[0][3])
    larger = _second(part, areas, look) if at else _judged(part, areas[0], look)
    if not larger[1] or larger[1][0].score < _SURE:
        return None
    other = _judged(part, areas[0], look) if at else _second(part, areas, look)
    return [other, larger] if at else [larger, other]


def _judged(part: Picture, area: Area, look: Look) -> tuple[Area, list[GridGuess]]:
    x, y, wide, high = area
    return area, look(part[y : y + high, x : x + wide])


def _second(part: Picture, areas: tuple[Area, Area], look: Look) -> tuple[Area, list[GridGuess]]:
    """Judge the second area; or, if its tiles would fill it from a little earlier on, from there.

    The first row of its tiles may hold nothing, as the band above it does.
    """
    first, (x, y, wide, high) = areas
    here = _judged(part, areas[1], look)
    below = y > 0
    band = (y - first[3]) if below else (x - first[2])
    if not band or not here[1]:
        return here
    cut = here[1][0].slicing
    pitch = cut.tile_height + cut.spacing_y if below else cut.tile_width + cut.spacing_x
    space = cut.spacing_y if below else cut.spacing_x
    more = -((high if below else wide) + space) % pitch
    if not 0 < more <= min(band, pitch // 3):
        return here
    earlier = (x, y - more, wide, high + more) if below else (x - more, y, wide + more, high)
    there = _judged(part, earlier, look)
    return there if there[1] and there[1][0].score > _NEARLY * here[1][0].score else here


def _value(both: list[tuple[Area, list[GridGuess]]]) -> float:
    """How much two parts say: as sure as the less sure grid, or the one of a part with a title."""
    scores = [guesses[0].score if guesses else 0.0 for _, guesses in both]
    if min(scores) >= _SURE:
        return min(scores)
    sizes = [area[2] * area[3] for area, _ in both]
    larger = int(np.argmax(sizes))
    # Beside something without a grid only a grid that is sure, and most of the sheet, counts.
    return scores[larger] - 0.1 if sizes[larger] > 0.6 * sum(sizes) else 0.0


def _refuted(own: GridGuess, both: list[tuple[Area, list[GridGuess]]]) -> bool:
    """Whether both parts speak against the grid of the whole, however sure that seems.

    If it were true, each part by itself would show it too, among others at least.
    """
    for _, guesses in both:
        if not guesses or guesses[0].score < _SURE:
            return False
        same = [each.score for each in guesses if _pitches(each) == _pitches(own)]
        if same and max(same) > _STILL * guesses[0].score:
            return False
    return True


def _pitches(guess: GridGuess) -> tuple[int, int]:
    cut = guess.slicing
    return cut.tile_width + cut.spacing_x, cut.tile_height + cut.spacing_y


def _differ(parts: list[AreaGuess]) -> bool:
    """Whether the parts are cut differently at all."""
    sizes = {
        (
            each.guess.slicing.tile_width,
            each.guess.slicing.tile_height,
            each.guess.slicing.spacing_x,
        )
        if each.guess
        else None
        for each in parts
    }
    return len(sizes) > 1


def _ways(part: Picture) -> list[tuple[Area, Area]]:
    """Cut a picture in two in the likeliest ways."""
    codes, luma = colour_codes(part), brightness(part)
    grounds = backgrounds(codes) or [codes[0, 0]]
    high, wide = codes.shape
    found: list[tuple[float, tuple[Area, Area]]] = []
    for rows in (True, False):
        lines = codes if rows else codes.T
        bright = luma if rows else luma.T
        length = lines.shape[0]
        least = max(_LEAST_SIDE, int(_LEAST_PART * length))
        for weight, first, last in _bands(lines, grounds[0], bright):
            if first < least or length - last < least:
                continue
            if rows:
                areas = ((0, 0, wide, first), (0, last, wide, high - last))
            else:
                areas = ((0, 0, first, high), (last, 0, wide - last, high))
            found.append((weight, areas))
    found.sort(key=lambda each: -each[0])
    return [areas for _, areas in found[:_CUTS]]


def _bands(lines: Codes, ground: np.uint32, luma: np.ndarray) -> list[tuple[float, int, int]]:
    """Rows at which a sheet may be cut: weight, first row of a band of nothing, row after it.

    A seam has no width: the rows beside it differ nearly all along, and more than those round it.
    """
    empty = (lines == ground).all(axis=1)
    edges = np.diff(np.concatenate([[0], empty.astype(np.int8), [0]]))
    firsts, lasts = np.flatnonzero(edges == 1), np.flatnonzero(edges == -1)
    out = [(float(b - a), int(a), int(b)) for a, b in zip(firsts, lasts)]
    widths = np.array([b - a for a, b in zip(firsts, lasts)])
    if len(widths):  # gutters between tiles are all alike: a band is wider than most
        usual = float(np.median(widths))
        out = [(w - usual, a, b) for w, a, b in out if w > usual or len(widths) <= 2]
    if lines.shape[0] > 2:
        step = np.abs(np.diff(luma, axis=0)).mean(axis=1)
        near = (np.roll(step, 1) + np.roll(step, -1)) / 2
        rise = step - near
        for n in np.argsort(-rise)[:2].tolist():
            out.append((0.0, n + 1, n + 1))
    return out


def areas_words(areas: list[AreaGuess]) -> str:
    """Say which areas there are, in a line.

    Examples
    --------
    >>> areas_words([AreaGuess((0, 0, 64, 32), None)])
    '64 × 32 px from 0, 0: no grid'
    """
    out = []
    for each in areas:
        x, y, wide, high = each.area
        what = each.guess.words() if each.guess else say("no grid")
        out.append(
            say(
                "{wide} × {high} px from {x}, {y}: {what}",
                wide=wide,
                high=high,
                x=x,
                y=y,
                what=what,
            )
        )
    return "; ".join(out)


def in_area(each: AreaGuess) -> GridGuess | None:
    """The guess of an area, whose slicing says where it lies."""
    if each.guess is None:
        return None
    return replace(each.guess, slicing=replace(each.guess.slicing, area=each.area))
