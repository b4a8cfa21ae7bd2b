"""Make the pictures of the help again: each a part of a main view, small: `ui/help/text/*.png`."""

from pathlib import Path

from PIL import Image

HOME = Path(__file__).parents[1]
WIDE = 560
"""Pixels across, as they are shown."""
PARTS = {
    "slice": ("1-slice", (76, 26, 1280, 800)),
    "tiles": ("2-tiles", (76, 26, 1280, 800)),
    "terrains": ("3-terrains", (76, 26, 1280, 800)),
    "rules": ("4-rules", (76, 26, 1280, 800)),
    "draw": ("5-draw", (76, 26, 1280, 800)),
    "walk": ("7-walk", (420, 26, 1280, 800)),
    "grow": ("6-grow", (76, 26, 1280, 800)),
    "proof": ("7-proof", (76, 26, 1280, 800)),
    "ship": ("8-ship", (76, 26, 1280, 800)),
}
"""Name: which of `docs/screenshots`, and its left, top, right and bottom in pixels."""


def main() -> None:
    """Cut, shrink and write them."""
    to = HOME / "src/knitground/ui/help/text"
    for name, (shot, box) in PARTS.items():
        with Image.open(HOME / f"docs/screenshots/{shot}.png") as whole:
            part = whole.convert("RGB").crop(box)
        high = round(part.height * WIDE / part.width)
        small = part.resize((WIDE, high), Image.Resampling.LANCZOS)
        small.quantize(256, method=Image.Quantize.MAXCOVERAGE, dither=Image.Dither.NONE).save(
            to / f"{name}.png", optimize=True
        )


if __name__ == "__main__":
    main()
