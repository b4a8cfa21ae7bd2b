"""Grow: a recipe that makes ground layers' terrain, and grown layers' cells, from a seed."""

from __future__ import annotations

from dataclasses import replace
from functools import partial

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QLabel,
    QScrollArea,
    QSlider,
    QSpinBox,
    QWidget,
)

from knitground.core.base.errors import KnitError
from knitground.core.base.progress import Progress
from knitground.core.edit.changed import Changed, What
from knitground.core.edit.document import Document, Edit
from knitground.core.edit.maps import lay_grown, set_recipe, set_wrap
from knitground.core.grow.runner import Grown, run_recipe
from knitground.core.model.layers import GroundLayer, GrownLayer
from knitground.core.model.map import Map
from knitground.core.model.recipe import MixStep, NoiseStep, Recipe, RewriteStep, Step
from knitground.core.model.terrain import TerrainSet
from knitground.ui.common.commands import Commands
from knitground.ui.common.tasks import Job
from knitground.ui.common.widgets import (
    ShareBar,
    button,
    clear,
    column,
    head,
    note,
    panel,
    primary,
    row,
)
from knitground.ui.common.words import percent
from knitground.ui.session import Session
from knitground.ui.stages.grow.mixstep import MixCard
from knitground.ui.stages.grow.rewritestep import RewriteCard
from knitground.ui.stages.stage import Stage

_CARDS: dict[type, type[MixCard] | type[RewriteCard]] = {MixStep: MixCard, RewriteStep: RewriteCard}
"""What shows each kind of step that makes a grown layer."""
LIVE_CELLS = 512 * 512
"""Maps up to this size grow while a slider moves; larger ones when it is let go."""


