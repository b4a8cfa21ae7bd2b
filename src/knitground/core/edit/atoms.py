"""Atoms: the smallest changes, each of which knows how to be taken back."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, Protocol

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.window import Box, index, read
from knitground.core.edit.changed import Changed
from knitground.core.edit.held import held_bytes
from knitground.core.model.lattice import Lattice
from knitground.core.model.layers import GroundLayer
from knitground.core.model.limits import check_field
from knitground.core.model.standing import close_seam


class Atom(Protocol):
    """A change that can be done and taken back any number of times."""

    @property
    def changed(self) -> Changed:
        """What it changes."""

    @property
    def nbytes(self) -> int:
        """Memory that it holds on to."""

    def do(self) -> None:
        """Make the change."""

    def undo(self) -> None:
        """Take it back."""


@dataclass(eq=False)
class SetField:
    """Give a field of a model object another value; lists and dicts are replaced, not changed."""

    owner: Any
    name: str
    new: Any
    changed: Changed
    old: Any = None
    _nbytes: int | None = None

    @property
    def nbytes(self) -> int:
        """Memory of the value that the project does not hold."""
        if self._nbytes is None:
            self._nbytes = 256 + held_bytes(self.new, self.old)
        return self._nbytes

    def do(self) -> None:
        """Set the new value; what was there is remembered.

        Raises
        ------
        EditError
            The model's limits do not allow it: it could not be saved.
        """
        old = getattr(self.owner, self.name)
        check_field(self.owner, self.name, self.new, old)
        self.old = old
        setattr(self.owner, self.name, self.new)

    def starts_from(self, old: Any) -> None:
        """Let it stand for an earlier change of the field too: undo goes back to before that."""
        self.old, self._nbytes = old, None

    def undo(self) -> None:
        """Set the old value."""
        setattr(self.owner, self.name, self.old)


@dataclass(eq=False)
class PatchArray:
    """Write a box of an array that is a field of a model object; the box may wrap."""

    owner: Any
    name: str
    box: Box
    new: NDArray[Any]
    changed: Changed
    old: NDArray[Any] | None = field(init=False, default=None)

    @property
    def nbytes(self) -> int:
        """Memory of old and new values."""
        return 2 * int(self.new.nbytes) + 256

    def do(self) -> None:
        """Write the new values; what was there is remembered."""
        self.old = self._read()
        self._write(self.new)

    def undo(self) -> None:
        """Write the old values."""
        assert self.old is not None
        self._write(self.old)

    def _target(self) -> NDArray[Any]:
        array: NDArray[Any] = getattr(self.owner, self.name)
        return array

    def _read(self) -> NDArray[Any]:
        return read(self._target(), self.box)

    def _write(self, values: NDArray[Any]) -> None:
        target = self._target()
        target[index(self.box, target.shape[0], target.shape[1])] = values


@dataclass(eq=False)
class PatchTerrain(PatchArray):
    """Write terrain on its places; on a map that wraps, both ends of the seam follow."""

    owner: GroundLayer
    lattice: Lattice = field(kw_only=True)
    touched: NDArray[np.bool_] = field(kw_only=True)
    """What of the box is painted: all that is another terrain now, or was in between."""
    painted: NDArray[np.bool_] | None = field(init=False, default=None)
    """What of the box was painted before."""

    def do(self) -> None:
        """Write the new values, and note what is painted."""
        super().do()
        self.painted = read(self._painted(), self.box)
        self._note(self.painted | self.touched)

    def undo(self) -> None:
        """Write the old values."""
        super().undo()
        assert self.painted is not None
        self._note(self.painted)

    def _painted(self) -> NDArray[np.bool_]:
        return self._once(self.owner.painted)

    def _once(self, array: NDArray[Any]) -> NDArray[Any]:
        return array[:-1, :-1] if self.lattice.torus else array

    def _note(self, values: NDArray[np.bool_]) -> None:
        target = self._painted()
        target[index(self.box, target.shape[0], target.shape[1])] = values
        close_seam(self.owner.painted, self.lattice)

    def _target(self) -> NDArray[Any]:
        return self._once(self.owner.terrain)

    def _write(self, values: NDArray[np.uint8]) -> None:
        super()._write(values)
        close_seam(self.owner.terrain, self.lattice)
