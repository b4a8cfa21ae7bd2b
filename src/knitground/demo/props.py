"""`props.png`: what stands about on the pans — heaps, reeds, planks, posts, a barrow."""

from __future__ import annotations

import numpy as np

from knitground.demo.texture import SIZE, Pixels, colour

COLUMNS, ROWS = 6, 3
SALT = [colour(code) for code in ("#8f8a86", "#b9b3a6", "#d6d0c2", "#f5f2ea", "#ffffff")]
WOOD = [colour(code) for code in ("#3b2a20", "#5a3d2a", "#7c5637", "#9c7247", "#bd945f")]
REED = [colour(code) for code in ("#34452a", "#4f6a33", "#76903f", "#a7b25a", "#c9a45c")]
IRON = [colour(code) for code in ("#2b2a33", "#4a4b57", "#7d8290")]
SHADOW = np.array([30, 28, 40, 90], np.uint8)

PLACES = {
    "heap": (0, 0),
    "small heap": (0, 1),
    "reeds": (0, 2),
    "thin reeds": (0, 3),
    "stones": (0, 4),
    "barrow": (0, 5),
    "big heap": (1, 0),
    "planks": (1, 2),
    "planks, worn": (1, 3),
    "post": (1, 4),
    "rake": (1, 5),
}
"""Row and column of each prop; the big heap takes two rows and two columns."""


def _blank(high: int = 1, wide: int = 1) -> Pixels:
    return np.zeros((SIZE * high, SIZE * wide, 4), np.uint8)


def heap(size: int, seed: int) -> Pixels:
    """Draw a cone of salt lit from the upper left, with its shadow to the lower right."""
    tile = _blank(-(-size // SIZE), -(-size // SIZE))
    rng = np.random.default_rng(seed)
    side = tile.shape[0]
    foot, top = side - 3, side - int(size * 0.75)
    middle = side / 2 - 0.5
    for row in range(top, foot + 1):
        half = (row - top + 1.2) * size * 0.42 / (foot - top + 1)
        for col in range(side):
            across = (col - middle) / max(half, 0.6)
            if abs(across) <= 1:
                light = 3.2 - 2.2 * (across + 0.35) - 0.6 * (row - top) / (foot - top)
                light += float(rng.uniform(-0.55, 0.55))
                tile[row, col] = SALT[int(np.clip(round(light), 0, 4))]
    for row in (foot + 1, foot):
        for col in range(int(middle - size * 0.3), min(side, int(middle + size * 0.5) + 1)):
            if tile[row, col, 3] == 0:
                tile[row, col] = SHADOW
    return tile


def reeds(count: int, seed: int) -> Pixels:
    """Draw reeds with brown heads."""
    tile = _blank()
    rng = np.random.default_rng(seed)
    for col in sorted(rng.choice(np.arange(2, 14), count, replace=False)):
        top, foot = int(rng.integers(2, 7)), int(rng.integers(12, 15))
        shade = REED[int(rng.integers(1, 4))]
        lean = int(rng.integers(-1, 2))
        for row in range(top, foot + 1):
            tile[row, int(np.clip(col + (lean if row < (top + foot) // 2 else 0), 0, 15))] = shade
        tile[foot, min(15, col + 1)] = REED[0]
        if rng.random() < 0.6:
            head = int(np.clip(col + lean, 0, 15))
            tile[max(0, top - 1) : top + 2, head] = REED[4]
    return tile


def planks(worn: bool) -> Pixels:
    """Draw boards laid across, joining left to right."""
    tile = _blank()
    tile[3:13] = WOOD[2]
    for col in (0, 5, 10):
        tile[3:13, col] = WOOD[0]
        tile[3:13, col + 1] = WOOD[3]
    tile[3] = WOOD[4]
    tile[12] = WOOD[1]
    tile[13] = SHADOW
    tile[6, 2:5], tile[9, 7:10], tile[5, 12:15] = WOOD[3], WOOD[1], WOOD[1]
    if worn:
        tile[3:6, 6:9] = 0
        tile[10:13, 12:15] = 0
        tile[6, 6:9] = WOOD[0]
    return tile


def post() -> Pixels:
    """Draw a mooring post with a rope."""
    tile = _blank()
    tile[3:14, 6:10] = WOOD[2]
    tile[3:14, 6], tile[3:14, 9] = WOOD[4], WOOD[0]
    tile[2, 6:10] = WOOD[3]
    tile[7:9, 5:11] = SALT[1]
    tile[8, 5:11] = SALT[0]
    tile[14, 6:13] = SHADOW
    return tile


def rake() -> Pixels:
    """Draw a salt rake lying on the ground."""
    tile = _blank()
    for step in range(10):
        tile[13 - step, 2 + step] = WOOD[3]
        tile[14 - step, 2 + step] = WOOD[0]
    for step in range(6):
        tile[1 + step, 9 + step] = WOOD[1]
        if step % 2 == 0:
            tile[2 + step, 9 + step] = IRON[2]
            tile[3 + step, 8 + step] = IRON[1]
    return tile


def barrow() -> Pixels:
    """Draw a barrow full of salt."""
    tile = _blank()
    tile[4:7, 5:12] = SALT[3]
    tile[3, 6:10], tile[6, 9:12] = SALT[4], SALT[1]
    tile[7:11, 3:13] = WOOD[2]
    tile[7, 3:13], tile[10, 4:12] = WOOD[4], WOOD[0]
    tile[8, 0:4] = WOOD[3]
    tile[10:14, 10:14] = IRON[1]
    tile[11:13, 11:13] = IRON[2]
    tile[11:14, 4] = WOOD[0]
    tile[14, 3:15] = SHADOW
    return tile


def stones() -> Pixels:
    """Draw three grey stones."""
    tile = _blank()
    for row, col, wide in ((5, 3, 4), (9, 8, 5), (4, 10, 3)):
        tile[row : row + 3, col : col + wide] = IRON[2]
        tile[row, col : col + wide - 1] = SALT[1]
        tile[row + 2, col + 1 : col + wide] = IRON[0]
        tile[row, col] = 0
        tile[row + 3, col + 1 : col + wide + 1] = SHADOW
    return tile


def props_sheet() -> Pixels:
    """Lay the props out as a see-through sheet without margin or spacing."""
    sheet = np.zeros((ROWS * SIZE, COLUMNS * SIZE, 4), np.uint8)
    pictures = {
        "heap": heap(14, 1),
        "small heap": heap(9, 2),
        "reeds": reeds(8, 3),
        "thin reeds": reeds(4, 4),
        "stones": stones(),
        "barrow": barrow(),
        "big heap": heap(28, 5),
        "planks": planks(worn=False),
        "planks, worn": planks(worn=True),
        "post": post(),
        "rake": rake(),
    }
    for name, picture in pictures.items():
        row, col = PLACES[name]
        top, left = row * SIZE, col * SIZE
        sheet[top : top + picture.shape[0], left : left + picture.shape[1]] = picture
    return sheet
