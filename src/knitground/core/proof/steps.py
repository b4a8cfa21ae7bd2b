"""Animations of one set that do not keep step with each other."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator

from knitground.core.base.tongue import say
from knitground.core.knit.layer import marked_tiles
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving


def _find(at: Proving) -> Iterator[Finding]:
    for owner in at.project.tilesets:
        for kit in owner.sets:
            _, tiles = marked_tiles(at.project, owner, kit)
            moving = {}
            for tile in tiles:
                fact = at.fact(tile)
                if fact is not None and fact.frames and not fact.apart:
                    moving[tile] = sum(each.ms for each in fact.frames)
            if len(moving) < 2:
                continue
            usual, many = Counter(moving.values()).most_common(1)[0]
            if many <= len(moving) / 2:
                continue
            for tile, ms in moving.items():
                if ms != usual:
                    yield Finding(
                        "steps",
                        say(
                            "{title} takes {ms} ms for its pictures, {others} others of "
                            "“{name}” take "
                            "{usual} ms: beside them it falls out of step",
                            title=at.title(tile),
                            ms=ms,
                            others=many,
                            name=kit.name,
                            usual=usual,
                        ),
                        f"{tile.tileset} {tile.row},{tile.col}",
                        tile=tile,
                        hurt=0.4,
                    )


CHECK = Check(
    "steps",
    Group.LOOKS,
    say("Out of step"),
    say("Animated tiles of a set that take longer or shorter than the others"),
    _find,
    stage="tiles",
    of_map=False,
    of_cells=False,
)
