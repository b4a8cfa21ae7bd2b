"""The one compositor: cells of layers to pixels, for the screen, for export and for tests."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box
from knitground.core.model.lattice import Lattice, Rect
from knitground.core.model.layers import Cells
from knitground.core.model.limits import FULL_TINT
from knitground.core.render.pages import Big, LevelPictures
from knitground.core.render.pixels import Pixels, cover, multiplied, over, weakened

Size = tuple[int, int]
"""Height and width in pixels."""


@dataclass(frozen=True, eq=False)
class Plane:
    """What one layer brings to a picture.

    Parameters
    ----------
    cells : (h, w) places of the legend, or colours of a tint
    top, left : row and column of the first of them; may be outside the map where it wraps
    down, across : pixels of the level by which the layer is drawn further down and right
    opacity : 0 to 1
    tint : whether `cells` are colours that are multiplied over what lies beneath
    placed : free pictures, measured from the upper left of what is composed, drawn after the cells
    interleaved : whether it is drawn line by line together with its neighbours that are so too
    """

    cells: Cells
    top: int = 0
    left: int = 0
    down: int = 0
    across: int = 0
    opacity: float = 1.0
    tint: bool = False
    placed: tuple[Big, ...] = ()
    interleaved: bool = False

    @property
    def box(self) -> Box:
        """Where its cells lie."""
        return Box(0, 0, *self.cells.shape).moved(self.top, self.left)


def lay_out(tiles: Pixels, cells: Cells) -> Pixels:
    """Put the pictures of cells (h, w) side by side: (h · tile height, w · tile width).

    Cells beyond the pictures, and -1, give the last picture (the gap).
    """
    high, wide = tiles.shape[1:]
    height, width = cells.shape
    out = np.empty((height, high, width, wide), np.uint32)
    np.copyto(out, tiles[_safe(cells, len(tiles))].transpose(0, 2, 1, 3))
    return out.reshape(height * high, width * wide)


def _safe(cells: Cells, count: int) -> Cells:
    if cells.size and int(cells.max()) >= count:
        return np.where(cells >= count, count - 1, cells)
    return cells


@dataclass(frozen=True, eq=False)
class Frame:
    """What is composed: a rectangle of whole pixels of a level, on the lattice of that level."""

    lattice: Lattice
    rect: Rect

    @property
    def size(self) -> Size:
        """Its height and width."""
        return int(self.rect.height), int(self.rect.width)

    def begins(self, plane: Plane) -> tuple[int, int]:
        """Tell how far down and right the first cell of a plane begins, on an upright lattice."""
        x, y = self.lattice.place(plane.top, plane.left)
        return int(y - self.rect.y) + plane.down, int(x - self.rect.x) + plane.across


def compose(pictures: LevelPictures, planes: Sequence[Plane], frame: Frame) -> Pixels:
    """Lay layers over one another, the back one first.

    Parameters
    ----------
    pictures : of one level, as the atlas gives them
    planes : of the visible layers; what of them lies beyond the frame is left out

    Returns
    -------
    premultiplied pixels of the frame's size, a new array

    Notes
    -----
    Upper layers are blended only where they are not empty. On an upright lattice the pictures of a
    layer that reach beyond their cells come after those that do not, row by row from the top, so
    that the nearer one hides the farther. On a slanted one all pictures of a layer are drawn from
    the farthest line of cells to the nearest. Neighbours that are interleaved share their lines.
    """
    if frame.lattice.slanted:
        return _compose_slanted(pictures, planes, frame)
    out: Pixels | None = None
    for plane, *more in _groups(planes):
        if more:
            canvas = _Canvas.of(pictures, frame)
            if out is not None:
                canvas.inner[:] = out
            _lay_lines(canvas, pictures, [plane, *more], frame)
            out = np.ascontiguousarray(canvas.inner)
        elif plane.tint:
            if out is not None and plane.cells.any():
                out = multiplied(out, _tint(plane, frame))
        elif out is not None and plane.opacity >= 1:
            _lay(out, pictures, plane, frame)
        else:
            layer = _alone(pictures, plane, frame)
            out = layer if out is None else over(layer, out)
    return np.zeros(frame.size, np.uint32) if out is None else out


def _alone(pictures: LevelPictures, plane: Plane, frame: Frame) -> Pixels:
    """Compose a plane for itself, weakened as its opacity asks."""
    seen, y, x = _seen(pictures, plane, frame)
    if (y, x, seen.shape[0] * pictures.high, seen.shape[1] * pictures.wide) == (0, 0, *frame.size):
        out = lay_out(pictures.tiles, seen)  # nothing lies beneath: most are so
        _lay_large(out, pictures, plane, frame)
    else:
        out = np.zeros(frame.size, np.uint32)
        _lay(out, pictures, plane, frame)
    return out if plane.opacity >= 1 else weakened(out, plane.opacity)


def _seen(pictures: LevelPictures, plane: Plane, frame: Frame) -> tuple[Cells, int, int]:
    """Give the cells whose own places are in the picture, and where the first of them begins."""
    (high, wide), (down, across), size = (
        (pictures.high, pictures.wide), frame.begins(plane), frame.size,
    )  # fmt: skip
    top, left = max(0, -down // high), max(0, -across // wide)
    bottom = max(top, -(-(size[0] - down) // high))
    right = max(left, -(-(size[1] - across) // wide))
    return plane.cells[top:bottom, left:right], down + top * high, across + left * wide


def _lay(out: Pixels, pictures: LevelPictures, plane: Plane, frame: Frame) -> None:
    """Lay a plane over what is there, in place."""
    seen, y, x = _seen(pictures, plane, frame)
    high, wide = pictures.high, pictures.wide
    rows, cols = np.nonzero(seen)
    if rows.size:
        if (y, x) == (0, 0) and (seen.shape[0] * high, seen.shape[1] * wide) == out.shape:
            places = _safe(seen, len(pictures.tiles))[rows, cols]
            view = out.reshape(seen.shape[0], high, seen.shape[1], wide)
            beneath = view[rows, :, cols]
            cover(beneath, pictures.tiles[places], hard=bool(pictures.looks.hard[places].all()))
            view[rows, :, cols] = beneath
        else:
            lay_one(out, lay_out(pictures.tiles, seen), y, x)
    _lay_large(out, pictures, plane, frame)


def _lay_large(out: Pixels, pictures: LevelPictures, plane: Plane, frame: Frame) -> None:
    """Lay the pictures that reach beyond their cells, and the free ones, over what is there."""
    if pictures.big:
        down, across = frame.begins(plane)
        rows, cols = np.nonzero(_are_big(pictures, plane.cells))
        for row, col in zip(rows.tolist(), cols.tolist()):
            big = pictures.big[int(plane.cells[row, col])]
            y, x = down + row * pictures.high, across + col * pictures.wide
            lay_one(out, big.pixels, y + big.down, x + big.across)
    for each in plane.placed:
        lay_one(out, each.pixels, each.down, each.across)


def _are_big(pictures: LevelPictures, cells: Cells) -> NDArray[np.bool_]:
    is_big = np.zeros(len(pictures.tiles) + 1, np.bool_)
    is_big[list(pictures.big)] = True
    return np.asarray(is_big[np.clip(cells, 0, len(pictures.tiles))])


class _Canvas(NamedTuple):
    """A larger picture round a frame: so nothing that is laid has to be cut off.

    `inner` is the frame's part of `whole`, and begins `down` and `across` from its upper left.
    """

    whole: Pixels
    inner: Pixels
    down: int
    across: int

    @classmethod
    def of(cls, pictures: LevelPictures, frame: Frame) -> _Canvas:
        """Make a blank one."""
        # Lines are cut into strips of half a base, so that each may need as much more.
        down, across = pictures.high + frame.lattice.high, pictures.wide
        high, wide = frame.size
        whole = np.zeros((high + 2 * down, wide + 2 * across), np.uint32)
        return cls(whole, whole[down : down + high, across : across + wide], down, across)

    def room(self, y: int, x: int, steps: Size, parts: Size, size: Size) -> Pixels:
        """Give places for pictures, which may share pixels, by row and column of them.

        Parameters
        ----------
        y, x : where the first one begins, from the frame's upper left
        steps : from one to the next, in pixels down and across
        parts : how many there are, down and across
        size : of each
        """
        row, pixel = self.whole.strides
        begins = (self.down + y) * row + (self.across + x) * pixel
        strides = (steps[0] * row, steps[1] * pixel, row, pixel)
        return np.ndarray((*parts, *size), np.uint32, self.whole.data, begins, strides)


def _compose_slanted(pictures: LevelPictures, planes: Sequence[Plane], frame: Frame) -> Pixels:
    """Lay layers over one another whose cells lie aslant."""
    canvas = _Canvas.of(pictures, frame)
    for group in _groups(planes):
        first = group[0]
        if first.tint:
            if first.cells.any():
                canvas.inner[:] = multiplied(canvas.inner, _tint(first, frame))
        elif len(group) > 1 or first.opacity >= 1:
            _lay_slanted(canvas, pictures, group, frame)
        else:
            alone = _Canvas.of(pictures, frame)
            _lay_slanted(alone, pictures, group, frame)
            canvas.inner[:] = over(weakened(alone.inner, first.opacity), canvas.inner)
    return np.ascontiguousarray(canvas.inner)


def _groups(planes: Sequence[Plane]) -> list[list[Plane]]:
    """Put neighbours together that are drawn line by line."""
    out: list[list[Plane]] = []
    for plane in planes:
        joins = plane.interleaved and not plane.tint
        if joins and out and out[-1][-1].interleaved and not out[-1][-1].tint:
            out[-1].append(plane)
        else:
            out.append([plane])
    return out


def _lay_slanted(
    canvas: _Canvas, pictures: LevelPictures, planes: Sequence[Plane], frame: Frame
) -> None:
    """Lay planes together, line by line from the farthest, in each line the back one first.

    A single plane is laid as strong as it is: who lays it alone weakens it as a whole.
    """
    alike = len({(each.down, each.across) for each in planes}) == 1
    alike &= not any(each.interleaved and each.placed for each in planes)
    alike &= not any(_are_big(pictures, each.cells).any() for each in planes if pictures.big)
    if alike and frame.lattice.level_lines:
        _lay_strips(canvas, pictures, planes, frame)
    else:
        _lay_lines(canvas, pictures, planes, frame)
    for plane in planes:
        for each in () if plane.interleaved else plane.placed:
            lay_one(canvas.inner, each.pixels, each.down, each.across)


class _Strips(NamedTuple):
    """The cells of a plane that are seen, each (n,), and how they are laid.

    `lines` and `steps` count from the first ones that are seen: rows and columns together, and
    columns without rows.
    """

    lines: NDArray[np.intp]
    steps: NDArray[np.intp]
    places: Cells
    top: int
    hard: bool
    part: float


def _lay_strips(
    canvas: _Canvas, pictures: LevelPictures, planes: Sequence[Plane], frame: Frame
) -> None:
    """Lay planes line by line where lines lie half a base apart: all lines at once.

    Pictures are cut into strips that are half a base high. What lies on such a strip of the whole
    comes from as many lines as a picture has strips; each pass lays one of these on all of them,
    the farthest line's, which is the last strip of its pictures, first. Own derivation.
    """
    lattice, (high, wide), tall = frame.lattice, frame.size, pictures.high
    half, side = lattice.high // 2, lattice.wide // 2
    x, y = (int(each) for each in lattice.place(0, 0))
    x += planes[0].across - int(frame.rect.x) - side
    y += planes[0].down - int(frame.rect.y) - lattice.rise
    lines = range((-tall - y) // half + 1, -((y - high) // half))
    steps = range((-lattice.wide - x) // side + 1, -((x - wide) // side))
    # Those of a line are a whole base apart, and share no pixel.
    strips = -(-tall // half)
    room = canvas.room(
        y + lines.start * half, x + steps.start * side, (half, side),
        (len(lines) - 1 + strips, len(steps)), (half, lattice.wide),
    )  # fmt: skip
    seen = [
        each for plane in planes
        if (each := _strips_of(pictures, plane, lines, steps, len(planes) > 1)) is not None
    ]  # fmt: skip
    for strip in range(strips)[:: -lattice.level_lines]:
        begins, ends = strip * half, min((strip + 1) * half, tall)
        for each in seen:
            if ends > each.top:
                into = room[:, :, : ends - begins]
                at = each.lines + strip, each.steps
                beneath = into[at]
                above = pictures.tiles[each.places, begins:ends]
                cover(beneath, weakened(above, each.part), hard=each.hard)
                into[at] = beneath


def _strips_of(
    pictures: LevelPictures, plane: Plane, lines: range, steps: range, weaken: bool
) -> _Strips | None:
    """Give the cells of a plane on some lines and steps; None if there are none."""
    rows, cols = np.nonzero(plane.cells)
    n = rows + cols + (plane.top + plane.left - lines.start)
    h = cols - rows + (plane.left - plane.top - steps.start)
    at = np.flatnonzero((n >= 0) & (n < len(lines)) & (h >= 0) & (h < len(steps)))
    if not at.size:
        return None
    places = _safe(plane.cells[rows[at], cols[at]], len(pictures.tiles))
    part = plane.opacity if weaken else 1.0
    hard = part >= 1 and bool(pictures.looks.hard[places].all())
    return _Strips(n[at], h[at], places, int(pictures.looks.tops[places].min()), hard, part)


def _lay_lines(
    canvas: _Canvas, pictures: LevelPictures, planes: Sequence[Plane], frame: Frame
) -> None:
    """Lay planes line by line, however lines lie."""
    inner = canvas.inner
    lines = [each for n, plane in enumerate(planes)
             for each in _lines_of(pictures, plane, n, frame)]  # fmt: skip
    lines.sort(key=lambda each: (each.number, each.plane))
    free = sorted(
        ((each.line, n, each) for n, plane in enumerate(planes) for each in plane.placed
         if plane.interleaved), key=lambda each: each[:2],
    )  # fmt: skip
    parts = [each.opacity if len(planes) > 1 else 1.0 for each in planes]
    for line in lines:
        while free and free[0][0] < line.number:
            _, n, each = free.pop(0)
            lay_one(inner, weakened(each.pixels, parts[n]), each.down, each.across)
        _lay_line(canvas, pictures, line, parts[line.plane])
    for _, n, each in free:
        lay_one(inner, weakened(each.pixels, parts[n]), each.down, each.across)


class _Line(NamedTuple):
    """Cells of a plane that stand side by side, and where the first one's rectangle begins."""

    number: int
    plane: int
    cells: Cells
    y: int
    x: int
    rise: int
    top: int
    """The first row of their pictures that any of them shows something in."""
    hard: bool
    """Whether nothing of them has to be blended (`Looks`)."""


