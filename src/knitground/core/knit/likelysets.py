"""Likely sets: groups of a sheet's tiles that look like a terrain set, with kind and marks.

Groups are tiles of like colours that lie near each other (clusters at all heights of two trees),
rows, and blocks. Each is looked at as a corner, an edge and a ring set; the best are looked at
more closely and grown by tiles that fit. What is taken is put aside, and the rest looked at again.
(Own arrangement; agglomerative clustering by `scipy.cluster.hierarchy`.)
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.progress import Progress, no_progress
from knitground.core.knit.faces import Described, describe_as, part_of
from knitground.core.knit.labelling import SLOT_ORDERS
from knitground.core.knit.setscore import MOST_ONCE, Looked, look_as, look_like
from knitground.core.model.terrain import NOTHING, SLOTS, SetKind, Slot
from knitground.core.model.tileset import At

Tiles = NDArray[np.uint8]
Group = NDArray[np.intp]
Tried = tuple[float, Group, SetKind, int]
"""Rank, tiles, kind and number of values."""
_ENOUGH, _NOTHING_YET = 8, 0.04
"""After so many groups that all rank below that, no more are looked at."""
_LEAST, _MOST = 6, 256
_MOST_CLUSTERED = 700
_NODES, _CLOSER, _OFFERS, _MOST_GROUPS = 9, 4, 32, 18
_MOST_BESIDE = 7
_OVER, _TAKEN = 0.85, 0.3
_BESIDE = 0.5
"""Part of the best rank from which on another row of ways is taken in the same turn."""
_ALIKE = 0.9
"""Part of a set's tiles that have to be there where another lies as it does."""
_SCORE_LEAST, _SCORE_ON = 0.25, 0.5
"""Below the first nothing is told; after one below the second the rest is not looked at."""
_QUICK_TILES = 48
_LEAST_RING = 16
_LEAST_MANY, _MOST_VALUES, _LESS = 20, 4, 0.7
"""Tiles from which more than two terrains are looked for, how many at most, and what part of the
unexplained may be left by one more."""


@dataclass(frozen=True, eq=False)
class SetGuess:
    """A terrain set that the pixels propose.

    Parameters
    ----------
    places : row and column of its tiles
    marks : (n, 9); of a corner set 1 and 2 are its terrains, or 0 and 1 if one of them is nothing
        but see-through; of edge and ring sets 1 is the terrain, 0 nothing
    terrains : how many
    plain : of each terrain the place of a plain tile, None where there is none
    combinations : different ones that its tiles show
    score : 0 to 1
    names : of the terrains, where somebody has given them
    """

    kind: SetKind
    places: list[At]
    marks: NDArray[np.uint8]
    terrains: int
    plain: tuple[At | None, ...]
    combinations: int
    score: float
    names: tuple[str, ...] = ()


def find_sets(
    tiles: Tiles,
    places: list[At],
    progress: Progress = no_progress,
    found: Callable[[SetGuess], object] = lambda _: None,
) -> list[SetGuess]:
    """Find the likely sets among a sheet's tiles, the best first.

    It goes on as long as clear ones come, 32 at most.

    Parameters
    ----------
    tiles : (n, h, w, 4), straight alpha, of one size
    places : (n,) row and column of each
    found : is told each set as soon as it is found
    """
    keep = _worth(tiles)
    tiles, places = tiles[keep], [places[n] for n in keep.tolist()]
    out: list[SetGuess] = []
    if len(tiles) < _LEAST:
        return out
    search = _Search(tiles, places, progress)
    left = np.arange(len(tiles))
    while len(left) >= _LEAST and len(out) < _OFFERS:
        best = search.best(left, 1 - len(left) / len(tiles))
        for looked, group in best[: _OFFERS - len(out)]:
            out.append(_guess(tiles, looked, group, places))
            found(out[-1])
            left = np.setdiff1d(left, group[looked.fits])
        if not best or best[0][0].score < _SCORE_ON:
            break
    # Those that are as likely come in the order of the sheet.
    return sorted(out, key=lambda each: (-round(each.score, 2), min(each.places)))


def _worth(tiles: Tiles) -> Group:
    """List tiles that show something, each picture once."""
    seen: set[bytes] = set()
    out = []
    for n, tile in enumerate(tiles):
        key = tile.tobytes()
        if tile[..., 3].any() and key not in seen:
            seen.add(key)
            out.append(n)
    return np.array(out, np.intp)


# Groups


