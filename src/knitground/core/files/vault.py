"""Changing several files of a folder together: all of them or none, whenever the program stops.

The new files are written beside the old ones, into a folder `.knit-save`, and the old ones are
linked there too. Renaming one file, the list of what is to be done, is the switch: before it the
old files count, after it the new ones. What is left is putting each file into its place, which can
be done again by anybody who finds the list (`settle`): the next save, or the next reader. A fault
after the switch turns it back in the same way. (Own derivation of a redo log.)
"""

from __future__ import annotations

import fcntl
import json
import os
import re
import shutil
import stat
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager, suppress
from contextvars import ContextVar
from dataclasses import dataclass, field
from pathlib import Path
from time import monotonic, sleep

from knitground.core.base.errors import PlaceError
from knitground.core.base.filenames import key_of
from knitground.core.base.tongue import say
from knitground.core.files.places import inside
from knitground.core.files.reading import read_file

JOURNAL = ".knit-save"
ASIDE = "knit-save-of-another"
"""What a `.knit-save` that no save left is called once it was moved aside, with a number."""
_LIST, _BACK = "list.json", "back.json"
_PATIENCE_SECONDS = 20.0
_TOLD: ContextVar[list[Path] | None] = ContextVar("told", default=None)
"""What would be written or taken away, while nothing is."""
_OURS = re.compile(r"(new|old)\d{1,7}|draft\.json|list\.json|back\.json")
_MOST_LIST_BYTES = 64 * 1024 * 1024


@dataclass(frozen=True)
class _Task:
    """One file: its name in the folder, its number in the journal, and what is to happen."""

    name: str
    number: int
    existed: bool
    gone: bool
    keep: bool


@dataclass(frozen=True)
class Journal:
    """What a save that was cut off left in a folder.

    `words` is empty, or says why what lies there is not believed; then there are no tasks.
    """

    tasks: tuple[_Task, ...] = ()
    back: bool = False
    there: bool = False
    words: str = ""
    instead: dict[str, Path | None] = field(default_factory=dict)
    """Which files count instead of those in their places; one that is to be gone has no path."""


@contextmanager
def rehearsed() -> Iterator[list[Path]]:
    """Write nothing, and take nothing away, within this: give the files that would be different.

    What would be refused is refused as ever.
    """
    told: list[Path] = []
    token = _TOLD.set(told)
    try:
        yield told
    finally:
        _TOLD.reset(token)


def is_rehearsed(*files: Path) -> bool:
    """Whether nothing is to be written; then files are told instead, each once."""
    told = _TOLD.get()
    if told is None:
        return False
    told += [each for each in files if each not in told]
    return True


def write_together(
    folder: Path,
    files: Mapping[str, bytes | None],
    *,
    keep_previous: bool = False,
    durable: bool = True,
    look: Callable[[dict[str, bytes | None]], None] | None = None,
) -> list[str]:
    """Write files of a folder together; one whose contents would not change is left alone.

    Parameters
    ----------
    files : contents by name inside the folder; None takes a file away
    keep_previous : leave what was there as `NAME.previous`
    durable : wait until the disk has everything; False for what can be made again
    look : asked, while nobody else can save there, with what is to be written; it may take names
        out, or refuse by an error

    Returns
    -------
    names of the files that are different now

    Raises
    ------
    PlaceError
        The folder can not be made or written, the disk is full, or a name leads out of the folder:
        all files are as before.
    """
    at: Path = folder
    if is_rehearsed():
        wanted = dict(files)
        if look is not None:
            look(wanted)
        names = [n for n, data in wanted.items() if not _holds(folder, n, data)]
        is_rehearsed(*(folder / each for each in names))
        return names
    try:
        folder.mkdir(parents=True, exist_ok=True)
        with lock(folder):
            _settle(folder)
            wanted = dict(files)
            if look is not None:
                look(wanted)
            fresh = {n: data for n, data in wanted.items() if not _holds(folder, n, data)}
            if not fresh:
                return []
            journal = folder / JOURNAL
            try:
                tasks = []
                _make(folder)
                for number, (name, data) in enumerate(fresh.items()):
                    at = folder / name
                    tasks.append(_prepare(folder, name, data, number, keep_previous, durable))
                at = folder
                _switch(journal, tasks, durable)
            except BaseException:
                _clear(journal)
                raise
            try:
                for task in tasks:
                    at = folder / task.name
                    _put(folder, task)
            except BaseException:
                _turn_back(folder, tasks)
                raise
            with suppress(OSError):  # everything counts by now; the next one tidies up
                _tidy(folder, tasks, durable)
    except OSError as error:
        where = at.name if at != folder else str(folder)
        raise PlaceError(
            say(
                "{where} can not be written ({why}): all files there are as before; make room "
                "or choose another folder",
                where=where,
                why=error.strerror or error,
            )
        ) from error
    return list(fresh)


