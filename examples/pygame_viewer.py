"""Show a map that Knit Ground has shipped, with pygame: a worked example of a reader.

    python examples/pygame_viewer.py shipped/harbour-pans.json

It reads the JSON and the sheets beside it, and nothing else. Arrow keys scroll, Esc ends.
"""

import json
import sys
from math import floor
from pathlib import Path

import pygame

ORDERS = {
    "top": lambda x, y: (y, x), "bottom": lambda x, y: (-y, x),
    "left": lambda x, y: (x, y), "right": lambda x, y: (-x, y),
}  # fmt: skip


class ShippedMap:
    """A shipped map, and the pictures of its legend."""

    def __init__(self, path):
        self.data, folder = json.loads(Path(path).read_text()), Path(path).parent
        self.sheets = [pygame.image.load(folder / each["picture"]).convert_alpha()
                       for each in self.data["tilesets"]]  # fmt: skip

    def picture(self, place, ms=0):
        """Give the picture that a place of the legend shows at a time, turned."""
        tile = at = self.data["legend"][place - 1]
        left = ms % max(1, sum(each["ms"] for each in tile["frames"]))
        for each in tile["frames"]:
            at, left = each, left - each["ms"]
            if left < 0:
                break
        area = at["x"], at["y"], at["width"], at["height"]
        cut = self.sheets[at["tileset"]].subsurface(area)
        cut = pygame.transform.flip(cut, True, False) if tile["turn"] & 4 else cut
        return pygame.transform.rotate(cut, -90 * (tile["turn"] & 3))

    def drawn(self, ms=0):
        """Draw all of it, as it is at a time: a surface of the map's size."""
        out = pygame.Surface(self.data["size"], pygame.SRCALPHA)
        for group in groups(self.data["layers"]):
            if group[0]["kind"] == "tint":
                tint(out, group[0], self.data["form"])
                continue
            # A layer by itself is weakened as a whole, those that are drawn together by picture.
            alone = len(group) == 1 and group[0]["opacity"] < 1
            on = pygame.Surface(out.get_size(), pygame.SRCALPHA) if alone else out
            for _, layer, place, at in in_order(group, self.data):
                tile, part = self.data["legend"][place - 1], self.picture(place, ms)
                part = part if alone else weakened(part, layer["opacity"])
                if isinstance(at, dict):  # a free picture stands on its point
                    free = pygame.transform.rotozoom(part, -at["turn"], at["scale"])
                    x, y = at["points"][0]
                    on.blit(free, free.get_rect(center=(x, y - part.height * at["scale"] / 2)))
                else:
                    on.blit(part, (at[0] + layer["offset_x"] + tile["offset_x"],
                                   at[1] + layer["offset_y"] + tile["offset_y"]))  # fmt: skip
            if alone:
                out.blit(weakened(on, group[0]["opacity"]), (0, 0))
        return out


def groups(layers):
    """List the layers that are shown, those together that are drawn line by line together."""
    out = []
    for layer in (each for each in layers if each["visible"]):
        if layer["interleaved"] and out and out[-1][-1]["interleaved"]:
            out[-1].append(layer)
        else:
            out.append([layer])
    return out


def in_order(group, data):
    """List what layers show, the farthest first: its layer, its place, and where it begins."""
    order, out = ORDERS[data["drawn_from"] if data["form"] != "square" else "top"], []
    for n, layer in enumerate(group):
        for row, line in enumerate(layer["cells"]):
            for col in (col for col, place in enumerate(line) if place):
                far, along = order(*begins(layer, row, col))
                out.append(((far, 0, n, along), layer, line[col], begins(layer, row, col)))
        for number, each in enumerate(layer["markers"]):
            if each["tile"]:  # it stands in the line of the cell under its foot
                far = order(*under(layer, data["grid"], each["points"][0]))[0]
                far = far if layer["interleaved"] else 0
                out.append(((far, 1, n, number), layer, each["tile"], each))
    return sorted(out, key=lambda each: each[0])


def begins(layer, row, col):
    """Where the rectangle round a cell begins, as the schema says."""
    names = ("first", "row_step", "column_step", "odd_row", "odd_column")
    return tuple(
        floor(first + row * down + col * right + row % 2 * odd_row + col % 2 * odd_col)
        for first, down, right, odd_row, odd_col in zip(*(layer[name] for name in names))
    )


def under(layer, grid, point):
    """Where the rectangle round the cell under a point begins."""
    cells = [begins(layer, row, col) for row in range(grid[1]) for col in range(grid[0])]
    return min(cells, key=lambda at: sum(abs(value - begin - side / 2) / side for value, begin, side
                                         in zip(point, at, layer["cell"])))  # fmt: skip


def weakened(picture, opacity):
    """Let a picture be seen through."""
    out = picture.copy()
    out.fill((255, 255, 255, round(255 * opacity)), special_flags=pygame.BLEND_RGBA_MULT)
    return out


def tint(out, layer, form):
    """Multiply a tint over what was drawn, by the formula that the schema gives."""
    wide, high = layer["cell"]
    covers = [None]
    for colour in layer["colours"]:
        part = colour["strength"]
        by = [round(255 * (1 - part) + part * colour[name]) for name in ("red", "green", "blue")]
        covers.append(pygame.Surface((wide, high), pygame.SRCALPHA))
        covers[-1].fill((255, 255, 255) if form != "square" else by)
        for y in range(high if form != "square" else 0):
            # A diamond: its pixels are nearer to its middle than to its corners.
            inside = 0.5 - abs((y + 0.5) / high - 0.5)
            xs = [x for x in range(wide) if abs((x + 0.5) / wide - 0.5) <= inside]
            covers[-1].fill(by, (*(xs[:1] or [0]), y, len(xs), 1))
    for row, line in enumerate(layer["cells"]):
        for col in (col for col, number in enumerate(line) if number):
            cover = covers[line[col]]
            out.blit(cover, begins(layer, row, col), special_flags=pygame.BLEND_RGBA_MULT)


def main(path):
    """Show it in a window until it is closed."""
    pygame.init()
    screen, at, known = pygame.display.set_mode((960, 640)), pygame.Vector2(), -1000
    shipped, clock = ShippedMap(path), pygame.time.Clock()
    pygame.display.set_caption(shipped.data["name"])
    while not any(event.type == pygame.QUIT or getattr(event, "key", None) == pygame.K_ESCAPE
                  for event in pygame.event.get()):  # fmt: skip
        held, now = pygame.key.get_pressed(), pygame.time.get_ticks()
        at += 8 * pygame.Vector2(held[pygame.K_RIGHT] - held[pygame.K_LEFT],
                                 held[pygame.K_DOWN] - held[pygame.K_UP])  # fmt: skip
        if now - known > 500:  # tiles move through their frames
            picture, known = shipped.drawn(now), now
        screen.fill(shipped.data["background"] or "black")
        screen.blit(picture, -at)
        pygame.display.flip()
        clock.tick(60)


if __name__ == "__main__":
    main(sys.argv[1])
