"""The terrains of a set as chips: choose, rename, recolour, move, merge, delete."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QButtonGroup,
    QColorDialog,
    QInputDialog,
    QMenu,
    QMessageBox,
    QPushButton,
    QScrollArea,
    QWidget,
)

from knitground.core.base.tongue import say
from knitground.core.edit.document import Edit
from knitground.core.edit.ruledrafts import set_plain_mix
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rules import plain_mix
from knitground.core.edit.terrainlist import (
    add_terrain,
    change_terrain,
    delete_terrain,
    merge_terrain,
    move_terrain,
    terrain_uses,
)
from knitground.core.model.terrain import ANY, NOTHING, TerrainSet
from knitground.core.model.tileset import Tileset
from knitground.ui.common.flow import Flow
from knitground.ui.common.terrainicon import terrain_icon
from knitground.ui.common.widgets import button, column, note
from knitground.ui.common.words import on_button, tip_of
from knitground.ui.session import Session

_HIGHEST = 3 * 36
"""Height up to which all rows of chips are seen at once, in px."""


class TerrainChips(QWidget):
    """One chip a terrain, one for “any”; a menu on each changes it."""

    chosen = Signal(int)
    picture_wanted = Signal(int)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.owner: Tileset | None = None
        self.kit: TerrainSet | None = None
        self.value = NOTHING
        self._shown: object = None
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)
        self.flow = Flow()
        self.area = QScrollArea()
        self.area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.flow.laid.connect(lambda high: self.area.setFixedHeight(min(high, _HIGHEST) + 2))
        self.area.setWidget(self.flow)
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setLayout(column(self.area))

    def show_set(self, owner: Tileset | None, kit: TerrainSet | None, value: int) -> None:
        """Show the terrains of a set, one of them chosen."""
        state = (id(kit), kit.terrains if kit else (), value)
        self.owner, self.kit, self.value = owner, kit, value
        if state == self._shown:
            return
        self._shown = state
        if kit is None:
            words = note(say("No terrain set yet: “Set…” makes one for this sheet."))
            words.setWordWrap(False)
            self.flow.put([words])
            return
        parts: list[QWidget] = [
            self._chip(kit, mark, terrain.name) for mark, terrain in enumerate(kit.terrains, 1)
        ]
        parts.append(self._chip(kit, ANY, say("any")))
        parts.append(button(say("+ terrain"), self.new_terrain, say("Add a terrain to the set")))
        self.flow.put(parts)

    def _chip(self, kit: TerrainSet, mark: int, name: str) -> QPushButton:
        chip = QPushButton(on_button(name))
        chip.setIcon(terrain_icon(kit, mark))
        chip.setIconSize(QSize(20, 20))
        chip.setCheckable(True)
        chip.setChecked(mark == self.value)
        self._group.addButton(chip)
        chip.clicked.connect(lambda *_: self.chosen.emit(mark))
        if mark == ANY:
            chip.setToolTip(say("Mark a slot that may be anything (key 0)"))
            return chip
        keys = say(" (key {mark})", mark=mark) if mark < 10 else ""
        chip.setToolTip(
            tip_of(say("Mark {name}{keys}; the right button changes it", name=name, keys=keys))
        )
        chip.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        chip.customContextMenuRequested.connect(lambda at: self._open_menu(mark, chip, at))
        return chip

    def _open_menu(self, mark: int, chip: QWidget, at: QPoint) -> None:
        self.menu(mark, chip).popup(chip.mapToGlobal(at))

    def menu(self, mark: int, parent: QWidget) -> QMenu:
        """Make the menu of a terrain."""
        assert self.kit is not None
        menu = QMenu(parent)
        menu.addAction(say("Rename…"), partial(self._rename, mark))
        menu.addAction(say("Colour…"), partial(self._recolour, mark))
        menu.addAction(say("Letter…"), partial(self._reletter, mark))
        menu.addAction(say("Picture: the chosen tile"), partial(self.picture_wanted.emit, mark))
        menu.addSeparator()
        menu.addAction(say("Move towards the front"), partial(self.shift, mark, mark - 1))
        menu.addAction(say("Move towards the end"), partial(self.shift, mark, mark + 1))
        others = menu.addMenu(say("Merge into"))
        for number, terrain in enumerate(self.kit.terrains, 1):
            if number != mark:
                words, into = on_button(terrain.name), partial(self.merge, mark, number)
                others.addAction(terrain_icon(self.kit, number), words, into)
        others.setEnabled(len(self.kit.terrains) > 1)
        self._add_mixes(menu.addMenu(say("Plain cells from")), mark)
        menu.addAction(say("Delete…"), partial(self.delete, mark))
        return menu

    def _add_mixes(self, menu: QMenu, mark: int) -> None:
        """List what a terrain's plain cells can be drawn from."""
        project = self.session.project
        now = plain_mix(RuleHome(project, self.owner, self.kit), mark)
        names = ["", *(each.name for each in project.mixes)]
        for name in names:
            words = (
                on_button(say("mix “{name}”", name=name))
                if name
                else say("the set's own tiles, by weight")
            )
            action = menu.addAction(words, partial(self.draw_plain, mark, name))
            action.setCheckable(True)
            action.setChecked(name == now)
        if len(names) == 1:
            menu.addAction(say("make a mix on stage Draw first")).setEnabled(False)

    # Changes

    def _do(self, edit: Edit) -> bool:
        return self.session.apply(edit)

    def new_terrain(self) -> None:
        """Ask for a name and add a terrain."""
        name, ok = QInputDialog.getText(self, say("New terrain"), say("Name of the terrain"))
        if ok:
            self.add(name)

    def add(self, name: str) -> None:
        """Add a terrain to the set and choose it."""
        owner, kit = self.owner, self.kit
        if owner is not None and kit is not None:
            done = self.session.do(lambda: add_terrain(owner, kit, name.strip()))
            if done:
                self.chosen.emit(len(kit.terrains))

    def change(
        self, mark: int, *, name: str | None = None, colour: str | None = None,
        letter: str | None = None, picture: tuple[int, int] | None = None,
    ) -> None:  # fmt: skip
        """Give a terrain another name, colour, letter or picture."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None:
            return
        project = self.session.project
        done = self.session.do(lambda:
                change_terrain(project, owner, kit, mark, name=name, colour=colour, letter=letter,
                               picture=picture)
            )  # fmt: skip
        if done and name is not None and self.value == mark:
            self.chosen.emit(mark)

    def shift(self, mark: int, to: int) -> None:
        """Move a terrain in the list; marks and maps follow."""
        assert self.owner is not None
        assert self.kit is not None
        to = max(1, min(to, len(self.kit.terrains)))
        self._do(move_terrain(self.session.project, self.owner, self.kit, mark, to))
        self.chosen.emit(to)

    def merge(self, mark: int, into: int) -> None:
        """Let a terrain become another one everywhere."""
        assert self.owner is not None
        assert self.kit is not None
        if self._do(merge_terrain(self.session.project, self.owner, self.kit, mark, into)):
            self.chosen.emit(into - (into > mark))

    def draw_plain(self, mark: int, mix: str) -> None:
        """Draw a terrain's plain cells from a mix; “” for the set's own tiles."""
        home = RuleHome(self.session.project, self.owner, self.kit)
        self.session.do(lambda: set_plain_mix(home, mark, mix))

    def delete(self, mark: int) -> None:
        """Delete a terrain; where maps use it, ask what comes in its place."""
        owner, kit = self.owner, self.kit
        if owner is None or kit is None:
            return
        uses = terrain_uses(self.session.project, owner, kit, mark)
        instead = self.ask_instead(mark, uses) if uses else NOTHING
        if instead is None:
            return
        project = self.session.project
        done = self.session.do(lambda: delete_terrain(project, owner, kit, mark, instead))
        if done:
            self.chosen.emit(min(mark, len(kit.terrains)))

    def ask_instead(self, mark: int, uses: list[tuple[str, str, int]]) -> int | None:
        """Say where a terrain is used and ask what comes in its place; None: do not delete it."""
        assert self.kit is not None
        where = "\n".join(
            say("{count} places of “{layer}” on “{map}”", count=count, layer=layer, map=map_)
            for map_, layer, count in uses
        )
        others = [t.name for n, t in enumerate(self.kit.terrains, 1) if n != mark]
        if not others:
            QMessageBox.information(
                self, say("Delete terrain"), say("Used by\n{where}", where=where)
            )
            return NOTHING  # the edit refuses it, and says the cure
        name, ok = QInputDialog.getItem(
            self,
            say("Delete terrain"),
            say(
                "“{name}” is used by\n{where}\n\nPut in its place:",
                name=self.kit.name_of(mark),
                where=where,
            ),
            [*others, "nothing"],
            editable=False,
        )
        return self.kit.number_of(name) if ok else None

    def _rename(self, mark: int) -> None:
        assert self.kit is not None
        old = self.kit.name_of(mark)
        name, ok = QInputDialog.getText(self, say("Rename terrain"), say("Name"), text=old)
        if ok:
            self.change(mark, name=name)

    def _recolour(self, mark: int) -> None:
        assert self.kit is not None
        old = QColor(self.kit.terrains[mark - 1].colour)
        colour = QColorDialog.getColor(old, self, say("Colour of the terrain"))
        if colour.isValid():
            self.change(mark, colour=colour.name())

    def _reletter(self, mark: int) -> None:
        assert self.kit is not None
        old = self.kit.terrains[mark - 1].letter
        letter, ok = QInputDialog.getText(
            self, say("Letter of the terrain"), say("Letter"), text=old
        )
        if ok and letter.strip():
            self.change(mark, letter=letter.strip())