def _groups(tiles: Tiles, left: Group, places: list[At]) -> list[Group]:
    """List groups of tiles that may belong together, those that hold together best first."""
    found: list[Group] = [left] if len(left) <= _MOST else []
    at = np.array([places[n] for n in left.tolist()])
    found += _clusters(tiles[left], at, left)
    blocks = len(found)
    found += _blocks(at, left)
    out: list[Group] = []
    for number, group in enumerate(found):
        if not _LEAST <= len(group) <= _MOST:
            continue
        alike = next((n for n, other in enumerate(out) if _overlap(group, other) > _OVER), None)
        if alike is None:
            out.append(group)
        elif number >= blocks and np.isin(group, out[alike]).all():
            out[alike] = group  # what stands together, without the strays
    return out


def _overlap(one: Group, other: Group) -> float:
    both = np.intersect1d(one, other).size
    return both / max(1, len(one) + len(other) - both)


def _blocks(at: NDArray[np.int64], left: Group, *, rows: bool = True) -> list[Group]:
    """Give tiles that hang together on the sheet, and each row if asked."""
    from scipy import ndimage

    grid = np.zeros(at.max(axis=0) + 1, np.int64)
    grid[at[:, 0], at[:, 1]] = 1
    number, count = ndimage.label(grid)
    own = number[at[:, 0], at[:, 1]]
    out = [left[own == n] for n in range(1, min(count, 24) + 1)]
    for row in np.unique(at[:, 0])[:40].tolist() if rows else ():
        out.append(left[at[:, 0] == row])
    return out


def _clusters(tiles: Tiles, at: NDArray[np.int64], left: Group) -> list[Group]:
    """Give groups of like colours: nodes of two trees, by how long they stay apart."""
    from scipy.cluster.hierarchy import linkage
    from scipy.spatial.distance import squareform

    count = len(tiles)
    if not _LEAST < count <= _MOST_CLUSTERED:
        return []
    colours = _colours(tiles)
    shared = np.zeros((count, count), np.float32)
    for n in range(count):
        shared[n] = np.minimum(colours, colours[n]).sum(axis=1)
    far = np.sqrt(np.maximum(0, 1 - shared))
    apart = np.abs(at[:, None] - at[None]).max(axis=2)
    far *= np.where(apart <= 1, 0.7, np.where(apart <= 3, 0.9, 1.1))
    np.fill_diagonal(far, 0)
    flat = squareform((far + far.T) / 2, checks=False)
    found: list[tuple[float, Group]] = []
    for way in ("average", "single"):
        tree = linkage(flat, way)
        found += _nodes(tree, count)
    found.sort(key=lambda each: -each[0])
    return [left[members] for _, members in found[: 2 * _NODES]]


def _nodes(tree: NDArray[np.float64], count: int) -> list[tuple[float, Group]]:
    members: list[list[int]] = [[n] for n in range(count)]
    above = np.full(count + len(tree), np.nan)
    for a, b, height, _ in tree:
        above[int(a)] = above[int(b)] = height
        members.append([*members[int(a)], *members[int(b)]])
    out = []
    for n, (_, _, height, size) in enumerate(tree):
        if _LEAST <= size <= _MOST and not np.isnan(above[count + n]):
            weight = (above[count + n] - height) * np.log(size)
            out.append((float(weight), np.array(sorted(members[count + n]), np.intp)))
    out.sort(key=lambda each: -each[0])
    return out[:_NODES]


def _colours(tiles: Tiles) -> NDArray[np.float32]:
    """Count the colours of tiles in 8 × 8 × 8 soft heaps and one for see-through: 1 in sum."""
    count = len(tiles)
    seen = tiles[..., 3] > 127
    where = (tiles[..., :3] >> 5).astype(np.int64)
    heap = (where[..., 0] * 8 + where[..., 1]) * 8 + where[..., 2]
    out = np.zeros((count, 512), np.float32)
    for n in range(count):
        out[n] = np.bincount(heap[n][seen[n]], minlength=512)
    cube = out.reshape(count, 8, 8, 8)
    for axis in (1, 2, 3):
        side = np.moveaxis(np.pad(cube, [(0, 0)] + [(1, 1) if a == axis else (0, 0)
                                                    for a in (1, 2, 3)]), axis, 0)  # fmt: skip
        cube = np.moveaxis(0.25 * side[:-2] + 0.5 * side[1:-1] + 0.25 * side[2:], 0, axis)
    clear = 0.3 * (~seen).sum(axis=(1, 2))[:, None]
    whole = np.concatenate([cube.reshape(count, 512), clear], axis=1)
    return np.asarray(whole / np.maximum(whole.sum(axis=1, keepdims=True), 1e-6), np.float32)


