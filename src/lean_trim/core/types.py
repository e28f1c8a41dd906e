"""Array types the computation speaks in; shapes are told where they are used."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
"""Readings, positions and results; NaN where unknown."""
Mask = NDArray[np.bool_]
"""A choice among samples or cells."""
Ints = NDArray[np.intp]
"""Indices and counts."""
Bits = NDArray[np.uint32]
"""One bit per rule of the sieve."""
Rows = NDArray[np.float32]
"""Interpolation weights of sorted samples, single precision to halve the memory traffic."""
Places = NDArray[np.int32]
"""Flat indices of places, small enough for 32 bits."""
