"""How a mix falls: the fields of its card, one line each for what belongs together."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtGui import QValidator
from PySide6.QtWidgets import QPushButton, QWidget

from knitground.core.base.tongue import say
from knitground.core.model.layers import GroundLayer, MarkerLayer, TintLayer
from knitground.core.model.mix import Fall, FallWay
from knitground.ui.common.form import Form
from knitground.ui.common.numbers import WholeBox
from knitground.ui.common.widgets import column, row
from knitground.ui.session import Session

Change = Callable[[str, object], None]
"""Called with the name of a field of `Fall` and its new value."""
_BORDERS = say("borders")
_EVENLY = say("evenly")
_MORE, _LESS = say("tint, borders…"), say("fewer")


class BorderBox(WholeBox):
    """How far a mix keeps off something, or stays near it."""

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(say("Cells off or near"))

    def textFromValue(self, value: int) -> str:
        if not value:
            return say("anywhere")
        return (
            say("{value} off", value=value) if value > 0 else say("within {cells} of", cells=-value)
        )

    def validate(self, text: str, pos: int) -> tuple[QValidator.State, str, int]:
        if not any(each.isalpha() for each in text):
            return super().validate(text, pos)
        whole = text == self.textFromValue(self.valueFromText(text))
        return QValidator.State.Acceptable if whole else QValidator.State.Intermediate, text, pos

    def valueFromText(self, text: str) -> int:
        number = next((int(word) for word in text.replace("-", " -").split()
                       if word.lstrip("-").isdecimal()), 0)  # fmt: skip
        return -number if text == self.textFromValue(-number) else number


def _names(first: str, names: Iterable[str], chosen: str) -> list[tuple[str, object]]:
    """List names after one that stands for none, and what is chosen if it is not among them."""
    known = list(dict.fromkeys(names))
    there: list[tuple[str, object]] = [(first, ""), *((name, name) for name in known)]
    lost = chosen and chosen not in known
    return [*there, (say("{chosen} — not on this map", chosen=chosen), chosen)] if lost else there


class FallLines(QWidget):
    """The fields that say how a mix falls; they stay the same ones while it changes."""

    def __init__(self, session: Session, change: Change) -> None:
        super().__init__()
        map_, project = session.map, session.project
        layers = map_.layers if map_ else []
        self._tints = [each.name for each in layers if isinstance(each, TintLayer)]
        self._things: list[str] = []
        """What it can keep off or near."""
        for each in layers:
            if isinstance(each, GroundLayer):
                found = project.set_of(each.tileset, each.set_name)
                self._things += [terrain.name for terrain in found[1].terrains] if found else []
        self._things += [each.name for each in layers if not isinstance(each, MarkerLayer)]
        form = self.form = Form(self)
        form.typed.connect(lambda of, value, _: change(of, value))
        self.way = form.choice(
            "way",
            say("How its tiles come to lie beside each other: painted, filled and grown alike"),
            [(say("falls {value}", value=say(each.value)), each) for each in FallWay],
            letters=12,
        )
        self.clump = form.number(
            "size",
            1,
            256,
            say("Cells from one clump to the next"),
            decimals=1,
            suffix=say(" cells"),
            at_once=False,
        )
        self.steps = form.whole(
            "steps", 1, 3, say("How many steps from cell to cell two of the same keep apart"),
            suffix=say(" apart"),
        )  # fmt: skip
        self.density = form.number(
            "density",
            0,
            100,
            say("The part of the cells that get a tile; others stay as they are"),
            times=100,
            decimals=1,
            suffix=say(" % dense"),
            at_once=False,
        )
        self.density.setAccessibleName(say("Density"))
        self.tint = form.choice(
            "tint",
            say(
                "Density painted by hand: the stronger the colour of this tint layer, the "
                "more cells "
                "get a tile; where it has none, none does"
            ),
            letters=8,
        )
        self.border = form.whole(
            "border",
            -16,
            16,
            say(
                "Over 0: cells that it keeps off what is chosen at the right; under 0: stays "
                "so near"
            ),
            at_once=False,
            box=BorderBox(),
        )
        self.of = form.choice(
            "of",
            say(
                "What it keeps off or near: where terrains meet on the ground beneath, a "
                "terrain, or "
                "all that lies on a layer"
            ),
            letters=8,
        )
        self.more = QPushButton(_MORE)
        self.more.setProperty("quiet", "true")
        self.more.setCheckable(True)
        self.more.setToolTip(say("What is wanted more rarely: denser where a tint is, off borders"))
        self.more.toggled.connect(self._show_more)
        self._rare = (_line(self.tint), _line(self.border, self.of))
        self.setLayout(column(
            _line(self.way, self.clump, self.steps), _line(self.density, self.more), *self._rare,
            spacing=4,
        ))  # fmt: skip
        self._show_more(False)

    def _show_more(self, on: bool) -> None:
        for each in self._rare:
            each.setVisible(on)
        self.more.setText(_LESS if on else _MORE)

    def show_fall(self, fall: Fall) -> None:
        """Show how a mix falls."""
        if fall.border or fall.tint:
            self.more.setChecked(True)  # what is so is seen
        self.tint.offer(_names(_EVENLY, self._tints, fall.tint))
        self.of.offer(_names(_BORDERS, self._things, fall.of))
        self.form.show(fall)
        self.clump.setVisible(fall.way is FallWay.CLUMPS)
        self.steps.setVisible(fall.way is FallWay.APART)
        self.of.setEnabled(fall.border != 0)


def _line(*parts: QWidget) -> QWidget:
    line = QWidget()
    line.setLayout(row(*parts, 1, spacing=4))
    return line
