"""How much of its turn the interface has taken: what can wait gives way to what can not.

A turn goes from one look for input to the next. In a turn in which a stage, a map or a long list
came up, pieces of the map and ghosts take what is left of it, a bit at least, and go on in the next
one.
"""

from __future__ import annotations

from time import perf_counter, thread_time

from PySide6.QtCore import QAbstractEventDispatcher, QObject

_FULL_S = 0.025
_LEAST_S = 0.0005


class _Turn(QObject):
    """When the turn began, in the own time of the interface thread: waiting takes none of it."""

    def __init__(self, dispatcher: QAbstractEventDispatcher) -> None:
        super().__init__(dispatcher)
        self.begun = thread_time()
        dispatcher.aboutToBlock.connect(self.begin)
        dispatcher.awake.connect(self.begin)

    def begin(self) -> None:
        self.begun = thread_time()


_turns: list[_Turn] = []


def begin_turn() -> None:
    """Begin a turn: for measuring what is called from no loop of events."""
    if not _turns:
        dispatcher = QAbstractEventDispatcher.instance()
        assert dispatcher is not None, "there is no interface"
        _turns.append(_Turn(dispatcher))
    _turns[0].begin()


def turn_is_full() -> bool:
    """Whether what can wait for the next turn should."""
    return _left() <= 0


def until_in_turn(seconds: float) -> float:
    """Give the time of `perf_counter` until which work in pieces may go on, at most so long."""
    left = max(_LEAST_S, _left())
    return perf_counter() + min(seconds, left)


def _left() -> float:
    if not _turns:
        begin_turn()
    return _FULL_S - (thread_time() - _turns[0].begun)
