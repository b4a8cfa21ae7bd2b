"""What dragging a line, or drawing a tile, makes of a slicing."""

from __future__ import annotations

from dataclasses import dataclass, replace

from knitground.core.model.slicing import Area, Slicing
from knitground.core.slicing.pieces import in_reading_order


@dataclass(frozen=True)
class Grip:
    """A line of the grid that can be dragged: the near or far side of column or row `number`."""

    axis: str
    number: int
    far: bool


def dragged(slicing: Slicing, grip: Grip, to: int) -> Slicing:
    """Give the slicing in which a line lies at a place of the sheet.

    The near side of the first tile moves the margin; the far side of any tile changes the tile's
    size; the near side of any other tile changes the spacing, and the tile where that would be
    less than nothing.

    Examples
    --------
    >>> dragged(Slicing(16, 16), Grip("x", 1, False), 18).spacing_x
    2
    >>> dragged(Slicing(16, 16), Grip("x", 2, True), 54).tile_width
    18
    """
    axis, n = grip.axis, grip.number
    size = "tile_width" if axis == "x" else "tile_height"
    tile, spacing = getattr(slicing, size), getattr(slicing, f"spacing_{axis}")
    start = getattr(slicing, f"start_{axis}")
    first = start + getattr(slicing, f"margin_{axis}")
    if grip.far:
        changes = {size: max(1, round((to - first - n * spacing) / (n + 1)))}
    elif n == 0:
        changes = {f"margin_{axis}": max(0, to - start)}
    else:
        pitch = max(1, round((to - first) / n))
        if pitch >= tile:
            changes = {f"spacing_{axis}": pitch - tile}
        else:
            changes = {f"spacing_{axis}": 0, size: pitch}
    return replace(slicing, **changes)


def drawn(slicing: Slicing, left: int, top: int, right: int, bottom: int) -> Slicing:
    """Give the slicing of which a rectangle drawn on the sheet is one tile.

    Among loose pieces it becomes one more; those whose middle it holds are joined in it.
    """
    width, height = max(1, right - left), max(1, bottom - top)
    pitch_x, pitch_y = width + slicing.spacing_x, height + slicing.spacing_y
    if slicing.pieces:
        return _joined(slicing, (left, top, width, height))
    return replace(
        slicing,
        tile_width=width,
        tile_height=height,
        margin_x=max(0, left - slicing.start_x) % pitch_x,
        margin_y=max(0, top - slicing.start_y) % pitch_y,
    )


def _joined(slicing: Slicing, drawn_area: Area) -> Slicing:
    """Put one piece in place of all whose middle a rectangle holds; alone it is a new piece."""
    left, top, width, height = drawn_area
    kept: list[Area] = []
    held: list[Area] = []
    for area in slicing.pieces:
        x, y = area[0] + area[2] / 2, area[1] + area[3] / 2
        inside = left <= x < left + width and top <= y < top + height
        (held if inside else kept).append(area)
    if held:
        left, top = min(a[0] for a in held), min(a[1] for a in held)
        width = max(a[0] + a[2] for a in held) - left
        height = max(a[1] + a[3] for a in held) - top
    return replace(slicing, pieces=tuple(in_reading_order([*kept, (left, top, width, height)])))
