"""From a share of full thrust to what a motor signal carries: it asks for speed, and thrust goes with the square of the speed."""

import math

from fusus.core._jit import kernel


@kernel
def command_for(share: float) -> float:
    """Return the command, 0 to 1 of the signal's range, for a share of full thrust; 0 where it is none or no number."""
    if not share > 0.0:
        return 0.0
    return math.sqrt(min(share, 1.0))
