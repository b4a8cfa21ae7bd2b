"""`python -m knitground …` and the `knitground` command."""

import sys


def main() -> None:
    """Open the window at once where only that is asked for; else go through the command line.

    The window's own way in does not import the command line: it costs time before the first paint.
    """
    words = sys.argv[1:]
    if not words or words[0] == "open":
        from knitground.ui.start import open_window

        sys.exit(open_window(words[1:]))
    if words[0] == "demo" and "--headless" not in words and "--help" not in words:
        from knitground.ui.start import open_demo

        sys.exit(open_demo(words[1:]))
    if words[0] == "demo" and "--headless" in words:
        from knitground.ui.example import run_headless

        sys.exit(run_headless(words[1:]))
    from knitground.cli.main import run

    sys.exit(run())


if __name__ == "__main__":
    main()
