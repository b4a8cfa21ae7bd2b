"""Rules: neighbour rules of terrain sets, and lists of rules that rewrite layers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QIcon, QKeyEvent
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QFileDialog,
    QFrame,
    QMenu,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QTabBar,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.window import Box
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.lesson import Lesson
from knitground.core.edit.rewriting import rewrite_now, use_on_map
from knitground.core.edit.rules import (
    RuleHome,
    add_rule,
    add_rule_list,
    change_rule,
    delete_rule_list,
    delete_rules,
    duplicate_rule,
    homes,
    merge_rules,
    move_above,
    move_rules,
    new_rule,
    rename_rule_list,
    rule_words,
    rules_from_marks,
    set_default,
    set_first,
    stencil_from_cell,
)
from knitground.core.edit.rulestats import (
    RuleStats,
    Situations,
    find_untaken,
    layers_with,
    rule_stats,
    set_report,
)
from knitground.core.files.rulesfile import read_rules, write_rules
from knitground.core.knit.knit import wide_window
from knitground.core.knit.layer import marked_tiles
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    NeighbourRule,
    Result,
    ResultKind,
    RewriteRule,
    Rule,
    RuleList,
)
from knitground.core.model.tile import TileRef
from knitground.core.rules.analyse import RuleReport
from knitground.core.rules.places import places_of
from knitground.ui.common.asking import answered
from knitground.ui.common.commands import Commands
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import (
    Swatch,
    button,
    column,
    head,
    note,
    primary,
    row,
    set_role,
)
from knitground.ui.session import Session
from knitground.ui.stages.draw.tilelist import TileList
from knitground.ui.stages.rules.editor import NeighbourEditor, ask_text, tile_icon
from knitground.ui.stages.rules.guests import CellPicker, RuleCells, Teacher
from knitground.ui.stages.rules.pictures import Pictures, rule_of_key
from knitground.ui.stages.rules.rewriteeditor import RewriteEditor
from knitground.ui.stages.rules.rulelist import RuleListView, RuleNote
from knitground.ui.stages.rules.situations import SituationsView
from knitground.ui.stages.stage import Stage

TABS = ("Rule", "Situations", "Swatch")
_LATER_MS = 150
Answer = tuple[RuleStats, RuleReport | None, Situations | None]


class RulesBench(Stage):
    """The stage: the list of rules, the editor of one, what they take and leave."""

    key = "rules"
    wide = 590

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.pictures = Pictures(session.project)
        self.home: RuleHome | None = None
        self.stats = RuleStats()
        self.report: RuleReport | None = None
        self.untaken: Situations | None = None
        self._steps: dict[int, int] = {}
        self._job: Job[Answer | None] | None = None
        self._again = False
        self._filling = False
        self.list = RuleListView(self.pictures)
        self.editor = NeighbourEditor(session, self.pictures)
        self.rewrite = RewriteEditor(session, self.pictures)
        self.situations = SituationsView(self.pictures)
        self.swatch = Swatch()
        self._later = QTimer(self, singleShot=True, interval=_LATER_MS)
        self._later.timeout.connect(self._count)
        self._make_parts()
        self._lay_out()
        self._connect()

    # Building

    def _make_parts(self) -> None:
        self.homes = QComboBox()
        self.homes.setToolTip("Whose rules: of a terrain set, or a list of the project's own")
        self.homes.setMinimumWidth(180)
        self.homes.activated.connect(self._choose_home)
        self.more = QPushButton("Rules…")
        self.more.setToolTip("New lists, reading and writing them, using them on the map")
        self.menu = QMenu(self.more)
        self.menu.aboutToShow.connect(self._fill_menu)
        self.more.setMenu(self.menu)
        self.add = button("+ neighbour rule", self.add_neighbour,
                          "Add a rule: a tile by what lies round a cell")  # fmt: skip
        self.add_block = button("+ rewrite rule", self.add_rewrite,
                                "Add a rule that replaces a block of cells by another")  # fmt: skip
        self.teach = button("Teach from map", self.toggle_teaching,
                            "Show cells with the wrong tile, and get the rule",
                            "Shift+T")  # fmt: skip
        self.teach.setCheckable(True)
        self.first = QCheckBox("rules before marks")
        self.first.setToolTip("Whether rules come before what tiles are marked with, or after")
        self.first.clicked.connect(lambda on: self._do(lambda h: set_first(h, on)))
        self.default = QPushButton("Default tile")
        self.default.setToolTip("The tile of cells that no rule and no mark takes: what is in hand")
        self.default.clicked.connect(self.choose_default)
        self.copy = button("Copy", self.duplicate, "Put a copy of the rule behind it", "Ctrl+J")
        self.delete = button("Delete", self.delete_rule, "Delete the rule (Del in the list)")
        self.mark = QCheckBox("mark its cells")
        self.mark.setToolTip("Mark on the map the cells that the chosen rule took")
        self.mark.clicked.connect(lambda _: self._mark_cells())
        self.how = note()

    def _lay_out(self) -> None:
        self.lesson_words = note()
        self.lesson_take = primary(
            "Take the rule", self.take_lesson, "Take what is proposed", "Enter"
        )
        stop = button("Call off", self.stop_teaching, "Leave all as it was", "Esc")
        self.lesson_bar = QFrame()
        self.lesson_bar.setProperty("panel", "true")
        self.lesson_bar.setLayout(row(self.lesson_words, self.lesson_take, stop, margins=8))
        self.lesson_bar.hide()
        area = _scrolled(self.list)
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        for name in TABS:
            self.tabs.addTab(name)
        self.tabs.currentChanged.connect(self._show_tab)
        self.rule_page = QStackedWidget()
        self.no_rule = note("Choose a rule to see its stencil, or add one.")
        for each in (self.no_rule, self.editor, self.rewrite):
            self.rule_page.addWidget(each)
        self.make_rule = button("Make a rule", self.rule_of_situation,
                                "A rule for this situation, with the tile in hand")  # fmt: skip
        self.make_tile = button("Make the tile…", self.tile_of_situation,
                                "Make missing tiles of the set, in Terrains")  # fmt: skip
        self.situation_words = note()
        situations = QWidget()
        situations.setLayout(column(
            self.situation_words, _scrolled(self.situations),
            row(self.make_rule, self.make_tile, 1), spacing=4,
        ))  # fmt: skip
        self.below = QStackedWidget()
        for page in (self.rule_page, situations, self.swatch):
            self.below.addWidget(page)
        self.below.setFixedHeight(300)
        buttons = row(self.add, self.add_block, self.teach, 1, self.copy, self.delete, spacing=6)
        self.set_line = QWidget()
        self.set_line.setLayout(row(self.first, self.default, 1, self.mark))
        self.setLayout(column(
            row(head("Rules"), 1, self.homes, self.more), self.how, buttons, self.lesson_bar,
            self.set_line, area, self.tabs, self.below, margins=10, spacing=6,
        ))  # fmt: skip

    def _connect(self) -> None:
        s = self.session
        s.opened.connect(self._reopened)
        s.changed.connect(self._follow)
        s.choice.map_changed.connect(self.refresh_later)
        s.choice.layer_changed.connect(self._follow_layer)
        s.in_hand.changed.connect(self._follow_hand)
        self.list.chosen.connect(lambda _: self._show_rule())
        self.list.moved.connect(self._move)
        self.list.stepped.connect(self.step)
        self.list.lifted.connect(self.lift)
        self.list.toggled.connect(self._toggle)
        self.list.deleted.connect(lambda _: self.delete_rule())
        for editor in (self.editor, self.rewrite):
            editor.changed.connect(self._put)
        self.editor.cell_asked.connect(self.ask_cell)
        self.editor.sheet_asked.connect(self.ask_sheet_tile)
        self.situations.chosen.connect(self._show_situation)
        self.situations.shown.connect(self._go_to_situation)

    def add_commands(self, commands: Commands) -> None:
        commands.line("Map")
        add = partial(commands.add, "Map")
        add("Teach a rule from the map", self._teach_from_menu, "Shift+T")
        add("Rewrite the map once", lambda: self.rewrite_once(selection=False))
        add("Rewrite the selection once", lambda: self.rewrite_once(selection=True))
        commands.add("Edit", "Duplicate rule", self.duplicate, "Ctrl+J")

    # Following the session

    def _reopened(self) -> None:
        self.home = None
        self.pictures.forget(self.session.project)
        self.lesson_bar.hide()
        self.teach.setChecked(False)
        self.refresh_later()

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.SLICING, What.TILESETS, What.LOOKS):
            self.pictures.forget(self.session.project)
            self.editor.result._built = None  # noqa: SLF001 - its pictures may be others now
        if change.what in (What.MARKERS, What.TRAY):
            return
        if change.what in (What.CELLS, What.TERRAIN):
            if self.isVisible():
                self._later.start()
            return
        self.refresh_later()

    def _follow_layer(self) -> None:
        """Show the rules of the layer that is worked on, if it has any."""
        if self.isVisible():
            self._choose_by_layer()
            self.refresh()

    def _choose_by_layer(self) -> None:
        layer = self.session.layer
        if isinstance(layer, GroundLayer):
            found = self.session.project.set_of(layer.tileset, layer.set_name)
            if found is not None:
                self.home = RuleHome(self.session.project, *found)
                return
        map_ = self.session.map
        if map_ is not None and layer is not None:
            live = self.session.doc.rewriter.rules_of(map_, layer)
            if live is not None:
                self.home = RuleHome(self.session.project, name=live.step.rules)

    def _follow_hand(self) -> None:
        guest = self.session.guest
        if isinstance(guest, Teacher):
            guest.take_hand()
        if self.isVisible() and self.home is not None and self.home.kit is None:
            self._show_rule()  # what can be asked for is what is in hand

    def refresh(self) -> None:
        """Show everything as it is now."""
        project = self.session.project
        if self.home is None or not self.home.is_there or self.home.project is not project:
            self.home = None
            self._choose_by_layer()
        found = homes(project)
        if self.home is None and found:
            self.home = found[0]
        self._filling = True
        self.homes.clear()
        for each in found:
            self.homes.addItem(each.title)
        at = next((n for n, each in enumerate(found) if each.same_as(self.home)), -1)
        self.homes.setCurrentIndex(at)
        self._filling = False
        self._show_home()
        self._later.start(0)

    def _show_home(self) -> None:
        home = self.home
        is_set = home is not None and home.kit is not None
        self.set_line.setVisible(home is not None)
        self.first.setVisible(is_set)
        self.default.setVisible(is_set)
        self.add.setEnabled(home is not None)
        self.add_block.setVisible(not is_set)
        self.teach.setVisible(is_set)
        self.tabs.setTabVisible(1, is_set)
        self.tabs.setTabVisible(2, is_set)
        self.how.setText(self._how_words())
        if home is not None:
            self.first.setChecked(home.rules.first)
            tile = home.rules.default
            self.default.setIcon(QIcon(tile_icon(self.pictures, tile, 18)) if tile else QIcon())
            self.default.setText("Default tile" if tile else "No default tile")
        self.list.show_rules(home, self._notes())
        self._show_rule()
        self._show_tab()

    def _how_words(self) -> str:
        home = self.home
        if home is None:
            return (
                "Rules say what a tile is for. Mark a terrain set first, or make a list that "
                "rewrites layers: “Rules… › New list”."
            )
        if home.rules.rules:
            return "Read top to bottom; the first rule that fits a cell wins. Drag to reorder."
        if home.kit is not None:
            return (
                "No rule yet: tiles follow from their marks. A rule gives a cell another tile by "
                "what lies round it; or teach one: show a cell that looks wrong."
            )
        return (
            "No rule yet. Select a block on the map, add a rewrite rule and take it “From "
            "selection”; then use the list on the map: a layer follows while you draft."
        )

    def _show_rule(self) -> None:
        rule = self.list.rule
        self.copy.setEnabled(rule is not None)
        self.delete.setEnabled(rule is not None)
        if rule is None or self.home is None:
            self.rule_page.setCurrentWidget(self.no_rule)
        elif isinstance(rule, NeighbourRule):
            self.editor.show_rule(self.home, rule)
            self.rule_page.setCurrentWidget(self.editor)
        else:
            self.rewrite.show_rule(self.home, rule)
            self.rule_page.setCurrentWidget(self.rewrite)
        self._mark_cells()

    def _show_tab(self) -> None:
        page = self.tabs.currentIndex()
        self.below.setCurrentIndex(max(0, page))
        if TABS[max(0, page)] == "Swatch" and self.home is not None and self.home.kit is not None:
            assert self.home.tileset is not None
            pixels, _ = sample_pixels(self.session.project, self.home.tileset, self.home.kit)
            self.swatch.show_pixels(pixels)
        self._show_situation()

    def focus_first(self) -> bool:
        return False

    def digit(self, number: int) -> None:
        asks = self.editor.asks()
        if self.editor.isVisible() and self.editor.pad.hasFocus() and 0 < number <= len(asks):
            self.editor.palette_.choose(asks[number - 1])
        else:
            super().digit(number)

    def cancel(self) -> bool:
        if self.list.cancel():
            return True
        if isinstance(self.session.guest, Teacher | CellPicker):
            self.stop_teaching()
            return True
        return False

    def hideEvent(self, event: object) -> None:
        if self.session.guest is not None:
            self.stop_teaching()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and isinstance(self.session.guest, Teacher):
            self.take_lesson()
        else:
            super().keyPressEvent(event)

    # Counting, beside the interface

    def _count(self) -> None:
        home, map_ = self.home, self.session.map
        if home is None or not home.is_there:
            return
        if self._job is not None:
            self._again = True
            return
        doc = self.session.doc
        revision = doc.revision

        def work(progress: Progress) -> Answer | None:
            try:
                stats = rule_stats(home, map_, progress) if map_ is not None else RuleStats()
                if home.kit is None:
                    return stats, None, None
                report, _ = set_report(home)
                return stats, report, find_untaken(home, doc.project.maps, progress)
            except Exception:
                if doc.revision != revision:
                    return None  # something was drawn meanwhile: count again
                raise

        def done(found: Answer | None) -> None:
            if doc is not self.session.doc or not home.same_as(self.home):
                return
            if found is None or doc.revision != revision:
                self._again = True
                return
            self.stats, self.report, self.untaken = found
            self._show_counts()

        self._job = Job(work, done, self._failed, owner=self, ended=self._ended)
        self._job.start()

    def _failed(self, error: KnitError) -> None:
        self.stats, self.report, self.untaken = RuleStats(), None, None
        self.session.warn(str(error))

    def _ended(self) -> None:
        self._job = None
        if self._again:
            self._again = False
            self._later.start()

    def _show_counts(self) -> None:
        self.list.show_rules(self.home, self._notes())
        found = self.untaken
        self.situations.show_situations(self.home, found.untaken if found else ())
        words = f"Situations {found.had} / {found.wanted}" if found else TABS[1]
        self.tabs.setTabText(1, words)
        self._show_situation()
        self._mark_cells()
        if self.home is not None and self.home.kit is None:
            self._tell_list()

    def _tell_list(self) -> None:
        words, warns = self._how_words(), False
        if 0 in self.stats.problems:
            words, warns = self.stats.problems[0], True
        elif self.stats.loops:
            words = ("These rules come back to an earlier state instead of coming to rest: "
                     "try fewer passes, or take out one that undoes another.")  # fmt: skip
            warns = True
        elif not self.stats.used and self.home is not None and self.home.rules.rules:
            words = "No step of this map uses the list yet: “Rules… › Use on this map”."
        self.how.setText(words)
        set_role(self.how, "warning" if warns else "note")

    def _notes(self) -> dict[int, RuleNote]:
        home = self.home
        if home is None:
            return {}
        return {rule.number: self._note_of(home, rule) for rule in home.rules.rules}

    def _note_of(self, home: RuleHome, rule: Rule) -> RuleNote:
        fired = self.stats.fired.get(rule.number)
        cells = fired.count if fired else 0
        fact = self.report.facts.get(rule.number) if self.report else None
        problem = self.stats.problems.get(rule.number, "")
        if fact is not None:
            problem = fact.problem or problem
        if problem:
            return RuleNote(warning=problem, cells=cells)
        if fact is not None and fact.never_fires and rule.on:
            words = self._hiding_words(home, fact.hidden_by, fact.marks_hide)
            return RuleNote(warning=f"never fires: {words}", can_lift=True)
        unit = "cell" if home.kit is not None else "place"
        counted = f"{cells} {unit}{'' if cells == 1 else 's'}"
        if fact is not None:
            many = "" if self.report and self.report.exact else "about "
            some = f"{fact.takes} of {fact.could} situation{'' if fact.could == 1 else 's'}"
            counted = f"takes {many}{some}\n{counted}"
        elif fired is not None and fired.state_words():
            counted += f"\n{fired.state_words()}"
        return RuleNote(counted, cells=cells)

    def _hiding_words(self, home: RuleHome, numbers: tuple[int, ...], marks: bool) -> str:
        places = {each.number: n for n, each in enumerate(home.rules.rules, 1)}
        named = [f"rule {places[n]}" for n in numbers if n in places]
        named += ["the marks"] if marks else []
        some = ", ".join(named[:4]) + (" …" if len(named) > 4 else "")
        return f"{some} take{'s' if len(named) == 1 else ''} all that it fits"

    # Changing rules

    def _do(self, build: Callable[[RuleHome], Edit], key: object = None) -> bool:
        home = self.home
        return home is not None and self.session.do(lambda: build(home), key)

    def _put(self, rule: Rule, what: str, key: object) -> None:
        self._do(lambda home: change_rule(home, rule.number, rule, what), key)

    def add_neighbour(self) -> None:
        """Add a neighbour rule, with what is in hand as its result."""
        hand = self.session.hand
        tiles = (MixEntry(hand.tile),) if isinstance(hand, TileInHand) else ()
        self._add(lambda home: new_rule(home, Result(ResultKind.TILES, tiles)))

    def add_rewrite(self) -> None:
        """Add a rewrite rule; what is selected on the map is what it looks for."""
        if self.home is None or self.home.kit is not None:
            self.new_list()
        self._add(lambda _: RewriteRule(0, ()))
        if self.session.selection is not None:
            self.rewrite.read_selection()

    def _add(self, make: Callable[[RuleHome], Rule]) -> None:
        if self._do(lambda home: add_rule(home, make(home))) and self.home is not None:
            self.refresh()
            self.list.choose(self.home.rules.rules[-1].number)
            self.tabs.setCurrentIndex(0)
            self._show_rule()

    def duplicate(self) -> None:
        """Put a copy of the chosen rule behind it."""
        if self.isVisible() and self.list.rule is not None:
            number = self.list.number
            self._do(lambda home: duplicate_rule(home, number))

    def delete_rule(self) -> None:
        """Delete the chosen rule."""
        if self.list.rule is not None:
            number = self.list.number
            self._do(lambda home: delete_rules(home, [number]))

    def _move(self, number: int, to: int) -> None:
        self._do(lambda home: move_rules(home, [number], to))

    def _toggle(self, number: int) -> None:
        rule = self.list.rule
        if rule is not None:
            words = "Switch off" if rule.on else "Switch on"
            new = replace(rule, on=not rule.on)
            self._put(new, f"{words} {rule_words(rule)}", None)

    def lift(self, number: int) -> None:
        """Move a rule above those that hide it."""
        fact = self.report.facts.get(number) if self.report else None
        if fact is not None:
            self._do(lambda home: move_above(home, number, fact.hidden_by))

    def choose_default(self) -> None:
        """Take the tile in hand as the default tile; chosen again, there is none."""
        hand = self.session.hand
        if self.home is None:
            return
        if isinstance(hand, TileInHand) and hand.tile != self.home.rules.default:
            tile = hand.tile
            self._do(lambda home: set_default(home, tile))
        elif self.home.rules.default is not None:
            self._do(lambda home: set_default(home, None))
        else:
            self.session.warn("Take the tile in hand that cells are to show which nothing takes")

    # Stepping through cells

    def step(self, number: int, by: int) -> None:
        """Show the next, or last, cell of the map that a rule took."""
        fired = self.stats.fired.get(number)
        if fired is None or not len(fired.rows):
            return
        last = self._steps.get(number, -1 if by > 0 else 0)
        at = self._steps[number] = (last + by) % len(fired.rows)
        row_, col = int(fired.rows[at]), int(fired.cols[at])
        self.session.choose_layer(fired.layer)
        self.session.cell_wanted.emit(row_, col)
        self.session.note(f"Cell {at + 1} of {len(fired.rows)}: column {col}, row {row_}")

    def _mark_cells(self) -> None:
        if isinstance(self.session.guest, Teacher | CellPicker):
            return
        fired = self.stats.fired.get(self.list.number)
        map_ = self.session.map
        shows = self.mark.isChecked() and self.isVisible() and map_ is not None
        guest = RuleCells(map_, fired) if shows and fired is not None and map_ else None
        if guest is not None or self.session.guest is not None:
            self.session.invite(guest)

    # Situations

    def _show_situation(self) -> None:
        found, chosen = self.untaken, self.situations.situation
        if found is None or not found.untaken:
            self.situation_words.setText("Rules and marks take every situation.")
        else:
            on_maps = sum(each.cells for each in found.untaken)
            self.situation_words.setText(
                f"{len(found.untaken)} situations have no tile; {on_maps} cells of the maps show "
                "one. Double-click leads to a cell."
            )
        self.make_rule.setEnabled(chosen is not None)
        self.make_tile.setEnabled(chosen is not None)

    def _go_to_situation(self, situation: object) -> None:
        found = self.situations.situation
        if found is not None and found.map is not None:
            self.session.choose_map(found.map)
            self.session.cell_wanted.emit(found.row, found.col)

    def rule_of_situation(self) -> None:
        """Make a rule for the chosen situation, with the tile in hand."""
        found, home = self.situations.situation, self.home
        if found is None or home is None:
            return
        hand = self.session.hand
        tiles = (MixEntry(hand.tile),) if isinstance(hand, TileInHand) else ()
        rule = replace(rule_of_key(home, found.key), result=Result(tiles=tiles), name="Situation")
        self._add(lambda _: rule)
        if not tiles:
            self.session.note("The rule has no tile yet: take one in hand, then “+ in hand”")

    def tile_of_situation(self) -> None:
        """Go to Terrains and offer to make the set's missing tiles."""
        if self.home is not None and self.home.kit is not None and self.home.tileset is not None:
            self.session.missing_wanted.emit(self.home.tileset, self.home.kit)

    # Copying from the map, and teaching

    def ask_cell(self) -> None:
        """Copy the stencil from the next cell that is clicked on the map."""
        self.session.invite(CellPicker(self.session, self._copy_cell))

    def _copy_cell(self, map_: Map, cell: tuple[int, int]) -> None:
        home, rule = self.home, self.list.rule
        layers = layers_with(home, map_) if home else []
        if home is None or home.kit is None or not isinstance(rule, NeighbourRule) or not layers:
            self.session.warn("No layer of this map is knitted from the set whose rules these are")
            return
        layer = self.session.layer if self.session.layer in layers else layers[0]
        assert isinstance(layer, GroundLayer)
        rings = self.editor.pad.rings
        box = Box(cell[0], cell[1], cell[0] + 1, cell[1] + 1)
        window = wide_window(layer, box, map_.wrap, max(1, rings))
        values = {place: int(window.values(place)[0, 0])
                  for place in places_of(home.kit.kind, rings)
                  if not window.off(place)[0, 0]}  # fmt: skip
        made = stencil_from_cell(home.kit, values)
        new = replace(rule, stencil=made.stencil, subject=made.subject)
        self._put(new, f"Stencil of {rule_words(rule)} from a cell", None)

    def ask_sheet_tile(self) -> None:
        """Choose tiles for the result on the sheet."""
        dialog = QDialog(self)
        dialog.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        dialog.setWindowTitle("Tiles that the rule lays")
        sheets = QComboBox()
        sheet = TileList(self.session)
        tilesets = self.session.project.tilesets
        sheets.addItems([each.name for each in tilesets])
        sheets.activated.connect(lambda n: sheet.show_tileset(tilesets[n]))
        sheet.taken.connect(lambda r, c: self._take_sheet_tile(sheet, r, c))
        dialog.setLayout(column(sheets, sheet, note("A click adds the tile to the result."),
                                margins=10))  # fmt: skip
        dialog.resize(460, 420)
        own = self.home.tileset if self.home else None
        at = tilesets.index(own) if own in tilesets else 0
        sheets.setCurrentIndex(at)
        if tilesets:
            sheet.show_tileset(tilesets[at])
        dialog.show()

    def _take_sheet_tile(self, sheet: TileList, row_: int, col: int) -> None:
        if sheet.tileset is not None:
            self.editor.add_tile(TileRef(sheet.tileset.name, row_, col))

    def _teach_from_menu(self) -> None:
        self.session.stage_wanted.emit(self.key)
        self.teach.setChecked(not self.teach.isChecked())
        self.toggle_teaching()

    def toggle_teaching(self) -> None:
        """Begin a lesson on the layer that is worked on, or call it off."""
        if not self.teach.isChecked():
            self.stop_teaching()
            return
        map_, home = self.session.map, self.home
        layers = layers_with(home, map_) if home and map_ else []
        if home is None or map_ is None or not layers:
            self.teach.setChecked(False)
            self.session.warn("A lesson needs a ground layer knitted from this set: choose one")
            return
        layer = self.session.layer if self.session.layer in layers else layers[0]
        assert isinstance(layer, GroundLayer)
        self.session.choose_layer(layer)
        lesson = Lesson(self.session.doc, map_, layer, home)
        teacher = Teacher(self.session, lesson, self._show_lesson)
        self.session.invite(teacher)
        teacher.take_hand()
        self.lesson_bar.show()
        self._show_lesson()

    def _show_lesson(self) -> None:
        guest = self.session.guest
        if not isinstance(guest, Teacher):
            return
        found = guest.proposal
        self.lesson_take.setEnabled(found is not None)
        if guest.lesson.tile is None:
            words = (
                "Take the right tile in hand: on a sheet in Draw, with “Sheet…”, or by Pick (P)."
            )
        elif found is None:
            words = "Click a cell with the wrong tile. Ctrl+click: stays as it is."
        else:
            changes = int(found.changed.sum())
            asked = len(found.rule.stencil)
            words = (
                f"{changes} cells would change; {asked} places asked, number {found.place} of the "
                "list. Another wrong cell widens it, Ctrl+click keeps one as it is."
            )
            if found.not_told:
                words += f" {found.not_told} cells that look right can not be told apart."
        self.lesson_words.setText(words)

    def take_lesson(self) -> None:
        """Take the rule that is proposed."""
        guest = self.session.guest
        if isinstance(guest, Teacher) and guest.proposal is not None:
            proposal = guest.proposal
            edit = guest.lesson.edit(proposal)
            self.stop_teaching()
            self.session.apply(edit)
            self.refresh()
            self.list.choose(proposal.number)

    def stop_teaching(self) -> None:
        """End a lesson; all is as it was."""
        self.teach.setChecked(False)
        self.lesson_bar.hide()
        self.session.invite(None)

    # Lists

    def _choose_home(self, place: int) -> None:
        if self._filling:
            return
        self.stop_teaching()
        self.home = homes(self.session.project)[place]
        self.stats, self.report, self.untaken = RuleStats(), None, None
        self.list.number = 0
        self.refresh()

    def _fill_menu(self) -> None:
        menu, home = self.menu, self.home
        menu.clear()
        menu.addAction("New list…", self.ask_new_list)
        own = home is not None and home.kit is None
        for words, action, on in (
            ("Rename…", self._ask_rename, own),
            ("Delete list", self._delete_list, own),
            ("All marks of this set as rules", self.marks_as_rules, home is not None and not own),
        ):
            menu.addAction(words, action).setEnabled(on)
        menu.addSeparator()
        menu.addAction("Use on this map: a layer that follows", self.use_list).setEnabled(own)
        menu.addAction("Rewrite the map once", lambda: self.rewrite_once(selection=False)
                       ).setEnabled(own)  # fmt: skip
        menu.addAction("Rewrite the selection once", lambda: self.rewrite_once(selection=True)
                       ).setEnabled(own)  # fmt: skip
        menu.addSeparator()
        menu.addAction("Write to a file…", self._ask_write).setEnabled(home is not None)
        menu.addAction("Read from a file…", self._ask_read)

    def ask_new_list(self) -> None:
        """Ask for a name and make a list of rules."""
        name = ask_text(self, "New list", "Name of the list", "Finish")
        if name:
            self.new_list(name)

    def new_list(self, name: str = "Rules") -> None:
        """Make a list of rules."""
        project = self.session.project
        if self.session.do(lambda: add_rule_list(project, RuleList(name))):
            self.home = RuleHome(project, name=project.rule_lists[-1].name)
            self.refresh()

    def _ask_rename(self) -> None:
        home = self.home
        name = ask_text(self, "Rename", "Name of the list", home.name if home else "")
        if name and home is not None and home.kit is None:
            if self.session.do(lambda: rename_rule_list(self.session.project, home.name, name)):
                self.home = RuleHome(self.session.project, name=name)
            self.refresh()

    def _delete_list(self) -> None:
        home = self.home
        if home is not None and home.kit is None:
            self.session.do(lambda: delete_rule_list(self.session.project, home.name))

    def marks_as_rules(self) -> None:
        """Say the marks of all tiles of the set as rules, behind those that are there."""
        home = self.home
        if home is None or home.kit is None or home.tileset is None:
            return
        marks, tiles = marked_tiles(self.session.project, home.tileset, home.kit)
        listed = [(tile, marks[n].tolist()) for n, tile in enumerate(tiles)]
        made = RuleList("", tuple(rules_from_marks(home.kit, listed)))
        self._do(lambda h: merge_rules(h, made))

    def use_list(self) -> None:
        """Add a grown layer to the map that follows the list, reading the chosen layer."""
        home, map_, layer = self.home, self.session.map, self.session.layer
        if home is None or map_ is None or layer is None:
            return
        self.session.do(lambda: use_on_map(map_, home.name, layer))

    def rewrite_once(self, *, selection: bool) -> None:
        """Rewrite the chosen layer by the list, in the selection or all over, as one step."""
        self.catch_up()
        home, map_, layer = self.home, self.session.map, self.session.layer
        if home is None or home.kit is not None or map_ is None or layer is None:
            self.session.warn("Choose a list of rules of the project's own first, in Rules")
            return
        chosen = self.session.selection if selection else None
        if selection and chosen is None:
            self.session.warn("Nothing is selected: take Select (S) and drag over cells")
            return
        doc = self.session.doc
        self.session.run_long(
            "Rewriting…", lambda _: rewrite_now(doc, map_, home.name, layer, chosen),
            self.session.apply,
        )  # fmt: skip

    def _ask_write(self) -> None:
        dialog = QFileDialog(self, "Write rules", "", "Rules (*.rules.json)")
        dialog.setAcceptMode(QFileDialog.AcceptMode.AcceptSave)
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        dialog.setDefaultSuffix("rules.json")
        self._with_path(dialog, self.write_to)

    def _ask_read(self) -> None:
        dialog = QFileDialog(self, "Read rules", "", "Rules (*.rules.json)")
        dialog.setFileMode(QFileDialog.FileMode.ExistingFile)
        dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
        self._with_path(dialog, self.read_from)

    def _with_path(self, dialog: QFileDialog, action: Callable[[Path], object]) -> None:
        if answered(dialog) and dialog.selectedFiles():
            action(Path(dialog.selectedFiles()[0]))

    def write_to(self, path: Path) -> None:
        """Write the list to a file."""
        home = self.home
        if home is not None and self.session.attempt(lambda: write_rules(path, home.rules)):
            self.session.note(f"{path.name} written: {len(home.rules.rules)} rules")

    def read_from(self, path: Path) -> None:
        """Read a file of rules: behind those of the set that is shown, or as a list of its own."""
        home, project = self.home, self.session.project

        def build() -> Edit:
            rules = read_rules(path)
            if home is not None and home.kit is not None:
                return merge_rules(home, rules)
            return add_rule_list(project, replace(rules, name=rules.name or path.stem))

        if self.session.do(build) and (home is None or home.kit is None):
            self.home = RuleHome(project, name=project.rule_lists[-1].name)
            self.refresh()


def _scrolled(inner: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setWidget(inner)
    area.setWidgetResizable(True)
    area.setFrameShape(QFrame.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    return area
