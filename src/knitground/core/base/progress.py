"""How long work tells how far it is, and how it is called off."""

from collections.abc import Callable

Progress = Callable[[float], None]
"""Takes the part done, 0 to 1; raises `Cancelled` to call the work off."""


def no_progress(_part_done: float) -> None:
    """Listen to nothing: for callers that neither show progress nor cancel."""
