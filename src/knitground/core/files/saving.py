"""Saving projects: all files together, none that somebody else has changed."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from knitground.core.base.errors import Conflict
from knitground.core.base.filenames import file_names, file_stem, key_of
from knitground.core.base.progress import Progress, no_progress
from knitground.core.base.tongue import say
from knitground.core.files.formats import ProjectFile
from knitground.core.files.images import SUFFIXES, png_bytes, relief_name
from knitground.core.files.jsontext import model_bytes
from knitground.core.files.map_io import map_to_file
from knitground.core.files.mix_io import mix_to_file, patch_to_file
from knitground.core.files.opening import digest
from knitground.core.files.places import PROJECT_NAME, inside
from knitground.core.files.reading import read_file
from knitground.core.files.tileset_io import tileset_to_file
from knitground.core.files.vault import write_together
from knitground.core.model.project import Project
from knitground.core.model.tileset import Prints, Tileset

TILESET_END, MAP_END = ".tiles.json", ".map.json"


@dataclass
class Saved:
    """What a save wrote.

    Parameters
    ----------
    folder : where
    written : the files whose contents changed
    sheets : each tileset's file name and contents there
    prints : what each tileset's tiles look like there
    known : what every file of the project holds now, by its path
    left : sheets that somebody else has changed and that were left as they are
    """

    folder: Path
    written: list[Path] = field(default_factory=list)
    sheets: list[tuple[Tileset, str, bytes | None]] = field(default_factory=list)
    prints: list[Prints] = field(default_factory=list)
    known: dict[str, str] = field(default_factory=dict)
    left: list[str] = field(default_factory=list)


def save_project(
    project: Project,
    folder: Path,
    progress: Progress = no_progress,
    *,
    overwrite: bool = False,
) -> Saved:
    """Write a project into a folder: all its files are the new ones then, or the old ones.

    The project itself is not changed, except for what it knows of its files (`Project.known`);
    `settle_after_save` tells it where it lies now.

    Parameters
    ----------
    overwrite : also files that somebody else has changed, or that are no part of this project

    Raises
    ------
    PlaceError
        The folder can not be written; its files are as before.
    Conflict
        There are such files, and they are not to be overwritten; nothing was written.
    """
    folder = folder.absolute()
    saved = Saved(folder)
    files = _project_files(project, saved, progress)
    new = {name: digest(data) for name, data in files.items()}
    changes: dict[str, bytes | None] = dict(files)
    changes.update(dict.fromkeys(_dropped(project, folder, files)))
    others: list[str] = []
    if folder != project.folder:  # another project may lie there
        others = _reliefs_of_others(folder, saved, files)
        changes.update(dict.fromkeys(others))
    kept: set[str] = set()

    def look(wanted: dict[str, bytes | None]) -> None:
        _look_for_conflicts(project, folder, wanted, new, saved, others, overwrite=overwrite)
        kept.update(wanted)

    names = write_together(folder, changes, keep_previous=True, look=look)
    saved.written = [folder / name for name in names if changes[name] is not None]
    saved.known = {str(folder / name): new[name] for name in files if name in kept}
    project.known = {**project.known, **saved.known}
    for name in _dropped(project, folder, files):
        project.known.pop(str(folder / name), None)
    progress(1.0)
    return saved


def project_bytes(project: Project) -> dict[str, bytes]:
    """Give the contents of all files of a project by their names; nothing is written."""
    return _project_files(project, Saved(Path()), no_progress)


def settle_after_save(project: Project, saved: Saved) -> None:
    """Note that a save worked: the project, and its sheets, lie there now."""
    project.folder = saved.folder
    for (tileset, name, data), prints in zip(saved.sheets, saved.prints):
        tileset.sheet, tileset.prints = name, prints
        tileset.origin = None
        if tileset.data is None and tileset.picture is not None:
            tileset.data = data


def save_tileset(tileset: Tileset, path: Path) -> None:
    """Write the file of a tileset that no project lists."""
    write_together(path.parent, {path.name: model_bytes(tileset_to_file(tileset))},
                   keep_previous=True)  # fmt: skip


def _project_files(project: Project, saved: Saved, progress: Progress) -> dict[str, bytes]:
    files: dict[str, bytes] = {}
    steps = max(1, len(project.tilesets) + len(project.maps))
    tileset_files = file_names([each.name for each in project.tilesets], TILESET_END)
    map_files = file_names([each.name for each in project.maps], MAP_END)
    saved.sheets = _sheets(project.tilesets, [PROJECT_NAME, *tileset_files, *map_files])
    for place, ((tileset, sheet, data), name) in enumerate(zip(saved.sheets, tileset_files)):
        progress(place / steps)
        if data is not None:
            files[sheet] = data
        if tileset.relief is not None:
            files[relief_name(sheet)] = tileset.relief_data or png_bytes(tileset.relief)
        model = tileset_to_file(tileset)
        model.sheet = sheet
        saved.prints.append(Prints(tileset.slicing, tuple(model.prints)))
        files[name] = model_bytes(model)
    for place, (map_, name) in enumerate(zip(project.maps, map_files)):
        progress((place + len(project.tilesets)) / steps)
        files[name] = model_bytes(map_to_file(map_))
    head = ProjectFile(
        name=project.name,
        tilesets=tileset_files,
        maps=map_files,
        mixes=[mix_to_file(mix) for mix in project.mixes],
        rule_lists=project.rule_lists,
        shape_kinds=project.shape_kinds,
        tray=[patch_to_file(patch) for patch in project.tray],
        excused=project.excused,
        profiles=project.profiles,
    )
    files[PROJECT_NAME] = model_bytes(head)
    return files


def _sheets(
    tilesets: Iterable[Tileset], taken: list[str]
) -> list[tuple[Tileset, str, bytes | None]]:
    """Give each tileset's sheet a file name; those of one picture share a file.

    What is written is always what is in memory, whatever has become of the file it came from.
    """
    out: list[tuple[Tileset, str, bytes | None]] = []
    made: dict[int, tuple[str, bytes]] = {}
    owners: dict[str, bytes | None] = {key_of(name): None for name in taken}
    for tileset in tilesets:
        if tileset.picture is None:
            owners.setdefault(key_of(tileset.sheet), None)
            out.append((tileset, tileset.sheet, None))
            continue
        known = made.get(id(tileset.picture))
        if known is None:
            data = tileset.data if tileset.data is not None else png_bytes(tileset.picture)
            name = _sheet_name(tileset)
            if owners.get(key_of(name), data) != data:
                suffix = Path(name).suffix
                used = [*taken, *(each for _, each, _ in out)]
                name = file_names([Path(name).stem + f" {tileset.name}"], suffix, used)[0]
            owners[key_of(name)] = data
            known = made[id(tileset.picture)] = (name, data)
        out.append((tileset, *known))
    return out


def _sheet_name(tileset: Tileset) -> str:
    """Give the name that a sheet asks for; pixels that were made here are a PNG."""
    path = Path(tileset.sheet)
    if tileset.data is None and path.suffix.lower() != ".png":
        return f"{file_stem(path.stem)}.png"
    if tileset.origin is not None or path.suffix.lower() not in SUFFIXES:
        suffix = path.suffix.lower() if path.suffix.lower() in SUFFIXES else ".png"
        return f"{file_stem(path.stem)}{suffix}"
    return tileset.sheet


def _dropped(project: Project, folder: Path, files: Iterable[str]) -> list[str]:
    """Name the files that the project once had there and has no more: kept as `NAME.previous`."""
    kept = {key_of(name) for name in files}
    return [
        path.name
        for path in map(Path, project.known)
        if path.parent == folder
        and path.name.endswith((TILESET_END, MAP_END, relief_name("")))
        and key_of(path.name) not in kept
    ]


def _reliefs_of_others(folder: Path, saved: Saved, files: Iterable[str]) -> list[str]:
    """Name reliefs that lie beside sheets without one: they would be taken for theirs."""
    kept = {key_of(name) for name in files}
    names = {relief_name(name) for tileset, name, _ in saved.sheets if tileset.relief is None}
    return sorted(
        name for name in names if key_of(name) not in kept and inside(folder, name).is_file()
    )


def _look_for_conflicts(
    project: Project,
    folder: Path,
    changes: dict[str, bytes | None],
    new: dict[str, str],
    saved: Saved,
    others: list[str],
    *,
    overwrite: bool,
) -> None:
    """Refuse what would overwrite another's work; leave alone what only others have changed."""
    found: list[str] = []
    sheets = {name for _, name, _ in saved.sheets}
    for name in list(changes):
        path = inside(folder, name)
        if not path.exists() or path.is_dir():
            continue
        there = digest(read_file(path))
        known = project.known.get(str(path))
        if there in (known, new.get(name)):
            continue
        if name in sheets and known is not None and new.get(name) == known:
            del changes[name]
            saved.left.append(name)
        elif changes[name] is None and name not in others:
            del changes[name]
        else:
            found.append(name)
    if found and not overwrite:
        raise Conflict(_conflict_words(folder, found, project), found)


def _conflict_words(folder: Path, found: list[str], project: Project) -> str:
    more = say(" and {count} more files", count=len(found) - 1) if len(found) > 1 else ""
    if not any(Path(each).parent == folder for each in project.known):
        return say(
            "{folder} holds another project or other files already: {found}{more}",
            folder=folder,
            found=found[0],
            more=more,
        )
    return say(
        "{found}{more} changed on disk since the project was opened or saved: "
        "another window, or another program",
        found=found[0],
        more=more,
    )
