"""Reading pictures that become sheets: what was read, what was refused, what was converted."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import partial
from pathlib import Path

from knitground.core.base.errors import Cancelled, KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.tongue import say
from knitground.core.files.images import SUFFIXES, conversion, read_frames, read_picture
from knitground.core.files.newsheets import loose_tileset, new_tileset
from knitground.core.model.tileset import Picture, Tileset


def pictures_of(paths: list[Path]) -> list[Path]:
    """List the files meant: themselves, and the pictures in folders."""
    out: list[Path] = []
    for path in paths:
        out += _pictures_in(path) if path.is_dir() else [path]
    return out


def loose_name(paths: list[Path]) -> str:
    """Name a tileset of loose pictures after their folder."""
    first = paths[0]
    return (first.name if first.is_dir() else first.absolute().parent.name) or "pieces"


def read_loose(
    name: str, paths: list[Path], cell: tuple[int, int], progress: Progress
) -> ReadSheets:
    """Read pictures as one tileset of loose pieces; files that can not be read are told."""
    out = ReadSheets()
    pictures: list[tuple[str, Picture]] = []
    for place, path in enumerate(paths):
        progress(place / len(paths))
        try:
            pictures.append((path.stem or "piece", read_picture(path)))
        except KnitError as error:
            out.said.append(str(error))
    if pictures:
        out.read.append(loose_tileset(name, pictures, cell))
    return out


@dataclass
class ReadSheets:
    """Tilesets of the pictures that could be read, frames of animations, and notes in words."""

    read: list[Tileset] = field(default_factory=list)
    frames: dict[int, list[Picture]] = field(default_factory=dict)
    said: list[str] = field(default_factory=list)


def read_sheets(paths: list[Path], room: int, progress: Progress) -> ReadSheets:
    """Read files, and all pictures of folders, as new tilesets; runs beside the interface.

    `room` is how many bytes of memory they may take together; what takes more is said and left out.
    """
    out = ReadSheets()
    files: list[Path] = []
    for path in paths:
        inside = _pictures_in(path) if path.is_dir() else [path]
        if not inside:
            out.said.append(say("{path} holds neither a project nor a picture", path=path))
        files += inside
    for place, path in enumerate(files):
        progress(place / len(files))
        try:
            tileset = new_tileset(path, path.stem or "sheet", room)
            moves = path.suffix.lower() in (".gif", ".webp", ".png")
            still = partial(_still_at, progress, place / len(files))
            frames = read_frames(path, still) if moves else []
        except Cancelled:
            raise
        except KnitError as error:
            out.said.append(str(error))
            continue
        out.read.append(tileset)
        room -= tileset.memory
        if frames:
            out.frames[id(tileset)] = frames
        converted = conversion(path)
        if converted:
            out.said.append(converted)
    return out


def _still_at(progress: Progress, done: float, _part: float) -> None:
    progress(done)


def _pictures_in(folder: Path) -> list[Path]:
    return sorted(path for path in folder.iterdir() if path.suffix.lower() in SUFFIXES)
