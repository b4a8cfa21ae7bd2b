"""The map side: map tabs, the ribbon, the canvas, the layer strip."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QFont, QFontMetrics
from PySide6.QtWidgets import QLabel, QSplitter, QTabBar, QToolButton, QWidget

from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.ui.choice import Sight
from knitground.ui.common.commands import Commands, keys_of, with_key
from knitground.ui.common.widgets import button, column, primary, row
from knitground.ui.common.words import on_button, tip, tip_of
from knitground.ui.common.zoom import STEPS
from knitground.ui.mapside.canvas.view import MapView
from knitground.ui.mapside.mapcommands import MapCommands
from knitground.ui.mapside.ribbon import Ribbon
from knitground.ui.mapside.strip import Strip
from knitground.ui.mapside.tools.brushes import Erase, Paint
from knitground.ui.mapside.tools.fill import Fill
from knitground.ui.mapside.tools.pick import Pick
from knitground.ui.mapside.tools.select import Select
from knitground.ui.mapside.tools.selectmarkers import marker_tools
from knitground.ui.mapside.tools.shapes import Box, Line
from knitground.ui.mapside.tools.tool import Tool
from knitground.ui.mapside.walking import Walking
from knitground.ui.session import Session

_NAME_WIDE = 180
_SWITCHES = (
    ("Pins", "Shift+U", "pins"),
    ("Grid lines", "G", "grid"),
    ("Shapes", "Shift+C", "shapes"),
    ("Look into: cut away round the pointer", "", "round_pointer"),
    ("Look into: fade what is in front", "Shift+W", "into"),
    ("Screen frame", "Shift+S", "screen"),
    ("Light", "Shift+L", "light"),
    ("Play animations", "", "playing"),
    ("Repeat 3 × 3", "Ctrl+Shift+R", "repeat"),
    ("Second view", "Shift+V", "second"),
    ("Overview map", "O", "overview"),
)
"""Commands that show more or less of the map, their keys, and what of `Sight` they change."""


class MapSide(QWidget):
    """Everything about the map that is being worked on."""

    zoomed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        made: list[Tool] = [
            Paint(session), Line(session), Box(session), Fill(session), Erase(session),
            Pick(session), Select(session),
        ]  # fmt: skip
        self.tools = {tool.key: tool for tool in made}
        self.tabs = QTabBar()
        self.tabs.setExpanding(False)
        self.tabs.setDrawBase(False)
        self.tabs.setElideMode(Qt.TextElideMode.ElideNone)
        for side, hint in ((say("Left"), say("Earlier maps")), (say("Right"), say("Later maps"))):
            arrow = self.tabs.findChild(QToolButton, f"Scroll{side}Button")
            if isinstance(arrow, QToolButton):
                arrow.setToolTip(hint)
                arrow.setAccessibleName(hint)
        self.tabs.currentChanged.connect(self._choose)
        self.tabs.tabBarDoubleClicked.connect(self._rename)
        self.ribbon = Ribbon(session, self.tools)
        self._marker_tools = marker_tools(session)
        self.second: MapView | None = None
        self.views = QSplitter(Qt.Orientation.Horizontal)
        self.views.setChildrenCollapsible(False)
        self.view = self._new_view()
        self.active = self.view
        self.strip = Strip(session)
        self.walking = Walking(session, lambda: self.active, self)
        session.walk_changed.connect(lambda: self.ribbon.setVisible(not self.walking.is_on))
        self.maps = MapCommands(session, self, lambda: self.active.middle)
        self.empty = QWidget(self.view)
        text = QLabel(say("This project has no map yet."))
        self.empty.setLayout(
            column(
                1,
                row(1, text, 1),
                row(1, primary(say("New map…"), self.maps.new_map, say("Make a map"), "Ctrl+N"), 1),
                1,
            )
        )
        self.view.installEventFilter(self)
        top = row(self.tabs, button("+", self.maps.new_map, say("New map"), "Ctrl+N"), 1, spacing=4)
        layout = column(top, self.ribbon, self.walking.bar, self.views, self.strip, spacing=4)
        layout.setStretch(3, 1)
        layout.setContentsMargins(0, 4, 0, 0)
        self.setLayout(layout)
        self._filling = False
        session.choice.map_changed.connect(self.refresh)
        session.opened.connect(self.refresh)
        session.sight_changed.connect(self._follow_sight)
        session.changed.connect(self._follow)

    def _new_view(self) -> MapView:
        made = MapView(self.session, self.tools, self._marker_tools)
        made.zoomed.connect(self.zoomed)
        made.entered.connect(lambda: self._activate(made))
        self.views.addWidget(made)
        return made

    def each_view(self, action: Callable[[MapView], object]) -> None:
        """Do something with each view of the map that is shown."""
        for view in (self.view, self.second):
            if view is not None:
                action(view)

    def _activate(self, view: MapView) -> None:
        self.active = view
        self.each_view(lambda each: setattr(each, "gives_way", each is not view))
        self.zoomed.emit()

    def _follow_sight(self) -> None:
        sight = self.session.sight
        self.view.overview.setVisible(sight.overview)
        if sight.second != (self.second is not None):
            self._show_second(sight.second)

    def _show_second(self, shown: bool) -> None:
        """Show the map a second time beside the first, with a zoom of its own, or no more."""
        if shown:
            self.second = self._new_view()
            self.second.open_map()
            self.second.gives_way = True
            self.second.fit()
            half = max(240, self.views.width() // 2)
            self.views.setSizes([half, half])
            return
        gone, self.second = self.second, None
        self._activate(self.view)
        assert gone is not None
        gone.cancel()
        gone.retire()

    def _follow(self, change: Changed) -> None:
        if change.what is What.MAPS:
            self.refresh()

    def refresh(self) -> None:
        """Show the project's maps as tabs."""
        maps = self.session.project.maps
        names = [on_button(self._short(each.name)) + ("  ⟲" if each.wrap else "")
                 for each in maps]  # fmt: skip
        self._filling = True
        if [self.tabs.tabText(n) for n in range(self.tabs.count())] != names:
            while self.tabs.count():
                self.tabs.removeTab(0)
            for name in names:
                self.tabs.addTab(name)
        for place, each in enumerate(maps):
            self.tabs.setTabToolTip(
                place, tip_of(say("{name}; double-click renames", name=each.name))
            )
        if self.session.map in maps:
            self.tabs.setCurrentIndex(maps.index(self.session.map))
        self._filling = False
        self.tabs.setVisible(bool(maps))  # without any it would take half of the row
        self.empty.setVisible(not maps)
        self.empty.setGeometry(self.view.rect().adjusted(40, 40, -40, -40))

    def _short(self, name: str) -> str:
        """Cut a name in its middle, so that it leaves room for others even when it is bold."""
        bold = QFont(self.tabs.font())
        bold.setWeight(QFont.Weight.DemiBold)
        return QFontMetrics(bold).elidedText(name, Qt.TextElideMode.ElideMiddle, _NAME_WIDE)

    def _choose(self, place: int) -> None:
        self.tabs.updateGeometry()  # the chosen one is bold: the whole may need more room
        maps = self.session.project.maps
        if not self._filling and 0 <= place < len(maps):
            self.session.choose_map(maps[place])

    def _rename(self, place: int) -> None:
        maps = self.session.project.maps
        if 0 <= place < len(maps):
            self.maps.rename(maps[place])

    def add_commands(self, commands: Commands) -> None:
        """Add the commands on views, tools, layers and maps to the menus."""
        self._add_view_commands(commands)
        for tool in self.tools.values():
            choose = partial(self.session.choose_tool, tool.key)
            commands.add(tool.name, choose, tool.shortcut)
        commands.add("Piece that fits here", lambda: self.active.fit_piece(1), "Y")
        commands.add("The piece before", lambda: self.active.fit_piece(-1), "Shift+Y")
        self.strip.add_commands(commands)
        self.maps.add_commands(commands)
        self.walking.add_commands(commands)

    def _add_view_commands(self, commands: Commands) -> None:
        add = commands.add
        add("Zoom in", lambda: self.active.zoom_by(1), "+").setShortcuts(keys_of("+", "="))
        add("Zoom out", lambda: self.active.zoom_by(-1), "-")
        add("Zoom 100 %", lambda: self.active.zoom_to(STEPS.index(1)), "Ctrl+0")
        add("Whole map", lambda: self.active.fit(), "Home")
        for name, keys, of in _SWITCHES:
            commands.follow(
                add(name, partial(self._switch, of), keys, checked=getattr(Sight(), of)),
                self.session.sight_changed, partial(self._shows, of),
            )  # fmt: skip
        overview = self.view.overview
        overview.setToolTip(tip(overview.toolTip(), with_key("Overview map")))

    def _shows(self, of: str) -> bool:
        return bool(getattr(self.session.sight, of))

    def _switch(self, of: str) -> None:
        self.session.show(**{of: not self._shows(of)})

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.view and event.type() == QEvent.Type.Resize:
            self.empty.setGeometry(self.view.rect().adjusted(40, 40, -40, -40))
        return super().eventFilter(watched, event)
