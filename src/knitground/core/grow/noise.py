"""Noise on the torus: periodic by construction, of a given scale and depth of detail.

Notes
-----
White noise from the counted hash is shaped in the frequency domain (amplitude k^(-β/2) between the
scale and its last octave), so that it is periodic by construction: J. Peitgen, D. Saupe (eds.),
"The Science of Fractal Images", Springer 1988, spectral synthesis.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from knitground.core.base.hashing import cell_numbers
from knitground.core.model.lattice import Lattice, Staggered

_BETA = 3.0


def noise_field(
    height: int,
    width: int,
    scale: float,
    octaves: int,
    seed: int,
    stretch: float = 1.0,
    turn: float = 0.0,
) -> NDArray[np.float64]:
    """Make noise on the torus: the right border meets the left, the bottom the top.

    Parameters
    ----------
    height, width : places; 1 or more
    scale : places from one large patch to the next, 2 or more
    octaves : 1 to 8, how many halvings of the scale add detail
    seed : int
    stretch, turn : how many times longer patches are than wide; 0 degrees lie, clockwise on

    Returns
    -------
    (height, width) float64, mean 0, deviation 1 (all 0 if the field is a single place)
    """
    from scipy import fft  # late: importing it costs as much as the window's first paint

    numbers = cell_numbers(np.arange(height), np.arange(width), seed, 0x4E)
    white = numbers * 2.0**-32 - 0.5
    spectrum = fft.rfft2(white, workers=2)
    spectrum *= _filter(height, width, scale, octaves, stretch, turn)
    field = fft.irfft2(spectrum, s=(height, width), workers=2, overwrite_x=True)
    deviation = float(field.std())
    return field / deviation if deviation > 0 else field


def noise_on(
    lattice: Lattice | None,
    size: tuple[int, ...],
    scale: float,
    octaves: int,
    seed: int,
    stretch: float = 1.0,
    turn: float = 0.0,
) -> NDArray[np.float64]:
    """Make noise for the array of a grid: as `noise_field`, and periodic where the grid is.

    Where copies of a grid lie aslant in the array, it is made on half bases to the right and down,
    in which they lie straight; there all is √2 times as large, and an eighth of a turn further.

    Parameters
    ----------
    size : rows and columns, of cells or of their corners
    """
    if not isinstance(lattice, Staggered) or not lattice.wrap:
        return noise_field(size[0], size[1], scale, octaves, seed, stretch, turn)
    rows, cols = np.indices(size[:2])
    (high, wide), (down, right) = lattice.half_bases, lattice.halves_of(rows, cols)
    made = noise_field(high, wide, scale * 2**0.5, octaves, seed, stretch, turn + 45)
    return np.asarray(made[down % high, right % wide])


def _filter(
    height: int, width: int, scale: float, octaves: int, stretch: float = 1.0, turn: float = 0.0
) -> NDArray[np.float64]:
    """Amplitude for every frequency: (height, width // 2 + 1)."""
    down = np.fft.fftfreq(height)[:, None]
    across = np.fft.rfftfreq(width)[None, :]
    if stretch != 1.0:
        angle = np.deg2rad(turn)
        along = across * np.cos(angle) + down * np.sin(angle)
        beside = down * np.cos(angle) - across * np.sin(angle)
        across, down = along * np.sqrt(stretch), beside / np.sqrt(stretch)
    power = down * down + across * across
    low = 1.0 / max(2.0, scale)
    high = low * 2.0 ** (octaves - 1)
    power[0, 0] = 1.0
    shape = (power / low**2) ** (-_BETA / 4)
    # Larger patches than the scale would unbalance the map; smaller than the last octave is grain.
    shape *= np.exp(-np.maximum(low * low / power - 1, 0))
    shape *= np.exp(-np.maximum(power / (high * high) - 1, 0))
    shape[0, 0] = 0.0
    if not shape.any():
        shape[:] = 1.0
        shape[0, 0] = 0.0
    return shape
