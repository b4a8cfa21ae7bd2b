"""The stages of the work, one folder each; `ui/stagekinds.py` lists them."""

from __future__ import annotations

from pkgutil import resolve_name

from knitground.ui.session import Session
from knitground.ui.stagekinds import STAGES
from knitground.ui.stages.stage import Stage


def make_stages(session: Session) -> dict[str, Stage]:
    """Make every stage, by its key."""
    return {each.key: resolve_name(each.place)(session) for each in STAGES}
