"""Grow: a recipe of steps that make layers from a seed, live while its numbers change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial
from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QWidget,
)

from knitground.core.base.filenames import file_stem
from knitground.core.base.tongue import say
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Edit
from knitground.core.edit.maps import add_maps
from knitground.core.edit.recipes import (
    Over,
    add_step,
    cells_painted,
    duplicate_step,
    grow_round,
    keep_area,
    layer_names,
    make_plain,
    move_step,
    painted_cells,
    painted_over,
    paste_steps,
    put_step,
    put_steps,
    remove_step,
    reroll_step,
    salted,
    step_layer,
    step_title,
)
from knitground.core.edit.selecting import Selection
from knitground.core.edit.starters import Starter, starter_recipe, take_starter
from knitground.core.files.recipefile import RECIPE_END, read_recipe, write_recipe
from knitground.core.grow.kinds import STEP_KINDS
from knitground.core.grow.looks import seam_figure
from knitground.core.model.layers import GroundLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import Recipe, RewriteStep, Step
from knitground.ui.common.asking import Role, answered, ask
from knitground.ui.common.commands import Commands
from knitground.ui.common.filedialogs import ask_file, ask_new_file
from knitground.ui.common.form import Check, whole_box
from knitground.ui.common.painting import image_of
from knitground.ui.common.widgets import (
    after_turns,
    button,
    column,
    head,
    note,
    primary,
    row,
    scrolled,
    show_when_laid_out,
)
from knitground.ui.session import Session
from knitground.ui.stages.grow.alone import AloneDialog
from knitground.ui.stages.grow.carddrag import CardDrag
from knitground.ui.stages.grow.chunkdialog import ChunkDialog
from knitground.ui.stages.grow.deck import Deck
from knitground.ui.stages.grow.nine import NineDialog
from knitground.ui.stages.grow.offers import Offers
from knitground.ui.stages.grow.pairsdialog import PairsDialog
from knitground.ui.stages.grow.running import RunLine
from knitground.ui.stages.grow.runs import Order, Ran, Runs
from knitground.ui.stages.grow.standin import off_words
from knitground.ui.stages.grow.starterbox import StarterBox
from knitground.ui.stages.grow.stepcard import StepCard, Told
from knitground.ui.stages.stage import Stage

_RECIPES = say("Recipes (*{recipe_end})", recipe_end=RECIPE_END)
LIVE_CELLS = 512 * 512
"""Maps up to this size grow while a slider moves; larger ones when it is let go."""
_NO_MAP = say(
    "A recipe makes layers of a map from a seed, step by step. This project has no map yet: "
    "“New map…” at the right makes one."
)
_NO_RECIPE = say(
    "This map has no recipe yet. A recipe makes layers from a seed, step by step: “Noise ground” "
    "lays terrain by chance, “Scatter” strews tiles and patches, “Route” leads ways from place to "
    "place. It can be run again with another seed; what you lay by hand stays."
)


class GrowBench(Stage):
    """The stage: the recipe's steps, what each is set to, and what it has made."""

    key = "grow"
    wide = 420

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.runs = Runs(session, self._order, lambda made: self.running.take(made), self)
        self.offers = Offers(session, self)
        self.wished: tuple[Step, ...] | None = None
        """The steps that cards have asked for, until they have been run."""
        self._wished_for: Map | None = None
        self.show_times = True
        """Whether times are told; the headless example leaves them out, to be the same each run."""
        self.laid: dict[str, tuple[float, float]] = {}
        """Parts asked for and laid of the terrains of the first noise ground."""
        self.told: dict[int, Told] = {}
        self._behind = False
        self._open = 0
        self._focus: int | None = None
        self.copied: tuple[list[Step], dict[int, tuple[str, str]]] | None = None
        self._told_for: object = None
        self._built: object = None
        self.change_key = object()
        self._wait = QTimer(self, singleShot=True, interval=0)
        self._wait.timeout.connect(self.runs.run)
        self._make_parts()
        self._lay_out()
        self._connect_runs()
        session.choice.map_changed.connect(self.refresh_later)
        session.changed.connect(self._follow)

    def _make_parts(self) -> None:
        self.title = head(say("Recipe"))
        self.seed = whole_box(0, 2_000_000_000, say("The same seed gives the same map"))
        self.seed.valueChanged.connect(self._set_seed)
        self._seed_waits = False
        """Whether a seed was given that no run has taken yet."""
        self.reroll = button(say("Reroll"), self.roll, say("Take the next seed for all steps"))
        self.nine = button(say("Nine…"), self.choose_of_nine, say("See nine seeds side by side"))
        self.run_button = primary(say("Run"), self.run_new, say("Run the recipe"), "Ctrl+R")
        self.step_note = note()
        self.wrap = Check(
            say("Wraps at the borders"), say("The right border meets the left, the bottom the top")
        )
        self.wrap.clicked.connect(self._set_wrap)
        self.repeat = Check(say("Show the map repeated 3 × 3"), say("See whether the borders meet"))
        self.repeat.clicked.connect(lambda on: self.session.show(repeat=on))
        self.session.sight_changed.connect(
            lambda: self.repeat.setChecked(self.session.sight.repeat)
        )
        self.seam = note()
        self.add = QPushButton(say("+ step"))
        self.add.setToolTip(say("Add a step behind the others"))
        menu = QMenu(self.add)
        menu.setToolTipsVisible(True)
        for kind, about in STEP_KINDS.items():
            act = menu.addAction(about.title, partial(self.add_kind, kind))
            act.setToolTip(about.hint)
        self.add.setMenu(menu)
        self.more = QPushButton(say("Recipe…"))
        self.more.setToolTip(say("Copy, paste, save and read recipes"))
        menu = QMenu(self.more)
        menu.addAction(say("Copy all steps"), self.copy_all)
        menu.addAction(say("Paste steps"), self.paste)
        menu.addSeparator()
        menu.addAction(say("Chunks that fit…"), self.ask_chunks)
        menu.addSeparator()
        menu.addAction(say("Keep to begin other maps with…"), self.ask_keep)
        menu.addAction(say("Save as a file…"), self.ask_save)
        menu.addAction(say("Add from a file…"), self.ask_read)
        self.more.setMenu(menu)
        self.starters = StarterBox(self.session)
        self.starters.taken.connect(self.begin_with)
        self.lines = column(spacing=6)
        self.deck = Deck(self.lines, self._new_card)
        self.running = RunLine(self.runs.call_off)

    def _lay_out(self) -> None:
        self.how = note()
        self.seed_line = QWidget()
        self.seed_line.setLayout(row(
            QLabel(say("Seed")), self.seed, self.reroll, self.nine, 1, self.run_button, spacing=5,
        ))  # fmt: skip
        self.inner = inner = QWidget()
        inner.setLayout(column(
            self.title, self.how, self.seed_line, self.step_note, self.running, self.lines,
            row(self.add, self.more, 1), self.starters, self.wrap, self.repeat, self.seam, 1,
            margins=14, spacing=8,
        ))  # fmt: skip
        self.setLayout(column(scrolled(inner)))
        self.dragging = CardDrag(inner)
        self.dragging.moved.connect(self.shift)
        self.dragging.wanted.connect(self._act)

    @property
    def cards(self) -> list[StepCard]:
        """The cards of the steps, in their order."""
        return self.deck.cards

    # Following the session

    def _follow(self, change: Changed) -> None:
        if change.what in (What.RECIPE, What.MARKS, What.LAYERS, What.MAPS, What.MIXES, What.RULES,
                           What.TILESETS):  # fmt: skip
            self.refresh_later()

    def add_commands(self, commands: Commands) -> None:
        commands.add("Run recipe", self.run_new, "Ctrl+R")
        commands.add("Keep the selection from the recipe", self.keep_selection)
        commands.add("Make the grown layer plain", self.make_plain)

    def refresh(self) -> None:
        """Show the recipe of the session's map."""
        map_ = self.session.map
        for part in (self.add, self.more, self.wrap):
            part.setVisible(map_ is not None)
        if map_ is None:
            self._show_none()
            return
        if not self.shows(map_):
            self.settle_wish()
            self._told_for, self.told, self.laid = map_, {}, {}
            self.step_note.setText("")
            self._open = 0
            self._seed_waits = False
        steps = map_.recipe.steps
        self.title.setText(say("Recipe — {name}", name=map_.name))
        self.how.setText(_NO_RECIPE)
        self.how.setVisible(not steps)
        self.starters.show_map(None if steps else map_)
        for each in (self.seed_line, self.step_note):
            each.setVisible(bool(steps))
        self.repeat.setVisible(bool(steps) or map_.wrap)
        if not self._seed_waits:  # cards are dealt in several turns: what was typed meanwhile stays
            self.seed.show_value(map_.recipe.seed)
        self.wrap.setChecked(map_.wrap)
        grounds = [each for each in map_.layers if isinstance(each, GroundLayer)]
        self.seam.setVisible(map_.wrap and bool(grounds))
        if map_.wrap and grounds:
            figure = seam_figure(grounds[0], map_.lattice)
            self.seam.setText(
                say(
                    "Over the border terrain changes {figure:.2f} × as often as inside.",
                    figure=figure,
                )
            )
        self._show_cards(map_)

    def _show_none(self) -> None:
        """Say what a recipe is for, where there is no map yet."""
        self.title.setText(say("Recipe"))
        self.how.setText(_NO_MAP)
        self.how.show()
        self.starters.show_map(None)
        for each in (self.seed_line, self.step_note, self.repeat, self.seam):
            each.hide()
        self.deck.clear()
        self._built = None

    def _show_cards(self, map_: Map) -> None:
        steps = map_.recipe.steps
        built = (id(map_), tuple(type(each) for each in steps))
        if built != self._built:
            self._built = built
            show_when_laid_out(self.inner)
            if not self.deck.deal(map_, steps):
                self._built = None
                after_turns(1, self, self.refresh_later)
                return
            self._open = min(self._open, max(0, len(steps) - 1))
            handles: list[tuple[QWidget, ...]] = [(c.title, c.picture) for c in self.cards]
            self.dragging.watch(list(self.cards), handles)
        if self._focus is not None and self._focus < len(self.cards):
            self.cards[self._focus].title.setFocus()  # so that keys can move it on
        self._focus = None
        problems = self.session.doc.rewriter.problems.get(map_) or []
        for place, (card, step) in enumerate(zip(self.cards, steps)):
            told = self.told.get(place, Told())
            if isinstance(step, RewriteStep):
                head = say("step {place}", place=place + 1)
                mine = next((p for p in problems if p.startswith((f"{head} ", f"{head}:"))), "")
                words = told.words or say("It follows while you draw: no need to run it.")
                told = replace(told, problem=mine, words=words)
            card.show_step(step, told)
            card.open(place == self._open)

    def _new_card(self, map_: Map, place: int, kind: type) -> StepCard:
        card = StepCard(self.session, map_, place, kind)
        card.changed.connect(lambda step, held: self._change(card.place, step, held))
        card.let_go.connect(self._released)
        card.opened.connect(lambda: self.open_card(card.place))
        card.wanted.connect(lambda act: self._act(card.place, act))
        return card

    def open_card(self, place: int) -> None:
        """Show all settings of one step; again, of none."""
        self._open = -1 if self._open == place else place
        for each in self.cards:
            each.open(each.place == self._open)

    # Changing the recipe

    def do_edit(self, build: Callable[[Map], Edit]) -> bool:
        map_ = self.session.map
        return map_ is not None and self.session.do(lambda: build(map_))

    def add_kind(self, kind: type) -> None:
        """Add a step of a kind for the chosen layer, or for the first that fits, and run it."""
        self.catch_up()
        project, near = self.session.project, self.session.layer
        over = self._ask_over(kind)
        if over and self.do_edit(lambda map_: add_step(project, map_, kind, near, over)):
            assert self.session.map is not None
            self._open = len(self.session.map.recipe.steps) - 1
            self.run_new()

    def _ask_over(self, kind: type) -> Over | None:
        """Ask what becomes of terrain painted where a step is to work; None calls it off."""
        map_ = self.session.map
        if map_ is None:
            return Over.INSTEAD  # it is told that there is no map
        layer = step_layer(map_, kind, self.session.layer)
        painted = painted_cells(map_, layer)
        if layer is None or painted is None:
            return Over.INSTEAD
        return self._ask_painted(layer.name, int(painted.sum()))

    def _ask_painted(self, name: str, cells: int) -> Over | None:
        answers = {
            say("Grow on a layer of its own"): (Over.OWN.name, Role.AcceptRole),
            say("Round what is painted"): (Over.ROUND.name, Role.ActionRole),
            say("Instead of it"): (Over.INSTEAD.name, Role.DestructiveRole),
            say("Cancel"): ("", Role.RejectRole),
        }
        answer = ask(
            self.window(),
            say("Terrain is painted there"),
            say("“{name}” has terrain painted by hand in {cells} cells.", name=name, cells=cells),
            answers,
            say("A step lays terrain anew each time that it runs."),
        )
        return Over[answer] if answer else None

    def begin_with(self, starter: Starter, seed: int) -> None:
        """Give the map the steps of a starter, with its layers, and run them."""
        map_, doc = self.session.map, self.session.doc
        if map_ is None or map_.recipe.steps:
            return
        recipe, over = starter_recipe(map_, starter, seed), Over.INSTEAD
        painted = painted_over(map_, recipe)
        if painted:
            cells = int(sum(cells_painted(each).sum() for each in painted))
            answer = self._ask_painted(painted[0].name, cells)
            if answer is None:
                return
            over = answer

        def begin() -> None:
            with doc.stroke(say("Begin with “{title}”", title=starter.title)):
                doc.apply(take_starter(map_, starter, seed))
                doc.apply(put_steps(map_, grow_round(doc, map_, map_.recipe, over, "").steps))

        self.session.attempt(begin)
        if map_.recipe.steps:
            self._open = 0
            self.refresh()
            self.run_new()

    def _change(self, place: int, step: Step, held: bool) -> None:
        """Grow with another step in one's place."""
        map_ = self.session.map
        if map_ is None or place >= len(map_.recipe.steps):
            return
        self.settle_wish()
        steps = list(self.wished or map_.recipe.steps)
        steps[place] = step
        if not held:
            self.new_key()
        self.wished, self._wished_for = tuple(steps), map_
        if held and map_.height * map_.width > LIVE_CELLS:
            return
        # While a slider is held what it moves is shown at once; the steps behind it follow later.
        self.runs.until = place + 1 if held else None
        self._behind |= held
        self._wait.start()

    def shows(self, map_: Map) -> bool:
        """Whether the cards, and the seed, are those of a map."""
        return self._told_for is map_

    def _released(self) -> None:
        if self.wished is not None or self._behind:
            self._behind = False
            self.runs.until = None
            self._wait.start()

    def _act(self, place: int, act: str) -> None:
        """Do what a card's menu asks for."""
        if act in ("up", "down"):
            self.shift(place, place + (1 if act == "down" else -1))
        elif act == "double":
            if self.do_edit(lambda map_: duplicate_step(map_, place)):
                self._open = place + 1
                self.run_new()
        elif act == "reroll":
            if self.do_edit(lambda map_: reroll_step(map_, place)):
                self.run_new()
        elif act == "remove":
            if self.do_edit(lambda map_: remove_step(map_, place)):
                self.told = {}
        elif act == "rename":
            self._rename(place)
        elif act == "copy":
            self.copy([place])
        elif act == "look":
            self.look_at(place)
        elif act == "pairs":
            self.show_pairs(place)
        elif act == "to here":
            self.runs.until = place + 1
            self.run_new()
        elif act == "from here":
            self.runs.anew = place
            self.run_new()

    def shift(self, place: int, to: int) -> None:
        """Let a step run at another place of the recipe; the open card stays open."""
        self.catch_up()
        order = list(range(len(self.cards)))
        focused = self.cards[place].title.hasFocus()
        if self.do_edit(lambda map_: move_step(map_, place, to)):
            order.insert(to, order.pop(place))
            self._open = order.index(self._open) if self._open in order else self._open
            self._focus = to if focused else None
            self.told = {}
            self.run_new()

    def _rename(self, place: int) -> None:
        map_ = self.session.map
        if map_ is None:
            return
        step = map_.recipe.steps[place]
        name, ok = QInputDialog.getText(
            self, say("Rename step"), say("Name"), text=step_title(step)
        )
        if ok:
            new = replace(step, name=name.strip())
            self.do_edit(lambda each: put_step(each, place, new))

    def new_key(self) -> None:
        self.change_key = object()

    def _set_seed(self) -> None:
        self._seed_waits = True
        self.new_key()
        self._wait.start()

    def roll(self) -> None:
        """Take the next seed and grow again."""
        self.catch_up()
        self.seed.setValue(self.seed.value() + 1)

    def _set_wrap(self, on: bool) -> None:
        map_ = self.session.map
        if map_ is not None:
            done = self.session.let_wrap(map_, on)
            if done and map_.recipe.steps:
                self.run_new()
            elif not done:
                self.wrap.setChecked(map_.wrap)

    # Running

    def _connect_runs(self) -> None:
        runs = self.runs
        runs.began.connect(self.running.begin)
        runs.began.connect(lambda *_: self.step_note.setText(say("growing…")))
        runs.progressed.connect(self.running.tell)
        runs.ended.connect(self.running.end)
        runs.ran.connect(self._tell)
        runs.settled.connect(self.refresh_later)
        runs.outdated.connect(self._wish_again)
        runs.failed.connect(self._fail)
        runs.gone_on.connect(self.settle_wish)
        self.offers.run_wanted.connect(self.run_new)
        self.offers.step_wanted.connect(self.put_recipe)

    def run_new(self) -> None:
        """Run the recipe as a step of its own."""
        self.catch_up()
        self.new_key()
        self.runs.run()

    def _wish_again(self, order: Order) -> None:
        """Wish once more what a run could not lay, unless something newer is wished or there."""
        if self.wished is None and order.map_.recipe.steps == order.before:
            self.wished, self._wished_for = order.recipe.steps, order.map_

    def settle_wish(self) -> None:
        """Put what was asked for in the recipe of a map that is no longer shown; nothing runs."""
        map_, steps, session = self._wished_for, self.wished, self.session
        if steps is not None and map_ is not session.map:
            self.wished = None
            if map_ in session.project.maps:
                session.doc.when_free(lambda: session.apply(put_steps(map_, steps)))

    def _order(self) -> Order | None:
        """Give the recipe as the cards ask for it."""
        map_ = self.session.map
        if map_ is None:
            return None
        self.settle_wish()
        steps, self.wished = self.wished or map_.recipe.steps, None
        if not steps:
            return None
        seed = self.seed.value() if self.shows(map_) else map_.recipe.seed
        self._seed_waits = False
        recipe = replace(map_.recipe, seed=seed, steps=steps)
        return Order(map_, recipe, self.change_key, map_.recipe.steps)

    def _tell(self, map_: Map, found: Ran, until: int | None) -> None:
        """Note what each step made, for its card."""
        if not self.shows(map_):
            return
        first = next(
            (e for e in found.grown if isinstance(e.layer, GroundLayer) and e.shares), None
        )
        self.laid = {name: (a, b) for name, a, b in first.shares} if first else {}
        told: dict[int, Told] = {}
        for each, small in zip(found.grown, found.pictures):
            words = f"{each.seconds * 1000:.0f} ms" if self.show_times else ""
            words = " · ".join(part for part in (words, each.words) if part)
            picture = QPixmap.fromImage(image_of(small).copy())
            if each.step not in told:
                told[each.step] = Told(words, each.shares, picture, "", each.spots)
        for line in found.skipped:
            number = line.split(":")[0].split()[1]
            if number.isdecimal():
                told[int(number) - 1] = Told(problem=line)
        last = max(told, default=-1)
        if until is not None:  # what later steps made is still there
            told |= {place: each for place, each in self.told.items() if place > last}
        self.told = told
        took = sum(each.seconds for each in found.grown)
        text = say("{took:.0f} ms · ", took=took * 1000) if self.show_times else ""
        self.step_note.setText(text + off_words(found.grown))
        stuck = next((each for each in found.grown if each.spots), None)
        if found.skipped:
            self.session.warn(" · ".join(found.skipped[:3]))
        elif stuck is not None:
            self.offers.tell_spot(map_, stuck)
        self.offers.tell_plainless(map_, found.plainless)

    def _fail(self, words: str) -> None:
        self.step_note.setText("")
        if words:
            self.session.warn(words)

    def put_recipe(self, place: int, step: Step) -> None:
        if self.do_edit(lambda map_: put_step(map_, place, step)):
            self.run_new()

    def copy(self, places: list[int]) -> None:
        map_ = self.session.map
        if map_ is not None:
            steps = salted(map_.recipe)
            self.copied = ([steps[n] for n in places], layer_names(map_))
            copied = say("1 step") if len(places) == 1 else say("{count} steps", count=len(places))
            self.session.note(
                say("{copied} copied: “Recipe…”, “Paste steps” adds what you copied", copied=copied)
            )

    def copy_all(self) -> None:
        """Copy all steps, to be pasted on another map."""
        if self.session.map is not None:
            self.copy(list(range(len(self.session.map.recipe.steps))))

    def paste(self) -> None:
        """Add the copied steps behind those of this map."""
        if self.copied is None:
            self.session.warn(say("No step is copied: copy some first"))
            return
        steps, names = self.copied
        if self.do_edit(lambda map_: paste_steps(map_, steps, names)):
            self.run_new()

    def ask_chunks(self) -> None:
        """Show maps of other seeds with the same border, and add them."""
        map_ = self.session.map
        if map_ is None:
            return
        dialog = ChunkDialog(self.session, map_, self.window())
        if answered(dialog) and len(dialog.chunks) > 1:
            new = dialog.chunks[1:]
            name = say("Add {count} chunks of “{name}”", count=len(new), name=map_.name)
            self.session.do(lambda: add_maps(self.session.project, new, name))

    def ask_save(self) -> None:
        """Ask for a file and write the recipe to it."""
        map_ = self.session.map
        name = f"{map_.name if map_ else 'recipe'}{RECIPE_END}"
        found = ask_new_file(self, say("Save recipe"), "recipes", name, _RECIPES)
        if found is not None and map_ is not None:
            right = found.name.endswith(RECIPE_END)
            path = found if right else found.with_name(found.name + RECIPE_END)
            self.session.attempt(lambda: write_recipe(map_, path))

    def ask_keep(self) -> None:
        """Ask for a name and keep the recipe, to be offered where another map has none."""
        map_, folder = self.session.map, self.session.recipes
        if map_ is None or folder is None:
            return
        if not map_.recipe.steps:
            self.session.warn(
                say("“{name}” has no recipe that could be kept: add a step first", name=map_.name)
            )
            return
        name, ok = QInputDialog.getText(self, say("Keep recipe"), say("Name"), text=map_.name)
        if ok and name.strip():
            self.keep_recipe(name.strip())

    def keep_recipe(self, name: str) -> None:
        """Keep the recipe under a name; one of that name is written over when that is wanted."""
        map_, folder = self.session.map, self.session.recipes
        if map_ is None or folder is None:
            return
        path = folder / f"{file_stem(name)}{RECIPE_END}"
        if path.exists():
            answers = {
                say("Replace it"): ("yes", Role.DestructiveRole),
                say("Cancel"): ("", Role.RejectRole),
            }
            if not ask(self.window(), say("There is one of that name"),
                       say("A recipe “{name}” is kept already.", name=name), answers):  # fmt: skip
                return
        if self.session.attempt(lambda: write_recipe(map_, path)):
            self.session.note(say("“{name}” is offered on maps that have no recipe yet", name=name))

    def ask_read(self) -> None:
        """Ask for a file and add its steps."""
        path = ask_file(self, say("Read recipe"), "recipes", _RECIPES)
        if path is not None:
            self.read_file(path)

    def read_file(self, path: Path) -> None:
        """Add the steps of a recipe's file behind those of this map."""
        found: list[tuple[Recipe, dict[int, tuple[str, str]]]] = []
        self.session.attempt(lambda: found.append(read_recipe(path)))
        if not found:
            return
        recipe, names = found[0]
        if self.do_edit(lambda map_: paste_steps(map_, recipe.steps, names)):
            self.run_new()

    def keep_selection(self) -> None:
        """Let no step change the selected cells any more."""
        chosen: Selection | None = self.session.selection
        if chosen is None:
            self.session.warn(
                say("Nothing is selected: select the cells that are to be kept first")
            )
        else:
            self.do_edit(lambda map_: keep_area(map_, chosen))

    def make_plain(self) -> None:
        """Turn the chosen grown layer into one of tiles laid by hand."""
        layer = self.session.layer
        if layer is not None and self.do_edit(lambda map_: make_plain(map_, layer)):
            map_ = self.session.map
            assert map_ is not None
            self.session.choose_layer(map_.layer_numbered(layer.number))

    def choose_of_nine(self) -> None:
        """Show nine seeds side by side and take the one that is chosen."""
        map_ = self.session.map
        if map_ is None or not map_.recipe.steps:
            return
        dialog = NineDialog(self.session, map_, self.seed.value(), self.window())
        if answered(dialog) and dialog.chosen is not None:
            self.seed.setValue(dialog.chosen)

    def look_at(self, place: int) -> None:
        """Show what a step has made, by itself and large."""
        map_ = self.session.map
        if map_ is not None:
            answered(AloneDialog(self.session, map_, place, self.window()))

    def show_pairs(self, place: int) -> None:
        """Show which tiles a solve takes to fit, to forbid pairs; it runs anew if some changed."""
        self.catch_up()
        map_ = self.session.map
        if map_ is None:
            return
        before = map_.recipe.steps[place]
        answered(PairsDialog(self.session, map_, place, self.window()))
        if self.session.map is map_ and map_.recipe.steps[place] != before:
            self.run_new()