def _lines_of(pictures: LevelPictures, plane: Plane, n: int, frame: Frame) -> list[_Line]:
    """List the lines of a plane that may be seen in a frame."""
    if not plane.cells.any():
        return []
    lattice, (high, wide) = frame.lattice, frame.size
    rows, cols, starts, numbers = lattice.lines(plane.box)
    first = lattice.line_of(plane.top, plane.left)
    cells = _safe(plane.cells, len(pictures.tiles))[rows, cols]
    begins = lattice.origins(plane.top + rows, plane.left + cols)
    xs = begins[:, 0] + (plane.across - int(frame.rect.x))
    ys = begins[starts, 1] + (plane.down - int(frame.rect.y))
    reach = pictures.reach
    seen = (cells != 0) & (xs < wide + reach.left) & (xs + pictures.wide + reach.right > 0)
    shown = np.logical_or.reduceat(seen, starts)
    shown &= (ys - reach.up < high) & (ys + lattice.high + reach.down > 0)
    tops, hard, rise = pictures.looks.tops, pictures.looks.hard, lattice.rise
    ends = [*starts[1:].tolist(), len(cells)]
    out = []
    for line in np.flatnonzero(shown).tolist():
        at = np.flatnonzero(seen[starts[line] : ends[line]])
        low, last = int(starts[line] + at[0]), int(starts[line] + at[-1]) + 1
        part = cells[low:last]
        out.append(
            _Line(first + int(numbers[line]), n, part, int(ys[line]), int(xs[low]), rise,
                  int(tops[part].min()), bool(hard[part].all()))
        )  # fmt: skip
    return out


