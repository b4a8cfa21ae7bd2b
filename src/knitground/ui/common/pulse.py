"""How much of its pulse the interface has taken: what can wait gives way to what can not.

A pulse goes from one look for input to the next. In one in which a stage, a map or a long list
came up, pieces of the map and ghosts take what is left of it, a bit at least, and go on in the next
one.
"""

from __future__ import annotations

from time import perf_counter, thread_time

from PySide6.QtCore import QAbstractEventDispatcher, QObject

from knitground.core.base.tongue import say

_FULL_S = 0.025
_LEAST_S = 0.0005


class _Pulse(QObject):
    """When the pulse began, in the own time of the interface thread: waiting takes none of it."""

    def __init__(self, dispatcher: QAbstractEventDispatcher) -> None:
        super().__init__(dispatcher)
        self.begun = thread_time()
        dispatcher.aboutToBlock.connect(self.begin)
        dispatcher.awake.connect(self.begin)

    def begin(self) -> None:
        self.begun = thread_time()


_pulses: list[_Pulse] = []


def begin_pulse() -> None:
    """Begin a pulse: for measuring what is called from no loop of events."""
    if not _pulses:
        dispatcher = QAbstractEventDispatcher.instance()
        assert dispatcher is not None, say("there is no interface")
        _pulses.append(_Pulse(dispatcher))
    _pulses[0].begin()


def pulse_is_full() -> bool:
    """Whether what can wait for the next pulse should."""
    return _left() <= 0


def until_in_pulse(seconds: float) -> float:
    """Give the time of `perf_counter` until which work in pieces may go on, at most so long."""
    left = max(_LEAST_S, _left())
    return perf_counter() + min(seconds, left)


def _left() -> float:
    if not _pulses:
        begin_pulse()
    return _FULL_S - (thread_time() - _pulses[0].begun)
