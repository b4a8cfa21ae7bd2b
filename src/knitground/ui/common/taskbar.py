"""Progress on the program's entry in the task bar, where the desktop shows such a thing.

Desktops that do listen for a signal on the session's bus; nobody answers, so nothing waits.
"""

from __future__ import annotations

from functools import cache

from PySide6.QtCore import QCoreApplication

_ENTRY = "application://org.knitground.KnitGround.desktop"
_INTERFACE = "com.canonical.Unity.LauncherEntry"


@cache
def _has_bus() -> bool:
    from PySide6.QtDBus import QDBusConnection  # late: few starts need it

    return bool(QDBusConnection.sessionBus().isConnected())


def tell_taskbar(part: float | None) -> None:
    """Show how much of some work is done, 0 to 1; None: nothing goes on any more."""
    if QCoreApplication.instance() is None or not _has_bus():
        return
    from PySide6.QtDBus import QDBusConnection, QDBusMessage

    facts = {"progress": float(part or 0.0), "progress-visible": part is not None}
    path = f"/org/knitground/{QCoreApplication.applicationPid()}"
    message = QDBusMessage.createSignal(path, _INTERFACE, "Update")
    message.setArguments([_ENTRY, facts])
    QDBusConnection.sessionBus().send(message)