def _lay_line(canvas: _Canvas, pictures: LevelPictures, line: _Line, part: float) -> None:
    high, wide, count, inner = pictures.high, pictures.wide, len(line.cells), canvas.inner
    y, x = line.y - line.rise + line.top, line.x
    tall = high - line.top
    inside = -canvas.down <= y and y + tall <= inner.shape[0] + canvas.down
    inside &= -canvas.across <= x and x + count * wide <= inner.shape[1] + canvas.across
    if tall > 0 and inside:
        room = canvas.room(y, x, (tall, wide), (1, count), (tall, wide))[0]
        at = np.flatnonzero(line.cells)
        beneath = room if at.size == count else room[at]
        above = pictures.tiles[line.cells[at], line.top :]
        cover(beneath, weakened(above, part), hard=line.hard and part >= 1)
        if beneath is not room:
            room[at] = beneath
    elif tall > 0:  # far larger pictures beside it are seen, or a part of it
        strip = lay_out(pictures.tiles, line.cells[None])
        lay_one(inner, weakened(strip, part), line.y - line.rise, line.x)
    if pictures.big:
        for k in np.flatnonzero(_are_big(pictures, line.cells)).tolist():
            each = pictures.big[int(line.cells[k])]
            at_y, at_x = line.y + each.down, line.x + k * wide + each.across
            lay_one(inner, weakened(each.pixels, part), at_y, at_x)


