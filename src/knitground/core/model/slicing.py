"""How a sheet is cut into tiles."""

from dataclasses import dataclass
from typing import Annotated, ClassVar

from annotated_types import MaxLen

from knitground.core.model.limits import MAX_PIECES, Channel, Side, TileSide, Tolerance

Colour = tuple[Channel, Channel, Channel]
Area = tuple[Side, Side, TileSide, TileSide]
"""Left, top, width and height on a sheet, in pixels."""


@dataclass(frozen=True)
class Slicing:
    """Numbers that cut a sheet: all in pixels of the sheet.

    The first tile's corner lies at start + margin; the next one is tile + spacing further on.
    The margin counts at the left and at the top; what is left over at the right and below is told
    by `Grid.leftover_x` and `Grid.leftover_y`. With an `area` all of this counts inside it: a
    region of the sheet with a grid of its own.

    With `pieces` there is no grid: each piece is a tile of its own size, tile n in row 0, column n.
    Tile width and height are then those of a map's cell that the pieces are meant for.
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    tile_width: TileSide
    tile_height: TileSide
    margin_x: Side = 0
    margin_y: Side = 0
    spacing_x: Side = 0
    spacing_y: Side = 0
    start_x: Side = 0
    start_y: Side = 0
    see_through: Annotated[tuple[Colour, ...], MaxLen(64)] = ()
    tolerance: Tolerance = 0
    area: Area | None = None
    pieces: Annotated[tuple[Area, ...], MaxLen(MAX_PIECES)] = ()

    @property
    def is_loose(self) -> bool:
        """Whether the tiles are pieces of different sizes instead of a grid's."""
        return bool(self.pieces)

    def tile_area(self, row: int, column: int) -> Area:
        """Left, top, width and height of a tile on the sheet."""
        if self.pieces:
            return self.pieces[column]
        return self.left(column), self.top(row), self.tile_width, self.tile_height

    def tile_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Row and column of the tile that holds a pixel; it may lie beyond the sheet's last one."""
        if self.pieces:
            return self._piece_at(x, y)
        row, row_rest = divmod(y - self.top(0), self.pitch_y)
        col, col_rest = divmod(x - self.left(0), self.pitch_x)
        inside = row_rest < self.tile_height and col_rest < self.tile_width
        return (int(row), int(col)) if inside else None

    def _piece_at(self, x: float, y: float) -> tuple[int, int] | None:
        """Find the smallest piece there: one may lie inside the box round another."""
        found = [
            (wide * high, number)
            for number, (left, top, wide, high) in enumerate(self.pieces)
            if left <= x < left + wide and top <= y < top + high
        ]
        return (0, min(found)[1]) if found else None

    @property
    def pitch_x(self) -> int:
        """Pixels from one tile's left side to the next one's."""
        return self.tile_width + self.spacing_x

    @property
    def pitch_y(self) -> int:
        """Pixels from one tile's top to the next one's."""
        return self.tile_height + self.spacing_y

    def left(self, column: int) -> int:
        """Left side of a column of tiles on the sheet."""
        edge = self.area[0] if self.area else 0
        return edge + self.start_x + self.margin_x + column * self.pitch_x

    def top(self, row: int) -> int:
        """Top of a row of tiles on the sheet."""
        edge = self.area[1] if self.area else 0
        return edge + self.start_y + self.margin_y + row * self.pitch_y

    def right_of(self, sheet_width: int) -> int:
        """Where the region, or the sheet, ends at the right."""
        return min(sheet_width, self.area[0] + self.area[2]) if self.area else sheet_width

    def bottom_of(self, sheet_height: int) -> int:
        """Where the region, or the sheet, ends below."""
        return min(sheet_height, self.area[1] + self.area[3]) if self.area else sheet_height

    def columns_of(self, sheet_width: int) -> int:
        """How many whole tiles fit side by side; with pieces, how many there are."""
        if self.pieces:
            return len(self.pieces)
        return max(0, (self.right_of(sheet_width) - self.left(0) + self.spacing_x) // self.pitch_x)

    def rows_of(self, sheet_height: int) -> int:
        """How many whole tiles fit one below the other; with pieces, one."""
        if self.pieces:
            return 1
        return max(0, (self.bottom_of(sheet_height) - self.top(0) + self.spacing_y) // self.pitch_y)
