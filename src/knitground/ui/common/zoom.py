"""Zoom steps: whole ones, so that pixel art stays square."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction

STEPS = (
    *(Fraction(1, n) for n in (64, 48, 32, 24, 16, 12, 8, 6, 4, 3, 2)),
    *(Fraction(n) for n in (1, 2, 3, 4, 6, 8, 12, 16, 24, 32)),
)
_FLOATS = tuple(float(step) for step in STEPS)


@dataclass
class Camera:
    """How a picture lies on the screen: screen = picture · zoom + offset, in screen pixels."""

    step: int = STEPS.index(Fraction(2))
    left: float = 0.0
    top: float = 0.0

    @property
    def zoom(self) -> float:
        """Screen pixels for one pixel of the picture."""
        return _FLOATS[self.step]

    def to_picture(self, x: float, y: float) -> tuple[float, float]:
        """Place on the picture of a place on the screen."""
        return (x - self.left) / self.zoom, (y - self.top) / self.zoom

    def to_screen(self, x: float, y: float) -> tuple[float, float]:
        """Place on the screen of a place on the picture."""
        return x * self.zoom + self.left, y * self.zoom + self.top

    def zoom_by(self, steps: int, x: float, y: float) -> bool:
        """Zoom by steps with the place under (x, y) staying where it is."""
        step = max(0, min(len(STEPS) - 1, self.step + steps))
        if step == self.step:
            return False
        at = self.to_picture(x, y)
        self.step = step
        self.left = float(round(x - at[0] * self.zoom))
        self.top = float(round(y - at[1] * self.zoom))
        return True

    def fit(
        self, width: int, height: int, room_width: int, room_height: int, most: int = 8
    ) -> None:
        """Show all of a picture in the middle, at the largest whole step that fits."""
        fitting = [
            n
            for n, step in enumerate(STEPS)
            if step <= most and width * step <= room_width and height * step <= room_height
        ]
        self.step = fitting[-1] if fitting else 0
        self.centre(width / 2, height / 2, room_width, room_height)

    def centre(self, x: float, y: float, room_width: int, room_height: int) -> None:
        """Bring a place of the picture to the middle of the room."""
        self.left = float(round(room_width / 2 - x * self.zoom))
        self.top = float(round(room_height / 2 - y * self.zoom))

    def text(self) -> str:
        """Write the zoom in percent."""
        return f"{float(STEPS[self.step] * 100):.3g} %"