def _tint(plane: Plane, frame: Frame) -> Pixels:
    """Give what each pixel is multiplied by; 255 in every channel beyond the tint's cells."""
    factors = tint_factors(plane.cells, plane.opacity)
    if not frame.lattice.slanted:
        side = frame.lattice.cell_size
        each_pixel = np.repeat(np.repeat(factors, side[0], 0), side[1], 1)
        y, x = frame.begins(plane)
        if (y, x, each_pixel.shape) == (0, 0, frame.size):
            return each_pixel
        whole = np.full(frame.size, 0xFFFFFFFF, np.uint32)
        into, part = _shared(whole.shape, each_pixel.shape, y, x)
        whole[into] = each_pixel[part]
        return whole
    (high, wide), out = frame.size, np.full(frame.size, 0xFFFFFFFF, np.uint32)
    xs = frame.rect.x - plane.across + np.arange(wide) + 0.5
    ys = frame.rect.y - plane.down + np.arange(high) + 0.5
    rows, cols = frame.lattice.cells_at(xs[None], ys[:, None])
    rows, cols = rows - plane.top, cols - plane.left
    inside = (rows >= 0) & (rows < factors.shape[0]) & (cols >= 0) & (cols < factors.shape[1])
    rows, cols = np.broadcast_arrays(rows, cols)
    out[inside] = factors[rows[inside], cols[inside]]
    return out


