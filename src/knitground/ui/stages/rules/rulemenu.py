"""The menu of lists: new ones, reading and writing them, using them on the map."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QMenu, QPushButton

from knitground.core.base.tongue import say
from knitground.core.edit.document import Edit
from knitground.core.edit.rewriting import rewrite_now, use_on_map
from knitground.core.edit.ruledrafts import rules_from_marks
from knitground.core.edit.rulehome import RuleHome
from knitground.core.edit.rules import (
    add_rule_list,
    delete_rule_list,
    homes,
    merge_rules,
    rename_rule_list,
)
from knitground.core.files.rulesfile import read_rules, write_rules
from knitground.core.knit.layer import marked_tiles
from knitground.core.model.rules import RuleList
from knitground.ui.common.asking import ask_text
from knitground.ui.common.commands import with_key
from knitground.ui.common.filedialogs import ask_file, ask_new_file
from knitground.ui.common.words import on_button
from knitground.ui.session import Session
from knitground.ui.stages.rules.part import Bench

UNTIL_CALM = 256
_END = ".rules.json"
_RULES = say("Rules (*{end})", end=_END)
REWRITINGS = (
    ("Rewrite the map once", False, 1),
    ("Rewrite the selection once", True, 1),
    ("Rewrite the map until nothing changes", False, UNTIL_CALM),
    ("Rewrite the selection until nothing changes", True, UNTIL_CALM),
)
"""In words, whether in the selection, and how often at most."""


class RuleMenu:
    """What can be done with whole lists of rules."""

    def __init__(self, session: Session, bench: Bench) -> None:
        self.session, self.bench = session, bench
        self.button = QPushButton(say("Rules…"))
        self.button.setToolTip(say("New lists, reading and writing them, using them on the map"))
        self.menu = QMenu(self.button)
        self.menu.aboutToShow.connect(self.fill)
        self.button.setMenu(self.menu)

    @property
    def home(self) -> RuleHome | None:
        """The list that is shown."""
        return self.bench.home

    def fill(self) -> None:
        """Fill the menu for the list that is shown."""
        menu, home = self.menu, self.home
        menu.clear()
        menu.addAction(say("New list…"), self.ask_new_list)
        own = home is not None and home.kit is None
        for words, action, on in (
            (say("Rename…"), self._ask_rename, own),
            (say("Delete list"), self._delete_list, own),
            (
                say("All marks of this set as rules"),
                self.marks_as_rules,
                home is not None and not own,
            ),
        ):
            menu.addAction(words, action).setEnabled(on)
        menu.addSeparator()
        menu.addAction(say("Use on this map: a layer that follows"), self.use_list).setEnabled(own)
        for words, selection, passes in REWRITINGS:
            action = partial(self.rewrite, selection=selection, passes=passes)
            menu.addAction(words, action).setEnabled(own)
        menu.addSeparator()
        others = menu.addMenu(say("Add the rules of"))
        for each in homes(self.session.project):
            if home is not None and not each.same_as(home) and each.rules.rules:
                others.addAction(on_button(each.title), partial(self.add_from, each))
        menu.addSeparator()
        menu.addAction(say("Write to a file…"), self._ask_write).setEnabled(home is not None)
        menu.addAction(say("Read from a file…"), self._ask_read)

    def ask_new_list(self) -> None:
        """Ask for a name and make a list of rules."""
        name = ask_text(
            self.bench.window(), say("New list"), say("Name of the list"), say("Finish")
        )
        if name:
            self.new_list(name)

    def new_list(self, name: str = say("Rules")) -> None:
        """Make a list of rules."""
        project = self.session.project
        if self.session.do(lambda: add_rule_list(project, RuleList(name))):
            self.bench.show_list(project.rule_lists[-1].name)

    def _ask_rename(self) -> None:
        home = self.home
        name = ask_text(
            self.bench.window(), say("Rename"), say("Name of the list"), home.name if home else ""
        )
        if not name or home is None or home.kit is not None:
            return
        if self.session.do(lambda: rename_rule_list(self.session.project, home.name, name)):
            self.bench.show_list(name)

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
        self.bench.do(lambda h: merge_rules(h, made))

    def use_list(self) -> None:
        """Add a grown layer to the map that follows the list, reading the chosen layer."""
        home, map_, layer = self.home, self.session.map, self.session.layer
        if home is None or map_ is None or layer is None:
            return
        self.session.do(lambda: use_on_map(map_, home.name, layer))

    def add_from(self, other: RuleHome) -> None:
        """Add copies of another list's rules behind those of this one."""
        self.bench.do(lambda home: merge_rules(home, other.rules))

    def rewrite(self, *, selection: bool, passes: int = 1) -> None:
        """Rewrite the chosen layer by the list, in the selection or all over, as one step."""
        self.bench.catch_up()
        home, map_, layer = self.home, self.session.map, self.session.layer
        if home is None or home.kit is not None or map_ is None or layer is None:
            self.session.warn(say("Choose a list of rules of the project's own first, in Rules"))
            return
        chosen = self.session.selection if selection else None
        if selection and chosen is None:
            self.session.warn(
                say(
                    "Nothing is selected: take {with_key} and drag over cells",
                    with_key=with_key("Select"),
                )
            )
            return
        doc = self.session.doc
        self.session.run_long(
            say("Rewriting…"),
            lambda _: rewrite_now(doc, map_, home.name, layer, chosen, passes),
            self.session.apply,
        )

    def _ask_write(self) -> None:
        name = f"{self.home.title if self.home is not None else 'rules'}{_END}"
        path = ask_new_file(self.bench.window(), say("Write rules"), "rules", name, _RULES)
        if path is not None:
            self.write_to(path if path.name.endswith(_END) else path.with_name(path.name + _END))

    def _ask_read(self) -> None:
        path = ask_file(self.bench.window(), say("Read rules"), "rules", _RULES)
        if path is not None:
            self.read_from(path)

    def write_to(self, path: Path) -> None:
        """Write the list to a file."""
        home = self.home
        if home is not None and self.session.attempt(lambda: write_rules(path, home.rules)):
            self.session.note(
                say("{name} written: {count} rules", name=path.name, count=len(home.rules.rules))
            )

    def read_from(self, path: Path) -> None:
        """Read a file of rules: behind those of the set that is shown, or as a list of its own."""
        home, project = self.home, self.session.project

        def build() -> Edit:
            rules = read_rules(path)
            if home is not None and home.kit is not None:
                return merge_rules(home, rules)
            return add_rule_list(project, replace(rules, name=rules.name or path.stem))

        if self.session.do(build) and (home is None or home.kit is None):
            self.bench.show_list(project.rule_lists[-1].name)
