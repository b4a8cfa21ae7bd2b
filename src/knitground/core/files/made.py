"""Writing what is made of a project, a map or a sheet, and over nothing else.

What was written lies in `made.knit.json` beside it, each file with a few letters for its contents.
So a file is replaced only if it is still as it was made here; a source, a file of a project and
what another program wrote never are, by whatever link the folder is reached.
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from pathlib import Path

from knitground.core.base.errors import KnitError, PlaceError
from knitground.core.base.filenames import key_of
from knitground.core.base.tongue import say
from knitground.core.files.formats import (
    PROJECT_FORMAT,
    PROJECT_VERSION,
    TILESET_FORMAT,
    TILESET_VERSION,
    ProjectFile,
    TilesetFile,
)
from knitground.core.files.jsontext import read_model
from knitground.core.files.opening import Source, digest
from knitground.core.files.places import PROJECT_NAME, inside
from knitground.core.files.reading import read_file
from knitground.core.files.vault import is_rehearsed, write_together

MADE = "made.knit.json"
_FORMAT = "knitground.made"
_MOST_BYTES = 64 * 1024 * 1024


class NotOursError(PlaceError):
    """Files that were not made here lie where some would be written: replaced only if wanted."""


def write_made(
    folder: Path,
    files: Mapping[str, bytes],
    *,
    sources: Iterable[Path] = (),
    overwrite: bool = False,
    durable: bool = True,
) -> list[Path]:
    """Write files that were made here; returns their paths, in order of their names.

    Parameters
    ----------
    sources : files that they were made of
    overwrite : also what another program wrote; never a source or a file of a project

    Raises
    ------
    NotOursError
        A file lies there that was not made here, or was changed since.
    PlaceError
        A source or a file of a project lies there, a link leads out of the folder, or it can not be
        written: all files there are as before.
    """
    made = MadeFolder(folder, sources, overwrite=overwrite)
    made.refuse(files)
    made.write(files, durable=durable)
    made.close()
    return made.paths


def write_asked(path: Path, data: bytes) -> None:
    """Write a file that a person named, and agreed to replace if it was there.

    Raises
    ------
    PlaceError
        It is a file of a project, or can not be written.
    """
    MadeFolder(path.parent).refuse([path.name])
    write_together(path.parent, {path.name: data})


class MadeFolder:
    """A folder into which much is written bit by bit: refused first, told of at the end."""

    def __init__(
        self, folder: Path, sources: Iterable[Path] = (), *, overwrite: bool = False,
        maker: str = "",
    ) -> None:  # fmt: skip
        if str(folder) == "-":
            raise PlaceError(
                say("“-” is no folder: give the name of one, or ./- if it is called so")
            )
        self.folder = folder
        self.sources = tuple(sources)
        self.overwrite = overwrite
        self.maker = maker
        self._makers: dict[str, list[str]] = {}
        self._kept: set[str] = set()
        self._made: dict[str, str] = {}
        self._known: dict[str, str] | None = None

    @property
    def paths(self) -> list[Path]:
        """All files written so far, in order of their names."""
        return sorted(self.folder / name for name in {*self._made, *self._kept})

    def different(self, files: Mapping[str, bytes]) -> tuple[str, ...]:
        """Name those of some files that do not lie there as they are."""
        out = []
        for name, data in files.items():
            path = inside(self.folder, name)
            try:
                same = path.stat().st_size == len(data) and path.read_bytes() == data
            except OSError:
                same = False
            if not same:
                out.append(name)
        return tuple(sorted(out))

    def keep(self, names: Iterable[str]) -> None:
        """Take note that some files lie there as they would be written."""
        self._kept.update(names)

    def left_over(self) -> tuple[str, ...]:
        """Name what the same maker alone wrote before, and neither writes nor keeps any more."""
        known, now = self._list(), {*self._made, *self._kept}
        return tuple(sorted(
            name for name, makers in self._makers.items()
            if name in known and makers == [self.maker] and name not in now
            and os.path.lexists(inside(self.folder, name))
        ))  # fmt: skip

    def drop(self, names: Iterable[str], discard: Callable[[Path], object] = Path.unlink) -> None:
        """Take files away that were made here and are still as they were.

        Parameters
        ----------
        discard : how a file goes: for good, or into the desktop's trash
        """
        for name in names:
            path = inside(self.folder, name)
            with suppress(OSError, KnitError):
                if digest(read_file(path)) != self._list().get(name):
                    continue
                if not is_rehearsed(path):
                    discard(path)

    def refuse(self, names: Iterable[str]) -> None:
        """Refuse names of files that must not be written over; contents are looked at later.

        Raises
        ------
        PlaceError
            A source or a project's file has such a name.
        """
        wanted = {key_of(str((self.folder / each).resolve())): each for each in (*names, MADE)}
        for source in self.sources:
            name = wanted.get(key_of(str(source.resolve())))
            if name is not None:
                raise PlaceError(
                    say(
                        "{name} in {folder} is what this is made of: give another folder",
                        name=name,
                        folder=self.folder,
                    )
                )
        real = (self.folder / "x").resolve().parent
        for home in (real, *real.parents):
            if (home / PROJECT_NAME).is_file():
                for own in _files_of(home):
                    if key_of(str(own.resolve())) in wanted:
                        raise PlaceError(
                            say(
                                "{name} in {folder} is a file of the project there: give "
                                "another folder",
                                name=own.name,
                                folder=self.folder,
                            )
                        )

    def write(self, files: Mapping[str, bytes], *, durable: bool = True) -> None:
        """Write some files.

        Raises
        ------
        NotOursError, PlaceError
            As `write_made`.
        """
        new = {name: digest(data) for name, data in files.items()}

        def look(wanted: dict[str, bytes | None]) -> None:
            if not self.overwrite:
                self._refuse_others(wanted, new)

        write_together(self.folder, files, durable=durable, look=look)
        self._made.update(new)

    def close(self) -> None:
        """Note what was written; what was made before and still lies there stays noted."""
        if not self._made and not self._kept:
            return
        known = {n: what for n, what in self._list().items() if (self.folder / n).is_file()}
        files = known | self._made
        by = {name: makers for name, makers in self._makers.items() if name in files}
        for name in {*self._made, *self._kept} & files.keys() if self.maker else ():
            by[name] = sorted({*by.get(name, []), self.maker})
        all_of = {"format": _FORMAT, "version": 1, "files": files} | ({"by": by} if by else {})
        if not self._made and by == self._makers and files == self._list():
            return
        data = json.dumps(all_of, ensure_ascii=False, indent=1, sort_keys=True).encode() + b"\n"
        if not is_rehearsed():  # nobody asks for that list
            write_together(self.folder, {MADE: data}, durable=False)

    def _refuse_others(self, wanted: Mapping[str, bytes | None], new: Mapping[str, str]) -> None:
        """Refuse what was not made here; asked while nobody else writes there."""
        found = []
        for name in wanted:
            path = inside(self.folder, name)
            if not os.path.lexists(path):
                continue
            there = digest(read_file(path))
            if there not in (new[name], self._made.get(name), self._list().get(name)):
                found.append(name)
        if found:
            more = say(" and {count} more files", count=len(found) - 1) if len(found) > 1 else ""
            raise NotOursError(
                say(
                    "{found}{more} in {folder} was not made here, or was changed since: give "
                    "another folder, move it away, or say that it may be overwritten",
                    found=found[0],
                    more=more,
                    folder=self.folder,
                )
            )

    def _list(self) -> dict[str, str]:
        """Read what was made there before; a list that can not be read names nothing."""
        if self._known is None:
            self._known = {}
            with suppress(KnitError, ValueError, RecursionError):
                found = json.loads(read_file(inside(self.folder, MADE), _MOST_BYTES))
                files = found.get("files") if isinstance(found, dict) else None
                if isinstance(files, dict) and found.get("format") == _FORMAT:
                    self._known = {n: d for n, d in files.items() if isinstance(d, str)}
                    by = found.get("by")
                    self._makers = {
                        n: [each for each in makers if isinstance(each, str)]
                        for n, makers in (by.items() if isinstance(by, dict) else ())
                        if isinstance(makers, list)
                    }
        return self._known


def _files_of(home: Path) -> list[Path]:
    """List the files of the project in a folder.

    Raises
    ------
    PlaceError
        It can not be read, so that nobody knows which files are its own.
    """
    try:
        source = Source(home)
        head = read_model(
            source.read(PROJECT_NAME), PROJECT_NAME, ProjectFile, PROJECT_FORMAT, PROJECT_VERSION
        )
        names = [PROJECT_NAME, *head.tilesets, *head.maps]
        for name in head.tilesets:
            raw = source.read(name)
            names.append(read_model(raw, name, TilesetFile, TILESET_FORMAT, TILESET_VERSION).sheet)
        return [inside(home, name) for name in names]
    except KnitError as error:
        raise PlaceError(
            say(
                "in {home} lies a project that can not be read ({error}): give a folder outside it",
                home=home,
                error=error,
            )
        ) from error
