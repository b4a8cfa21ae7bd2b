"""How a mix falls: the fields of its card, one line each for what belongs together."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtWidgets import QComboBox, QDoubleSpinBox, QSpinBox, QWidget

from knitground.core.model.layers import GroundLayer, MarkerLayer, TintLayer
from knitground.core.model.mix import Fall, FallWay
from knitground.ui.common.widgets import row
from knitground.ui.session import Session

Change = Callable[[str, object], None]
"""Called with the name of a field of `Fall` and its new value."""
_BORDERS = "borders"
_EVENLY = "evenly"


class BorderBox(QSpinBox):
    """How far a mix keeps off something, or stays near it."""

    def __init__(self, value: int, change: Change) -> None:
        super().__init__()
        self.setRange(-16, 16)
        self.setToolTip(
            "Over 0: cells that it keeps off what is chosen at the right; under 0: stays so near"
        )
        self.setAccessibleName("Cells off or near")
        self.setKeyboardTracking(False)
        self.setValue(value)
        self.valueChanged.connect(lambda new: change("border", new))

    def textFromValue(self, value: int) -> str:
        if not value:
            return "anywhere"
        return f"{value} off" if value > 0 else f"within {-value} of"

    def valueFromText(self, text: str) -> int:
        number = next((int(word) for word in text.replace("-", " -").split()
                       if word.lstrip("-").isdecimal()), 0)  # fmt: skip
        return -number if "within" in text else number


def _combo(first: str, names: Iterable[str], now: str, hint: str) -> QComboBox:
    """Make a list of names after one that stands for none of them; `now` is in it in any case."""
    box = QComboBox()
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    box.setToolTip(hint)
    box.addItem(first, "")
    every = list(dict.fromkeys(names))
    for name in every:
        box.addItem(name, name)
    if now and now not in every:
        box.addItem(f"{now} — not on this map", now)
    box.setCurrentIndex(max(0, box.findData(now)))
    return box


def fall_lines(session: Session, fall: Fall, change: Change) -> list[QWidget]:
    """Make the lines of fields that say how a mix falls."""
    return [_way_line(fall, change), _density_line(session, fall, change),
            _border_line(session, fall, change)]  # fmt: skip


def _way_line(fall: Fall, change: Change) -> QWidget:
    way, size, steps = QComboBox(), QDoubleSpinBox(), QSpinBox()
    for each in FallWay:
        way.addItem(f"falls {each.value}")
    way.setCurrentIndex(list(FallWay).index(fall.way))
    way.setToolTip("How its tiles come to lie beside each other: painted, filled and grown alike")
    way.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    way.setMinimumContentsLength(12)
    way.activated.connect(lambda n: change("way", list(FallWay)[n]))
    size.setRange(1, 256)
    size.setDecimals(1)
    size.setSuffix(" cells")
    size.setValue(fall.size)
    size.setKeyboardTracking(False)
    size.setToolTip("Cells from one clump to the next")
    size.setVisible(fall.way is FallWay.CLUMPS)
    size.valueChanged.connect(lambda value: change("size", value))
    steps.setRange(1, 3)
    steps.setSuffix(" apart")
    steps.setValue(fall.steps)
    steps.setToolTip("How many steps from cell to cell two of the same keep apart")
    steps.setVisible(fall.way is FallWay.APART)
    steps.valueChanged.connect(lambda value: change("steps", value))
    return _line(way, size, steps)


def _density_line(session: Session, fall: Fall, change: Change) -> QWidget:
    density = QDoubleSpinBox()
    density.setRange(0, 100)
    density.setDecimals(1)
    density.setSuffix(" % dense")
    density.setValue(100 * fall.density)
    density.setKeyboardTracking(False)
    density.setToolTip("The part of the cells that get a tile; the others stay as they are")
    density.setAccessibleName("Density")
    density.valueChanged.connect(lambda value: change("density", value / 100))
    map_ = session.map
    names = [each.name for each in map_.layers if isinstance(each, TintLayer)] if map_ else []
    tint = _combo(
        _EVENLY,
        names,
        fall.tint,
        "Density painted by hand: the stronger the colour of this tint layer, the more cells get "
        "a tile; where it has none, none does",
    )
    tint.activated.connect(lambda n: change("tint", tint.itemData(n)))
    return _line(density, tint)


def _border_line(session: Session, fall: Fall, change: Change) -> QWidget:
    layers = session.map.layers if session.map else []
    names: list[str] = []
    for each in layers:
        if isinstance(each, GroundLayer):
            found = session.project.set_of(each.tileset, each.set_name)
            names += [terrain.name for terrain in found[1].terrains] if found else []
    names += [each.name for each in layers if not isinstance(each, MarkerLayer)]
    of = _combo(
        _BORDERS,
        names,
        fall.of,
        "What it keeps off or near: where terrains meet on the ground beneath, a terrain, or all "
        "that lies on a layer",
    )
    of.activated.connect(lambda n: change("of", of.itemData(n)))
    of.setEnabled(fall.border != 0)
    return _line(BorderBox(fall.border, change), of)


def _line(*parts: QWidget) -> QWidget:
    line = QWidget()
    line.setLayout(row(*parts, 1, spacing=4))
    return line