# Looking


class _Search:
    """What is known of a sheet's tiles while groups are looked at, so that nothing is done twice.

    Parameters
    ----------
    tiles : (n, h, w, 4)
    places : (n,) row and column of each
    progress : asked before each group, so that a search can be called off
    """

    def __init__(self, tiles: Tiles, places: list[At], progress: Progress) -> None:
        self.tiles, self.places, self.progress = tiles, places, progress
        at = np.array(places)
        blocks = [
            each for each in _blocks(at, np.arange(len(at)), rows=False) if len(each) >= _LEAST
        ]
        rest = np.setdiff1d(np.arange(len(at)), np.concatenate([*blocks, np.zeros(0, np.intp)]))
        self.told: dict[SetKind, Described] = describe_as(tiles, SetKind, [*blocks, rest])
        self.quick: dict[bytes, list[Tried]] = {}
        self.close: dict[tuple[bytes, SetKind, int], Looked] = {}
        self.done = 0.0

    def best(self, left: Group, done: float) -> list[tuple[Looked, Group]]:
        """Find the group that looks most like a set; of ways drawn once all rows at once."""
        tried = self._tried(left, done)
        best: tuple[float, Looked, Group] | None = None
        for rank, group, kind, count in tried[:_CLOSER]:
            if rank <= 0 or (best is not None and rank < 0.3 * best[0]):
                break
            looked = self._closer(group, kind, count)
            if best is None or _rank(looked) > best[0]:
                best = (_rank(looked), looked, group)
        if best is None or best[1].score < _SCORE_LEAST:
            return []
        out = [(best[1], best[2])]
        out += self._parallel(best[1], best[2], left)
        if best[1].kind is SetKind.EDGE and len(best[2]) <= MOST_ONCE:
            taken = np.concatenate([group[looked.fits] for looked, group in out])
            out += self._beside(tried, best[0], taken)
        return out  # but a large set changes what the rest looks like

    def _parallel(self, looked: Looked, group: Group, left: Group) -> list[tuple[Looked, Group]]:
        """Give the sets that lie on the sheet as one that was found does, tile by tile.

        Many sheets draw the same tiles again in other colours, in the rows below or beside.
        """
        out: list[tuple[Looked, Group]] = []
        if looked.score < _SCORE_ON:
            return out
        mine, values = group[looked.fits], looked.values[looked.fits]
        at = np.array([self.places[n] for n in mine.tolist()])
        free = {self.places[n]: n for n in np.setdiff1d(left, mine).tolist()}
        sides = np.array(list(free) or [(0, 0)])
        for axis in (0, 1):
            low, high = sides[:, axis].min(), sides[:, axis].max()
            for step in range(int(low - at[:, axis].min()), int(high - at[:, axis].max()) + 1):
                moved = at.copy()
                moved[:, axis] += step
                there = [free.get((row, col)) for row, col in moved.tolist()]
                has = np.array([each is not None for each in there])
                if has.sum() < max(_LEAST, _ALIKE * len(there)):
                    continue
                others = np.array([each for each in there if each is not None], np.intp)
                self.progress(self.done)
                told = part_of(self.told[looked.kind], others)
                found = look_like(told, looked.kind, looked.count, values[has])
                if found.score >= _SCORE_ON:
                    out.append((found, others))
                    for each in others[found.fits].tolist():
                        del free[self.places[each]]
        return out

    def _tried(self, left: Group, done: float) -> list[Tried]:
        """Look at the groups of what is left, quickly: those that rank highest first."""
        tried: list[Tried] = []
        for number, group in enumerate(_groups(self.tiles, left, self.places)[:_MOST_GROUPS]):
            if number >= _ENOUGH and max(each[0] for each in tried) < _NOTHING_YET:
                break  # noise, photos, figures: the rest will look like nothing too
            self.done = done + (1 - done) * number / _MOST_GROUPS / 4
            self.progress(self.done)
            key = group.tobytes()
            if key not in self.quick:
                self.quick[key] = self._looks(group)
            tried += self.quick[key]
        return sorted(tried, key=lambda each: -each[0])

    def _beside(
        self, tried: list[Tried], rank_of_best: float, taken: Group
    ) -> list[tuple[Looked, Group]]:
        """Give the other rows of ways that are drawn once, none with a tile that is taken."""
        out: list[tuple[Looked, Group]] = []
        for rank, group, kind, count in tried:
            if rank < _BESIDE * rank_of_best or len(out) == _MOST_BESIDE:
                break
            once = kind is SetKind.EDGE and len(group) <= MOST_ONCE
            if not once or np.isin(group, taken).any():
                continue
            looked = self._closer(group, kind, count)
            if looked.score >= _SCORE_ON:
                out.append((looked, group))
                taken = np.concatenate([taken, group])
        return out

    def _looks(self, group: Group) -> list[Tried]:
        """Look at a group as at each kind of set, quickly."""
        tried: list[Tried] = []
        for kind in SetKind:
            # Of a large group a part shows what it is.
            part = part_of(self.told[kind], group[:: -(-len(group) // _QUICK_TILES)])
            if kind is SetKind.RING:
                if len(group) >= _LEAST_RING:
                    tried.append((_rank(look_as(part, kind, quick=True)), group, kind, 2))
                continue
            most = _MOST_VALUES if kind is SetKind.CORNER and len(group) >= _LEAST_MANY else 2
            unexplained = 1.0
            for count in range(2, most + 1):
                looked = look_as(part, kind, count, quick=True)
                if count > 2 and 1 - looked.fit > _LESS * unexplained:
                    break  # one terrain more explains too little: it only fits noise
                unexplained = 1 - looked.fit
                tried.append((_rank(looked), group, kind, count))
        return tried

    def _closer(self, group: Group, kind: SetKind, count: int) -> Looked:
        key = (group.tobytes(), kind, count)
        if key not in self.close:
            self.progress(self.done)
            self.close[key] = look_as(part_of(self.told[kind], group), kind, count)
        return self.close[key]


def _rank(looked: Looked) -> float:
    return float(looked.score * float(looked.fits.sum()) ** 0.3 * looked.fit**2)


def _guess(tiles: Tiles, looked: Looked, group: Group, places: list[At]) -> SetGuess:
    """Put what was found into marks; which of two values is the terrain follows from the art."""
    mine = group[looked.fits]
    values = looked.values[looked.fits]
    marks = np.zeros((len(mine), SLOTS), np.uint8)
    order = list(SLOT_ORDERS[looked.kind])
    terrains = 1
    if looked.kind is SetKind.RING:
        marks[:, order] = values % 2
        marks[:, Slot.MIDDLE] = 1
    else:
        count = looked.count
        plain = [np.flatnonzero((values == value).all(axis=1)) for value in range(count)]
        solid = [_solid(tiles[mine[each]]) for each in plain]
        nothing = _nothing(looked.kind, values, solid, tiles[mine]) if count == 2 else None
        if nothing is None:
            terrains, marks[:, order] = count, values + 1
        else:
            marks[:, order] = values != nothing
    shown = marks[:, order]
    at = [places[n] for n in mine.tolist()]
    firsts: list[At | None] = []
    for value in range(1, terrains + 1):
        found = np.flatnonzero((shown == value).all(axis=1))
        firsts.append(at[int(found[0])] if found.size else None)
    keep = np.flatnonzero((marks != NOTHING).any(axis=1))
    kinds = len(np.unique(shown[keep], axis=0))
    return SetGuess(looked.kind, [at[n] for n in keep.tolist()], marks[keep], terrains,
                    tuple(firsts), kinds, round(looked.score, 3))  # fmt: skip


def _solid(tiles: Tiles) -> float | None:
    """Give the part of plain tiles that is seen; None if there are none."""
    return float((tiles[..., 3] > 0).mean()) if len(tiles) else None


def _nothing(
    kind: SetKind, values: NDArray[np.int64], solid: list[float | None], tiles: Tiles
) -> int | None:
    """Say which value is nothing: the one that shows less; None if both are terrains."""
    if kind is SetKind.CORNER and all(each is not None and each > 0.9 for each in solid):
        return None
    much = (tiles[..., 3] > 0).mean(axis=(1, 2))
    shows = [much[(values == value).sum(axis=1) >= 3] for value in (0, 1)]
    if all(each.size for each in shows):
        one, two = (float(each.mean()) for each in shows)
        if abs(one - two) > 0.05:
            return int(one > two)
    if kind is SetKind.CORNER and all(each is None for each in solid):
        return None
    # All is opaque: what is plain less often is what stands out, a way or a lake on ground.
    plain = [int((values == value).all(axis=1).sum()) for value in (0, 1)]
    if kind is SetKind.EDGE and plain[0] != plain[1]:
        return int(plain[1] == 0)
    return None if kind is SetKind.CORNER else int(values.mean() > 0.5)
