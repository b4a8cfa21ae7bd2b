"""Edits of animations: frames from the sheet, from blocks, from other sheets and from files."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace
from functools import partial

from knitground.core.base.errors import EditError
from knitground.core.base.tongue import say
from knitground.core.base.window import Box
from knitground.core.edit.atoms import Atom, SetField
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.sheets import change_facts, free_sheet
from knitground.core.edit.tiles import Places, count_words, put_facts
from knitground.core.model.limits import MAX_FRAMES
from knitground.core.model.project import Project, free_name
from knitground.core.model.tileset import At, Frame, TileFacts, Tileset


def set_frames(
    tileset: Tileset,
    row: int,
    col: int,
    frames: tuple[Frame, ...],
    project: Project | None = None,
) -> Edit:
    """Let a tile show others in turn; none: it stands still.

    Parameters
    ----------
    project : needed for frames of other tilesets

    Raises
    ------
    EditError
        A sheet has no such tile, a time is out of bounds, or there are too many frames.
    """
    for each in (Frame(row, col, 1), *frames):
        owner = tileset
        if each.tileset:
            found = project.tileset_named(each.tileset) if project else None
            if found is None:
                raise EditError(
                    say("there is no sheet “{tileset}”: add it first", tileset=each.tileset)
                )
            owner = found
        if not owner.has(each.row, each.col):
            raise EditError(
                say(
                    "“{name}” has no tile in row {row}, column {col}",
                    name=owner.name,
                    row=each.row,
                    col=each.col,
                )
            )
        check_ms(each.ms)
    if len(frames) > MAX_FRAMES:
        raise EditError(
            say(
                "{count} frames are too many: at most {max_frames} fit",
                count=len(frames),
                max_frames=MAX_FRAMES,
            )
        )
    name = say("Animation of tile {number}", number=tileset.number(row, col))
    change = partial(replace, frames=frames)
    return change_facts(tileset, [(row, col)], change, What.LOOKS, name)


def add_frames(
    project: Project, tileset: Tileset, at: At, new: Sequence[Frame], place: int | None = None
) -> Edit:
    """Add frames to a tile's, before the n-th of them or behind; a tile that stood begins itself.

    Parameters
    ----------
    place : None is behind all
    """
    old = tileset.fact(*at).frames
    if not old and new:
        old = (Frame(*at, new[0].ms),)
    stood = not tileset.fact(*at).frames
    where = len(old) if place is None or stood else place
    frames = (*old[:where], *new, *old[where:])
    return set_frames(tileset, *at, frames, project)


def give_frames(
    project: Project,
    tileset: Tileset,
    places: Places,
    tiles: Sequence[At],
    source: str,
    ms: int,
) -> Edit:
    """Give each tile of a block a frame more: the tile at its place of another block of its shape.

    Parameters
    ----------
    tiles, source : the other block, and the name of its tileset if that is another one

    Raises
    ------
    EditError
        The blocks differ in shape.
    """
    check_ms(ms)
    mine, theirs = sorted(places), sorted(tiles)
    shape = [(row - mine[0][0], col - mine[0][1]) for row, col in mine]
    if shape != [(row - theirs[0][0], col - theirs[0][1]) for row, col in theirs]:
        raise EditError(
            say(
                "{count} tiles are chosen and {count2} of another shape were given: choose "
                "one tile, or give a block of the same shape",
                count=len(mine),
                count2=len(theirs),
            )
        )
    facts = {}
    for at, frame in zip(mine, theirs):
        old = tileset.fact(*at).frames or (Frame(*at, ms),)
        facts[at] = replace(tileset.fact(*at), frames=(*old, Frame(*frame, ms, source)))
    return put_facts(
        tileset,
        facts,
        What.LOOKS,
        say("A frame more for {count_words}", count_words=count_words(facts)),
    )


def move_through_sheets(
    project: Project, tileset: Tileset, places: Places, sheets: Sequence[str], ms: int
) -> Edit:
    """Let tiles move through the same tiles of other sheets, in one act.

    Parameters
    ----------
    sheets : names of tilesets, in order; the tiles' own is the first frame

    Raises
    ------
    EditError
        A sheet is gone or too small, or its tiles are of another size.
    """
    check_ms(ms)
    if not sheets:
        raise EditError(say("no other sheet is named: add the sheets with the later frames first"))
    mine = (tileset.slicing.tile_width, tileset.slicing.tile_height)
    for name in sheets:
        other = project.tileset_named(name)
        if other is None:
            raise EditError(say("there is no sheet “{name}”: add it first", name=name))
        size = (other.slicing.tile_width, other.slicing.tile_height)
        if size != mine:
            raise EditError(
                say(
                    "“{name}” has tiles of {size} × {size2} px, those of “{name2}” are {mine} × "
                    "{mine2}: slice them alike",
                    name=name,
                    size=size[0],
                    size2=size[1],
                    name2=tileset.name,
                    mine=mine[0],
                    mine2=mine[1],
                )
            )
        lacking = next((at for at in places if not other.has(*at)), None)
        if lacking is not None:
            raise EditError(
                say(
                    "“{name}” has no tile in row {lacking}, column {lacking2}",
                    name=name,
                    lacking=lacking[0],
                    lacking2=lacking[1],
                )
            )
    facts = {
        at: replace(
            tileset.fact(*at),
            frames=(Frame(*at, ms), *(Frame(*at, ms, name) for name in sheets)),
        )
        for at in places
    }
    return put_facts(
        tileset, facts, What.LOOKS, say("Let {count_words} move", count_words=count_words(facts))
    )


def next_sheets(project: Project, tileset: Tileset, count: int) -> list[str]:
    """Name the sheets that stand after one in the project, as many as are wanted and alike."""
    size = (tileset.slicing.tile_width, tileset.slicing.tile_height)
    at = project.tilesets.index(tileset)
    alike = [
        each.name
        for each in project.tilesets[at + 1 :]
        if (each.slicing.tile_width, each.slicing.tile_height) == size
    ]
    return alike[:count]


def frames_of_files(
    project: Project, tileset: Tileset, places: Collection[At], read: Sequence[Tileset], ms: int
) -> Edit:
    """Let tiles move through pictures that come with their own sheets, in one step.

    Parameters
    ----------
    read : new tilesets: each as large as the whole sheet, which is cut in the same way and gives
        each tile the frame at its own place; or as large as one tile, a frame of one tile

    Raises
    ------
    EditError
        A picture is neither; or they are tiles and several tiles are chosen.
    """
    check_ms(ms)
    if not read or not places:
        raise EditError(
            say("no picture was given, or no tile is chosen: choose the tiles that move")
        )
    whole = (tileset.width, tileset.height)
    one = (tileset.slicing.tile_width, tileset.slicing.tile_height)
    sizes = {(each.width, each.height) for each in read}
    if sizes == {whole} and whole != one:
        return _with_sheets(project, tileset, places, read, ms)
    if sizes != {one}:
        odd = next(each for each in read if (each.width, each.height) not in (whole, one))
        raise EditError(
            say(
                "{sheet} has {width} × {height} px: a frame is as large as a tile ({tile_width} × "
                "{tile_height}) or as the whole sheet ({sheet_width} × {sheet_height})",
                sheet=odd.sheet,
                width=odd.width,
                height=odd.height,
                tile_width=one[0],
                tile_height=one[1],
                sheet_width=whole[0],
                sheet_height=whole[1],
            )
        )
    if len(places) > 1:
        raise EditError(
            say(
                "{count} pictures of one tile can not move {count2} tiles: choose one tile",
                count=len(read),
                count2=len(places),
            )
        )
    at = next(iter(places))
    atoms, names = _added(project, read, tileset)
    old = tileset.fact(*at).frames or (Frame(*at, ms),)
    frames = (*old, *(Frame(0, 0, ms, name) for name in names))
    facts = {at: replace(tileset.fact(*at), frames=frames)}
    edit = put_facts(
        tileset, facts, What.LOOKS, say("Animation of tile {number}", number=tileset.number(*at))
    )
    return Edit(edit.name, (*atoms, *edit.atoms))


def _with_sheets(
    project: Project, tileset: Tileset, places: Collection[At], read: Sequence[Tileset], ms: int
) -> Edit:
    for each in read:
        each.slicing = replace(tileset.slicing)
    atoms, names = _added(project, read, tileset)
    facts = {}
    for at in places:
        old = tileset.fact(*at).frames or (Frame(*at, ms),)
        new = (*old, *(Frame(*at, ms, name) for name in names))
        facts[at] = replace(tileset.fact(*at), frames=new)
    edit = put_facts(
        tileset, facts, What.LOOKS, say("Let {count_words} move", count_words=count_words(facts))
    )
    return Edit(edit.name, (*atoms, *edit.atoms))


def _added(
    project: Project, read: Sequence[Tileset], beside: Tileset
) -> tuple[list[Atom], list[str]]:
    """Add sheets to the project behind those it has; returns also their names."""
    taken = [each.name for each in project.tilesets]
    names: list[str] = []
    sheets: list[str] = []
    for each in read:
        each.name = free_name(each.name, [*taken, *names])
        each.sheet = free_sheet(project, each.sheet, each.picture, sheets)
        names.append(each.name)
        sheets.append(each.sheet)
    told = Changed(What.TILESETS, tileset=beside)
    return [SetField(project, "tilesets", [*project.tilesets, *read], told)], names


def set_apart(tileset: Tileset, places: Places, on: bool) -> Edit:
    """Let the frames of tiles begin at another one in each cell, or all keep step again."""
    change = partial(replace, apart=on)
    name = say(
        "{count_words} {words} step",
        count_words=count_words(places),
        words=say("out of") if on else say("in"),
    )
    return change_facts(tileset, places, change, What.LOOKS, name)


def check_ms(ms: int) -> None:
    """Refuse a time that no frame may have."""
    if not 1 <= ms <= 600_000:
        raise EditError(say("{ms} ms is out of bounds: give 1 to 600 000", ms=ms))


def block_frames(
    tileset: Tileset, box: Box, count: int, *, below: bool, ms: int
) -> dict[At, tuple[Frame, ...]]:
    """Give each tile of a block its frames: the tiles at the same place of the blocks after it.

    Parameters
    ----------
    box : rows and columns of the first block
    count : blocks, the first one included
    below : whether they lie one below the other; else one right of the other
    ms : how long each frame shows

    Raises
    ------
    EditError
        There is no such block on the sheet, or a time is out of bounds.
    """
    if not 2 <= count <= 256:
        raise EditError(say("{count} blocks can not move: give 2 to 256", count=count))
    check_ms(ms)
    step = (box.height, 0) if below else (0, box.width)
    last = (box.bottom - 1 + step[0] * (count - 1), box.right - 1 + step[1] * (count - 1))
    if not tileset.has(*last):
        raise EditError(
            say(
                "“{name}” has {rows} × {columns} tiles: the last of {count} blocks would end "
                "in row {last}, column {last2}. Give fewer, or a smaller block",
                name=tileset.name,
                rows=tileset.rows,
                columns=tileset.columns,
                count=count,
                last=last[0],
                last2=last[1],
            )
        )
    return {
        (row, col): tuple(Frame(row + n * step[0], col + n * step[1], ms) for n in range(count))
        for row in range(box.top, box.bottom)
        for col in range(box.left, box.right)
    }


def move_blocks(tileset: Tileset, box: Box, count: int, *, below: bool, ms: int) -> Edit:
    """Let all tiles of a block move through the blocks beside it, in one act."""
    frames = block_frames(tileset, box, count, below=below, ms=ms)
    facts = {at: replace(tileset.fact(*at), frames=each) for at, each in frames.items()}
    return put_facts(
        tileset, facts, What.LOOKS, say("Let {count_words} move", count_words=count_words(facts))
    )


def time_frames(tileset: Tileset, places: Places, ms: int) -> Edit:
    """Let all frames of tiles show for the same time."""
    check_ms(ms)

    def change(fact: TileFacts) -> TileFacts:
        return replace(fact, frames=tuple(replace(each, ms=ms) for each in fact.frames))

    return change_facts(tileset, places, change, What.LOOKS, say("{ms} ms a frame", ms=ms))


def stand_still(tileset: Tileset, places: Places) -> Edit:
    """Take the animations of tiles away."""
    change = partial(replace, frames=())
    return change_facts(
        tileset,
        places,
        change,
        What.LOOKS,
        say("Let {count_words} stand still", count_words=count_words(places)),
    )