def tint_factors(cells: Cells, opacity: float = 1.0) -> Pixels:
    """Give what a tint multiplies by: 0xFFRRGGBB, where 255 leaves a channel as it is."""
    colours = cells.view(np.uint32)
    strength = (colours >> np.uint32(24)).astype(np.float32) * (opacity / FULL_TINT)
    out = np.full(cells.shape, 0xFF000000, np.uint32)
    for shift in (16, 8, 0):
        value = ((colours >> np.uint32(shift)) & np.uint32(255)).astype(np.float32)
        part = np.rint(255 - strength * (255 - value)).astype(np.uint32)
        out |= part << np.uint32(shift)
    return out


def lay_one(out: Pixels, picture: Pixels, y: int, x: int) -> None:
    """Lay one picture over what is there, in place; what sticks out is cut off."""
    into, part = _shared(out.shape, picture.shape, y, x)
    if picture[part].size:
        out[into] = over(picture[part], out[into])


_Part = tuple[slice, slice]


def _shared(whole: Size, picture: Size, y: int, x: int) -> tuple[_Part, _Part]:
    """Tell which part of the whole a picture at a place covers, and with which part of it."""
    top, bottom = max(0, y), max(0, y, min(whole[0], y + picture[0]))
    first, last = max(0, x), max(0, x, min(whole[1], x + picture[1]))
    return (
        (slice(top, bottom), slice(first, last)),
        (slice(top - y, bottom - y), slice(first - x, last - x)),
    )
