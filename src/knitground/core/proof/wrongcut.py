"""Sheets whose pixels say clearly that they are cut in another way."""

from __future__ import annotations

from collections.abc import Iterator

from knitground.core.base.tongue import say
from knitground.core.model.slicing import Slicing
from knitground.core.model.tile import TileRef
from knitground.core.proof.finding import Check, Finding, Group
from knitground.core.proof.proving import Proving
from knitground.core.slicing.likely import likely_in_area

_SURE = 0.9
"""Of guesses that are so sure nine in ten are right (`GridGuess`)."""


def _through(own: tuple[int, int, int], other: tuple[int, int, int]) -> bool:
    """Whether a grid cuts through the tiles of another: (tile, margin, spacing) of one axis each.

    One that cuts them into even parts, or puts some of them together, does so on purpose.
    """
    pitch, other_pitch = own[0] + own[2], other[0] + other[2]
    if max(pitch, other_pitch) % min(pitch, other_pitch):
        return True
    lines = min(pitch, other_pitch)
    off = (own[1] - other[1]) % lines
    return (off != 0 and not (own[2] or other[2])) or off > max(own[2], other[2])


def is_cut_through(own: Slicing, other: Slicing) -> bool:
    """Whether a slicing cuts through tiles that another one leaves whole."""
    return _through(
        (own.tile_width, own.margin_x, own.spacing_x),
        (other.tile_width, other.margin_x, other.spacing_x),
    ) or _through(
        (own.tile_height, own.margin_y, own.spacing_y),
        (other.tile_height, other.margin_y, other.spacing_y),
    )


def _find(at: Proving) -> Iterator[Finding]:
    for n, owner in enumerate(at.project.tilesets):
        at.progress(n / len(at.project.tilesets))
        if owner.picture is None or owner.slicing.pieces:
            continue
        best = next(iter(likely_in_area(owner.picture, owner.slicing.area, 1)), None)
        if best is None or best.score < _SURE or not is_cut_through(owner.slicing, best.slicing):
            continue
        yield Finding(
            "cut",
            say(
                "the sheet “{name}” looks like {words}, and is cut otherwise",
                name=owner.name,
                words=best.words(),
            ),
            owner.name,
            tile=TileRef(owner.name, 0, 0),
            hurt=0.8,
        )


CHECK = Check(
    "cut",
    Group.LOOKS,
    say("Wrong cuts"),
    say("Sheets that are cut through the middle of their tiles"),
    _find,
    stage="slice",
    of_map=False,
    of_cells=False,
)
