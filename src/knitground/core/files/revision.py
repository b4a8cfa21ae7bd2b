"""A project as it was in a revision of the git repository that it lies in.

Git's own command line reads it, if it is there; nothing that the repository sets is carried out:
blobs are read as they are kept (no filters, no conversions), the index is not touched (no watcher),
no hook runs, nothing is fetched, and settings of the system and the person are left aside.
"""

from __future__ import annotations

import os
import shutil
import subprocess
from pathlib import Path

from knitground.core.base.errors import PlaceError
from knitground.core.base.tongue import say
from knitground.core.files.places import inside
from knitground.core.files.reading import MAX_BYTES

_SECONDS = 60
_MOST_FILES, _MOST_BYTES = 4096, 1 << 30
_SAFE = (
    "--no-pager", "--no-optional-locks", "--no-replace-objects", "--literal-pathspecs",
    "-c", "core.fsmonitor=false", "-c", "core.hooksPath=/dev/null", "-c", "protocol.allow=never",
    "-c", "core.pager=cat", "-c", "core.sshCommand=false", "-c", "credential.helper=",
)  # fmt: skip
_OWN = {
    "GIT_CONFIG_NOSYSTEM": "1", "GIT_CONFIG_GLOBAL": os.devnull, "GIT_NO_LAZY_FETCH": "1",
    "GIT_TERMINAL_PROMPT": "0", "GIT_PAGER": "cat", "GIT_ASKPASS": "", "LC_ALL": "C.UTF-8",
}  # fmt: skip


def write_revision(folder: Path, revision: str, to: Path) -> Path:
    """Write the files of a project's folder as they were in a revision.

    Parameters
    ----------
    folder : of the project, within a repository
    revision : as git names them: “HEAD~1”, a branch, a tag, a number
    to : an empty folder that they are written into

    Returns
    -------
    the folder of the project there

    Raises
    ------
    PlaceError
        There is no git, no repository, no such revision, or the project is not in it.
    """
    if revision.startswith("-") or not revision.strip() or len(revision) > 200:
        raise PlaceError(
            say(
                "“{revision}” is no revision: give one like HEAD~1, or a branch",
                revision=revision[:60],
            )
        )
    commit = _git(folder, "rev-parse", "--verify", "--quiet", "--end-of-options",
                  f"{revision}^{{commit}}").decode().strip()  # fmt: skip
    prefix = _git(folder, "rev-parse", "--show-prefix").decode("utf-8", "surrogateescape")
    listed = _git(folder, "ls-tree", "-r", "-l", "-z", "--full-tree", commit, "--",
                  prefix.rstrip("\n") or ".")  # fmt: skip
    room = _MOST_BYTES
    entries = [each for each in listed.split(b"\0") if each]
    if not entries:
        raise PlaceError(
            say(
                "{folder} was not in the repository in “{revision}”",
                folder=folder,
                revision=revision,
            )
        )
    if len(entries) > _MOST_FILES:
        raise PlaceError(
            say(
                "“{revision}” has {count} files there: at most {most_files}",
                revision=revision,
                count=len(entries),
                most_files=_MOST_FILES,
            )
        )
    start = len(prefix.rstrip("\n").encode("utf-8", "surrogateescape"))
    for entry in entries:
        facts, _, raw = entry.partition(b"\t")
        mode, kind, number, size = facts.split()
        if kind != b"blob" or mode == b"120000":
            continue  # links and other repositories lead elsewhere
        room -= int(size)
        if int(size) > MAX_BYTES or room < 0:
            raise PlaceError(
                say("the files in “{revision}” are too large to be compared", revision=revision)
            )
        path = inside(to, os.fsdecode(raw[start:]))
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(_git(folder, "cat-file", "blob", number.decode()))
    return to


def _git(folder: Path, *words: str) -> bytes:
    """Run git where a project lies."""
    program = shutil.which("git")
    if program is None:
        raise PlaceError(say("there is no git on this machine: compare with a folder instead"))
    own = {name: value for name, value in os.environ.items() if not name.startswith("GIT_")}
    try:
        done = subprocess.run(
            [program, "-C", str(folder), *_SAFE, *words], capture_output=True, check=False,
            env={**own, **_OWN}, timeout=_SECONDS, stdin=subprocess.DEVNULL,
        )  # fmt: skip
    except (OSError, subprocess.TimeoutExpired) as error:
        raise PlaceError(say("git could not be asked: {error}", error=error)) from error
    if done.returncode:
        said = done.stderr.decode("utf-8", "replace").strip().splitlines()
        why = said[0][:200] if said else say("there is no such revision")
        raise PlaceError(
            say("git does not give that revision of {folder}: {why}", folder=folder, why=why)
        )
    return done.stdout
