"""`python -m knitground …` and the `knitground` command."""

import ctypes
import os
import socket
import sys

# Products of matrices are small here: shared among threads they take several times as long. It has
# to be said before NumPy is imported.
THREADS = "OPENBLAS_NUM_THREADS"
os.environ.setdefault(THREADS, "1")

_WINDOW_HELP = {
    "open": "usage: knitground open [PROJECT]\n\nOpens the window on a project, or on none.\n",
    "demo": (
        "usage: knitground demo [DIR] [--headless] [--json]\n\n"
        "Writes the demo project to DIR and opens it. With --headless it runs the full example\n"
        "without a display: knits, grows, ships, takes a picture of each stage, lists the files.\n"
    ),
    "play": (
        "usage: knitground play DIR [--map NAME] [--side]\n\n"
        "Walks on maps that were shipped to DIR as JSON, in a process of its own; it follows what\n"
        "is shipped anew. Arrows go, space jumps (with --side: seen from the side), Esc ends.\n"
    ),
}


def main() -> None:
    """Open the window at once where that is asked for; else go through the command line.

    The window's own way in does not import the command line: it costs time before the first paint.
    """
    words = sys.argv[1:]
    verb = words[0] if words else "open"
    if os.environ.get("_KNITGROUND_COMPLETE"):  # a shell asks for what may be typed
        verb = ""
    if verb in _WINDOW_HELP and "--help" in words:
        sys.stdout.write(_WINDOW_HELP[verb])
        sys.exit(0)
    if verb in _WINDOW_HELP and "--headless" not in words and (why := _no_display()):
        sys.stderr.write(f"knitground: {why}\n")
        sys.exit(2)
    if verb in _WINDOW_HELP and "--headless" not in words:
        from knitground.ui.common.language import begin_to_speak

        begin_to_speak()
    if verb == "open":
        from knitground.ui.start import open_window

        sys.exit(open_window(words[1:]))
    if verb == "play":
        from knitground.ui.play.window import play

        sys.exit(play(words[1:]))
    if verb == "demo" and "--headless" in words:
        from knitground.ui.example import run_headless

        sys.exit(run_headless(words[1:]))
    if verb == "demo":
        from knitground.ui.start import open_demo

        sys.exit(open_demo(words[1:]))
    from knitground.cli.main import run

    sys.exit(run())


def _no_display() -> str:
    """Say why no window can be opened; empty if nothing speaks against it.

    Qt itself says it in ten lines and ends the process.
    """
    if sys.platform != "linux" or os.environ.get("QT_QPA_PLATFORM"):
        return ""
    if os.environ.get("WAYLAND_DISPLAY"):
        return ""
    display = os.environ.get("DISPLAY", "")
    cure = "set DISPLAY, or run “knitground demo DIR --headless”, which needs none"
    if not display:
        return f"there is no display to open a window on: {cure}"
    number = display.removeprefix("unix").removeprefix(":").partition(".")[0]
    if display.startswith((":", "unix:")) and number.isdecimal() and not _answers(number):
        return f"nothing answers at the display {display}: {cure}"
    try:
        ctypes.CDLL("libxcb-cursor.so.0")
    except OSError:
        return "the library libxcb-cursor is missing: type “apt-get install libxcb-cursor0”"
    return ""


def _answers(number: str) -> bool:
    """Whether an X server of this machine takes connections."""
    path = f"/tmp/.X11-unix/X{number}"
    for address in (path, "\0" + path):
        with socket.socket(socket.AF_UNIX) as line:
            try:
                line.connect(address)
            except OSError:
                continue
            return True
    return False


if __name__ == "__main__":
    main()
