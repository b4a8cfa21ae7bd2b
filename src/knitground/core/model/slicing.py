"""How a sheet is cut into tiles."""

from dataclasses import dataclass

Colour = tuple[int, int, int]
Area = tuple[int, int, int, int]
"""Left, top, width and height on a sheet, in pixels."""


@dataclass(frozen=True)
class Slicing:
    """Numbers that cut a sheet: all in pixels of the sheet.

    The first tile's corner lies at start + margin; the next one is tile + spacing further on.
    The margin counts at the left and at the top; what is left over at the right and below is told
    by `Grid.leftover_x` and `Grid.leftover_y`. With an `area` all of this counts inside it: a
    region of the sheet with a grid of its own.
    """

    tile_width: int
    tile_height: int
    margin_x: int = 0
    margin_y: int = 0
    spacing_x: int = 0
    spacing_y: int = 0
    start_x: int = 0
    start_y: int = 0
    see_through: tuple[Colour, ...] = ()
    tolerance: int = 0
    area: Area | None = None

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
        """How many whole tiles fit side by side."""
        return max(0, (self.right_of(sheet_width) - self.left(0) + self.spacing_x) // self.pitch_x)

    def rows_of(self, sheet_height: int) -> int:
        """How many whole tiles fit one below the other."""
        return max(0, (self.bottom_of(sheet_height) - self.top(0) + self.spacing_y) // self.pitch_y)
