"""Hard sheets, made by script, with the grid that a person would say they have.

Each class stands for a habit of real art packs. `make(kind, seed)` gives the same sheet every time;
even seeds are for tuning, odd ones are kept unseen.
"""

from dataclasses import dataclass

import numpy as np

from knitground.core.model.slicing import Slicing

SIZES = (8, 10, 12, 16, 16, 16, 16, 18, 20, 24, 24, 32, 32, 32, 32, 48, 48, 64, 64, 96, 128)


@dataclass
class Sheet:
    """A picture and the slicing it was made with; None where it has no grid."""

    picture: np.ndarray
    truth: Slicing | None


def palette(rng, count=6):
    """A ramp or a mixed palette, as pixel artists use."""
    base = rng.integers(20, 236, 3)
    if rng.random() < 0.6:
        steps = np.linspace(0.45, 1.45, count)[:, None]
        shift = rng.integers(-40, 40, 3)
        return np.clip(base * steps + shift * np.linspace(-1, 1, count)[:, None], 0, 255)
    return rng.integers(0, 256, (count, 3)).astype(float)


def smooth(rng, high, wide, cells):
    """Value noise over an area, repeating at its borders."""
    cells = max(1, int(cells))
    lattice = rng.random((cells, cells))
    y, x = np.arange(high) / high * cells, np.arange(wide) / wide * cells
    r, c = y.astype(int), x.astype(int)
    fy, fx = (y - r)[:, None], (x - c)[None]
    a, b = lattice[r % cells][:, c % cells], lattice[r % cells][:, (c + 1) % cells]
    d, e = lattice[(r + 1) % cells][:, c % cells], lattice[(r + 1) % cells][:, (c + 1) % cells]
    return (a * (1 - fx) + b * fx) * (1 - fy) + (d * (1 - fx) + e * fx) * fy


