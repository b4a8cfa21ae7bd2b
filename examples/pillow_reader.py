"""Draw a map that Knit Ground has shipped, with Pillow: a worked example of a reader.

    python examples/pillow_reader.py shipped/harbour-pans.json drawn.png

It reads the JSON and the sheets beside it, and nothing else; a test compares all kinds of maps with
the pictures that were shipped. The background colour is left out.
"""

import json
import sys
from pathlib import Path

import numpy as np
from PIL import Image


def drawn(path):
    """Draw a shipped map: an image of its size, from `NAME.json` and the sheets beside it."""
    data, folder = json.loads(Path(path).read_text()), Path(path).parent
    sheets = [np.array(Image.open(folder / each["picture"])) for each in data["tilesets"]]
    out = Image.new("RGBA", tuple(data["size"]))

    def picture(place):
        tile = data["legend"][place - 1]
        x, y, high, wide = tile["x"], tile["y"], tile["height"], tile["width"]
        cut = sheets[tile["tileset"]][y : y + high, x : x + wide]
        cut = cut[:, ::-1] if tile["turn"] & 4 else cut
        return np.ascontiguousarray(np.rot90(cut, -(tile["turn"] & 3)))

    for group in groups(data["layers"]):
        if group[0]["kind"] == "tint":
            out = tinted(out, group[0], data["form"])
            continue
        # A layer by itself is weakened as a whole, those that are drawn together by picture.
        alone = len(group) == 1 and group[0]["opacity"] < 1
        on = Image.new("RGBA", out.size) if alone else out
        for _, layer, place, at in in_order(group, data):
            part = picture(place) if alone else weakened(picture(place), layer["opacity"])
            if isinstance(at, dict):
                lay_free(on, part, at)
                continue
            places = (at, [layer[name] for name in OFFSET],
                      [data["legend"][place - 1][name] for name in OFFSET])  # fmt: skip
            lay_at(on, part, *(sum(each) for each in zip(*places)))
        if alone:
            out.alpha_composite(Image.fromarray(weakened(np.array(on), group[0]["opacity"])))
    return out


def groups(layers):
    """List the layers that are shown, those together that are drawn line by line together."""
    out = []
    for layer in layers:
        if layer["visible"]:
            joins = layer["interleaved"] and layer["kind"] != "tint"
            if joins and out and out[-1][-1]["interleaved"]:
                out[-1].append(layer)
            else:
                out.append([layer])
    return out


def in_order(group, data):
    """List what layers show, the farthest first: its layer, its place, and where it begins."""
    order = ORDERS[data["drawn_from"] if data["form"] != "square" else "top"]
    out = []
    for n, layer in enumerate(group):
        for row, line in enumerate(layer["cells"]):
            for col in (col for col, place in enumerate(line) if place):
                far, along = order(*begins(layer, row, col))
                out.append(((far, 0, n, along), layer, line[col], begins(layer, row, col)))
        for number, each in enumerate(layer["markers"]):
            if each["tile"]:  # a free picture: it stands in the line of the cell under its foot
                far = order(*under(layer, data["grid"], each["points"][0]))[0]
                far = far if layer["interleaved"] else 0
                out.append(((far, 1, n, number), layer, each["tile"], each))
    return sorted(out, key=lambda each: each[0])


def under(layer, grid, point):
    """Where the rectangle round the cell under a point begins."""
    cells = [begins(layer, row, col) for row in range(grid[1]) for col in range(grid[0])]
    return min(cells, key=lambda at: sum(
        abs(value - begin - side / 2) / side
        for value, begin, side in zip(point, at, layer["cell"])))  # fmt: skip


def weakened(picture, opacity):
    """Let a picture be seen through."""
    out = picture.copy()
    out[..., 3] = np.rint(out[..., 3] * opacity)
    return out


OFFSET = "offset_x", "offset_y"
ORDERS = {
    "top": lambda x, y: (y, x), "bottom": lambda x, y: (-y, x),
    "left": lambda x, y: (x, y), "right": lambda x, y: (-x, y),
}  # fmt: skip


def begins(layer, row, col):
    """Where the rectangle round a cell begins, as the schema says."""
    names = ("first", "row_step", "column_step", "odd_row", "odd_column")
    parts = zip(*(layer[name] for name in names))
    return [
        int(np.floor(first + row * down + col * right + row % 2 * odd_row + col % 2 * odd_col))
        for first, down, right, odd_row, odd_col in parts
    ]


def lay_at(out, picture, x, y):
    """Lay a picture where it begins; what sticks out of the map is cut off."""
    top, left = max(0, -y), max(0, -x)
    part = picture[top : out.height - y, left : out.width - x]
    if part.size:
        out.alpha_composite(Image.fromarray(np.ascontiguousarray(part)), (x + left, y + top))


def lay_free(out, picture, marker):
    """Lay a free picture, turned pixel by pixel round its middle."""
    high, wide = picture.shape[:2]
    (x, y), scale = marker["points"][0], marker["scale"]
    middle, angle = (x, y - high * scale / 2), np.radians(marker["turn"])
    reach = int(np.hypot(high, wide) * scale / 2) + 2
    for py in range(int(middle[1]) - reach, int(middle[1]) + reach):
        for px in range(int(middle[0]) - reach, int(middle[0]) + reach):
            dx, dy = px + 0.5 - middle[0], py + 0.5 - middle[1]
            col = (np.cos(angle) * dx + np.sin(angle) * dy) / scale + wide / 2
            row = (np.cos(angle) * dy - np.sin(angle) * dx) / scale + high / 2
            if 0 <= col < wide and 0 <= row < high:
                pixel = Image.fromarray(picture[int(row) : int(row) + 1, int(col) : int(col) + 1])
                out.alpha_composite(pixel, (px, py))


def tinted(out, layer, form):
    """Multiply a tint over a picture, by the formula that the schema gives."""
    factors = np.ones((len(layer["colours"]) + 1, 4))
    for number, each in enumerate(layer["colours"], 1):
        colour = np.array([each["red"], each["green"], each["blue"]]) / 255
        factors[number, :3] = 1 - each["strength"] + each["strength"] * colour
    cells, (wide, high) = np.array(layer["cells"]), layer["cell"]
    by = np.ones((out.height, out.width, 4))
    ys, xs = np.mgrid[:high, :wide] + 0.5
    inside = np.ones((high, wide), bool)
    if form != "square":  # a diamond: nearer to its middle than to its corners
        inside = np.abs(xs / wide - 0.5) + np.abs(ys / high - 0.5) <= 0.5
    for row, col in np.argwhere(cells):
        x, y = begins(layer, row, col)
        by[y : y + high, x : x + wide][inside] = factors[cells[row, col]]
    return Image.fromarray(np.rint(np.array(out) * by).astype(np.uint8))


if __name__ == "__main__":
    drawn(sys.argv[1]).save(sys.argv[2])
