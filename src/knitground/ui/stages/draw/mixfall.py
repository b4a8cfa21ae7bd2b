"""How a mix falls: the fields of its card, one line each for what belongs together."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QComboBox, QPushButton, QWidget

from knitground.core.model.layers import GroundLayer, MarkerLayer, TintLayer
from knitground.core.model.mix import Fall, FallWay
from knitground.ui.common.numbers import NumberBox, WholeBox
from knitground.ui.common.widgets import column, row
from knitground.ui.session import Session

Change = Callable[[str, object], None]
"""Called with the name of a field of `Fall` and its new value."""
_BORDERS = "borders"
_EVENLY = "evenly"
_MORE, _LESS = "tint, borders…", "fewer"


class BorderBox(WholeBox):
    """How far a mix keeps off something, or stays near it."""

    def __init__(self) -> None:
        super().__init__()
        self.setRange(-16, 16)
        self.setToolTip(
            "Over 0: cells that it keeps off what is chosen at the right; under 0: stays so near"
        )
        self.setAccessibleName("Cells off or near")
        self.setKeyboardTracking(False)

    def textFromValue(self, value: int) -> str:
        if not value:
            return "anywhere"
        return f"{value} off" if value > 0 else f"within {-value} of"

    def validate(self, text: str, pos: int) -> tuple[QValidator.State, str, int]:
        if not any(each.isalpha() for each in text):
            return super().validate(text, pos)
        whole = text == self.textFromValue(self.valueFromText(text))
        return QValidator.State.Acceptable if whole else QValidator.State.Intermediate, text, pos

    def valueFromText(self, text: str) -> int:
        number = next((int(word) for word in text.replace("-", " -").split()
                       if word.lstrip("-").isdecimal()), 0)  # fmt: skip
        return -number if "within" in text else number


def _combo(first: str, names: Iterable[str], hint: str) -> QComboBox:
    """Make a list of names after one that stands for none of them."""
    box = QComboBox()
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    box.setMinimumContentsLength(8)
    box.setToolTip(hint)
    box.addItem(first, "")
    for name in dict.fromkeys(names):
        box.addItem(name, name)
    return box


def _choose(box: QComboBox, name: str) -> None:
    """Choose a name of a list; it is added if the map has nothing of that name."""
    if name and box.findData(name) < 0:
        box.addItem(f"{name} — not on this map", name)
    box.setCurrentIndex(max(0, box.findData(name)))


class FallLines(QWidget):
    """The fields that say how a mix falls; they stay the same ones while it changes."""

    def __init__(self, session: Session, change: Change) -> None:
        super().__init__()
        self._change = change
        map_ = session.map
        self._layers = map_.layers if map_ else []
        self._make_way()
        self._make_density()
        self._make_border(session)
        self.more = QPushButton(_MORE)
        self.more.setProperty("quiet", "true")
        self.more.setCheckable(True)
        self.more.setToolTip("What is wanted more rarely: denser where a tint is, off borders")
        self.more.toggled.connect(self._show_more)
        self._rare = (_line(self.tint), _line(self.border, self.of))
        self.setLayout(column(
            _line(self.way, self.clump, self.steps), _line(self.density, self.more), *self._rare,
            spacing=4,
        ))  # fmt: skip
        self._show_more(False)

    def _make_way(self) -> None:
        self.way, self.clump, self.steps = QComboBox(), NumberBox(), WholeBox()
        for each in FallWay:
            self.way.addItem(f"falls {each.value}")
        self.way.setToolTip(
            "How its tiles come to lie beside each other: painted, filled and grown alike"
        )
        self.way.setSizeAdjustPolicy(
            QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
        )
        self.way.setMinimumContentsLength(12)
        self.way.activated.connect(lambda n: self._change("way", list(FallWay)[n]))
        self.clump.setRange(1, 256)
        self.clump.setDecimals(1)
        self.clump.setSuffix(" cells")
        self.clump.setKeyboardTracking(False)
        self.clump.setToolTip("Cells from one clump to the next")
        self.clump.valueChanged.connect(lambda value: self._change("size", value))
        self.steps.setRange(1, 3)
        self.steps.setSuffix(" apart")
        self.steps.setToolTip("How many steps from cell to cell two of the same keep apart")
        self.steps.valueChanged.connect(lambda value: self._change("steps", value))

    def _make_density(self) -> None:
        self.density = NumberBox()
        self.density.setRange(0, 100)
        self.density.setDecimals(1)
        self.density.setSuffix(" % dense")
        self.density.setKeyboardTracking(False)
        self.density.setToolTip("The part of the cells that get a tile; others stay as they are")
        self.density.setAccessibleName("Density")
        self.density.valueChanged.connect(lambda value: self._change("density", value / 100))
        self.tint = _combo(
            _EVENLY, [each.name for each in self._layers if isinstance(each, TintLayer)],
            "Density painted by hand: the stronger the colour of this tint layer, the more cells "
            "get a tile; where it has none, none does",
        )  # fmt: skip
        self.tint.activated.connect(lambda n: self._change("tint", self.tint.itemData(n)))

    def _make_border(self, session: Session) -> None:
        self.border = BorderBox()
        self.border.valueChanged.connect(lambda value: self._change("border", value))
        names: list[str] = []
        for each in self._layers:
            if isinstance(each, GroundLayer):
                found = session.project.set_of(each.tileset, each.set_name)
                names += [terrain.name for terrain in found[1].terrains] if found else []
        names += [each.name for each in self._layers if not isinstance(each, MarkerLayer)]
        self.of = _combo(
            _BORDERS, names,
            "What it keeps off or near: where terrains meet on the ground beneath, a terrain, or "
            "all that lies on a layer",
        )  # fmt: skip
        self.of.activated.connect(lambda n: self._change("of", self.of.itemData(n)))

    def _show_more(self, on: bool) -> None:
        for each in self._rare:
            each.setVisible(on)
        self.more.setText(_LESS if on else _MORE)

    def show_fall(self, fall: Fall) -> None:
        """Show how a mix falls."""
        if fall.border or fall.tint:
            self.more.setChecked(True)  # what is so is seen
        self.way.setCurrentIndex(list(FallWay).index(fall.way))
        self.clump.show_value(fall.size)
        self.clump.setVisible(fall.way is FallWay.CLUMPS)
        self.steps.show_value(fall.steps)
        self.steps.setVisible(fall.way is FallWay.APART)
        self.density.show_value(100 * fall.density)
        _choose(self.tint, fall.tint)
        self.border.show_value(fall.border)
        _choose(self.of, fall.of)
        self.of.setEnabled(fall.border != 0)


def _line(*parts: QWidget) -> QWidget:
    line = QWidget()
    line.setLayout(row(*parts, 1, spacing=4))
    return line
