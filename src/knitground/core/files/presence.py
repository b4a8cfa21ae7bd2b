"""Which projects are open in a window: a second window on one of them is told."""

from __future__ import annotations

import fcntl
import json
import os
import time
from contextlib import suppress
from hashlib import blake2b
from pathlib import Path
from typing import IO

from knitground.core.base.tongue import say


class Presence:
    """Says for one window which project is open in it, for as long as the program runs.

    Parameters
    ----------
    root : a folder of the person's own, where each open project has a small file
    """

    def __init__(self, root: Path) -> None:
        self.root = root
        self._file: IO[bytes] | None = None
        self._path: Path | None = None

    def claim(self, folder: Path) -> str | None:
        """Say that a project is open here; returns since when it is open elsewhere, or None.

        A folder that can not be written tells nobody and refuses nothing.
        """
        path = self._place(folder)
        if path == self._path:
            return None
        self.release()
        with suppress(OSError):
            self.root.mkdir(parents=True, exist_ok=True)
            file = path.open("a+b")
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                file.close()
                return _since(path)
            file.truncate(0)
            file.write(json.dumps({"pid": os.getpid(), "since": time.time()}).encode())
            file.flush()
            self._file, self._path = file, path
        return None

    def release(self) -> None:
        """Say that no project is open here."""
        if self._file is not None:
            with suppress(OSError):
                if self._path is not None:
                    self._path.unlink(missing_ok=True)
                self._file.close()
        self._file = self._path = None

    def _place(self, folder: Path) -> Path:
        try:
            real = str(folder.resolve())
        except (OSError, RuntimeError):
            real = str(folder.absolute())
        return (
            self.root
            / f"{blake2b(real.encode('utf-8', 'surrogatepass'), digest_size=12).hexdigest()}.json"
        )


def _since(path: Path) -> str:
    with suppress(OSError, ValueError, TypeError, KeyError):
        since = json.loads(path.read_bytes())["since"]
        return time.strftime("%H:%M", time.localtime(since))
    return say("a while ago")
