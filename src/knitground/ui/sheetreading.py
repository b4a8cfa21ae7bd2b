"""Reading pictures that become sheets: what was read, what was refused, what was converted."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.files.images import SUFFIXES, conversion, read_frames
from knitground.core.files.project_io import new_tileset
from knitground.core.model.tileset import Picture, Tileset


@dataclass
class ReadSheets:
    """Tilesets of the pictures that could be read, frames of animations, and notes in words."""

    read: list[Tileset] = field(default_factory=list)
    frames: dict[int, list[Picture]] = field(default_factory=dict)
    said: list[str] = field(default_factory=list)


def read_sheets(paths: list[Path], progress: Progress) -> ReadSheets:
    """Read files, and all pictures of folders, as new tilesets; runs beside the interface."""
    out = ReadSheets()
    files: list[Path] = []
    for path in paths:
        inside = _pictures_in(path) if path.is_dir() else [path]
        if not inside:
            out.said.append(f"{path} holds neither a project nor a picture")
        files += inside
    for place, path in enumerate(files):
        progress(place / len(files))
        try:
            tileset = new_tileset(path, path.stem or "sheet")
            frames = read_frames(path) if path.suffix.lower() in (".gif", ".webp", ".png") else []
        except KnitError as error:
            out.said.append(str(error))
            continue
        out.read.append(tileset)
        if len(frames) > 1:
            out.frames[id(tileset)] = frames
        converted = conversion(path)
        if converted:
            out.said.append(converted)
    return out


def _pictures_in(folder: Path) -> list[Path]:
    return sorted(path for path in folder.iterdir() if path.suffix.lower() in SUFFIXES)
