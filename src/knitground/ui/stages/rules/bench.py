"""Rules: neighbour rules of terrain sets, and lists of rules that rewrite layers."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QIcon, QKeyEvent
from PySide6.QtWidgets import (
    QPushButton,
    QStackedWidget,
    QTabBar,
    QWidget,
)

from knitground.core.base.progress import Progress
from knitground.core.base.tongue import later, say
from knitground.core.base.window import Box
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.hand import TileInHand
from knitground.core.edit.ruledrafts import new_rule, stencil_from_cell
from knitground.core.edit.rulehome import RuleHome, change_rule, rule_words
from knitground.core.edit.rules import (
    add_rule,
    delete_rules,
    duplicate_rule,
    homes,
    move_above,
    move_rules,
    set_default,
    set_first,
    switch_group,
)
from knitground.core.edit.rulestarters import RuleStarter, rule_picture, rule_starters
from knitground.core.edit.rulestats import (
    STATE_WORDS,
    Situation,
    layers_with,
)
from knitground.core.knit.knit import wide_window
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.mix import MixEntry
from knitground.core.model.rules import (
    NeighbourRule,
    Result,
    ResultKind,
    RewriteRule,
    Rule,
)
from knitground.core.render.pixels import Pixels
from knitground.core.rules.places import places_of
from knitground.ui.common.commands import Commands
from knitground.ui.common.form import Check, Choice
from knitground.ui.common.pictureoffers import PictureOffer, PictureOffers
from knitground.ui.common.setswatch import sample_pixels
from knitground.ui.common.widgets import (
    Swatch,
    button,
    column,
    head,
    note,
    row,
    scrolled,
    set_role,
)
from knitground.ui.session import Session
from knitground.ui.stages.rules.counting import RuleCounter
from knitground.ui.stages.rules.editor import NeighbourEditor
from knitground.ui.stages.rules.guests import CellPicker, RuleCells, Teacher
from knitground.ui.stages.rules.lessonbar import LessonBar
from knitground.ui.stages.rules.pictures import Pictures, rule_of_key
from knitground.ui.stages.rules.resultrow import tile_icon
from knitground.ui.stages.rules.rewriteeditor import RewriteEditor
from knitground.ui.stages.rules.rulelist import RuleListView
from knitground.ui.stages.rules.rulemenu import REWRITINGS, RuleMenu
from knitground.ui.stages.rules.sheetpane import SheetPane
from knitground.ui.stages.rules.situations import SituationsPage
from knitground.ui.stages.stage import Stage

TABS = (later("Rule"), later("Situations"), later("Swatch"))
_EXAMPLE = QSize(184, 129)

_NOTHING_TO_RULES = (What.MARKERS, What.TRAY, What.LOCK, What.SHAPES, What.PROPERTIES)


def _draw_example(home: RuleHome, rule: NeighbourRule, _progress: Progress) -> Pixels:
    return rule_picture(home, rule)


class RulesBench(Stage):
    """The stage: the list of rules, the editor of one, what they take and leave."""

    key = "rules"
    wide = 632

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.pictures = Pictures(session.project)
        self.home: RuleHome | None = None
        self.counter = RuleCounter(session)
        self.steps: dict[int, int] = {}
        self.list = RuleListView(self.pictures)
        self.editor = NeighbourEditor(session, self.pictures)
        self.rewrite = RewriteEditor(session, self.pictures)
        self.situations = SituationsPage(self.pictures)
        self.swatch = Swatch()
        self._make_parts()
        self._lay_out()
        self._connect()

    # Building

    def _make_parts(self) -> None:
        self.homes = Choice(say("Whose rules: of a terrain set, or a list of the project's own"))
        self.homes.setMinimumWidth(180)
        self.homes.chosen.connect(self._switch)
        self.lists = RuleMenu(self.session, self)
        self.add = button(say("+ neighbour rule"), self.add_neighbour,
                          say("Add a rule: a tile by what lies round a cell"))  # fmt: skip
        self.add_block = button(
            say("+ rewrite rule"),
            self.add_rewrite,
            say("Add a rule that replaces a block of cells by another"),
        )
        self.lesson = LessonBar(self.session, self, self.pictures)
        self.first = Check(
            say("rules before marks"),
            say("Whether rules come before what tiles are marked with, or after"),
        )
        self.first.clicked.connect(lambda on: self.do(lambda h: set_first(h, on)))
        self.default = QPushButton(say("Default tile"))
        self.default.setToolTip(
            say("The tile of cells that no rule and no mark takes: what is in hand")
        )
        self.default.clicked.connect(self.choose_default)
        self.copy = button(
            say("Copy"), self.duplicate, say("Put a copy of the rule behind it"), "Ctrl+J"
        )
        self.delete = button(
            say("Delete"), self.delete_rule, say("Delete the rule (Del in the list)")
        )
        self.mark = Check(
            say("mark its cells"), say("Mark on the map the cells that the chosen rule took")
        )
        self.mark.clicked.connect(lambda _: self.mark_cells())
        self.how = note()
        self.pane = SheetPane(self.session)
        self.pane.closed.connect(lambda: self._show_area())
        self.begin = PictureOffers(_EXAMPLE, say("Rules to begin with"))
        self.begin.taken.connect(self.take_example)
        self.examples: list[RuleStarter] = []
        self._examples_of: object = None

    def _lay_out(self) -> None:
        self.area = QStackedWidget()
        self.area.addWidget(scrolled(self.list))
        self.area.addWidget(self._first_rules())
        self.area.addWidget(self.pane)
        self.tabs = QTabBar()
        self.tabs.setDrawBase(False)
        for name in TABS:
            self.tabs.addTab(say(name))
        self.tabs.currentChanged.connect(self._show_tab)
        self.rule_page = QStackedWidget()
        self.no_rule = note(say("Choose a rule to see its stencil, or add one."))
        for each in (self.no_rule, self.editor, self.rewrite):
            self.rule_page.addWidget(each)
        self.below = QStackedWidget()
        for page in (self.rule_page, self.situations, self.swatch):
            self.below.addWidget(page)
        self.below.setFixedHeight(300)
        buttons = row(
            self.lesson.button, self.add, self.add_block, 1, self.copy, self.delete, spacing=6
        )
        self.set_line = QWidget()
        self.set_line.setLayout(row(self.first, self.default, 1, self.mark))
        top = row(head(say("Rules")), 1, self.homes, self.lists.button)
        self.setLayout(column(
            top, self.how, buttons, self.lesson.bar, self.set_line, self.area, self.tabs,
            self.below, margins=10, spacing=6,
        ))  # fmt: skip

    def _first_rules(self) -> QWidget:
        """Make the page that stands there until a set has a rule."""
        page = QWidget()
        page.setLayout(column(
            head(say("Show what is wrong, or begin with one of these")),
            note(say("“Teach from map”: click cells that show the wrong tile, and the rule is "
                 "proposed. Or click a picture: it is this set as that one rule would knit it. "
                 "Its tile is only an example; put yours there instead.")),
            self.begin, 1, spacing=6,
        ))  # fmt: skip
        return scrolled(page)

    def _connect(self) -> None:
        s = self.session
        s.changed.connect(self._follow)
        s.choice.picked.connect(self._follow_layer)
        s.in_hand.changed.connect(self._follow_hand)
        self.list.chosen.connect(lambda _: self.show_rule())
        self.list.moved.connect(self.move_rules)
        self.list.stepped.connect(self.step)
        self.list.lifted.connect(self.lift)
        self.list.toggled.connect(self.toggle)
        self.list.group_toggled.connect(self.toggle_group)
        self.list.deleted.connect(lambda _: self.delete_rule())
        for editor in (self.editor, self.rewrite):
            editor.changed.connect(self.put_rules)
        self.editor.cell_asked.connect(self.ask_cell)
        self.editor.sheet_asked.connect(self.ask_sheet_tile)
        self.rewrite.sheets_asked.connect(self.show_sheets)
        self.situations.shown.connect(self.go_to_situation)
        self.situations.rule_asked.connect(self.rule_of_situation)
        self.situations.tile_asked.connect(self.tile_of_situation)
        self.counter.counted.connect(self._show_counts)

    def add_commands(self, commands: Commands) -> None:
        add = commands.add
        add("Teach a rule from the map", self.lesson.from_menu, "Shift+T")
        for words, selection, passes in REWRITINGS:
            add(words, partial(self.lists.rewrite, selection=selection, passes=passes))
        commands.add("Duplicate rule", self.duplicate, "Ctrl+J")

    # Following the session

    def begin_anew(self) -> None:
        self.home = None
        self.steps.clear()
        self.mark.show_value(False)
        self.pictures.forget(self.session.project)
        self.pane.close_pane()
        self.lesson.stop()
        super().begin_anew()

    def _follow(self, change: Changed) -> None:
        if change.what in (What.MARKS, What.SLICING, What.TILESETS, What.LOOKS):
            self.pictures.forget(self.session.project)
        if change.what in _NOTHING_TO_RULES:
            return
        if change.what in (What.CELLS, What.TERRAIN):
            if self.isVisible():
                self.counter.soon()
            return
        self.refresh_later()

    def _follow_layer(self) -> None:
        """Show the rules of the layer that is worked on, if it has any."""
        if self.isVisible():
            self._choose_by_layer()
        self.refresh_later()

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
        guest = self.session.taker
        if isinstance(guest, Teacher):
            guest.take_hand()
        if self.isVisible() and self.home is not None and self.home.kit is None:
            self.show_rule()  # what can be asked for is what is in hand

    def refresh(self) -> None:
        """Show everything as it is now."""
        project = self.session.project
        if self.home is None or not self.home.is_there or self.home.project is not project:
            self.home = None
            self._choose_by_layer()
        found = homes(project)
        if self.home is None and found:
            self.home = found[0]
        self.homes.offer((each.title, each) for each in found)
        self.homes.show_value(next((each for each in found if each.same_as(self.home)), None))
        self._show_home()
        self.counter.soon(0)

    def _show_home(self) -> None:
        home = self.home
        is_set = home is not None and home.kit is not None
        self.set_line.setVisible(home is not None)
        self.first.setVisible(is_set)
        self.default.setVisible(is_set)
        self.add.setEnabled(home is not None)
        self.add_block.setVisible(not is_set)
        self.lesson.button.setVisible(home is not None)
        self.tabs.setTabVisible(1, is_set)
        self.tabs.setTabVisible(2, is_set)
        self._tell_list()
        if home is not None:
            self.first.setChecked(home.rules.first)
            tile = home.rules.default
            self.default.setIcon(QIcon(tile_icon(self.pictures, tile, 18)) if tile else QIcon())
            self.default.setText(say("Default tile") if tile else say("No default tile"))
        self.counter.show_list(home)
        if self.counter.untaken is None:
            self._show_situations()
        self.list.show_rules(home, self.counter.notes())
        self._show_examples()
        self.show_rule()
        self._show_tab()

    def _has_none(self) -> bool:
        """Tell whether it is a set's rules that are shown, and there are none."""
        home = self.home
        return home is not None and home.kit is not None and not home.rules.rules

    def _show_area(self) -> None:
        """Show the rules; or what the first could be, or the sheets while a tile is chosen."""
        self.area.setCurrentIndex(2 if self.pane.is_open else 1 if self._has_none() else 0)

    def _show_examples(self) -> None:
        """Where a set has no rule, show what one would do."""
        home, none = self.home, self._has_none()
        self._show_area()
        self.tabs.setVisible(not none)
        self.below.setVisible(not none)
        if home is None or not none:
            self._examples_of = None
            self.begin.stop()
            return
        shown = (home.kit, self.session.doc.revision)
        if shown == self._examples_of:
            return
        self._examples_of = shown
        self.examples = rule_starters(home)
        self.begin.show_offers([
            PictureOffer(each.title, each.hint, partial(_draw_example, home, each.rule))
            for each in self.examples
        ])  # fmt: skip

    def take_example(self, number: int) -> None:
        """Add one of the rules to begin with."""
        if number < len(self.examples):
            self.lesson.stop()  # one that goes on was about the rules as they were
            rule = self.examples[number].rule
            self.add_rule(lambda _: rule)

    def _how_words(self) -> str:
        home = self.home
        if home is None:
            return say(
                "Rules say what a tile is for. Mark a terrain set first, or make a list that "
                "rewrites layers: “Rules… › New list”."
            )
        if home.rules.rules:
            return say("Read top to bottom; the first rule that fits a cell wins. Drag to reorder.")
        if home.kit is not None:
            return say(
                "No rule yet: tiles follow from their marks. A rule gives a cell another tile by "
                "what lies round it; or teach one: show a cell that looks wrong."
            )
        return say(
            "No rule yet. Select a block on the map, add a rewrite rule and take it “From "
            "selection”; then use the list on the map: a layer follows while you draft."
        )

    def show_rule(self) -> None:
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
        self.mark_cells()

    def _show_tab(self) -> None:
        page = self.tabs.currentIndex()
        self.below.setCurrentIndex(max(0, page))
        if TABS[max(0, page)] == "Swatch" and self.home is not None and self.home.kit is not None:
            assert self.home.tileset is not None
            pixels, _ = sample_pixels(self.session.project, self.home.tileset, self.home.kit)
            self.swatch.show_pixels(pixels)

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
        if self.pane.is_open:
            self.pane.close_pane()
            return True
        if self.session.taker is not None:
            self.lesson.stop()
            return True
        return False

    def hideEvent(self, event: object) -> None:
        if self.session.taker is not None or "rules" in self.session.marks:
            self.lesson.stop()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
        if enter and isinstance(self.session.taker, Teacher):
            self.lesson.take()
        else:
            super().keyPressEvent(event)

    # What was counted

    def _show_counts(self) -> None:
        self.list.show_rules(self.home, self.counter.notes())
        self._show_situations()
        self.mark_cells()
        self._tell_list()

    def _show_situations(self) -> None:
        found = self.counter.untaken
        self.situations.show_found(self.home, found)
        self.tabs.setTabText(
            1,
            say("Situations {had} / {wanted}", had=found.had, wanted=found.wanted)
            if found
            else say(TABS[1]),
        )

    def _tell_list(self) -> None:
        warning = self.counter.warning()
        words = warning or self._how_words()
        home = self.home
        own = home is not None and home.kit is None and bool(home.rules.rules)
        if not warning and own and not self.counter.stats.used:
            words = say("No step of this map uses the list yet: “Rules… › Use on this map”.")
        self.how.setText(words)
        set_role(self.how, "warning" if warning else "note")

    # Changing rules

    def do(self, build: Callable[[RuleHome], Edit], key: object = None) -> bool:
        """Change the list that is shown."""
        home = self.home
        return home is not None and self.session.do(lambda: build(home), key)

    def put_rules(self, rule: Rule, what: str, key: object) -> None:
        self.do(lambda home: change_rule(home, rule.number, rule, what), key)

    # Stepping through cells

    # Situations

    # Copying from the map, and teaching

    # Lists

    def choose_rule(self, number: int) -> None:
        """Show everything anew, and choose a rule."""
        self.refresh()
        self.list.choose(number)

    def show_list(self, name: str) -> None:
        """Show one of the project's own lists."""
        self._switch(RuleHome(self.session.project, name=name))

    def _switch(self, home: RuleHome) -> None:
        self.lesson.stop()
        self.home = home
        self.list.number = 0
        self.refresh()

    def add_neighbour(self) -> None:
        """Add a neighbour rule, with what is in hand as its result."""
        hand = self.session.hand
        tiles = (MixEntry(hand.tile),) if isinstance(hand, TileInHand) else ()
        self.add_rule(lambda home: new_rule(home, Result(ResultKind.TILES, tiles)))

    def add_rewrite(self) -> None:
        """Add a rewrite rule; what is selected on the map is what it looks for."""
        if self.home is None or self.home.kit is not None:
            self.lists.new_list()
        self.add_rule(lambda _: RewriteRule(0, ()))
        if self.session.selection is not None:
            self.rewrite.read_selection()

    def add_rule(self, make: Callable[[RuleHome], Rule]) -> None:
        if self.do(lambda home: add_rule(home, make(home))) and self.home is not None:
            self.refresh()
            self.list.choose(self.home.rules.rules[-1].number)
            self.tabs.setCurrentIndex(0)
            self.show_rule()

    def duplicate(self) -> None:
        """Put a copy of the chosen rule behind it."""
        if self.isVisible() and self.list.rule is not None:
            number = self.list.number
            self.do(lambda home: duplicate_rule(home, number))

    def delete_rule(self) -> None:
        """Delete the chosen rule."""
        if self.list.rule is not None:
            number = self.list.number
            self.do(lambda home: delete_rules(home, [number]))

    def move_rules(self, numbers: list[int], to: int) -> None:
        self.do(lambda home: move_rules(home, numbers, to))

    def toggle(self, number: int) -> None:
        rule = self.list.rule
        if rule is not None:
            words = say("Switch off") if rule.on else say("Switch on")
            new = replace(rule, on=not rule.on)
            self.put_rules(new, f"{words} {rule_words(rule)}", None)

    def toggle_group(self, group: str) -> None:
        """Switch all rules of a group off, or on if all are off."""
        self.do(lambda home: switch_group(home, group))

    def lift(self, number: int) -> None:
        """Move a rule above those that hide it."""
        fact = self.counter.report.facts.get(number) if self.counter.report else None
        if fact is not None:
            self.do(lambda home: move_above(home, number, fact.hidden_by))

    def choose_default(self) -> None:
        """Take the tile in hand as the default tile; chosen again, there is none."""
        hand = self.session.hand
        if self.home is None:
            return
        if isinstance(hand, TileInHand) and hand.tile != self.home.rules.default:
            tile = hand.tile
            self.do(lambda home: set_default(home, tile))
        elif self.home.rules.default is not None:
            self.do(lambda home: set_default(home, None))
        else:
            self.session.warn(
                say("Take the tile in hand that cells are to show which nothing takes")
            )

    def step(self, number: int, by: int) -> None:
        """Show the next, or last, cell of the map that a rule took."""
        fired = self.counter.stats.fired.get(number)
        if fired is None or not len(fired.rows):
            return
        last = self.steps.get(number, -1 if by > 0 else 0)
        at = self.steps[number] = (last + by) % len(fired.rows)
        row_, col = int(fired.rows[at]), int(fired.cols[at])
        self.session.choose_layer(fired.layer)
        self.session.cell_wanted.emit(row_, col)
        became = f" — {STATE_WORDS[int(fired.states[at])]}" if fired.states is not None else ""
        map_ = self.session.map
        row_, col = map_.lattice.name_of(row_, col) if map_ is not None else (row_, col)
        self.session.note(
            say(
                "Cell {at} of {count}: column {col}, row {row}{became}",
                at=at + 1,
                count=len(fired.rows),
                col=col,
                row=row_,
                became=became,
            )
        )

    def mark_cells(self) -> None:
        if self.session.taker is not None:
            return
        fired = self.counter.stats.fired.get(self.list.number)
        map_ = self.session.map
        shows = self.mark.isChecked() and self.isVisible() and map_ is not None
        marks = RuleCells(map_, fired) if shows and fired is not None and map_ else None
        self.session.mark_cells("rules", marks)

    def go_to_situation(self, found: Situation) -> None:
        if found.map is not None:
            self.session.choose_map(found.map)
            self.session.cell_wanted.emit(found.row, found.col)

    def rule_of_situation(self) -> None:
        """Make a rule for the chosen situation, with the tile in hand."""
        found, home = self.situations.situation, self.home
        if found is None or home is None:
            return
        hand = self.session.hand
        tiles = (MixEntry(hand.tile),) if isinstance(hand, TileInHand) else ()
        rule = replace(
            rule_of_key(home, found.key), result=Result(tiles=tiles), name=say("Situation")
        )
        self.add_rule(lambda _: rule)
        if not tiles:
            self.session.note(say("The rule has no tile yet: take one in hand, then “+ in hand”"))

    def tile_of_situation(self) -> None:
        """Go to Terrains and offer to make the set's missing tiles."""
        if self.home is not None and self.home.kit is not None and self.home.tileset is not None:
            self.session.missing_wanted.emit(self.home.tileset, self.home.kit)

    def ask_cell(self) -> None:
        """Copy the stencil from the next cell that is clicked on the map."""
        self.session.take_clicks(CellPicker(self.session, self._copy_cell))

    def _copy_cell(self, map_: Map, cell: tuple[int, int]) -> None:
        home, rule = self.home, self.list.rule
        layers = layers_with(home, map_) if home else []
        if home is None or home.kit is None or not isinstance(rule, NeighbourRule) or not layers:
            self.session.warn(
                say("No layer of this map is knitted from the set whose rules these are")
            )
            return
        layer = self.session.layer if self.session.layer in layers else layers[0]
        assert isinstance(layer, GroundLayer)
        reach = self.editor.pad.reach
        box = Box(cell[0], cell[1], cell[0] + 1, cell[1] + 1)
        window = wide_window(layer, box, map_.lattice, max(1, reach))
        values = {place: int(window.values(place)[0, 0])
                  for place in places_of(home.kit.kind, reach)
                  if not window.off(place)[0, 0]}  # fmt: skip
        made = stencil_from_cell(home.kit, values)
        new = replace(rule, stencil=made.stencil, subject=made.subject)
        self.put_rules(
            new, say("Stencil of {rule_words} from a cell", rule_words=rule_words(rule)), None
        )

    def ask_sheet_tile(self) -> None:
        """Choose tiles for the result on the sheet."""
        first = self.home.tileset if self.home else None
        words = say("A click adds the tile to the rule's result.")
        self.pane.open_pane(first, words, self.editor.add_tile)
        self._show_area()

    def show_sheets(self) -> None:
        """Show the sheets, to take a tile in hand."""
        self.pane.open_pane(self.home.tileset if self.home else None)
        self._show_area()
