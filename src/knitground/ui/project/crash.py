"""When something goes wrong that should not: keep a copy, say so in plain words, go on."""

from __future__ import annotations

import atexit
import faulthandler
import logging
import sys
from collections.abc import Callable
from logging.handlers import RotatingFileHandler
from pathlib import Path
from types import TracebackType
from typing import TextIO

from knitground.core.base.errors import Fault, KnitError, one_line
from knitground.core.base.tongue import say

LOG = logging.getLogger("knitground")
_LOG_BYTES, _LOG_FILES = 512 * 1024, 4


def open_log(folder: Path) -> Path | None:
    """Write faults into a file of this folder, hard crashes of the process too.

    Returns where; None if the folder can not be written.
    """
    path = folder / "knitground.log"
    try:
        folder.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            path, maxBytes=_LOG_BYTES, backupCount=_LOG_FILES, encoding="utf-8"
        )
        crashes = (folder / "crash.log").open("a", encoding="utf-8")
        faulthandler.enable(crashes)
        atexit.register(_close, crashes)
    except OSError:
        faulthandler.enable()
        return None
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    LOG.addHandler(handler)
    LOG.setLevel(logging.INFO)
    LOG.propagate = False
    return path


def _close(crashes: TextIO) -> None:
    faulthandler.disable()  # it writes to the file by its number, which others may get
    crashes.close()


class CrashHandler:
    """Takes the place of `sys.excepthook` while the window is open.

    Errors of ours become notes. Anything else is a fault of the program: it goes into the log, a
    copy of the project is kept first, then the fault is told, and the window stays open.

    Parameters
    ----------
    keep : keeps a copy of the project; says in words what it did
    tell : shows a note
    log : where faults are written, to be named in the note
    """

    def __init__(
        self,
        keep: Callable[[], str],
        tell: Callable[[str], object],
        log: Path | None = None,
    ) -> None:
        self._keep = keep
        self._tell = tell
        self._log = log
        self._busy = False
        self.faults = 0

    def log_to(self, folder: Path) -> None:
        """Write faults into a log in this folder."""
        self._log = open_log(folder)

    def install(self) -> None:
        """Catch what nobody else catches."""
        sys.excepthook = self.handle

    def handle(
        self,
        kind: type[BaseException],
        error: BaseException,
        trace: TracebackType | None,
    ) -> None:
        """Deal with one error; never raises one itself."""
        if issubclass(kind, KeyboardInterrupt):
            sys.__excepthook__(kind, error, trace)
            return
        if isinstance(error, KnitError) and not isinstance(error, Fault):
            self._tell(str(error))
            return
        if self._busy:
            return
        self._busy = True
        try:
            self.faults += 1
            LOG.error("fault", exc_info=(kind, error, trace))
            if self._log is None:
                sys.__excepthook__(kind, error, trace)
            self._tell(self._words(kind, error))
        except Exception:
            LOG.exception("fault while telling a fault")
        finally:
            self._busy = False

    def _words(self, kind: type[BaseException], error: BaseException) -> str:
        try:
            kept = self._keep()
        except Exception:
            LOG.exception("no copy could be kept")
            kept = say("no copy could be kept")
        log = say("; details are in {log}", log=self._log) if self._log else ""
        what = one_line(f"{kind.__name__}: {error}")[:200]
        return say(
            "Something went wrong in the program ({what}); {kept}{log}",
            what=what,
            kept=kept,
            log=log,
        )
