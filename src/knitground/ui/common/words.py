"""Sentences for the interface that more than one place needs."""

from __future__ import annotations

from html import escape

from knitground.core.base.tongue import say


def percent(part: float) -> str:
    """Write a part of 1 in percent: two digits, never 0 % for what is not nothing.

    Examples
    --------
    >>> percent(0.5), percent(0.034), percent(0.0004), percent(0)
    ('50 %', '3.4 %', '< 0.1 %', '0 %')
    """
    value = part * 100
    if value == 0:
        return "0 %"
    if value < 0.1:
        return "< 0.1 %"
    return f"{value:.1f} %" if value < 10 else f"{value:.0f} %"


def bytes_text(count: int) -> str:
    """Write a file's size for people."""
    if count < 1024:
        return f"{count} B"
    return (
        say("{count:.0f} KB", count=count / 1024)
        if count < 1024 * 1024
        else say("{count:.1f} MB", count=count / 1024 / 1024)
    )


def keys_said(keys: str) -> str:
    """Write a shortcut as it stands on the person's keyboard.

    Examples
    --------
    >>> keys_said("Ctrl+Shift+Z")
    'Ctrl+Shift+Z'
    """
    return "+".join(say(each) for each in keys.split("+")) if len(keys) > 1 else keys


def tip(text: str, keys: str = "") -> str:
    """Write a tooltip with its shortcut; names in it are shown as they are."""
    return tip_of(f"{text} ({keys_said(keys)})" if keys else text)


def tip_of(text: str) -> str:
    """Write a tooltip with a name in it: what looks like a tag there is no tag.

    Examples
    --------
    >>> tip_of("Take “sand” in hand")
    'Take “sand” in hand'
    >>> tip_of("Take “<b>sand” in hand")
    '<qt>Take “&lt;b&gt;sand” in hand</qt>'
    """
    if "<" not in text:
        return text
    return f"<qt>{escape(text, quote=False)}</qt>".replace("\n", "<br>")


def on_button(name: str) -> str:
    """Write a name for a button, a tab or a menu: “&” in it marks no key.

    Examples
    --------
    >>> on_button("Sand & sea")
    'Sand && sea'
    """
    return name.replace("&", "&&")