def settle(folder: Path) -> None:
    """Finish, or turn back, what a program left undone that stopped while saving.

    Only one program does that at a time; nobody reads or saves there meanwhile.

    Raises
    ------
    OSError, PlaceError
        The folder can not be written; `waiting` tells what counts then.
    """
    if os.path.lexists(folder / JOURNAL):
        with lock(folder):
            _settle(folder)


def _settle(folder: Path) -> None:
    found = waiting(folder)
    if found.words or not found.there:
        return
    tasks = list(found.tasks)
    if found.back:
        _turn_back(folder, tasks)
    elif tasks:
        for task in tasks:
            _put(folder, task)
        _tidy(folder, tasks, durable=True)
    else:
        _clear(folder / JOURNAL)


def waiting(folder: Path) -> Journal:
    """Read what a save that was cut off left undone; nothing is changed."""
    journal = folder / JOURNAL
    if not os.path.lexists(journal):
        return Journal()
    try:
        _look_ours(journal)
        back = os.path.lexists(journal / _BACK)
        if not back and not os.path.lexists(journal / _LIST):
            return Journal(there=True)
        raw = read_file(journal / (_BACK if back else _LIST), _MOST_LIST_BYTES)
        tasks = _read_tasks(folder, raw)
    except (PlaceError, OSError) as error:
        why = error.strerror or "" if isinstance(error, OSError) else str(error)
        return Journal(
            there=True,
            words=say(
                "{journal} in {name} is not what a save left, and is left alone: {why}",
                journal=JOURNAL,
                name=folder.name,
                why=why,
            ),
        )
    return Journal(tuple(tasks), back, True, "", _instead(journal, tasks, back))


def _instead(journal: Path, tasks: list[_Task], back: bool) -> dict[str, Path | None]:
    out: dict[str, Path | None] = {}
    for task in tasks:
        new, old = journal / f"new{task.number}", journal / f"old{task.number}"
        if back:
            if old.exists():
                out[task.name] = old
            elif not task.existed:
                out[task.name] = None
        elif task.gone:
            out[task.name] = None
        elif new.exists():
            out[task.name] = new
    return out


def _look_ours(journal: Path) -> None:
    """Refuse a folder that holds anything but what a save puts there."""
    if not stat.S_ISDIR(journal.lstat().st_mode):
        raise PlaceError(say("it is no folder"))
    with os.scandir(journal) as entries:
        for each in entries:
            if not _OURS.fullmatch(each.name) or not each.is_file(follow_symlinks=False):
                raise PlaceError(say("it holds “{name}”", name=each.name[:80]))


def _read_tasks(folder: Path, raw: bytes) -> list[_Task]:
    """Read a list of tasks, and believe nothing of it that a save would not have written."""
    try:
        found = json.loads(raw)
    except (ValueError, RecursionError) as error:
        raise PlaceError(say("its list is no JSON")) from error
    if not isinstance(found, list) or not found:
        raise PlaceError(say("its list is no list of files"))
    tasks, seen = [], set()
    for number, each in enumerate(found):
        kinds = [type(value) for value in each] if isinstance(each, list) else []
        if kinds != [str, int, bool, bool, bool]:
            raise PlaceError(say("its list is no list of files"))
        task = _Task(*each)
        _refuse_name(folder, task.name)
        if task.number != number or key_of(task.name) in seen:
            raise PlaceError(say("its list names a file twice"))
        seen.add(key_of(task.name))
        tasks.append(task)
    return tasks


def _refuse_name(folder: Path, name: str) -> Path:
    """Refuse the name of a file that no save would write; returns where it lies."""
    path = inside(folder, name)
    if any(part.startswith(".") for part in path.relative_to(folder).parts):
        raise PlaceError(
            say("“{name}” is a hidden file: give a name without a point before it", name=name[:80])
        )
    return path


@contextmanager
def lock(folder: Path, *, shared: bool = False) -> Iterator[None]:
    """Keep other programs from saving in a folder, or (shared) from saving while it is read.

    Raises
    ------
    PlaceError
        Another program has been saving there for 20 seconds.
    """
    handle = os.open(folder, os.O_RDONLY)
    try:
        until = monotonic() + _PATIENCE_SECONDS
        how = fcntl.LOCK_SH if shared else fcntl.LOCK_EX
        while True:
            try:
                fcntl.flock(handle, how | fcntl.LOCK_NB)
                break
            except BlockingIOError:
                if monotonic() > until:
                    raise PlaceError(
                        say(
                            "{folder} is being saved by another program: try again in a moment",
                            folder=folder,
                        )
                    ) from None
                sleep(0.02)
            except OSError:
                break  # a file system without locks: better to go on than to refuse
        yield
    finally:
        os.close(handle)


