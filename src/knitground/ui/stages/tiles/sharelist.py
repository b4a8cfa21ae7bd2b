"""How often each tile falls and lies: counted beside the window, listed."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtWidgets import (
    QLabel,
)

from knitground.core.edit.tiles import (
    Share,
    tile_shares,
)
from knitground.core.model.tileset import At, Tileset
from knitground.ui.common.theme import LINEN
from knitground.ui.common.widgets import (
    ShareBar,
    clear,
    note,
    row,
)
from knitground.ui.common.words import percent

if TYPE_CHECKING:
    from knitground.ui.stages.tiles.bench import TilesBench

_SHOWN_SHARES = 8
LATER_MS, WIDE_MS = 120, 600
"""Until what follows is counted; on large sheets once a row of edits has surely ended."""
MANY = 1000
"""Tiles, chosen or there, from which the bench follows an edit in frames of their own."""


class ShareList:
    """Lists the shares of the chosen tiles."""

    def __init__(self, bench: TilesBench) -> None:
        self.bench = bench

    def show_shares(self) -> None:
        """Say what the weights mean: shares among variants, and cells of this map."""
        clear(self.bench.share_lines)
        self.bench.beside.forget()
        tileset = self.bench.tileset
        if tileset is None or not self.bench.chosen:
            return
        if tileset.count <= MANY:
            shares = tile_shares(self.bench.session.project, tileset, self.bench.session.map)
            self._list_shares(tileset, shares)
            return
        self.bench.share_lines.addWidget(note("counting…"))
        self.bench.soon.start(WIDE_MS)

    def count(self) -> None:
        """Show what takes long on large sheets, once nothing has changed for a moment."""
        tileset, project, map_ = (
            self.bench.tileset,
            self.bench.session.project,
            self.bench.session.map,
        )
        if tileset is None or tileset.count <= MANY or not self.bench.chosen:
            self.show_shares()
            return
        self.bench.big.show_tile(tileset, min(self.bench.chosen), project)
        self.bench.beside.ask(
            lambda _: tile_shares(project, tileset, map_), partial(self._list_shares, tileset)
        )

    def _list_shares(self, tileset: Tileset, shares: dict[At, Share] | None) -> None:
        """Show what is counted, if it is still about the tiles that are chosen."""
        if tileset is not self.bench.tileset or shares is None:
            return
        clear(self.bench.share_lines)
        listed = [at for at in sorted(self.bench.chosen) if at in shares]
        for at in listed[:_SHOWN_SHARES]:
            each = shares[at]
            words = percent(each.share)
            words += f" ≈ {each.cells} of {each.of} cells" if each.of else ""
            line = row(
                QLabel(f"tile {tileset.number(*at)}"), ShareBar(each.share, None, LINEN.accent),
                QLabel(words), spacing=6,
            )  # fmt: skip
            self.bench.share_lines.addLayout(line)
        if len(listed) > _SHOWN_SHARES:
            self.bench.share_lines.addWidget(note(f"and {len(listed) - _SHOWN_SHARES} more"))
        if not listed:
            self.bench.share_lines.addWidget(
                note("No marks: these tiles are laid by hand or by a mix.")
            )
        whole = sum(shares[at].share for at in listed)
        groups = {(shares[at].variants, shares[at].of) for at in listed}
        self.bench.filling = True
        one_group = len(groups) == 1 and whole < 1
        self.bench.together.setEnabled(bool(listed))
        if one_group and not self.bench.together.isSliderDown():
            self.bench.together.setValue(min(99, round(100 * whole)))
        words = f"together {percent(whole)}" if one_group else "together"
        self.bench.together_words.setText(words)
        self.bench.filling = False
