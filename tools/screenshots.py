"""Make the pictures in docs/screenshots/ again, from the demo project, without a display."""

import sys
from pathlib import Path
from tempfile import TemporaryDirectory

from knitground.ui.example import use_offscreen


def main() -> None:
    """Take a picture of each main view; prints its path."""
    target = Path(__file__).parents[1] / "docs" / "screenshots"
    with TemporaryDirectory() as name:
        folder = Path(name)
        use_offscreen(folder)
        from knitground.demo.project import write_demo
        from knitground.ui.tour import make_window, take_pictures
        from knitground.ui.touracts import settle

        write_demo(folder / "Harl Pans")
        window = make_window(folder / ".memory")
        window.files.open_project(folder / "Harl Pans")
        settle()
        window.stages["ship"].folder.setText(str(folder / "shipped"))
        window.stages["ship"].ship_now()
        settle()
        for path in take_pictures(window, target):
            print(path)
        window.session.doc.mark_saved()
        window.shell.close()
    sys.stdout.flush()


if __name__ == "__main__":
    main()
