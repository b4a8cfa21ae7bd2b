"""Names of shipped files: two things never write one file, and none of a project's own."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.base.filenames import file_names, key_of
from knitground.core.files.formats import (
    PROJECT_FORMAT,
    PROJECT_VERSION,
    TILESET_FORMAT,
    TILESET_VERSION,
    ProjectFile,
    TilesetFile,
)
from knitground.core.files.jsontext import read_model
from knitground.core.files.opening import Source
from knitground.core.files.places import PROJECT_NAME
from knitground.core.model.map import Map
from knitground.core.model.project import Project
from knitground.core.model.tileset import Tileset


@dataclass(frozen=True)
class ShipNames:
    """Stem of each map's files, and name of each sheet's, by the names of maps and tilesets."""

    maps: dict[str, str]
    sheets: dict[str, str]


def ship_names(project: Project, maps: Sequence[Map]) -> ShipNames:
    """Give every map and every sheet of a project a name of its own, also those not shipped now."""
    own = list(dict.fromkeys([*(each.name for each in project.maps), *(m.name for m in maps)]))
    sheets = [each.name for each in project.tilesets]
    names = file_names([*own, *sheets], ".png")
    stems = [name.removesuffix(".png") for name in names[: len(own)]]
    return ShipNames(dict(zip(own, stems)), dict(zip(sheets, names[len(own) :])))


def refuse_project_files(folder: Path, names: Iterable[str]) -> None:
    """Refuse to ship over the files of a project.

    Raises
    ------
    PlaceError
        A project lies in the folder, or in one that holds it, and has a file of such a name.
    """
    wanted = {key_of(name): name for name in names}
    folder = folder.absolute()
    for home in (folder, *folder.parents):
        if not (home / PROJECT_NAME).is_file():
            continue
        for own in _files_of(home):
            if own.parent == folder and key_of(own.name) in wanted:
                raise PlaceError(
                    f"{own.name} in {folder} is a file of the project there: ship to another folder"
                )


def _files_of(home: Path) -> list[Path]:
    """List the files of the project in a folder; all that lie there if it can not be read."""
    try:
        source = Source(home)
        head = read_model(
            source.read(PROJECT_NAME), PROJECT_NAME, ProjectFile, PROJECT_FORMAT, PROJECT_VERSION
        )
        names = [PROJECT_NAME, *head.tilesets, *head.maps]
        for name in head.tilesets:
            raw = source.read(name)
            names.append(read_model(raw, name, TilesetFile, TILESET_FORMAT, TILESET_VERSION).sheet)
    except KnitError:
        return list(home.iterdir())
    return [home / name for name in names]


def used_sheets(project: Project, names: set[str]) -> list[Tileset]:
    """List the tilesets of these names, in the project's order."""
    return [each for each in project.tilesets if each.name in names]
