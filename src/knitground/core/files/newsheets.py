"""New tilesets: of a picture's file, of the frames of an animation, of loose pictures."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from knitground.core.base.filenames import file_stem
from knitground.core.files.images import read_sheet
from knitground.core.model.limits import MAX_NAME, MAX_SIDE_PX
from knitground.core.model.slicing import Slicing
from knitground.core.model.tileset import Frame, Picture, TileFacts, Tileset
from knitground.core.slicing.pieces import foot, pack


def new_tileset(path: Path, name: str, room: int | None = None) -> Tileset:
    """Read a picture as a new tileset with a slicing that is only a first guess.

    Raises
    ------
    PictureError
        It is not a picture that can be read, or takes more than `room` bytes of memory.
    """
    picture, data, origin = read_sheet(path, room)
    height, width = picture.shape[:2]
    size = next((s for s in (16, 32, 8) if width >= s and height >= s), min(width, height))
    return Tileset(
        name, path.name, width, height, Slicing(size, size), picture=picture, data=data,
        origin=origin,
    )  # fmt: skip


def frames_tileset(
    path: Path, frames: list[Picture], name: str, times_ms: list[int] | None = None
) -> Tileset:
    """Lay the frames of an animation out as the tiles of a new sheet, row by row.

    With times, the first tile shows all of them in turn.
    """
    height, width = frames[0].shape[:2]
    columns = max(1, min(len(frames), MAX_SIDE_PX // width, round(len(frames) ** 0.5 * 1.5)))
    rows = -(-len(frames) // columns)
    sheet = np.zeros((rows * height, columns * width, 4), np.uint8)
    for number, frame in enumerate(frames):
        row, col = divmod(number, columns)
        sheet[row * height : (row + 1) * height, col * width : (col + 1) * width] = frame
    made = Tileset(
        name,
        f"{file_stem(path.stem)}-frames.png",
        sheet.shape[1],
        sheet.shape[0],
        Slicing(width, height),
        picture=sheet,
    )
    if times_ms:
        shown = zip(range(len(frames)), times_ms)
        frames_of = tuple(Frame(n // columns, n % columns, ms) for n, ms in shown)
        made.facts = {(0, 0): TileFacts(frames=frames_of)}
    return made


def loose_tileset(name: str, pictures: list[tuple[str, Picture]], cell: tuple[int, int]) -> Tileset:
    """Pack pictures of different sizes on a new sheet: a tileset of loose pieces.

    Parameters
    ----------
    pictures : each with the name that its tile gets
    cell : height and width of the cells that they are meant for

    Raises
    ------
    SlicingError
        There are none, or they do not fit one sheet.
    """
    sheet, places = pack([picture for _, picture in pictures])
    made = Tileset(
        name,
        f"{file_stem(name)}-loose.png",
        sheet.shape[1],
        sheet.shape[0],
        Slicing(cell[1], cell[0], pieces=places),
        picture=sheet,
    )
    made.facts = {
        (0, number): TileFacts(name=label[:MAX_NAME], anchor=foot(area))
        for number, (area, (label, _)) in enumerate(zip(places, pictures))
    }
    return made
