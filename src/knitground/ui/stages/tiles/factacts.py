"""What is said of the chosen tiles: weights, names, tags, properties."""

from __future__ import annotations

from collections import Counter
from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

from knitground.core.edit.properties import shared_properties
from knitground.core.edit.sheets import leave_out
from knitground.core.edit.tiles import (
    add_tag,
    name_tiles,
    put_default,
    put_property,
    remove_default,
    remove_property,
    remove_tag,
    scale_weights,
    set_weights,
    share_together,
)
from knitground.core.model.properties import Property
from knitground.core.model.tileset import PLAIN
from knitground.ui.common.widgets import (
    button,
    fill_box,
)
from knitground.ui.common.words import on_button, tip_of

if TYPE_CHECKING:
    from knitground.ui.stages.tiles.bench import TilesBench

_MOST_TAGS = 24


class FactActs:
    """Acts on the facts of the chosen tiles."""

    def __init__(self, bench: TilesBench) -> None:
        self.bench = bench

    @property
    def default_tag(self) -> str | None:
        """The tag whose properties are looked at; "" is the whole sheet, None the chosen tiles."""
        return self.bench.whose.currentData() if self.bench.whose.currentIndex() > 0 else None

    def show_properties(self, *_: object) -> None:
        """Show the properties of the chosen tiles, of a tag or of the sheet."""
        tileset, chosen = self.bench.tileset, self.bench.chosen
        if tileset is None:
            self.bench.properties.show_properties([])
            return
        tags = sorted({tag for own in {each.tags for each in tileset.facts.values()}
                       for tag in own})  # fmt: skip
        items: list[tuple[str, object]] = [("these tiles", None), ("all tiles of the sheet", "")]
        fill_box(
            self.bench.whose,
            items + [(f"all with tag “{tag}”", tag) for tag in tags],
            self.default_tag,
        )
        self.bench.whose.setCurrentIndex(max(0, self.bench.whose.currentIndex()))
        tag = self.default_tag
        known = {each.tag: each.properties for each in tileset.defaults}
        self.bench.inherited.setText("")
        if tag is not None:
            self.bench.properties.show_properties([(each, True) for each in known.get(tag, ())])
            self.bench.inherited.setText("A tile's own property of the same name goes before it.")
            return
        self.bench.properties.show_properties(
            shared_properties(tileset.facts.get(at, PLAIN).properties for at in chosen)
        )
        if chosen:
            first = min(chosen)
            own = {each.name for each in tileset.fact(*first).properties}
            more = [each for each in tileset.properties_of(*first) if each.name not in own]
            words = ", ".join(f"{each.name} = {each.value}" for each in more[:8])
            self.bench.inherited.setText(f"By default: {words}" if more else "")

    def show_tags(self, tags: Counter[str], count: int) -> None:
        parts: list[QWidget] = []
        for tag, having in sorted(tags.items())[:_MOST_TAGS]:
            words = tag if having == count else f"{tag} ({having})"
            gone = partial(self._remove_tag, tag)
            hint = tip_of(f"Take the tag “{tag}” away")
            parts.append(button(on_button(f"{words}  ×"), gone, hint))
        self.bench.tags.put(parts)

    def weigh(self, value: float) -> None:
        self.bench.do_edit(lambda t, at: set_weights(t, at, value), self.bench.weight)

    def scale(self, factor: float) -> None:
        self.bench.do_edit(lambda t, at: scale_weights(t, at, factor))

    def equal(self) -> None:
        self.bench.do_edit(lambda t, at: set_weights(t, at, 1.0))

    def share(self, value: int) -> None:
        if not self.bench.together.isSliderDown():
            self.bench.new_key()
        project = self.bench.session.project
        self.bench.do_edit(
            lambda t, at: share_together(project, t, at, value / 100), self.bench.change_key
        )

    def leave_out(self, on: bool) -> None:
        self.bench.do_edit(lambda t, at: leave_out(t, at, on))

    def name(self) -> None:
        tileset = self.bench.tileset
        if tileset is None or not self.bench.chosen:
            return
        names = {tileset.fact(*at).name for at in self.bench.chosen}
        text = self.bench.name.text().strip()
        if names != {text} and (text or len(names) == 1):
            self.bench.do_edit(lambda t, at: name_tiles(t, at, text))

    def add_tag(self) -> None:
        text = self.bench.tag.text()
        if text.strip() and self.bench.do_edit(lambda t, at: add_tag(t, at, text)):
            self.bench.tag.clear()

    def _remove_tag(self, tag: str) -> None:
        self.bench.do_edit(lambda t, at: remove_tag(t, at, tag))

    def put_property(self, new: Property, old: str, keep: bool) -> None:
        tileset, tag = self.bench.tileset, self.default_tag
        if tileset is not None and tag is not None:
            done = self.bench.session.do(lambda: put_default(tileset, tag, new, old))
        else:
            done = self.bench.do_edit(lambda t, at: put_property(t, at, new, old, keep=keep))
        if not done:
            self.bench.show_chosen()

    def remove_property(self, name: str) -> None:
        tileset, tag = self.bench.tileset, self.default_tag
        if tileset is not None and tag is not None:
            self.bench.session.do(lambda: remove_default(tileset, tag, name))
        else:
            self.bench.do_edit(lambda t, at: remove_property(t, at, name))
