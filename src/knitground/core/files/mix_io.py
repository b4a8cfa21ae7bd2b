"""Mixes, and patches of the tray, to and from their file models."""

from __future__ import annotations

from knitground.core.base.errors import FormatError
from knitground.core.base.tongue import say
from knitground.core.files.formats import MixEntryFile, MixFile, PatchFile, TileFile
from knitground.core.model.mix import Fall, FallWay, Mix, MixEntry
from knitground.core.model.patch import Patch
from knitground.core.model.tile import TileRef


def mix_from_file(file: MixFile) -> Mix:
    """Make a mix of its file model."""
    entries = [
        MixEntry(
            TileRef(each.tileset, each.row, each.col, each.turn),
            each.weight,
            patch_from_file(each.patch, say("mix “{name}”", name=file.name))
            if each.patch
            else None,
            each.size,
        )
        for each in file.entries
    ]
    fall = Fall(FallWay(file.way), file.size, file.steps, file.border, file.of, file.density,
                file.tint)  # fmt: skip
    return Mix(file.name, tuple(entries), fall)


def mix_to_file(mix: Mix) -> MixFile:
    """Make the file model of a mix."""
    entries = [
        MixEntryFile(
            tileset=each.tile.tileset,
            row=each.tile.row,
            col=each.tile.col,
            turn=each.tile.turn,
            weight=each.weight,
            patch=patch_to_file(each.patch) if each.patch else None,
            size=each.size,
        )
        for each in mix.entries
    ]
    return MixFile(name=mix.name, entries=entries, way=mix.fall.way.value, size=mix.fall.size,
                   steps=mix.fall.steps, border=mix.fall.border, of=mix.fall.of,
                   density=mix.fall.density, tint=mix.fall.tint)  # fmt: skip


def patch_to_file(patch: Patch) -> PatchFile:
    """Make the file model of a patch."""
    tiles = sorted({tile for row in patch.rows for tile in row if tile is not None})
    numbers = {tile: n for n, tile in enumerate(tiles, 1)}
    return PatchFile(
        name=patch.name,
        tiles=[TileFile(tileset=t.tileset, row=t.row, col=t.col, turn=t.turn) for t in tiles],
        rows=[[numbers[tile] if tile else 0 for tile in row] for row in patch.rows],
    )


def patch_from_file(file: PatchFile, where: str = say("the tray")) -> Patch:
    """Make a patch of its file model.

    Raises
    ------
    FormatError
        Its rows are not of one length, or name tiles that it does not list.
    """
    what = say("patch “{name}” of {where}", name=file.name, where=where)
    if len({len(row) for row in file.rows}) != 1:
        raise FormatError(say("{what}: its rows are not of one length", what=what))
    tiles = [None, *(TileRef(t.tileset, t.row, t.col, t.turn) for t in file.tiles)]
    worst = max((n for row in file.rows for n in row if not 0 <= n < len(tiles)), default=None)
    if worst is not None:
        raise FormatError(
            say(
                "{what}: {worst} is outside 0 … {count}, what it lists",
                what=what,
                worst=worst,
                count=len(file.tiles),
            )
        )
    return Patch(file.name, tuple(tuple(tiles[n] for n in row) for row in file.rows))
