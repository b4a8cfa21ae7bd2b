"""Tiles that the eye catches in a mix."""

import numpy as np

from knitground.core.chance.landmark import landmarks, unlikeness


def ground(seed):
    """A tile of fine grain, all of much the same."""
    rng = np.random.default_rng(seed)
    picture = np.full((16, 16, 4), 255, np.uint8)
    picture[..., :3] = 120 + rng.integers(-6, 7, (16, 16, 1))
    return picture


def test_a_flower_on_plain_ground_is_caught_and_grain_is_not():
    grain = [ground(n) for n in range(4)]
    assert landmarks(np.stack(grain), (0.25,) * 4) == []
    flower, speck = ground(9), ground(10)
    flower[4:12, 4:12, :3] = (240, 40, 60)
    speck[7:9, 7:9, :3] = 20
    every = np.stack([*grain, flower, speck])
    shares = (0.22, 0.22, 0.22, 0.22, 0.06, 0.06)
    assert landmarks(every, shares) == [4]
    assert unlikeness(every, shares).argmax() == 4
    # What takes a good part of the cells is ground itself.
    assert landmarks(every, (0.1, 0.1, 0.1, 0.1, 0.4, 0.2)) == []


def test_one_tile_and_equal_tiles_catch_nobody():
    assert landmarks(np.stack([ground(1)]), (1.0,)) == []
    same = np.stack([ground(1)] * 3)
    assert unlikeness(same, (0.5, 0.25, 0.25)).tolist() == [1, 1, 1]
    assert landmarks(same, (0.5, 0.25, 0.25)) == []
