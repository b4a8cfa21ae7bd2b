"""Putting the program into the menus of one person's desktop, and taking it out again."""

from __future__ import annotations

import shutil
import subprocess
import sys
from collections.abc import Iterable
from contextlib import suppress
from pathlib import Path

import click
from click.shell_completion import get_completion_class
from platformdirs import user_data_path

from knitground.core.base.errors import PlaceError
from knitground.core.files.vault import write_together

APP = "org.knitground.KnitGround"
"""By this the desktop knows the program: its entry, its icon and its windows."""
DATA = Path(__file__).parent / "data"
ICON = DATA / f"{APP}.svg"
_PLACES = {
    f"{APP}.desktop": "applications",
    f"{APP}.xml": "mime/packages",
    f"{APP}.metainfo.xml": "metainfo",
    f"{APP}.svg": "icons/hicolor/scalable/apps",
    "knitground.1": "man/man1",
}
"""Where the files of `data` go, below a data folder (`~/.local/share`, `/usr/share`)."""
_COMPLETIONS = {
    "bash": "bash-completion/completions/knitground",
    "zsh": "zsh/site-functions/_knitground",
    "fish": "fish/vendor_completions.d/knitground.fish",
}
_FOLLOW = (
    ("update-mime-database", "mime"),
    ("update-desktop-database", "applications"),
    ("gtk-update-icon-cache", "icons/hicolor"),
)
"""What a desktop has to do afterwards, where it has these: the command and its folder."""
_RESERVED = " \t\n\"'\\><~|&;$*?#()`"


def program() -> list[str]:
    """Give the command that starts this very program, word by word."""
    beside = Path(sys.executable).with_name("knitground")
    if beside.exists():
        return [str(beside)]
    found = shutil.which("knitground")
    return [found] if found is not None else [sys.executable, "-m", "knitground"]


def exec_line(words: Iterable[str]) -> str:
    r"""Write a command as a menu entry has it: quoted, and quoted once more for the file itself.

    Source: Desktop Entry Specification 1.5, “The Exec key”.

    Examples
    --------
    >>> print(exec_line(["/usr/bin/knitground"]), exec_line(["/a b/100%$x"]))
    /usr/bin/knitground "/a b/100%%\\$x"
    """
    out = []
    for word in words:
        plain = word.replace("%", "%%")
        for each in '\\"`$':
            plain = plain.replace(each, f"\\{each}")
        needs = plain != word or any(each in _RESERVED for each in word)
        out.append(f'"{plain}"' if needs else word)
    return " ".join(out).replace("\\", "\\\\")


def data_home() -> Path:
    """Give the folder in which a person's desktop looks for entries, icons and types."""
    return user_data_path()


def wanted(group: click.Group) -> dict[str, bytes]:
    """Give all files by their place below a data folder.

    Parameters
    ----------
    group : the commands, for completion
    """
    out = {f"{place}/{name}": (DATA / name).read_bytes() for name, place in _PLACES.items()}
    entry = f"applications/{APP}.desktop"
    call = f"Exec={exec_line(program())} open %f"
    out[entry] = out[entry].replace(b"Exec=knitground open %f", call.encode())
    for shell, place in _COMPLETIONS.items():
        made = get_completion_class(shell)
        if made is not None:
            try:
                source = made(group, {}, "knitground", "_KNITGROUND_COMPLETE").source()
            except RuntimeError:  # a shell that is too old says so
                continue
            out[place] = source.encode()
    return out


def install(group: click.Group, home: Path) -> list[Path]:
    """Write all of it below a data folder; gives what was written.

    Raises
    ------
    PlaceError
        A file or folder can not be written.
    """
    made = []
    for place, data in wanted(group).items():
        path = home / place
        write_together(path.parent, {path.name: data}, durable=False)
        made.append(path)
    _follow(home)
    return made


def remove(group: click.Group, home: Path) -> list[Path]:
    """Take all of it away again; gives what was there.

    Raises
    ------
    PlaceError
        A file can not be taken away.
    """
    gone = []
    for place in wanted(group):
        path = home / place
        try:
            path.unlink()
        except FileNotFoundError:
            continue
        except OSError as error:
            raise PlaceError(f"{path} can not be taken away ({error.strerror})") from error
        gone.append(path)
    _follow(home)
    for path in gone:
        for folder in _within(path.parent, home):
            with suppress(OSError):  # somebody else's files lie there
                folder.rmdir()
    return gone


def _within(folder: Path, home: Path) -> Iterable[Path]:
    while folder != home and home in folder.parents:
        yield folder
        folder = folder.parent


def _follow(home: Path) -> None:
    for command, folder in _FOLLOW:
        found = shutil.which(command)
        if found is not None and (home / folder).is_dir():
            with suppress(OSError, subprocess.TimeoutExpired):
                subprocess.run(
                    [found, str(home / folder)], check=False, capture_output=True, timeout=60
                )