class GrowBench(Stage):
    """The stage: the recipe's steps, what each is set to, shares asked and laid."""

    key = "grow"
    wide = 420

    def __init__(self, session: Session) -> None:
        super().__init__(session)
        self.laid: dict[str, tuple[float, float]] = {}
        self.show_times = True
        """Whether times are told; the headless example leaves them out, to be the same each run."""
        self._job: Job[tuple[list[Grown], Edit] | None] | None = None
        self._again = False
        self._steps: tuple[Step, ...] | None = None
        self.laid_on: dict[int, float] = {}
        """Part of the cells that each grown layer's step has filled, by the layer's number."""
        self._key = object()
        self._filling = False
        self._built_for: object = None
        self._sliders: dict[str, QSlider] = {}
        self._numbers: dict[str, QLabel] = {}
        self._bars: dict[str, ShareBar] = {}
        self._wait = QTimer(self, singleShot=True, interval=0)
        self._wait.timeout.connect(self.run)
        self._make_parts()
        self._lay_out()
        session.choice.map_changed.connect(self.refresh_later)
        session.opened.connect(self.refresh_later)
        session.changed.connect(self._follow)

    def _make_parts(self) -> None:
        self.title = head("Recipe")
        self.layers = QComboBox()
        self.layers.setToolTip("The ground layer that this step makes")
        self.layers.activated.connect(self._choose_layer)
        self.scale = self._slider(2, 96, "Cells from one large patch to the next")
        self.octaves = self._slider(1, 7, "How many halvings of the scale add detail")
        self.scale_words, self.octave_words = QLabel(), QLabel()
        self.seed = QSpinBox()
        self.seed.setRange(0, 2_000_000_000)
        self.seed.setToolTip("The same seed gives the same ground")
        self.seed.valueChanged.connect(self._set_seed)
        self.reroll = button("Reroll", self.roll, "Take the next seed")
        self.run_button = primary("Run", self.run_new, "Run the recipe", "Ctrl+R")
        self.step_note = note()
        self.shares = QGridLayout()
        self.shares.setHorizontalSpacing(8)
        self.shares.setVerticalSpacing(6)
        self.wrap = QCheckBox("Wraps at the borders")
        self.wrap.setToolTip("The right border meets the left, the bottom the top")
        self.wrap.clicked.connect(self._set_wrap)
        self.repeat = QCheckBox("Show the map repeated 3 × 3")
        self.repeat.setToolTip("See whether the borders meet (Shift+Ctrl+R)")
        self.repeat.clicked.connect(self.repeat_wanted)
        self.add = button("+ noise ground", self.add_step, "Add a step for a ground layer")
        self.add_mix = button("+ mix fill", self.add_mix_step, "Add a step for a grown layer")
        self.mix_cards: list[MixCard | RewriteCard] = []
        self._built_cards: list[tuple[int, type]] = []
        self.mix_lines = column(spacing=8)

    def _slider(self, low: int, high: int, hint: str) -> QSlider:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(low, high)
        slider.setToolTip(hint)
        slider.setAccessibleName(hint)
        slider.valueChanged.connect(self._moved)
        slider.sliderPressed.connect(self._new_key)
        slider.sliderReleased.connect(self._released)
        return slider

    def _lay_out(self) -> None:
        self.how = note()
        self.shares_head = head("Shares")
        self.shares_note = note("Asked for by the sliders, and laid on this map beneath.")
        self.seed_line = QWidget()
        self.seed_line.setLayout(row(QLabel("Seed"), self.seed, self.reroll, 1, self.run_button))
        self.card = panel()
        self.card.setFrameShape(QFrame.Shape.StyledPanel)
        numbers = QGridLayout()
        numbers.setHorizontalSpacing(8)
        for line, (name, slider, words) in enumerate(
            (("Scale", self.scale, self.scale_words), ("Octaves", self.octaves, self.octave_words))
        ):
            numbers.addWidget(QLabel(name), line, 0)
            numbers.addWidget(slider, line, 1)
            words.setMinimumWidth(64)
            numbers.addWidget(words, line, 2)
        step_head = QLabel("1  Noise ground")
        step_head.setProperty("role", "head")
        self.card.setLayout(
            column(
                row(step_head, 1, QLabel("makes"), self.layers),
                self.step_note,
                numbers,
                margins=12,
            )
        )
        inner = QWidget()
        inner.setLayout(
            column(
                self.title,
                self.how,
                self.card,
                self.mix_lines,
                row(self.add, self.add_mix, 1),
                self.seed_line,
                self.shares_head,
                self.shares_note,
                self.shares,
                self.wrap,
                self.repeat,
                1,
                margins=14,
                spacing=10,
            )
        )
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        self.setLayout(column(area))

    # Following the session

    @property
    def step(self) -> NoiseStep | None:
        """The recipe's first step of noise ground."""
        steps = self.session.map.recipe.steps if self.session.map else ()
        return next((each for each in steps if isinstance(each, NoiseStep)), None)

    def _follow(self, change: Changed) -> None:
        if change.what in (What.RECIPE, What.MARKS, What.LAYERS, What.MAPS):
            self.refresh_later()

    def add_commands(self, commands: Commands) -> None:
        commands.line("Map")
        commands.add("Map", "Run recipe", self.run_new, "Ctrl+R")

    def show_repeat(self, on: bool) -> None:
        self.repeat.setChecked(on)

    def refresh(self) -> None:
        """Show the recipe of the session's map."""
        map_ = self.session.map
        self.setEnabled(map_ is not None)
        if map_ is None:
            return
        self._filling = True
        step = self.step
        self.title.setText(f"Recipe — {map_.name}")
        self.card.setVisible(step is not None)
        self.add.setVisible(step is None)
        some = bool(map_.recipe.steps)
        self.run_button.setEnabled(some)
        self.seed_line.setVisible(some)
        self.repeat.setVisible(some or map_.wrap)
        for each in (self.shares_head, self.shares_note):
            each.setVisible(step is not None)
        self.how.setText(
            "Change a number and the map follows. What is pinned stays."
            if some
            else "This map has no recipe yet. “Noise ground” lays the terrain of a ground layer by "
            "chance, as much of each as you say; a “mix fill” strews tiles of a mix over a grown "
            "layer. Both can be run again with another seed; what you lay by hand stays."
        )
        self._show_mix_steps(map_)
        self.seed.setValue(map_.recipe.seed)
        self.wrap.setChecked(map_.wrap)
        if step is not None:
            self._show_step(map_, step)
        else:
            self._no_shares()
        self._filling = False

    def _show_step(self, map_: Map, step: NoiseStep) -> None:
        grounds = self._grounds(map_)
        self.layers.clear()
        self.layers.addItems([layer.name for layer in grounds])
        numbers = [layer.number for layer in grounds]
        self.layers.setCurrentIndex(numbers.index(step.layer) if step.layer in numbers else -1)
        if not self.scale.isSliderDown():
            self.scale.setValue(round(step.scale))
        if not self.octaves.isSliderDown():
            self.octaves.setValue(step.octaves)
        self.scale_words.setText(f"{step.scale:g} cells")
        self.octave_words.setText(str(step.octaves))
        kit = self._kit()
        if kit is not None:
            self._show_shares(map_, kit, step)
        else:
            self._no_shares()  # the set is gone: the shares are kept as they are

    def _show_mix_steps(self, map_: Map) -> None:
        """Show a card for each step of a grown layer, under its number in the recipe."""
        steps = [(n, s) for n, s in enumerate(map_.recipe.steps) if type(s) in _CARDS]
        built = [(n, type(s)) for n, s in steps]
        if self._built_cards != built:
            self._built_cards = built
            clear(self.mix_lines)
            self.mix_cards = []
            for n, step in steps:
                card = _CARDS[type(step)](self.session, n + 1, partial(self._change_mix, n))
                self.mix_cards.append(card)
                self.mix_lines.addWidget(card)
        for card, (_, step) in zip(self.mix_cards, steps):
            card.show_step(map_, step, self.laid_on.get(step.layer))

    def _change_mix(self, place: int, step: Step | None, held: bool) -> None:
        """Grow with another step in one's place; without any, only the recipe changes."""
        map_ = self.session.map
        if map_ is None:
            return
        steps = list(map_.recipe.steps)
        steps[place : place + 1] = [] if step is None else [step]
        if step is None:
            recipe = replace(map_.recipe, steps=tuple(steps))
            self.session.apply(set_recipe(map_, recipe, "Take a step out"))
            return
        if not held:
            self._new_key()
        self._steps = tuple(steps)
        self._wait.start()

    def add_mix_step(self) -> None:
        """Add a mix fill for the chosen grown layer, or for the first one."""
        map_, mixes = self.session.map, self.session.project.mixes
        if map_ is None:
            return
        grown = [each for each in map_.layers if isinstance(each, GrownLayer)]
        taken = {s.layer for s in map_.recipe.steps if isinstance(s, MixStep | RewriteStep)}
        free = [each for each in grown if each.number not in taken]
        layer = self.session.layer if self.session.layer in free else next(iter(free), None)
        if not mixes:
            self.session.warn("A mix fill draws from a mix: make one in Draw, under Tiles")
        elif layer is None:
            why = "each has a step already" if grown else "there is none"
            self.session.warn(f"A mix fill needs a grown layer, and {why}: add one with “+ layer”")
        else:
            step = MixStep(layer.number, mixes[0].name)
            recipe = replace(map_.recipe, steps=(*map_.recipe.steps, step))
            self.session.apply(set_recipe(map_, recipe, "Add mix fill"))
            self.run_new()

    def _grounds(self, map_: Map) -> list[GroundLayer]:
        return [layer for layer in map_.layers if isinstance(layer, GroundLayer)]

    def _kit(self) -> TerrainSet | None:
        map_, step = self.session.map, self.step
        layer = map_.layer_numbered(step.layer) if map_ and step else None
        if not isinstance(layer, GroundLayer):
            return None
        found = self.session.project.set_of(layer.tileset, layer.set_name)
        return found[1] if found else None

    def _show_shares(self, map_: Map, kit: TerrainSet, step: NoiseStep) -> None:
        built = (id(map_), kit.terrains)
        if built != self._built_for:
            self._built_for = built
            self.laid = {}
            self._build_shares(kit)
        asked = dict(step.shares)
        total = sum(asked.values()) or 1.0
        for terrain in kit.terrains:
            slider = self._sliders[terrain.name]
            if not slider.isSliderDown():
                slider.setValue(round(asked.get(terrain.name, 0.0) * 100))
            want = asked.get(terrain.name, 0.0) / total
            laid = self.laid.get(terrain.name)
            words = percent(want) if laid is None else f"{percent(want)} / {percent(laid[1])}"
            self._numbers[terrain.name].setText(words)
            self._bars[terrain.name].show_shares(want, laid[1] if laid else None)

    def _no_shares(self) -> None:
        clear(self.shares)
        self._sliders, self._numbers, self._bars = {}, {}, {}
        self._built_for = None

    def _build_shares(self, kit: TerrainSet) -> None:
        built = self._built_for
        self._no_shares()
        self._built_for = built
        for line, terrain in enumerate(kit.terrains):
            slider = self._slider(0, 100, f"Share of {terrain.name}")
            bar = ShareBar(0, None, terrain.colour)
            self._bars[terrain.name] = bar
            words = QLabel()
            words.setMinimumWidth(92)
            words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self._sliders[terrain.name] = slider
            self._numbers[terrain.name] = words
            self.shares.addWidget(QLabel(terrain.name), 2 * line, 0)
            self.shares.addWidget(slider, 2 * line, 1)
            self.shares.addWidget(words, 2 * line, 2)
            self.shares.addWidget(bar, 2 * line + 1, 1, 1, 2)
        self.shares.setColumnStretch(1, 1)

    # Changing the recipe

    def add_step(self) -> None:
        """Add a noise-ground step for the chosen ground layer, with even shares."""
        map_ = self.session.map
        if map_ is None:
            return
        grounds = self._grounds(map_)
        layer = self.session.layer if self.session.layer in grounds else next(iter(grounds), None)
        if not isinstance(layer, GroundLayer):
            self.session.warn("Noise ground needs a ground layer: add one with “+ layer”")
            return
        found = self.session.project.set_of(layer.tileset, layer.set_name)
        terrains = found[1].terrains if found else ()
        if not terrains:
            self.session.warn(f"“{layer.set_name}” has no terrain yet: add one in Terrains")
            return
        even = tuple((terrain.name, round(1 / len(terrains), 2)) for terrain in terrains)
        step = NoiseStep(layer.number, 16.0, 4, even)
        recipe = replace(map_.recipe, steps=(*map_.recipe.steps, step))
        self.session.apply(set_recipe(map_, recipe, "Add noise ground"))
        self.run_new()

    def _choose_layer(self, place: int) -> None:
        map_, step = self.session.map, self.step
        if map_ is None or step is None:
            return
        layer = self._grounds(map_)[place]
        found = self.session.project.set_of(layer.tileset, layer.set_name)
        names = [terrain.name for terrain in found[1].terrains] if found else []
        shares = tuple(pair for pair in step.shares if pair[0] in names) or tuple(
            (name, 1 / len(names)) for name in names
        )
        changed = replace(step, layer=layer.number, shares=shares)
        self.session.apply(set_recipe(map_, self._with(changed), "Recipe for another layer"))

    def _with(self, step: NoiseStep) -> Recipe:
        assert self.session.map is not None
        recipe = self.session.map.recipe
        old = self.step
        return replace(recipe, steps=tuple(step if each is old else each for each in recipe.steps))

    def _wanted(self) -> Recipe | None:
        """Give the recipe as the sliders and cards ask for it."""
        map_, step = self.session.map, self.step
        if map_ is None:
            return None
        steps, self._steps = self._steps or map_.recipe.steps, None
        if step is not None:
            shares = tuple((name, slider.value() / 100) for name, slider in self._sliders.items())
            changed = replace(
                step,
                scale=float(self.scale.value()),
                octaves=self.octaves.value(),
                shares=shares or step.shares,
            )
            steps = tuple(changed if each is step else each for each in steps)
        return Recipe(self.seed.value(), steps) if steps else None

    def _new_key(self) -> None:
        self._key = object()

    def _moved(self) -> None:
        if self._filling:
            return
        slider = self.sender()
        held = isinstance(slider, QSlider) and slider.isSliderDown()
        if not held:
            self._new_key()
        map_ = self.session.map
        if map_ is not None and (not held or map_.height * map_.width <= LIVE_CELLS):
            self._wait.start()

    def _released(self) -> None:
        map_ = self.session.map
        if map_ is not None and map_.height * map_.width > LIVE_CELLS:
            self._wait.start()

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

    # Running

    def run_new(self) -> None:
        """Run the recipe as a step of its own."""
        self.catch_up()
        self._new_key()
        self.run()

    def run(self) -> None:
        """Run the recipe beside the interface thread and lay what it made; latest wish wins."""
        map_, recipe = self.session.map, self._wanted()
        if map_ is None or recipe is None:
            return
        if self._job is not None:
            self._again = True
            return
        key, doc = self._key, self.session.doc
        trial = _with_recipe(map_, recipe)
        revision = doc.revision

        def work(progress: Progress) -> tuple[list[Grown], Edit] | None:
            try:
                grown = run_recipe(doc.project, trial, progress)
                return grown, lay_grown(map_, grown, recipe)
            except Exception:
                if doc.revision != revision:
                    return None  # the map changed under it: run once more
                raise

        def done(found: tuple[list[Grown], Edit] | None) -> None:
            if doc is not self.session.doc or map_ not in doc.project.maps:
                return
            if found is None or doc.revision != revision:
                self._again = True
            else:
                doc.when_free(lambda: self._lay(doc, revision, map_, *found, key))

        self.step_note.setText("growing…")
        self._job = Job(work, done, self._fail, owner=self, ended=self._ended)
        self._job.start()

    def _ended(self) -> None:
        self._job = None
        QTimer.singleShot(0, self, self._go_on)

    def _lay(
        self, doc: Document, revision: int, map_: Map, grown: list[Grown], edit: Edit, key: object
    ) -> None:
        if doc is not self.session.doc or map_ not in doc.project.maps:
            return
        if doc.revision != revision:
            self.run()  # something was drawn while it waited
            return
        self.laid = {
            name: (asked, laid)
            for each in grown
            if isinstance(each.layer, GroundLayer)
            for name, asked, laid in each.shares
        }
        self.laid_on = {
            each.layer.number: each.shares[0][2]
            for each in grown
            if isinstance(each.layer, GrownLayer)
        }
        seconds = sum(each.seconds for each in grown)
        took = f"{seconds * 1000:.0f} ms · " if self.show_times else ""
        self.step_note.setText(took + _off(grown))
        self.session.apply(edit, key)
        self.refresh_later()

    def _fail(self, error: KnitError) -> None:
        self.step_note.setText("")
        self.session.warn(str(error))

    def _go_on(self) -> None:
        if self._again:
            self._again = False
            self.run()


def _off(grown: list[Grown]) -> str:
    shares = [s for each in grown if isinstance(each.layer, GroundLayer) for s in each.shares]
    worst = max((abs(a - b) for _, a, b in shares), default=0.0)
    if worst < 0.0005:
        return "shares exact"
    return f"shares within {percent(worst)}: borders need room; a larger scale gives more"


def _with_recipe(map_: Map, recipe: Recipe) -> Map:
    """Make a stand-in for a map with another recipe, for the thread; it shares all else."""
    trial = Map(map_.name, map_.height, map_.width, map_.tile_height, map_.tile_width, map_.wrap)
    trial.layers, trial.legend, trial.recipe = list(map_.layers), map_.legend, recipe
    return trial
