"""Starting the window: as little as possible before the first paint."""

from __future__ import annotations

import json
import sys
from pathlib import Path

from PySide6.QtCore import QLibraryInfo, QTimer, QTranslator
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from knitground.core.base.tongue import ENGLISH, spoken
from knitground.ui.common.garbage import Sweeper, set_aside
from knitground.ui.common.theme import LINEN, use
from knitground.ui.shell import Shell

_CALM_MS = 500
"""After a project is opened: by then its first view has been drawn."""


def make_app() -> QApplication:
    """Return the one application object, making it if need be."""
    app = QApplication.instance()
    if isinstance(app, QApplication):
        return app
    made = QApplication(sys.argv[:1])
    made.setApplicationName("Knit Ground")
    made.setApplicationDisplayName("Knit Ground")
    made.setDesktopFileName("org.knitground.KnitGround")
    _speak_as_qt(made)
    use(made, LINEN)
    Sweeper(made)
    return made


def _speak_as_qt(app: QApplication) -> None:
    """Let Qt's own dialogs and buttons speak the language of the window."""
    words = QTranslator(app)
    folder = QLibraryInfo.path(QLibraryInfo.LibraryPath.TranslationsPath)
    if spoken() != ENGLISH and words.load(f"qtbase_{spoken()}", folder):
        app.installTranslator(words)


def open_window(words: list[str]) -> int:
    """Open the window, with a project if one is named; returns when it is closed."""
    if any(word.startswith("-") for word in words) or len(words) > 1:
        sys.stderr.write("knitground: open takes one project folder or file at most\n")
        return 2
    return _run(Path(words[0]) if words else None, demo=False)


def open_demo(words: list[str]) -> int:
    """Write the demo project to a folder (by default a private one) and open it."""
    folders = [word for word in words if not word.startswith("-")]
    flags = {word for word in words if word.startswith("-")}
    if flags - {"--json"} or len(folders) > 1:
        sys.stderr.write("knitground: demo takes one folder at most, and --headless, --json\n")
        return 2
    return _run(Path(folders[0]) if folders else None, demo=True, as_json=bool(flags))


def _print_files(files: list[Path]) -> None:
    sys.stdout.write(json.dumps([str(file) for file in files]) + "\n")
    sys.stdout.flush()


def _run(path: Path | None, *, demo: bool, as_json: bool = False) -> int:
    app = make_app()
    shell = Shell()

    def furnish() -> None:
        from knitground.core.files.images import SUFFIXES
        from knitground.desktop.install import ICON
        from knitground.ui.window import Window

        app.setWindowIcon(QIcon(str(ICON)))
        window = Window(shell)
        window.crash.log_to(window.memory.log)
        window.crash.install()
        opened = window.session.opened
        opened.connect(lambda: QTimer.singleShot(_CALM_MS, window, set_aside))
        if window.files.offer_copies():
            return
        if demo:
            window.files.open_demo(path, _print_files if as_json else lambda _: None)
        elif path is not None and path.suffix.lower() in SUFFIXES and path.is_file():
            window.sheets.add_sheets([path])
        elif path is not None:
            window.files.open_project(path)

    shell.after_first_paint(furnish)
    shell.show()
    return app.exec()
