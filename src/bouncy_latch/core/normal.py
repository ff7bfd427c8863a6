"""The normal distribution for arrays, from the standard library's error function.

SciPy's own would do, but importing it takes a third of the time in which the window must be usable.
"""

from __future__ import annotations

import math
import sys

import numpy as np
import numpy.typing as npt

_erf = np.frompyfunc(math.erf, 1, 1)


def cdf(x: npt.ArrayLike) -> npt.NDArray[np.float64]:
    """Return Φ(x), elementwise; by SciPy's once something else has loaded it."""
    special = sys.modules.get("scipy.special")
    if special is not None and hasattr(special, "ndtr"):
        return np.asarray(special.ndtr(np.asarray(x, dtype=np.float64)))
    return 0.5 * (1.0 + np.asarray(_erf(np.asarray(x, dtype=np.float64) / math.sqrt(2.0)), dtype=np.float64))