def _make(folder: Path) -> None:
    """Make room for a save; what lies there and is not ours is moved aside, unread."""
    journal = folder / JOURNAL
    if os.path.lexists(journal):
        if waiting(folder).words:
            number = 1
            while os.path.lexists(folder / f"{ASIDE}-{number}"):
                number += 1
            journal.rename(folder / f"{ASIDE}-{number}")
        else:
            shutil.rmtree(journal)
    journal.mkdir()


def _clear(journal: Path) -> None:
    """Take away what a save prepared; what is not of a save stays."""
    with suppress(PlaceError, OSError):
        _look_ours(journal)
        shutil.rmtree(journal)


def _prepare(
    folder: Path, name: str, data: bytes | None, number: int, keep: bool, durable: bool
) -> _Task:
    """Write a file's new contents into the journal, and put its old ones there too."""
    journal = folder / JOURNAL
    _refuse_name(folder, name)
    path = _place(folder, name)
    path.parent.mkdir(parents=True, exist_ok=True)
    if path.is_dir():
        raise IsADirectoryError(21, say("a folder lies there"))
    if data is not None:
        write(journal / f"new{number}", data, durable)
    existed = os.path.lexists(path)
    if existed:
        if not path.is_file():
            raise FileExistsError(17, say("no plain file lies there"))
        if not os.access(path.parent, os.W_OK):
            raise PermissionError(13, say("Permission denied"))
        _link(path, journal / f"old{number}")
    return _Task(name, number, existed, data is None, keep)


def _link(path: Path, target: Path) -> None:
    try:
        os.link(path, target)
    except OSError:  # a file system without links
        write(target, path.read_bytes(), durable=True)


def _place(folder: Path, name: str) -> Path:
    """Where a file is written: a link stays a link, and what it leads to is replaced.

    It is asked anew each time: what lies inside the folder now may be a link out of it later.
    """
    path = inside(folder, name)
    return path.resolve() if path.is_symlink() else path


def _switch(journal: Path, tasks: list[_Task], durable: bool) -> None:
    """Make the new files count: one renaming."""
    draft = journal / "draft.json"
    write(draft, json.dumps([list(vars(task).values()) for task in tasks]).encode(), durable)
    if durable:
        _sync_folder(journal)
    rename(draft, journal / _LIST)
    if durable:
        _sync_folder(journal)


def _put(folder: Path, task: _Task) -> None:
    """Put a new file into its place; nothing to do if that has been done."""
    path, journal = _place(folder, task.name), folder / JOURNAL
    new, old = journal / f"new{task.number}", journal / f"old{task.number}"
    if not task.gone:
        if new.exists():
            rename(new, path)
    elif old.exists():  # nothing is taken away of which there is no copy
        path.unlink(missing_ok=True)


def _tidy(folder: Path, tasks: list[_Task], durable: bool) -> None:
    """Keep the old files under another name, and take the journal away; its list last."""
    journal = folder / JOURNAL
    if durable:  # what was put into its place must be there before the list that says so is gone
        for parent in {_place(folder, task.name).parent for task in tasks}:
            _sync_folder(parent)
    for task in tasks:
        old = journal / f"old{task.number}"
        if task.keep and old.exists():
            path = _place(folder, task.name)
            rename(old, path.with_name(path.name + ".previous"))
        old.unlink(missing_ok=True)
    (journal / _LIST).unlink(missing_ok=True)
    _clear(journal)


def _turn_back(folder: Path, tasks: list[_Task]) -> None:
    """Put the old files back, where new ones have been put into their places."""
    journal = folder / JOURNAL
    with suppress(FileNotFoundError):
        rename(journal / _LIST, journal / _BACK)
    for task in tasks:
        path = _place(folder, task.name)
        new, old = journal / f"new{task.number}", journal / f"old{task.number}"
        if new.exists():
            continue
        if old.exists():
            rename(old, path)
        elif not task.existed:
            path.unlink(missing_ok=True)
    (journal / _BACK).unlink(missing_ok=True)
    _clear(journal)


def write(path: Path, data: bytes, durable: bool = True) -> None:
    """Write a file that is not there yet, or overwrite it in place."""
    with path.open("wb") as file:
        file.write(data)
        if durable:
            file.flush()
            os.fsync(file.fileno())


def rename(old: Path, new: Path) -> None:
    """Put a file in another one's place, in one act."""
    old.replace(new)


def _holds(folder: Path, name: str, data: bytes | None) -> bool:
    path = inside(folder, name)
    if data is None:
        return not os.path.lexists(path)
    try:
        same = path.is_file() and path.stat().st_size == len(data)
        return same and path.read_bytes() == data
    except OSError:
        return False


def _sync_folder(folder: Path) -> None:
    with suppress(OSError):
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
