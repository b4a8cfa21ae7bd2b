"""A short mark of what an array holds, to tell within one run whether it is still the same."""

from secrets import randbits
from typing import Any

import numpy as np
from numpy.typing import NDArray
from xxhash import xxh3_128_digest

_SEED = randbits(64)


def digest_of(values: NDArray[Any]) -> bytes:
    """Give a hash of what an array holds: twenty times as fast as one that keeps secrets.

    Its seed is another one in each run, so that nobody can make two arrays that pass for the same;
    it is not for files.

    Examples
    --------
    >>> digest_of(np.zeros(3, np.uint8)) == digest_of(np.zeros((3, 1), np.uint8))
    True
    """
    return xxh3_128_digest(np.ascontiguousarray(values).reshape(-1).view(np.uint8).data, _SEED)
