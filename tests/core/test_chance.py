import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from knitground.core.base.errors import EditError
from knitground.core.base.hashing import cell_numbers, mix_one
from knitground.core.chance.draw import MIX_SLOTS, draw_cells, slot_counts, slot_table


def test_numbers_of_a_part_are_those_of_the_whole():
    whole = cell_numbers(np.arange(40), np.arange(50), 7, 3)
    part = cell_numbers(np.arange(11, 19), np.arange(5, 31), 7, 3)
    assert (part == whole[11:19, 5:31]).all()


def test_numbers_are_the_same_on_every_machine():
    found = cell_numbers(np.array([0, 1, 4095]), np.array([0, 4095]), 41, 2)
    assert found.tolist() == [
        [2644872131, 2295165531],
        [3971974729, 2059210000],
        [2766380232, 956186515],
    ]


@pytest.mark.parametrize(("seed", "layer"), [(1, 1), (41, 2), (2**40, 3)])
def test_numbers_are_white_noise(seed, layer):
    values = (cell_numbers(np.arange(256), np.arange(256), seed, layer) >> 16) / 65536 - 0.5
    spectrum = np.fft.rfft2(values)
    repeats = np.fft.irfft2(np.abs(spectrum) ** 2)
    repeats /= repeats[0, 0]
    repeats[0, 0] = 0
    assert np.abs(repeats).max() < 0.03
    assert abs(values.mean()) < 0.005


def test_seeds_and_layers_give_other_numbers():
    one = cell_numbers(np.arange(64), np.arange(64), 1, 1)
    for seed, layer in ((2, 1), (1, 2)):
        assert (one == cell_numbers(np.arange(64), np.arange(64), seed, layer)).mean() < 0.01
    assert mix_one(2**33) != mix_one(2**34) != mix_one(0)


@given(st.lists(st.floats(0, 1000), min_size=1, max_size=40).filter(lambda w: sum(w) > 0.001))
def test_slots_add_up_and_never_forget_a_weight(weights):
    counts = slot_counts(weights, 256)
    assert counts.sum() == 256
    for weight, count in zip(weights, counts):
        assert (count > 0) == (weight > 0)


@pytest.mark.parametrize("weights", [[], [0, 0], [-1, 2], [float("nan")]])
def test_weights_that_can_not_be_drawn_are_refused(weights):
    with pytest.raises(EditError, match="weight"):
        slot_counts(weights, 256)


def test_draws_take_their_shares():
    table = slot_table(np.array([5, 6, 7]), [1, 2, 5], MIX_SLOTS)
    drawn = draw_cells(table, np.arange(400), np.arange(400), 9, 1)
    parts = [(drawn == value).mean() for value in (5, 6, 7)]
    assert np.allclose(parts, [0.125, 0.25, 0.625], atol=0.005)
    assert (draw_cells(table, np.arange(3, 9), np.arange(7, 11), 9, 1) == drawn[3:9, 7:11]).all()
