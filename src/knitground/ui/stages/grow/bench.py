"""Grow: a recipe of steps that make layers from a seed, live while its numbers change."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import numpy as np
from PySide6.QtCore import QTimer
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import (
    QCheckBox,
    QFileDialog,
    QInputDialog,
    QLabel,
    QMenu,
    QPushButton,
    QSpinBox,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.base.window import Box
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.laying import plan_unpin
from knitground.core.edit.maps import add_maps, lay_grown, set_wrap
from knitground.core.edit.recipes import (
    KINDS,
    add_step,
    duplicate_step,
    keep_area,
    layer_names,
    make_plain,
    move_step,
    paste_steps,
    put_step,
    remove_step,
    reroll_step,
    salted,
    step_title,
)
from knitground.core.edit.selecting import Selection
from knitground.core.files.recipefile import RECIPE_END, read_recipe, write_recipe
from knitground.core.grow.looks import Small, seam_figure, step_picture
from knitground.core.grow.runner import Grown, Kept, run_recipe
from knitground.core.model.layers import GroundLayer, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import Recipe, RewriteStep, SolveFrom, SolveStep, Step
from knitground.ui.common.asking import answered
from knitground.ui.common.commands import Commands
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import button, clear, column, head, note, primary, row, scrolled
from knitground.ui.common.words import percent
from knitground.ui.mapside.canvas.chunks import image_of
from knitground.ui.session import Session
from knitground.ui.stages.grow.alone import AloneDialog
from knitground.ui.stages.grow.carddrag import CardDrag
from knitground.ui.stages.grow.chunkdialog import ChunkDialog
from knitground.ui.stages.grow.nine import NineDialog
from knitground.ui.stages.grow.pairsdialog import PairsDialog
from knitground.ui.stages.grow.running import RunLine
from knitground.ui.stages.grow.stepcard import StepCard, Told
from knitground.ui.stages.stage import Stage

LIVE_CELLS = 512 * 512
"""Maps up to this size grow while a slider moves; larger ones when it is let go."""
_PICTURE = (30, 44)
_NO_RECIPE = (
    "This map has no recipe yet. A recipe makes layers from a seed, step by step: “Noise ground” "
    "lays terrain by chance, “Scatter” strews tiles and patches, “Route” leads ways from place to "
    "place. It can be run again with another seed; what you lay by hand stays."
)


@dataclass
class _Ran:
    """What a run gave: the edit, what each step made, and which steps could not run."""

    grown: list[Grown]
    edit: Edit
    skipped: list[str]
    pictures: list[Small]


class GrowBench(Stage):
    """The stage: the recipe's steps, what each is set to, and what it has made."""

    key = "grow"
    wide = 420

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.show_times = True
        """Whether times are told; the headless example leaves them out, to be the same each run."""
        self.kept = Kept()
        self.laid: dict[str, tuple[float, float]] = {}
        """Parts asked for and laid of the terrains of the first noise ground."""
        self.told: dict[int, Told] = {}
        self.cards: list[StepCard] = []
        self._job: Job[_Ran | None] | None = None
        self._again = False
        self._steps: tuple[Step, ...] | None = None
        self._until: int | None = None
        self._anew: int | None = None
        self._behind = False
        self._open = 0
        self._focus: int | None = None
        self._copied: tuple[list[Step], dict[int, tuple[str, str]]] | None = None
        self._told_for: object = None
        self._built: object = None
        self._key = object()
        self._filling = False
        self._wait = QTimer(self, singleShot=True, interval=0)
        self._wait.timeout.connect(self.run)
        self._make_parts()
        self._lay_out()
        session.choice.map_changed.connect(self.refresh_later)
        session.opened.connect(self.refresh_later)
        session.changed.connect(self._follow)

    def _make_parts(self) -> None:
        self.title = head("Recipe")
        self.seed = QSpinBox()
        self.seed.setRange(0, 2_000_000_000)
        self.seed.setToolTip("The same seed gives the same map")
        self.seed.valueChanged.connect(self._set_seed)
        self.reroll = button("Reroll", self.roll, "Take the next seed for all steps")
        self.nine = button("Nine…", self.choose_of_nine, "See nine seeds side by side")
        self.run_button = primary("Run", self.run_new, "Run the recipe", "Ctrl+R")
        self.step_note = note()
        self.wrap = QCheckBox("Wraps at the borders")
        self.wrap.setToolTip("The right border meets the left, the bottom the top")
        self.wrap.clicked.connect(self._set_wrap)
        self.repeat = QCheckBox("Show the map repeated 3 × 3")
        self.repeat.setToolTip("See whether the borders meet (Shift+Ctrl+R)")
        self.repeat.clicked.connect(self.repeat_wanted)
        self.seam = note()
        self.add = QPushButton("+ step")
        self.add.setToolTip("Add a step behind the others")
        menu = QMenu(self.add)
        menu.setToolTipsVisible(True)
        for kind, about in KINDS.items():
            act = menu.addAction(about.title, partial(self.add_kind, kind))
            act.setToolTip(about.hint)
        self.add.setMenu(menu)
        self.more = QPushButton("Recipe…")
        self.more.setToolTip("Copy, paste, save and read recipes")
        menu = QMenu(self.more)
        menu.addAction("Copy all steps", self.copy_all)
        menu.addAction("Paste steps", self.paste)
        menu.addSeparator()
        menu.addAction("Chunks that fit…", self.ask_chunks)
        menu.addSeparator()
        menu.addAction("Save as a file…", self.ask_save)
        menu.addAction("Add from a file…", self.ask_read)
        self.more.setMenu(menu)
        self.lines = column(spacing=6)
        self.running = RunLine(self.call_off)

    def _lay_out(self) -> None:
        self.how = note()
        self.seed_line = QWidget()
        self.seed_line.setLayout(row(
            QLabel("Seed"), self.seed, self.reroll, self.nine, 1, self.run_button, spacing=5,
        ))  # fmt: skip
        self.inner = inner = QWidget()
        inner.setLayout(column(
            self.title, self.how, self.seed_line, self.step_note, self.running, self.lines,
            row(self.add, self.more, 1), self.wrap, self.repeat, self.seam, 1, margins=14,
            spacing=8,
        ))  # fmt: skip
        self.setLayout(column(scrolled(inner)))
        self.dragging = CardDrag(inner)
        self.dragging.moved.connect(self.shift)
        self.dragging.wanted.connect(self._act)

    # Following the session

    def _follow(self, change: Changed) -> None:
        if change.what in (What.RECIPE, What.MARKS, What.LAYERS, What.MAPS, What.MIXES, What.RULES,
                           What.TILESETS):  # fmt: skip
            self.refresh_later()

    def add_commands(self, commands: Commands) -> None:
        commands.line("Map")
        commands.add("Map", "Run recipe", self.run_new, "Ctrl+R")
        commands.add("Map", "Keep the selection from the recipe", self.keep_selection)
        commands.add("Layer", "Make the grown layer plain", self.make_plain)

    def show_repeat(self, on: bool) -> None:
        self.repeat.setChecked(on)

    def refresh(self) -> None:
        """Show the recipe of the session's map."""
        map_ = self.session.map
        self.setEnabled(map_ is not None)
        if map_ is None:
            return
        self._filling = True
        if self._told_for is not map_:
            self._told_for, self.told, self.laid = map_, {}, {}
            self._open = 0
        steps = map_.recipe.steps
        self.title.setText(f"Recipe — {map_.name}")
        self.how.setText(_NO_RECIPE)
        self.how.setVisible(not steps)
        for each in (self.seed_line, self.step_note):
            each.setVisible(bool(steps))
        self.repeat.setVisible(bool(steps) or map_.wrap)
        self.seed.setValue(map_.recipe.seed)
        self.wrap.setChecked(map_.wrap)
        grounds = [each for each in map_.layers if isinstance(each, GroundLayer)]
        self.seam.setVisible(map_.wrap and bool(grounds))
        if map_.wrap and grounds:
            figure = seam_figure(grounds[0])
            self.seam.setText(f"Over the border terrain changes {figure:.2f} × as often as inside.")
        self._show_cards(map_)
        self._filling = False

    def _show_cards(self, map_: Map) -> None:
        steps = map_.recipe.steps
        built = (id(map_), tuple(type(each) for each in steps))
        if built != self._built:
            self._built = built
            clear(self.lines)
            self.cards = []
            for place, step in enumerate(steps):
                card = StepCard(self.session, map_, place, type(step))
                card.changed.connect(partial(self._change, place))
                card.let_go.connect(self._released)
                card.opened.connect(partial(self.open_card, place))
                card.wanted.connect(partial(self._act, place))
                self.cards.append(card)
                self.lines.addWidget(card)
            self._open = min(self._open, max(0, len(steps) - 1))
            handles: list[tuple[QWidget, ...]] = [(c.title, c.picture) for c in self.cards]
            self.dragging.watch(list(self.cards), handles)
            # They have no room until the area has heard of them: squeezed, icons have no height.
            self.inner.setUpdatesEnabled(False)
            QTimer.singleShot(0, self, lambda: self.inner.setUpdatesEnabled(True))
        if self._focus is not None and self._focus < len(self.cards):
            self.cards[self._focus].title.setFocus()  # so that keys can move it on
        self._focus = None
        problems = self.session.doc.rewriter.problems.get(map_) or []
        for place, (card, step) in enumerate(zip(self.cards, steps)):
            told = self.told.get(place, Told())
            if isinstance(step, RewriteStep):
                mine = next((p for p in problems if p.startswith(f"step {place + 1} ")), "")
                words = told.words or "It follows while you draw: no need to run it."
                told = replace(told, problem=mine, words=words)
            card.show_step(step, told)
            card.open(place == self._open)

    def open_card(self, place: int) -> None:
        """Show all settings of one step; again, of none."""
        self._open = -1 if self._open == place else place
        for each in self.cards:
            each.open(each.place == self._open)

    # Changing the recipe

    def _do(self, build: Callable[[Map], Edit]) -> bool:
        map_ = self.session.map
        return map_ is not None and self.session.do(lambda: build(map_))

    def add_kind(self, kind: type) -> None:
        """Add a step of a kind for the chosen layer, or for the first that fits, and run it."""
        self.catch_up()
        project, near = self.session.project, self.session.layer
        if self._do(lambda map_: add_step(project, map_, kind, near)):
            assert self.session.map is not None
            self._open = len(self.session.map.recipe.steps) - 1
            self.run_new()

    def _change(self, place: int, step: Step, held: bool) -> None:
        """Grow with another step in one's place."""
        map_ = self.session.map
        if map_ is None or self._filling or place >= len(map_.recipe.steps):
            return
        steps = list(self._steps or map_.recipe.steps)
        steps[place] = step
        if not held:
            self._new_key()
        self._steps = tuple(steps)
        if held and map_.height * map_.width > LIVE_CELLS:
            return
        # While a slider is held what it moves is shown at once; the steps behind it follow later.
        self._until = place + 1 if held else None
        self._behind |= held
        self._wait.start()

    def _released(self) -> None:
        if self._steps is not None or self._behind:
            self._behind = False
            self._until = None
            self._wait.start()

    def _act(self, place: int, act: str) -> None:
        """Do what a card's menu asks for."""
        if act in ("up", "down"):
            self.shift(place, place + (1 if act == "down" else -1))
        elif act == "double":
            if self._do(lambda map_: duplicate_step(map_, place)):
                self._open = place + 1
                self.run_new()
        elif act == "reroll":
            if self._do(lambda map_: reroll_step(map_, place)):
                self.run_new()
        elif act == "remove":
            if self._do(lambda map_: remove_step(map_, place)):
                self.told = {}
        elif act == "rename":
            self._rename(place)
        elif act == "copy":
            self._copy([place])
        elif act == "look":
            self.look_at(place)
        elif act == "pairs":
            self.show_pairs(place)
        elif act == "to here":
            self._until = place + 1
            self.run_new()
        elif act == "from here":
            self._anew = place
            self.run_new()

    def shift(self, place: int, to: int) -> None:
        """Let a step run at another place of the recipe; the open card stays open."""
        self.catch_up()
        order = list(range(len(self.cards)))
        focused = self.cards[place].title.hasFocus()
        if self._do(lambda map_: move_step(map_, place, to)):
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
        name, ok = QInputDialog.getText(self, "Rename step", "Name", text=step_title(step))
        if ok:
            new = replace(step, name=name.strip())
            self._do(lambda each: put_step(each, place, new))

    def _copy(self, places: list[int]) -> None:
        map_ = self.session.map
        if map_ is not None:
            steps = salted(map_.recipe)
            self._copied = ([steps[n] for n in places], layer_names(map_))
            copied = "1 step" if len(places) == 1 else f"{len(places)} steps"
            self.session.note(f"{copied} copied: “Recipe…”, “Paste steps” adds what you copied")

    def copy_all(self) -> None:
        """Copy all steps, to be pasted on another map."""
        if self.session.map is not None:
            self._copy(list(range(len(self.session.map.recipe.steps))))

    def paste(self) -> None:
        """Add the copied steps behind those of this map."""
        if self._copied is None:
            self.session.warn("No step is copied: copy some first")
            return
        steps, names = self._copied
        if self._do(lambda map_: paste_steps(map_, steps, names)):
            self.run_new()

    def ask_chunks(self) -> None:
        """Show maps of other seeds with the same border, and add them."""
        map_ = self.session.map
        if map_ is None:
            return
        dialog = ChunkDialog(self.session, map_, self.window())
        if answered(dialog) and len(dialog.chunks) > 1:
            new = dialog.chunks[1:]
            name = f"Add {len(new)} chunks of “{map_.name}”"
            self.session.do(lambda: add_maps(self.session.project, new, name))

    def ask_save(self) -> None:
        """Ask for a file and write the recipe to it."""
        map_ = self.session.map
        name, _ = QFileDialog.getSaveFileName(
            self, "Save recipe", f"{map_.name if map_ else 'recipe'}{RECIPE_END}",
            f"Recipes (*{RECIPE_END})",
        )  # fmt: skip
        if name and map_ is not None:
            path = Path(name if name.endswith(RECIPE_END) else name + RECIPE_END)
            self.session.attempt(lambda: write_recipe(map_, path))

    def ask_read(self) -> None:
        """Ask for a file and add its steps."""
        name, _ = QFileDialog.getOpenFileName(self, "Read recipe", "", f"Recipes (*{RECIPE_END})")
        if name:
            self.read_file(Path(name))

    def read_file(self, path: Path) -> None:
        """Add the steps of a recipe's file behind those of this map."""
        found: list[tuple[Recipe, dict[int, tuple[str, str]]]] = []
        self.session.attempt(lambda: found.append(read_recipe(path)))
        if not found:
            return
        recipe, names = found[0]
        if self._do(lambda map_: paste_steps(map_, recipe.steps, names)):
            self.run_new()

    def keep_selection(self) -> None:
        """Let no step change the selected cells any more."""
        chosen: Selection | None = self.session.selection
        if chosen is None:
            self.session.warn("Nothing is selected: select the cells that are to be kept first")
        else:
            self._do(lambda map_: keep_area(map_, chosen))

    def make_plain(self) -> None:
        """Turn the chosen grown layer into one of tiles laid by hand."""
        layer = self.session.layer
        if layer is not None and self._do(lambda map_: make_plain(map_, layer)):
            map_ = self.session.map
            assert map_ is not None
            self.session.choose_layer(map_.layer_numbered(layer.number))

    def _wanted(self) -> Recipe | None:
        """Give the recipe as the cards ask for it."""
        map_ = self.session.map
        if map_ is None:
            return None
        steps, self._steps = self._steps or map_.recipe.steps, None
        return replace(map_.recipe, seed=self.seed.value(), steps=steps) if steps else None

    def _new_key(self) -> None:
        self._key = object()

    def _set_seed(self) -> None:
        if not self._filling:
            self._new_key()
            self._wait.start()

    def roll(self) -> None:
        """Take the next seed and grow again."""
        self.catch_up()
        self.seed.setValue(self.seed.value() + 1)

    def _set_wrap(self, on: bool) -> None:
        map_ = self.session.map
        if map_ is not None:
            self.session.apply(set_wrap(map_, on))
            if map_.recipe.steps:
                self.run_new()

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

    # Running

    def run_new(self) -> None:
        """Run the recipe as a step of its own."""
        self.catch_up()
        self._new_key()
        self.run()

    def run(self) -> None:
        """Run the recipe beside the interface thread and lay what it made; latest wish wins."""
        map_ = self.session.map
        if self._job is not None:
            self._again = True
            return
        recipe = self._wanted()
        if map_ is None or recipe is None:
            return
        until, self._until = self._until, None
        anew, self._anew = self._anew, None
        key, doc, kept = self._key, self.session.doc, self.kept
        trial = with_recipe(map_, recipe)
        revision = doc.revision

        def work(progress: Progress) -> _Ran | None:
            try:
                skipped: list[str] = []
                grown = run_recipe(
                    doc.project, trial, progress, kept=kept, until=until, skipped=skipped,
                    show=self.running.take, anew=anew,
                )  # fmt: skip
                small = [step_picture(doc.project, trial, each, *_PICTURE) for each in grown]
                return _Ran(grown, lay_grown(map_, grown, recipe), skipped, small)
            except Exception:
                if doc.revision != revision:
                    return None  # the map changed under it: run once more
                raise

        def done(found: _Ran | None) -> None:
            if doc is not self.session.doc or map_ not in doc.project.maps:
                return
            if found is None or doc.revision != revision:
                self._again = True
            else:
                doc.when_free(lambda: self._lay(doc, revision, map_, found, key, until))

        self.step_note.setText("growing…")
        self.running.begin(doc, trial)
        self._job = Job(work, done, self._fail, self.running.tell, owner=self, ended=self._ended)
        self._job.start()

    def call_off(self) -> None:
        """Stop the run that is under way; nothing changes."""
        self._again = False
        if self._job is not None:
            self._job.cancel()

    def _ended(self) -> None:
        self._job = None
        self.running.end()
        QTimer.singleShot(0, self, self._go_on)

    def _lay(
        self, doc: Document, revision: int, map_: Map, found: _Ran, key: object, until: int | None
    ) -> None:
        if doc is not self.session.doc or map_ not in doc.project.maps:
            return
        if doc.revision != revision:
            self.run()  # something was drawn while it waited
            return
        self._tell(map_, found, until)
        self.session.apply(found.edit, key)
        self.refresh_later()

    def _tell(self, map_: Map, found: _Ran, until: int | None) -> None:
        """Note what each step made, for its card."""
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
        text = f"{took * 1000:.0f} ms · " if self.show_times else ""
        self.step_note.setText(text + off_words(found.grown))
        spot = next((each.spots for each in found.grown if each.spots), ())
        if found.skipped:
            self.session.warn(" · ".join(found.skipped[:3]))
        elif spot:
            self._offer_spot(map_, found, spot)

    def _offer_spot(self, map_: Map, found: _Ran, spot: tuple[tuple[int, int], ...]) -> None:
        """Say where a solve could not go on, and offer what helps."""
        made = next(each for each in found.grown if each.spots)
        place, layer = made.step, made.layer

        rows, cols = [r for r, _ in spot], [c for _, c in spot]
        box = Box(min(rows), min(cols), max(rows) + 1, max(cols) + 1)
        mask = np.zeros((box.height, box.width), np.bool_)
        mask[np.array(rows) - box.top, np.array(cols) - box.left] = True

        def show() -> None:
            self.session.choose_layer(layer)
            self.session.select(Selection(box, mask))

        def free() -> None:
            if isinstance(layer, GrownLayer):
                plan = plan_unpin(self.session.doc, map_, layer, box, mask, "Free those cells")
                self.session.apply(plan.edit)
                self.run_new()

        words = f"Step {place + 1}: {made.words}"
        cures: dict[str, Callable[[], object]] = {"Show": show, "Free those cells": free}
        step = map_.recipe.steps[place] if place < len(map_.recipe.steps) else None
        if isinstance(step, SolveStep) and made.words.startswith("impossible"):
            new = replace(step, gaps=True)
            cures["Leave gaps"] = lambda: self._put(place, new)
            found_set = self.session.project.set_of(step.tileset, step.set_name)
            if step.source is SolveFrom.MARKS and found_set is not None:
                owner, kit = found_set
                cures["Make the tile…"] = lambda: self.session.missing_wanted.emit(owner, kit)
        self.session.offer(words, cures)

    def _put(self, place: int, step: Step) -> None:
        if self._do(lambda map_: put_step(map_, place, step)):
            self.run_new()

    def _fail(self, error: KnitError) -> None:
        self.step_note.setText("")
        self.session.warn(str(error))

    def _go_on(self) -> None:
        if self._again:
            self._again = False
            self.run()


def off_words(grown: list[Grown]) -> str:
    """Say how far noise ground is from the shares that were asked for."""
    shares = [
        s for each in grown if isinstance(each.layer, GroundLayer) and not each.words
        for s in each.shares
    ]  # fmt: skip
    worst = max((abs(a - b) for _, a, b in shares), default=0.0)
    if worst < 0.0005:
        return "shares exact"
    return f"shares within {percent(worst)}: borders need room; a larger scale gives more"


def with_recipe(map_: Map, recipe: Recipe) -> Map:
    """Make a stand-in for a map with another recipe, for the thread; it shares all else."""
    trial = map_.blank()
    trial.layers, trial.legend, trial.recipe = list(map_.layers), map_.legend, recipe
    return trial
