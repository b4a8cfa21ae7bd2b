"""The same variant many times in a row, where chance would hardly lay it so."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.tongue import say
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving

_RARE = 0.02
"""A run counts that chance lays on fewer than so many maps of this size."""
_LEAST = 4


def longest_runs(
    same: NDArray[np.bool_], least: int
) -> Iterator[tuple[int, int, int, tuple[int, int]]]:
    """List runs of true cells along rows and columns: row, column, length, way."""
    for way, mask in (((0, 1), same), ((1, 0), same.T)):
        padded = np.pad(mask, ((0, 0), (1, 1))).astype(np.int8)
        edges = np.diff(padded, axis=1)
        starts, ends = np.argwhere(edges == 1), np.argwhere(edges == -1)
        for (line, first), (_, end) in zip(starts.tolist(), ends.tolist()):
            if end - first >= least:
                yield (line, first, end - first, way) if way == (0, 1) else (
                    first, line, end - first, way)  # fmt: skip


def _find(at: Proving) -> Iterator[Finding]:
    map_ = at.map
    for layer, _, _, table in at.grounds():
        if table.rules is not None:
            continue
        cells = at.cells(layer)
        for variants in table.variants.values():
            total = sum(weight for _, weight in variants)
            if len(variants) < 2 or total <= 0:
                continue
            every = np.isin(cells, [place for place, _ in variants]) & ~layer.pinned
            size = int(every.sum())
            for place, weight in variants:
                part = weight / total
                if not 0 < part < 0.75 or size < 2 * _LEAST:
                    continue
                least = max(_LEAST, int(np.ceil(1 + np.log(_RARE / (2 * size)) / np.log(part))))
                for row, col, length, (down, across) in longest_runs(
                    (cells == place) & ~layer.pinned, least
                ):
                    places = [(row + n * down, col + n * across) for n in range(length)]
                    tile = map_.legend.tile(place)
                    assert tile is not None
                    yield Finding(
                        "runs",
                        say(
                            "{title} {length} times in a row, though it is one of {count} variants",
                            title=at.title(tile),
                            length=length,
                            count=len(variants),
                        ),
                        f"{at.key(place)} {row},{col} {down}",
                        map_.name,
                        layer.number,
                        at.places(places),
                        length,
                        tile,
                        0.25,
                    )


CHECK = Check(
    "runs",
    Group.LOOKS,
    say("The same in a row"),
    say(
        "One of several variants so often in a row that it catches the eye: another seed parts them"
    ),
    _find,
)
