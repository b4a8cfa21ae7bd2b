"""Write the man page again, from what the commands say of themselves."""

from knitground import __version__
from knitground.cli.main import commands
from knitground.desktop.install import DATA
from knitground.desktop.manpage import man_page


def main() -> None:
    """Write it; prints its path."""
    path = DATA / "knitground.1"
    path.write_text(man_page(commands, __version__), encoding="utf-8")
    print(path)


if __name__ == "__main__":
    main()
