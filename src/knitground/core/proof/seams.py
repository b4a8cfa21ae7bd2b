"""Seams between neighbouring tiles that should go on into each other."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import later, say
from knitground.core.knit.layer import marked_tiles
from knitground.core.model.lattice import Lattice
from knitground.core.model.terrain import Slot
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.flat import Flat
from knitground.core.proof.pairs import neighbours
from knitground.core.proof.proving import Proving

_STEP, _TIMES = 26.0, 2.2
"""A seam is a step of so many levels more than others with the same marks, and so many times."""
_OPAQUE = 200
_LEAST = 0.5
"""Part of a side that must be opaque on both tiles."""
_SIDES = {
    later("below"): ((1, 0), (Slot.SW, Slot.S, Slot.SE)),
    later("to the right of"): ((0, 1), (Slot.NE, Slot.E, Slot.SE)),
}  # fmt: skip


@dataclass(frozen=True, eq=False)
class _Edges:
    """What a tile shows along its sides: colours there, and how much they change inside."""

    first: dict[str, NDArray[np.float32]]
    last: dict[str, NDArray[np.float32]]
    grain: dict[str, float]


def _edges(picture: NDArray[np.uint8]) -> _Edges:
    flat = picture.astype(np.float32)
    turned = {"below": flat, "to the right of": flat.transpose(1, 0, 2)}
    return _Edges(
        {name: each[0] for name, each in turned.items()},
        {name: each[-1] for name, each in turned.items()},
        {name: _grain(each[..., :3]) for name, each in turned.items()},
    )


def _grain(lines: NDArray[np.float32]) -> float:
    """How much neighbouring lines of a tile differ where they do most.

    The one greatest step is left out: a line that was spoilt must not excuse itself.

    :param lines: colours, (lines, along a line, 3).
    """
    steps = np.sort(np.abs(np.diff(lines, axis=0)).mean(axis=(1, 2)))
    return float(steps[-2] if len(steps) > 1 else steps[-1])


def _step(one: NDArray[np.float32], other: NDArray[np.float32]) -> float | None:
    both = (one[:, 3] >= _OPAQUE) & (other[:, 3] >= _OPAQUE)
    if both.mean() < _LEAST:
        return None
    return float(np.abs(one[both, :3] - other[both, :3]).mean())


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    flat = Flat(map_.lattice)
    for layer, owner, kit, _ in at.grounds():
        marks, tiles = marked_tiles(at.project, owner, kit)
        cut: dict[int, _Edges] = {}
        shows: dict[int, tuple[int, ...]] = {}
        for tile, own in zip(tiles, marks.tolist()):
            home = at.owner(tile)
            place = map_.legend.place(tile)
            pixels = flat.picture(home, tile) if home is not None else None
            if pixels is not None and min(pixels.shape[:2]) > 1:
                cut[place], shows[place] = _edges(pixels), tuple(own)
        cells = at.cells(layer)
        bad = [
            each for name, (step, slots) in _SIDES.items()
            for each in _along(map_.lattice, cells, (name, step, slots), cut, shows)
        ]  # fmt: skip
        # A border has two tiles: the one at fault is that which goes on badly more often.
        often = Counter(place for each in bad for place in (each.one, each.other))
        at_fault: dict[int, list[_Bad]] = defaultdict(list)
        for each in bad:
            at_fault[max(each.one, each.other, key=lambda place: often[place])].append(each)
        for place, some in at_fault.items():
            yield _finding(at, layer.number, place, some)


@dataclass(frozen=True)
class _Bad:
    """Two tiles that do not go on into each other, and the cells of each where they meet."""

    one: int
    other: int
    name: str
    cells: NDArray[np.intp]
    other_cells: NDArray[np.intp]
    step: float
    usual: float


def _finding(at: Proving, number: int, place: int, some: list[_Bad]) -> Finding:
    worst = max(some, key=lambda each: each.step)
    first, second = (at.map.legend.tile(each) for each in (worst.one, worst.other))
    own = at.map.legend.tile(place)
    assert own is not None
    assert first is not None
    assert second is not None
    places = np.concatenate(
        [each.cells if each.one == place else each.other_cells
         for each in (worst, *(each for each in some if each is not worst))]
    )  # fmt: skip
    cells = list(dict.fromkeys(map(tuple, places.tolist())))
    down, across = _SIDES[worst.name][0]
    lower = 1 if worst.one == place else -1
    name = say("beside") if at.map.lattice.slanted else say(worst.name)
    more = say(", and on {count} borders more", count=len(places) - 1) if len(places) > 1 else ""
    return Finding(
        "seams",
        say(
            "{title} {name} {title2}: a step of {step:.0f} levels, {usual:.0f} are usual "
            "there{more}",
            title=at.title(second),
            name=name,
            title2=at.title(first),
            step=worst.step,
            usual=worst.usual,
            more=more,
        ),
        at.key(place),
        at.map.name,
        number,
        at.places(cells),
        len(cells),
        own,
        min(0.9, 0.3 + worst.step / 256),
        (0.5 + lower * down / 2, 0.5 + lower * across / 2),
    )


def _along(
    lattice: Lattice,
    cells: NDArray[np.int32],
    side: tuple[str, tuple[int, int], tuple[Slot, ...]],
    cut: dict[int, _Edges],
    shows: dict[int, tuple[int, ...]],
) -> Iterator[_Bad]:
    name, (down, across), slots = side
    beside = neighbours(lattice, cells, down, across)
    judged: dict[tuple[int, ...], list[tuple[float, float, int, int, int]]] = defaultdict(list)
    for a, b, count in beside.pairs():
        if a not in cut or b not in cut:
            continue
        value = _step(cut[a].last[name], cut[b].first[name])
        if value is not None:
            grain = max(cut[a].grain[name], cut[b].grain[name])
            judged[tuple(shows[a][slot] for slot in slots)].append((value, grain, a, b, count))
    for alike in judged.values():
        often = np.minimum([each[4] for each in alike], 50)
        usual = float(np.median(np.repeat([each[0] for each in alike], often)))
        for value, grain, a, b, _ in alike:
            if value < max(usual, grain) * _TIMES or value < max(usual, grain) + _STEP:
                continue
            where = np.argwhere(beside.where(a, b))
            beyond = where + np.array((down, across))
            if lattice.wrap:
                beyond = np.stack(lattice.seen_at(*beyond.T), axis=-1)
            yield _Bad(a, b, name, where, beyond, value, max(usual, grain))


CHECK = Check(
    "seams",
    Group.LOOKS,
    say("Seams"),
    say(
        "Neighbours whose colours leap at the line between them, where others of the same "
        "marks go on"
    ),
    _find,
    stage="tiles",
)
