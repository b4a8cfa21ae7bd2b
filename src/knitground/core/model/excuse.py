"""What a proof found and a person said to be no fault."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, ClassVar

from annotated_types import MaxLen, MinLen

from knitground.core.model.limits import Word


@dataclass(frozen=True)
class Excuse:
    """A finding that is no fault.

    Parameters
    ----------
    key : what tells the finding from all others (`Finding.key`)
    why : in the person's words
    """

    __pydantic_config__: ClassVar[dict[str, object]] = {"extra": "forbid"}

    key: Annotated[str, MinLen(1), MaxLen(1000)]
    why: Word = ""


Excuses = Annotated[tuple[Excuse, ...], MaxLen(10_000)]
