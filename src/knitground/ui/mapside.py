"""The map side: map tabs, the ribbon, the canvas, the layer strip."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtWidgets import QInputDialog, QLabel, QSplitter, QTabBar, QWidget

from knitground.core.edit.changed import Changed, What
from knitground.core.edit.maps import delete_map, rename_map
from knitground.ui.canvas.view import MapView
from knitground.ui.ribbon import Ribbon
from knitground.ui.session import Session
from knitground.ui.strip import Strip
from knitground.ui.swapdialog import SwapDialog
from knitground.ui.tools.brushes import Erase, Paint
from knitground.ui.tools.fill import Fill
from knitground.ui.tools.markers import marker_tools
from knitground.ui.tools.pick import Pick
from knitground.ui.tools.select import Select
from knitground.ui.tools.shapes import Box, Line
from knitground.ui.tools.tool import Tool
from knitground.ui.widgets import button, column, primary, row


class MapSide(QWidget):
    """Everything about the map that is being worked on."""

    new_map_asked = Signal()
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
        self.tabs.currentChanged.connect(self._choose)
        self.tabs.tabBarDoubleClicked.connect(self._rename)
        self.tabs.setToolTip("Maps of the project; double-click renames")
        self.ribbon = Ribbon(session, self.tools)
        self._marker_tools = marker_tools(session)
        self.second: MapView | None = None
        self.views = QSplitter(Qt.Orientation.Horizontal)
        self.views.setChildrenCollapsible(False)
        self.view = self._new_view()
        self.active = self.view
        self.strip = Strip(session)
        self.empty = QWidget(self.view)
        text = QLabel("This project has no map yet.")
        self.empty.setLayout(
            column(1, text, primary("New map…", self.new_map_asked.emit, "Make a map", "Ctrl+N"), 1)
        )
        self.view.installEventFilter(self)
        top = row(
            self.tabs, button("+", self.new_map_asked.emit, "New map", "Ctrl+N"), 1, spacing=4
        )
        layout = column(top, self.ribbon, self.views, self.strip, spacing=4)
        layout.setStretch(2, 1)
        layout.setContentsMargins(0, 4, 0, 0)
        self.setLayout(layout)
        self._filling = False
        session.picked.connect(self.refresh)
        session.opened.connect(self.refresh)
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
        self.zoomed.emit()

    def toggle_second(self) -> None:
        """Show the map a second time beside the first, with a zoom of its own, or no more."""
        if self.second is None:
            self.second = self._new_view()
            self.second.follow_settings(self.view)
            self.second.open_map()
            self.second.fit()
            half = max(240, self.views.width() // 2)
            self.views.setSizes([half, half])
            return
        gone, self.second, self.active = self.second, None, self.view
        gone.cancel()
        gone.retire()

    def _follow(self, change: Changed) -> None:
        if change.what is What.MAPS:
            self.refresh()

    def refresh(self) -> None:
        """Show the project's maps as tabs."""
        maps = self.session.project.maps
        names = [f"{each.name}  ⟲" if each.wrap else each.name for each in maps]
        self._filling = True
        if [self.tabs.tabText(n) for n in range(self.tabs.count())] != names:
            while self.tabs.count():
                self.tabs.removeTab(0)
            for name in names:
                self.tabs.addTab(name)
        if self.session.map in maps:
            self.tabs.setCurrentIndex(maps.index(self.session.map))
        self._filling = False
        self.empty.setVisible(not maps)
        self.empty.setGeometry(self.view.rect().adjusted(40, 40, -40, -40))

    def _choose(self, place: int) -> None:
        maps = self.session.project.maps
        if not self._filling and 0 <= place < len(maps):
            self.session.choose_map(maps[place])

    def _rename(self, place: int) -> None:
        maps = self.session.project.maps
        if not 0 <= place < len(maps):
            return
        map_ = maps[place]
        name, ok = QInputDialog.getText(self, "Rename map", "Name", text=map_.name)
        if ok:
            self.session.attempt(
                lambda: self.session.doc.apply(rename_map(self.session.project, map_, name))
            )

    def ask_swap(self) -> None:
        """Show what another tileset makes of the map, and take it if that is wanted."""
        map_ = self.session.map
        if map_ is None or len(self.session.project.tilesets) < 2:
            self.session.note("A map can take another tileset once the project has two")
            return
        dialog = SwapDialog(self.session, map_, self)
        if dialog.exec():
            dialog.take()

    def delete_map(self) -> None:
        """Delete the map that is shown; undo brings it back."""
        if self.session.map is not None:
            self.session.apply(delete_map(self.session.project, self.session.map))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.view and event.type() == QEvent.Type.Resize:
            self.empty.setGeometry(self.view.rect().adjusted(40, 40, -40, -40))
        return super().eventFilter(watched, event)
