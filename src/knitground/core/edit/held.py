"""How much memory a change holds on to: what is in one of its two states only."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import fields
from typing import Any

import numpy as np

from knitground.core.model.layers import Layer
from knitground.core.model.map import Map
from knitground.core.model.terrain import TerrainSet
from knitground.core.model.tileset import Tileset

_EACH = 64
"""Bytes that an entry of a list takes, more or less."""


def held_bytes(new: Any, old: Any) -> int:
    """Give the bytes that stay in memory because both values of a field are kept.

    What both hold (the same layers of two lists of layers) is the project's own and counts nothing.
    """
    if new is old:
        return 0
    if isinstance(new, dict) and isinstance(old, dict):
        return _of_parts(new.values(), old.values())
    if isinstance(new, list | tuple) and isinstance(old, list | tuple):
        return _of_parts(new, old)
    return _size(new) + _size(old)


def _of_parts(new: Iterable[Any], old: Iterable[Any]) -> int:
    mine, theirs = {id(each): each for each in new}, {id(each): each for each in old}
    only = [each for key, each in mine.items() if key not in theirs]
    only += [each for key, each in theirs.items() if key not in mine]
    return _EACH * (len(mine) + len(theirs)) // 8 + sum(_size(each) for each in only)


def _size(value: Any) -> int:
    if isinstance(value, np.ndarray):
        return int(value.nbytes)
    if isinstance(value, bytes):
        return len(value)
    if isinstance(value, Map):
        return sum(_size(layer) for layer in value.layers)
    if isinstance(value, Tileset | TerrainSet | Layer):
        own = (getattr(value, each.name) for each in fields(value))
        return _EACH + sum(_size(each) for each in own)
    if isinstance(value, dict):
        return _EACH * len(value) + sum(_size(each) for each in value.values())
    if isinstance(value, list | tuple | frozenset):
        arrays = (each for each in value if isinstance(each, np.ndarray | Map | Layer | TerrainSet))
        return _EACH * len(value) + sum(_size(each) for each in arrays)
    return _EACH
