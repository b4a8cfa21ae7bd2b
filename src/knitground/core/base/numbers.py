"""Numbers that people type: the same in every country.

Point and comma both part the whole from its parts; marks between thousands are not guessed at, for
what one country reads as a thousand another reads as one. Files and scripts have the point.
"""

from __future__ import annotations

import re

_NUMBER = re.compile(r"([+\-−]?)(\d*)(?:[.,٫](\d*))?(?:[eE]([+-]?\d{1,3}))?")
_UNSEEN = re.compile(r"[\s\u200e\u200f\u061c]")
"""Spaces, and marks that say in which direction a text runs."""


def plain_number(text: str) -> str | None:
    """Give a typed number as Python and files write it; None if it is not one.

    Digits of any script are understood.

    Examples
    --------
    >>> plain_number("1,5"), plain_number(" .25 "), plain_number("-3"), plain_number("٣٫٥")
    ('1.5', '0.25', '-3', '3.5')
    >>> plain_number("1,234.5"), plain_number("1 000"), plain_number("x"), plain_number(",")
    (None, None, None, None)
    """
    found = _NUMBER.fullmatch(text.strip().strip("\u200e\u200f\u061c"))
    if found is None or not (found[2] or found[3]):
        return None
    sign, whole, part, power = (_ascii(each or "") for each in found.groups())
    out = ("-" if sign in ("-", "−") else "") + (whole or "0")
    return out + (f".{part}" if part else "") + (f"e{power}" if power else "")


def begins_number(text: str, *, parts: bool, below_zero: bool) -> bool:
    """Whether a text is the beginning of a number, as it stands while it is typed.

    Examples
    --------
    >>> [begins_number(each, parts=True, below_zero=False) for each in ("", "1,", ",", "1.2.", "-")]
    [True, True, True, False, False]
    """
    found = _NUMBER.fullmatch(_UNSEEN.sub("", text))
    if found is None or found[4] is not None:
        return False
    return (below_zero or found[1] in ("", "+")) and (parts or found[3] is None)


def _ascii(digits: str) -> str:
    return "".join(str(int(each)) if each.isdecimal() else each for each in digits)
