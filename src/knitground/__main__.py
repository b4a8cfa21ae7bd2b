"""`python -m knitground …` and the `knitground` command."""

import os
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
}


def main() -> None:
    """Open the window at once where that is asked for; else go through the command line.

    The window's own way in does not import the command line: it costs time before the first paint.
    """
    words = sys.argv[1:]
    verb = words[0] if words else "open"
    if verb in _WINDOW_HELP and "--help" in words:
        sys.stdout.write(_WINDOW_HELP[verb])
        sys.exit(0)
    if verb == "open":
        from knitground.ui.start import open_window

        sys.exit(open_window(words[1:]))
    if verb == "demo" and "--headless" in words:
        from knitground.ui.example import run_headless

        sys.exit(run_headless(words[1:]))
    if verb == "demo":
        from knitground.ui.start import open_demo

        sys.exit(open_demo(words[1:]))
    from knitground.cli.main import run

    sys.exit(run())


if __name__ == "__main__":
    main()
