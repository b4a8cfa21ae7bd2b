"""The tool ribbon over the map: tools, what is in hand, brush size, seed."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QBoxLayout,
    QButtonGroup,
    QFrame,
    QLabel,
    QLayout,
    QPushButton,
    QSizePolicy,
)

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.desk import FILL_BY, MAX_BRUSH, PICK_FROM, SELECT_WAYS, SNAPS
from knitground.core.edit.hand import MixInHand, PatchInHand, TerrainInHand
from knitground.core.model.layers import MarkerLayer, TintLayer
from knitground.ui.common.form import Form, whole_box
from knitground.ui.common.icons import icon
from knitground.ui.common.widgets import button, row
from knitground.ui.common.words import tip, tip_of
from knitground.ui.mapside.scatter import MOST_SEED, reroll
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.session import Session

_ROOMY = 900
"""Width from which on the tools' names have room."""
_MARGIN = 6
_NARROW = 720
"""Width from which on the words “In hand” have room."""


class Ribbon(QFrame):
    """Shows the session's tool and lets another one be chosen."""

    def __init__(self, session: Session, tools: dict[str, Tool]) -> None:
        super().__init__()
        self.session = session
        self.setProperty("panel", "true")
        self.buttons: dict[str, QPushButton] = {}
        self._tools = tools
        self._named: bool | None = None
        self._for_names = 0
        self._make_tools()
        self._make_options()
        self._lay_out()
        self._draw_icons(tools)
        self._name_tools(named=True)
        wide = sum(self._least())
        self._name_tools(named=False)
        self._for_names = wide - sum(self._least())
        session.dressed.connect(lambda: self._draw_icons(tools))
        for signal in (
            session.choice.picked, session.tools.tool_changed,
            session.tools.options_changed, session.in_hand.changed,
        ):  # fmt: skip
            signal.connect(self.refresh)
        session.changed.connect(self._follow)
        session.opened.connect(self.refresh)
        self.refresh()

    def _make_tools(self) -> None:
        session = self.session
        group = QButtonGroup(self)
        for tool in self._tools.values():
            made = QPushButton()
            made.setAccessibleName(say(tool.name))
            made.setCheckable(True)
            made.setIcon(icon(tool.icon))
            made.setIconSize(QSize(16, 16))
            made.setToolTip(tip(tool.tip, tool.shortcut))
            made.clicked.connect(lambda *_, key=tool.key: session.choose_tool(key))
            group.addButton(made)
            self.buttons[tool.key] = made
        # As wide as there is room: what is in hand must never push the map about.
        self.hand = QLabel()
        self.hand.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.hand.setMinimumWidth(80)
        bold = self.hand.font()
        bold.setBold(True)
        self.hand.setFont(bold)
        self.tool = QLabel()

    def _make_options(self) -> None:
        session = self.session
        self.brush = whole_box(
            1,
            MAX_BRUSH,
            say("Side of the brush (Ctrl+wheel, comma and full stop)"),
            prefix=say("size "),
        )
        self.brush.valueChanged.connect(session.set_size)
        form = self.form = Form(self)
        form.typed.connect(lambda of, value, _: session.set_options(**{of: value}))
        self.outline = form.check(
            "outline", say("outline"), say("Box lays its rim only, as wide as the brush")
        )
        self.round = form.check("round_brush", say("round"), say("The brush is round, else square"))
        self.soft = form.check(
            "soft_brush", say("soft"), say("The brush lays less towards its rim")
        )
        self.pen = form.check(
            "pen_size", say("by pen"), say("A pen that is pressed less lays with a smaller brush")
        )
        self.fill_by = form.choice(
            "fill_by", say("What Fill goes by: terrain or tile under the pointer, or selection"),
            [(say(each), each) for each in FILL_BY],
        )  # fmt: skip
        self.everywhere = form.check(
            "fill_all", say("all such cells"),
            say("Fill all such cells of the map, not only those connected"),
        )  # fmt: skip
        self.pick_from = form.choice(
            "pick_from", say("Where Pick looks; of a block, all layers give their front tiles"),
            [(say(each), each) for each in PICK_FROM],
        )  # fmt: skip
        self.snap = form.choice(
            "snap",
            say("What markers snap to"),
            [(say("snap: {each}", each=say(each)), each) for each in SNAPS],
        )
        self.pattern = form.check(
            "pattern_on_map", say("pattern on map"),
            say("A patch repeats from the map's corner, else from where the drag began"),
        )  # fmt: skip
        self.way = form.choice(
            "select_way", say("How Select chooses cells; Shift adds, Ctrl takes away"),
            [(say(each), each) for each in SELECT_WAYS],
        )  # fmt: skip
        self.seed = form.whole(
            "seed", 0, MOST_SEED, say("The same seed draws the same again: note it, or type one"),
            prefix=say("seed "), wide=78, bare=True, at_once=False,  # R steps it
        )  # fmt: skip
        self.seed.setWrapping(True)
        self.reroll = button(say("Reroll"), lambda: reroll(session, 1),
                             say("Draw the mix anew; Shift+R goes back"), "R")  # fmt: skip
        self.reroll.setAccessibleName(say("Reroll"))

    def _lay_out(self) -> None:
        rule = QFrame()
        rule.setFrameShape(QFrame.Shape.VLine)
        in_hand = self.in_hand = QLabel(say("In hand"))
        in_hand.setProperty("role", "note")
        self._rows = QBoxLayout(QBoxLayout.Direction.LeftToRight, self)
        self._rows.setContentsMargins(_MARGIN, _MARGIN, _MARGIN, _MARGIN)
        self._rows.setSpacing(_MARGIN)
        tools = row(*self.buttons.values(), self.tool, rule, in_hand, self.hand, spacing=6)
        tools.setStretch(len(self.buttons) + 3, 1)
        options = row(
            self.way, self.fill_by, self.everywhere, self.pick_from, self.snap, self.pattern,
            self.outline, self.soft, self.round, self.pen, self.brush, self.seed, self.reroll, 1,
            spacing=6,
        )  # fmt: skip
        self._parts = tools, options
        self._rows.addLayout(tools, 1)
        self._rows.addLayout(options)

    def minimumSizeHint(self) -> QSize:
        """Give the size that it has with its options beneath the tools."""
        tools, options = self._least()
        return QSize(max(tools, options) + 2 * _MARGIN, super().minimumSizeHint().height())

    def _least(self) -> tuple[int, int]:
        """Give the widths that the tools, without their names, and the options need."""
        tools, options = (_least_width(part) for part in self._parts)
        return tools - (self._for_names if self._named else 0), options

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.in_hand.setVisible(self.width() >= _NARROW)
        self._fit()
        super().resizeEvent(event)
        QTimer.singleShot(0, self, self._say_hand)  # once the layout has given it its width

    def _fit(self) -> None:
        """Name the tools where that leaves room for all, and put options beneath where it does not.

        It must never widen the window.
        """
        least = sum(self._least()) + 3 * _MARGIN
        self._name_tools(named=self.width() >= max(_ROOMY, least + self._for_names))
        way = QBoxLayout.Direction
        self._rows.setDirection(way.TopToBottom if self.width() < least else way.LeftToRight)

    def _say_hand(self) -> None:
        """Name what is in hand, shortened if there is no room for all of it."""
        hand = self.session.hand
        title = text = hand.title if hand else say("nothing")
        room = max(40, self.hand.width())
        if self.hand.fontMetrics().horizontalAdvance(text) > room:
            text = text.partition(" · ")[2] or text  # its name says more than what it is
        mode = Qt.TextElideMode.ElideMiddle
        self.hand.setText(self.hand.fontMetrics().elidedText(text, mode, room))
        self.hand.setToolTip(tip_of(title))

    def _name_tools(self, named: bool) -> None:
        """Write the tools' names on their buttons where there is room."""
        if named == self._named:
            return
        self._named = named
        self.tool.setVisible(not named)
        words = {made: self._tools[key].name for key, made in self.buttons.items()}
        for made, name in {**words, self.reroll: say("Reroll")}.items():
            made.setText(name if named else "")
            made.setMinimumWidth(0 if named else 36)
            made.setMaximumWidth(16_777_215 if named else 36)

    def _draw_icons(self, tools: dict[str, Tool]) -> None:
        for key, made in self.buttons.items():
            made.setIcon(icon(tools[key].icon))
        self.reroll.setIcon(icon("mdi6.dice-5-outline"))

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.MIXES, What.LAYERS, What.LOCK):
            self.refresh()

    def refresh(self) -> None:
        """Show the session's state."""
        s = self.session.desk()
        options = s.options
        self.form.show(options)
        self.buttons[s.tool].setChecked(True)
        names = [say(each.name) for each in self._tools.values()]
        letters = self.tool.fontMetrics()  # another tool never moves what stands beside it
        self.tool.setFixedWidth(max(letters.horizontalAdvance(each) for each in names) + 2)
        self.tool.setText(say(s.tool.capitalize()))
        self._say_hand()
        QTimer.singleShot(0, self, self._say_hand)  # what is shown beside it decides its room
        self.brush.blockSignals(True)
        self.brush.setValue(s.size)
        one, more = (
            (say("vertex"), say("vertices")) if s.lays_terrain else
            (say("path"), say("path")) if s.draws_path else (say("cell"), say("cells"))
        )  # fmt: skip
        self.brush.setSuffix(f" {more}")
        self.brush.setMinimumWidth(self.brush.sizeHint().width())  # the bench keeps its room
        self.brush.setSuffix(f" {one if s.size == 1 else more}")
        self.brush.blockSignals(False)
        markers, tint = isinstance(s.layer, MarkerLayer), isinstance(s.layer, TintLayer)
        brushes = s.tool in ("paint", "line", "box", "erase") and not markers
        patch = isinstance(s.hand, PatchInHand) and s.tool == "paint"
        self.brush.setVisible(brushes and not patch)
        self.round.setVisible(brushes and not patch and s.tool != "box" and not s.is_soft)
        self.pen.setVisible(
            self.session.tools.has_pen and brushes and not patch and s.tool in ("paint", "erase")
        )
        self.soft.setVisible(tint and s.tool in ("paint", "erase"))
        self.fill_by.setVisible(s.tool == "fill" and not markers)
        self.everywhere.setVisible(
            s.tool == "fill" and not markers and options.fill_by != "selection"
        )
        self.pick_from.setVisible(s.tool == "pick" and not markers)
        self.snap.setVisible(markers)
        self.outline.setVisible(s.tool == "box" and not markers)
        self.way.setVisible(s.tool == "select" and not markers)
        repeats = (
            isinstance(s.hand, PatchInHand) and not markers and s.tool in ("line", "box", "fill")
        )
        self.pattern.setVisible(repeats)
        drawn = isinstance(s.hand, MixInHand) and not (markers or tint)
        self.seed.setVisible(drawn)
        self.reroll.setVisible(drawn)
        if isinstance(s.hand, TerrainInHand) and s.tool == "fill":
            self.hand.setToolTip(say("Fills connected vertices of the same terrain"))
        self._fit()


def _least_width(part: QLayout) -> int:
    """Give the width that the parts of a row need as they are now.

    What the row itself has reckoned may be old, and to have it reckon anew would lay out the window
    once more, which asks for this again, without end.
    """
    parts = (part.itemAt(n) for n in range(part.count()))
    widths = [each.minimumSize().width() for each in parts if each and not each.isEmpty()]
    return sum(widths) + part.spacing() * max(0, len(widths) - 1)
