"""The tool ribbon over the map: tools, what is in hand, brush size, seed."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QComboBox,
    QFrame,
    QLabel,
    QPushButton,
    QSizePolicy,
    QSpinBox,
)

from knitground.core.model.layers import MarkerLayer, TintLayer
from knitground.ui.hand import MixInHand, PatchInHand, TerrainInHand
from knitground.ui.session import FILL_BY, MAX_BRUSH, PICK_FROM, SNAPS, Session
from knitground.ui.tools.select import WAYS
from knitground.ui.tools.tool import Tool
from knitground.ui.widgets import button, icon, row
from knitground.ui.words import tip

_ROOMY = 900
"""Width from which on the tools' names have room."""
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
        self._make_tools()
        self._make_brush_options()
        self._make_other_options()
        self._lay_out()
        self._name_tools(named=False)
        session.dressed.connect(lambda: self._draw_icons(tools))
        session.picked.connect(self.refresh)
        session.opened.connect(self.refresh)
        self.refresh()

    def _make_tools(self) -> None:
        session = self.session
        group = QButtonGroup(self)
        for tool in self._tools.values():
            made = QPushButton()
            made.setAccessibleName(tool.name)
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
        self.tool.setFixedWidth(46)

    def _make_brush_options(self) -> None:
        session = self.session
        self.brush = QSpinBox()
        self.brush.setRange(1, MAX_BRUSH)
        self.brush.setPrefix("size ")
        self.brush.setToolTip("Side of the brush (Ctrl+wheel, comma and full stop)")
        self.brush.valueChanged.connect(session.set_size)
        self.outline = QCheckBox("outline")
        self.outline.setToolTip("Box lays its rim only, as wide as the brush")
        self.outline.toggled.connect(session.set_outline)
        self.round = QCheckBox("round")
        self.round.setToolTip("The brush is round, else square")
        self.round.toggled.connect(session.set_round)
        self.soft = QCheckBox("soft")
        self.soft.setToolTip("The brush lays less towards its rim")
        self.soft.toggled.connect(session.set_soft)

    def _make_other_options(self) -> None:
        session = self.session
        self.fill_by = QComboBox()
        self.fill_by.addItems(list(FILL_BY))
        self.fill_by.setToolTip(
            "What Fill goes by: terrain or tile under the pointer, or selection"
        )
        self.fill_by.textActivated.connect(session.set_fill)
        self.everywhere = QCheckBox("all such cells")
        self.everywhere.setToolTip("Fill all such cells of the map, not only those connected")
        self.everywhere.toggled.connect(lambda on: session.set_fill(everywhere=on))
        self.pick_from = QComboBox()
        self.pick_from.addItems(list(PICK_FROM))
        self.pick_from.setToolTip("Where Pick looks; of a block, all layers give their front tiles")
        self.pick_from.textActivated.connect(session.set_pick_from)
        self.snap = QComboBox()
        self.snap.addItems([f"snap: {each}" for each in SNAPS])
        self.snap.setToolTip("What markers snap to")
        self.snap.activated.connect(lambda n: session.set_snap(SNAPS[n]))
        self.pattern = QCheckBox("pattern on map")
        self.pattern.setToolTip(
            "A patch repeats from the map's corner, else from where the drag began"
        )
        self.pattern.toggled.connect(session.set_pattern_on_map)
        self.way = QComboBox()
        self.way.addItems(list(WAYS))
        self.way.setToolTip("How Select chooses cells; Shift adds, Ctrl takes away")
        self.way.textActivated.connect(session.set_select_way)
        self.seed = QLabel()
        self.reroll = button("Reroll", lambda: session.set_seed(session.seed + 1),
                             "Draw the mix anew", "R")  # fmt: skip

    def _lay_out(self) -> None:
        rule = QFrame()
        rule.setFrameShape(QFrame.Shape.VLine)
        in_hand = self.in_hand = QLabel("In hand")
        in_hand.setProperty("role", "note")
        self.setLayout(
            row(*self.buttons.values(), self.tool, rule, in_hand, self.hand,
                self.way, self.fill_by, self.everywhere, self.pick_from, self.snap, self.pattern,
                self.outline, self.soft, self.round, self.brush, self.seed, self.reroll,
                margins=6, spacing=6)
        )  # fmt: skip
        self.layout().setStretch(len(self.buttons) + 3, 1)  # type: ignore[union-attr]

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._name_tools(self.width() >= _ROOMY)
        self.in_hand.setVisible(self.width() >= _NARROW)
        super().resizeEvent(event)
        QTimer.singleShot(0, self, self._say_hand)  # once the layout has given it its width

    def _say_hand(self) -> None:
        """Name what is in hand, shortened if there is no room for all of it."""
        hand = self.session.hand
        text = hand.title if hand else "nothing"
        room = max(40, self.hand.width())
        mode = Qt.TextElideMode.ElideMiddle
        self.hand.setText(self.hand.fontMetrics().elidedText(text, mode, room))
        self.hand.setToolTip(text)

    def _name_tools(self, named: bool) -> None:
        """Write the tools' names on their buttons where there is room."""
        if named == self._named:
            return
        self._named = named
        self.tool.setVisible(not named)
        for key, made in self.buttons.items():
            made.setText(self._tools[key].name if named else "")
            made.setMinimumWidth(0 if named else 36)
            made.setMaximumWidth(16_777_215 if named else 36)

    def _draw_icons(self, tools: dict[str, Tool]) -> None:
        for key, made in self.buttons.items():
            made.setIcon(icon(tools[key].icon))

    def refresh(self) -> None:
        """Show the session's state."""
        s = self.session
        self.buttons[s.tool].setChecked(True)
        self.tool.setText(s.tool.capitalize())
        self._say_hand()
        QTimer.singleShot(0, self, self._say_hand)  # what is shown beside it decides its room
        self.brush.blockSignals(True)
        self.brush.setValue(s.size)
        unit = " vertices" if s.lays_terrain else " path" if s.draws_path else " cells"
        self.brush.setSuffix(unit)
        self.brush.blockSignals(False)
        markers, tint = isinstance(s.layer, MarkerLayer), isinstance(s.layer, TintLayer)
        brushes = s.tool in ("paint", "line", "box", "erase") and not markers
        patch = isinstance(s.hand, PatchInHand) and s.tool == "paint"
        self.brush.setVisible(brushes and not patch)
        self.round.setVisible(brushes and not patch and s.tool != "box" and not s.is_soft)
        self.round.setChecked(s.round_brush)
        self.soft.setVisible(tint and s.tool in ("paint", "erase"))
        self.soft.setChecked(s.soft_brush)
        self.fill_by.setVisible(s.tool == "fill" and not markers)
        self.fill_by.setCurrentText(s.fill_by)
        self.everywhere.setVisible(s.tool == "fill" and not markers and s.fill_by != "selection")
        self.everywhere.setChecked(s.fill_all)
        self.pick_from.setVisible(s.tool == "pick" and not markers)
        self.pick_from.setCurrentText(s.pick_from)
        self.snap.setVisible(markers)
        self.snap.setCurrentIndex(SNAPS.index(s.snap))
        self.outline.setVisible(s.tool == "box" and not markers)
        self.way.setVisible(s.tool == "select" and not markers)
        self.way.setCurrentText(s.select_way)
        self.outline.setChecked(s.outline)
        repeats = (
            isinstance(s.hand, PatchInHand) and not markers and s.tool in ("line", "box", "fill")
        )
        self.pattern.setVisible(repeats)
        self.pattern.setChecked(s.pattern_on_map)
        drawn = isinstance(s.hand, MixInHand) and not (markers or tint)
        self.seed.setText(f"seed {s.seed}")
        self.seed.setVisible(drawn)
        self.reroll.setVisible(drawn)
        if isinstance(s.hand, TerrainInHand) and s.tool == "fill":
            self.hand.setToolTip("Fills connected vertices of the same terrain")
