"""Types of arrays that hold numbers; shapes and units stand in the docstrings of what takes or gives them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
#: Of double or single precision.
AnyFloats = NDArray[np.floating]
Ints = NDArray[np.int64]
#: Numbers of which there are many: they need half the memory.
ShortInts = NDArray[np.int32]
Flags = NDArray[np.bool_]
Image = NDArray[np.uint8]
