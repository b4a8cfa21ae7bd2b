"""Make the pictures of the start page again, from the demo's own art: `ui/pictures/*.png`."""

from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image

SIZE = (236, 104)
"""Pixels across and down; shown as they are."""


def part(picture: np.ndarray, left: int, top: int, times: int = 1) -> np.ndarray:
    """Cut a picture of the start page's size, its pixels so many times as large."""
    wide, high = -(-SIZE[0] // times), -(-SIZE[1] // times)
    cut = picture[top : top + high, left : left + wide]
    return cut.repeat(times, 0).repeat(times, 1)[: SIZE[1], : SIZE[0]]


def pictures() -> dict[str, np.ndarray]:
    """Draw them all: a sheet, the demo's maps side by side, and one map alone."""
    from knitground.core.files.opening import open_project
    from knitground.core.files.ship.png import map_picture
    from knitground.core.knit.layer import knit_map
    from knitground.demo.project import write_demo

    with TemporaryDirectory() as name:
        write_demo(Path(name) / "demo")
        project = open_project(Path(name) / "demo").project
        drawn = {}
        for each in project.maps:
            knit_map(project, each)
            picture = map_picture(project, each)
            drawn[each.name] = picture
        sheet = project.tilesets[0].picture
        assert sheet is not None
    three = np.zeros((SIZE[1], SIZE[0], 4), np.uint8)
    wide = SIZE[0] // 3
    for n, (each, left, top) in enumerate(
        (("Harbour pans", 470, 350), ("Store yard", 508, 168), ("North basin", 120, 90))
    ):
        cut = drawn[each][top : top + SIZE[1], left : left + wide - 2]
        three[:, n * (wide + 1) : n * (wide + 1) + cut.shape[1]] = cut
    return {"sheet": part(sheet, 0, 0), "demo": three, "map": part(drawn["Salt coast"], 500, 380)}


def main() -> None:
    """Write them."""
    target = Path(__file__).parents[1] / "src" / "knitground" / "ui" / "pictures"
    target.mkdir(exist_ok=True)
    for name, picture in pictures().items():
        Image.fromarray(np.ascontiguousarray(picture)).save(target / f"start-{name}.png")
        print(target / f"start-{name}.png")


if __name__ == "__main__":
    main()