def texture(rng, high, wide, colours=None):
    """An opaque surface: grain, bricks, planks or blotches."""
    colours = palette(rng) if colours is None else colours
    style = rng.integers(5)
    field = smooth(rng, high, wide, rng.integers(2, 6)) * 0.7 + rng.random((high, wide)) * 0.3
    if style == 1:
        step = int(rng.integers(3, max(4, high // 3 + 2)))
        rows = np.arange(high) // step
        wide_step = int(rng.integers(4, max(5, wide // 2 + 2)))
        joint = (np.arange(high) % step == 0)[:, None] | (
            (np.arange(wide)[None] + (rows % 2 * wide_step // 2)[:, None]) % wide_step == 0
        )
        field = np.where(joint, 0.0, 0.4 + field * 0.5)
    elif style == 2:
        step = int(rng.integers(3, max(4, wide // 2 + 2)))
        field = np.where((np.arange(wide) % step == 0)[None], 0.05, 0.3 + field * 0.5)
    elif style == 3:
        field = smooth(rng, high, wide, 3)
    elif style == 4:
        field = np.where(rng.random((high, wide)) < 0.06, 0.95, 0.4 + field * 0.15)
    level = np.clip((field * len(colours)).astype(int), 0, len(colours) - 1)
    return colours[level]


def opaque(rgb):
    out = np.full((*rgb.shape[:2], 4), 255, np.uint8)
    out[..., :3] = rgb
    return out


def sprite(rng, high, wide, colours, fill=None):
    """A figure on nothing: blob, figure, plant or box, shaded and outlined."""
    fill = rng.uniform(0.45, 1.0) if fill is None else fill
    y, x = np.mgrid[:high, :wide] + 0.5
    cy, cx = high * rng.uniform(0.45, 0.6), wide * rng.uniform(0.45, 0.55)
    ry, rx = high / 2 * fill, wide / 2 * fill * rng.uniform(0.6, 1)
    rough = (smooth(rng, high, wide, 4) - 0.5) * 0.5
    style = rng.integers(4)
    if style == 0:
        inside = ((y - cy) / ry) ** 2 + ((x - cx) / rx) ** 2 + rough < 1
    elif style == 1:
        head = ((y - cy + ry * 0.55) / (ry * 0.4)) ** 2 + ((x - cx) / (rx * 0.5)) ** 2 < 1
        body = (abs(x - cx) < rx * 0.45) & (y > cy - ry * 0.2) & (y < cy + ry * 0.95)
        inside = head | body
    elif style == 2:
        inside = abs(x - cx) < rx * (0.2 + 0.8 * np.clip((y - cy + ry) / (2 * ry), 0, 1))
        inside &= abs(y - cy) < ry
    else:
        inside = (abs(x - cx) < rx * 0.85) & (abs(y - cy) < ry * 0.85)
    out = np.zeros((high, wide, 4), np.uint8)
    shade = np.clip((0.5 - (x - cx) / (2 * rx) * 0.4 - (y - cy) / (2 * ry) * 0.5 + rough), 0, 0.99)
    level = (shade * len(colours)).astype(int)
    out[..., :3] = colours[np.clip(level, 0, len(colours) - 1)]
    edge = inside & ~(
        np.roll(inside, 1, 0)
        & np.roll(inside, -1, 0)
        & np.roll(inside, 1, 1)
        & np.roll(inside, -1, 1)
    )
    out[edge, :3] = colours[0] * 0.5
    out[inside, 3] = 255
    out[~inside] = 0
    return out


class Layout:
    """A grid to be filled with tiles, and the sheet it makes."""

    def __init__(
        self, rng, tile=None, margin=None, spacing=None, count=None, back=None, square=0.75
    ):
        w = int(rng.choice(SIZES)) if tile is None else tile[0]
        h = (
            w
            if tile is None and rng.random() < square
            else int(rng.choice(SIZES))
            if tile is None
            else tile[1]
        )
        if max(w, h) > 4 * min(w, h):
            h = w
        self.w, self.h = w, h
        most = max(3, 520 // max(w, h))
        self.cols, self.rows = count or (
            int(rng.integers(3, min(16, most) + 1)),
            int(rng.integers(3, min(14, most) + 1)),
        )
        mx = my = 0
        sx = sy = 0
        style = rng.random()
        if spacing is not None:
            sx, sy = spacing
        elif style < 0.45:
            pass
        elif style < 0.9:
            sx = sy = int(rng.choice([1, 1, 1, 2, 2, 3, 4, 6, 8]))
        else:
            sx, sy = int(rng.integers(0, 9)), int(rng.integers(0, 9))
        style = rng.random()
        if margin is not None:
            mx, my = margin
        elif style < 0.6:
            pass
        elif style < 0.85:
            mx, my = sx, sy
        else:
            mx, my = (int(v) for v in rng.integers(0, 13, 2))
        self.mx, self.my, self.sx, self.sy = mx, my, sx, sy
        right = mx if rng.random() < 0.8 else 0
        below = my if rng.random() < 0.8 else 0
        extra = (
            (0, 0) if rng.random() < 0.85 else tuple(int(v) for v in rng.integers(0, min(w, h), 2))
        )
        trailing = rng.random() < 0.2
        width = mx + self.cols * (w + sx) - (0 if trailing else sx) + right + extra[0]
        height = my + self.rows * (h + sy) - (0 if trailing else sy) + below + extra[1]
        self.sheet = np.zeros((height, width, 4), np.uint8)
        if back is not None:
            self.sheet[:] = back

    def put(self, row, col, picture):
        top, left = self.my + row * (self.h + self.sy), self.mx + col * (self.w + self.sx)
        region = self.sheet[top : top + self.h, left : left + self.w]
        alpha = picture[..., 3:] > 0
        region[:] = np.where(alpha, picture, region)

    def places(self):
        return [(r, c) for r in range(self.rows) for c in range(self.cols)]

    def done(self):
        truth = Slicing(self.w, self.h, self.mx, self.my, self.sx, self.sy)
        return Sheet(self.sheet, truth)


BACKS = (
    (255, 0, 255, 255),
    (0, 0, 0, 255),
    (255, 255, 255, 255),
    (58, 55, 66, 255),
    (0, 128, 128, 255),
)


def back(rng):
    return None if rng.random() < 0.6 else BACKS[int(rng.integers(len(BACKS)))]


def _terrain(rng, **options):
    """Opaque ground tiles: variants of few materials, borders between them, art across tiles."""
    lay = Layout(rng, back=back(rng), **options)
    sets = [palette(rng) for _ in range(int(rng.integers(2, 5)))]
    surfaces = [texture(rng, lay.h, lay.w, colours) for colours in sets]
    r = 0
    while r < lay.rows:
        c = 0
        while c < lay.cols:
            a, b = rng.integers(len(sets), size=2)
            run = int(min(lay.cols - c, rng.choice([1, 1, 1, 2, 3])))
            field = smooth(rng, lay.h, lay.w * run, rng.integers(2, 4)) + np.linspace(
                -0.3, 0.3, lay.w * run
            )
            for n in range(run):
                part = field[:, n * lay.w : (n + 1) * lay.w, None]
                fresh = rng.random() < 0.4
                top = texture(rng, lay.h, lay.w, sets[a]) if fresh else surfaces[a]
                rgb = np.where(part > 0.45, top, surfaces[b]) if rng.random() < 0.7 else top
                lay.put(r, c + n, opaque(rgb))
            c += run
        r += 1
    return lay


def packed(rng):
    return _terrain(rng, spacing=(0, 0), margin=(0, 0)).done()


def spaced(rng):
    lay = _terrain(rng, spacing=None)
    return lay.done()


def uneven(rng):
    spacing = (int(rng.integers(0, 6)), int(rng.integers(1, 15)))
    return _terrain(
        rng, spacing=spacing, margin=tuple(int(v) for v in rng.integers(0, 15, 2))
    ).done()


def separators(rng):
    """Solid lines between tiles, often round them too."""
    s = int(rng.choice([1, 1, 1, 2]))
    m = int(rng.choice([0, s]))
    colour = BACKS[int(rng.integers(len(BACKS)))]
    lay = Layout(rng, spacing=(s, s), margin=(m, m), back=colour)
    colours = [palette(rng) for _ in range(4)]
    sparse = rng.random() < 0.5
    for r, c in lay.places():
        if rng.random() < 0.12:
            lay.put(r, c, opaque(np.zeros((lay.h, lay.w, 3)) + colours[0][-1]))
        elif sparse:
            ground = opaque(np.zeros((lay.h, lay.w, 3)) + colours[0][-1])
            figure = sprite(rng, lay.h, lay.w, colours[1])
            lay.put(r, c, np.where(figure[..., 3:] > 0, figure, ground))
        else:
            lay.put(r, c, opaque(texture(rng, lay.h, lay.w, colours[int(rng.integers(4))])))
    return lay.done()


def extruded(rng):
    """Each tile's border pixels repeated outwards, so that filtered drawing does not bleed."""
    n = int(rng.choice([1, 1, 2]))
    lay = _terrain(rng, spacing=(2 * n, 2 * n), margin=(n, n))
    for r, c in lay.places():
        top, left = lay.my + r * (lay.h + lay.sy), lay.mx + c * (lay.w + lay.sx)
        tile = lay.sheet[top : top + lay.h, left : left + lay.w]
        grown = np.pad(tile, ((n, n), (n, n), (0, 0)), mode="edge")
        region = lay.sheet[top - n : top + lay.h + n, left - n : left + lay.w + n]
        region[:] = grown[: region.shape[0], : region.shape[1]]
    return lay.done()


def overlays(rng):
    """Mostly see-through: props on nothing, no spacing, each inside its tile."""
    lay = Layout(rng, spacing=(0, 0), margin=(0, 0), back=back(rng))
    colours = [palette(rng) for _ in range(5)]
    for r, c in lay.places():
        if rng.random() < 0.8:
            lay.put(r, c, sprite(rng, lay.h, lay.w, colours[int(rng.integers(5))]))
    return lay.done()


def figures(rng):
    """Frames of few figures: rows alike, sizes near the tile's."""
    lay = Layout(
        rng,
        back=back(rng),
        spacing=(0, 0) if rng.random() < 0.7 else (1, 1),
        margin=(0, 0),
        square=0.5,
    )
    for r in range(lay.rows):
        colours, seed = palette(rng), int(rng.integers(2**31))
        for c in range(lay.cols - int(rng.integers(0, 2))):
            figure = sprite(np.random.default_rng(seed), lay.h, lay.w, colours, 0.85)
            lay.put(r, c, np.roll(figure, int(rng.integers(-1, 2)), 0))
    return lay.done()


def sparse(rng):
    """Few tiles in use, ground and props mixed, whole rows empty."""
    lay = Layout(rng, spacing=(0, 0) if rng.random() < 0.6 else None, margin=None, back=back(rng))
    colours = [palette(rng) for _ in range(4)]
    for r in range(lay.rows):
        if rng.random() < 0.25:
            continue
        for c in range(lay.cols):
            if rng.random() < 0.45:
                picture = (
                    opaque(texture(rng, lay.h, lay.w, colours[0]))
                    if rng.random() < 0.5
                    else sprite(rng, lay.h, lay.w, colours[1])
                )
                lay.put(r, c, picture)
    lay.put(0, 0, opaque(texture(rng, lay.h, lay.w, colours[2])))
    lay.put(lay.rows - 1, lay.cols - 1, opaque(texture(rng, lay.h, lay.w, colours[2])))
    lay.put(1, 1, opaque(texture(rng, lay.h, lay.w, colours[2])))
    return lay.done()


def isometric(rng):
    """Diamonds, twice as wide as high or standing on blocks, on nothing."""
    h = int(rng.choice([16, 24, 32, 48]))
    tall = int(rng.choice([0, 0, h // 2, h]))
    lay = Layout(rng, tile=(2 * h, h + tall), spacing=(0, 0), margin=(0, 0), back=back(rng))
    y, x = np.mgrid[: h + tall, : 2 * h] + 0.5
    colours = [palette(rng) for _ in range(4)]
    for r, c in lay.places():
        top = abs(x - h) / h + abs(y - h / 2) / (h / 2) <= 1
        body = (abs(x - h) / h + abs(y - h / 2 - tall) / (h / 2) <= 1) | (
            (y > h / 2) & (y < h / 2 + tall)
        )
        out = np.zeros((h + tall, 2 * h, 4), np.uint8)
        out[..., :3] = texture(rng, h + tall, 2 * h, colours[int(rng.integers(4))])
        out[body & ~top, :3] = out[body & ~top, :3] * 0.6
        out[..., 3] = np.where(top | body, 255, 0)
        out[out[..., 3] == 0] = 0
        if rng.random() < 0.95:
            lay.put(r, c, out)
    return lay.done()


def one_row(rng):
    lay = Layout(
        rng,
        count=(int(rng.integers(3, 13)), 1),
        spacing=(0, 0) if rng.random() < 0.6 else None,
        margin=(0, 0),
        back=back(rng),
        square=0.9,
    )
    colours = palette(rng)
    for r, c in lay.places():
        lay.put(
            r,
            c,
            opaque(texture(rng, lay.h, lay.w, palette(rng)))
            if rng.random() < 0.5
            else sprite(rng, lay.h, lay.w, colours),
        )
    return lay.done()


def stray(rng):
    """A regular sheet with one large piece over several tiles, and text in a corner."""
    lay = _terrain(rng)
    high, wide = lay.sheet.shape[:2]
    size = (min(high, lay.h * 3 + lay.sy * 2), min(wide, lay.w * 2 + lay.sx))
    r, c = int(rng.integers(0, max(1, lay.rows - 3))), int(rng.integers(0, max(1, lay.cols - 2)))
    top, left = lay.my + r * (lay.h + lay.sy), lay.mx + c * (lay.w + lay.sx)
    region = lay.sheet[top : top + size[0], left : left + size[1]]
    region[:] = opaque(texture(rng, *region.shape[:2]))
    label(rng, lay.sheet)
    return lay.done()


def label(rng, sheet):
    """Something like lines of small text in the lower right corner."""
    high, wide = sheet.shape[:2]
    rows, cols = min(high, 14), min(wide, 60)
    text = rng.random((rows, cols)) < 0.45
    text[np.arange(rows) % 7 > 4] = False
    area = sheet[high - rows :, wide - cols :]
    area[text] = (250, 250, 250, 255)


def half_filled(rng):
    """Opaque tiles that stop in the last row, on a ground of their own."""
    lay = Layout(rng, back=back(rng))
    colours = [palette(rng) for _ in range(4)]
    stop = int(rng.integers(1, lay.cols))
    for r, c in lay.places():
        if r < lay.rows - 1 or c < stop:
            lay.put(r, c, opaque(texture(rng, lay.h, lay.w, colours[int(rng.integers(4))])))
    return lay.done()


def quantised(rng):
    """Few colours for the whole sheet: palette art."""
    sheet = _terrain(rng).done()
    colours = palette(rng, 12).astype(np.uint8)
    flat = sheet.picture[..., :3].reshape(-1, 3).astype(int)
    near = np.abs(flat[:, None] - colours[None].astype(int)).sum(2).argmin(1)
    picture = sheet.picture.copy()
    solid = picture[..., 3] > 0
    picture[..., :3][solid] = colours[near].reshape(picture.shape[0], picture.shape[1], 3)[solid]
    return Sheet(picture, sheet.truth)


def no_grid(rng):
    """Pieces of many sizes, laid as they fit."""
    high, wide = int(rng.integers(150, 400)), int(rng.integers(150, 400))
    sheet = np.zeros((high, wide, 4), np.uint8)
    y = int(rng.integers(0, 5))
    while y < high - 8:
        x, tallest = int(rng.integers(0, 5)), 0
        while x < wide - 8:
            h, w = (int(v) for v in rng.integers(9, 70, 2))
            h, w = min(h, high - y), min(w, wide - x)
            piece = (
                sprite(rng, h, w, palette(rng), 0.95)
                if rng.random() < 0.6
                else opaque(texture(rng, h, w))
            )
            sheet[y : y + h, x : x + w] = piece
            x += w + int(rng.integers(1, 6))
            tallest = max(tallest, h)
        y += tallest + int(rng.integers(1, 6))
    return Sheet(sheet, None)


KINDS = {
    "packed": packed, "spaced": spaced, "uneven": uneven, "separators": separators,
    "extruded": extruded, "overlays": overlays, "figures": figures, "sparse": sparse,
    "isometric": isometric, "one row": one_row, "stray piece": stray, "half filled": half_filled,
    "quantised": quantised, "no grid": no_grid,
}  # fmt: skip


def make(kind, seed):
    """Make a sheet of a kind; the same seed gives the same sheet."""
    number = list(KINDS).index(kind)
    return KINDS[kind](np.random.default_rng([number, seed]))
