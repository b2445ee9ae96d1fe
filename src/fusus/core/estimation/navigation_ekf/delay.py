"""The delay of the fixes that motion shows: filters with delays from none to one and a half seconds run side by side.

Arrays, where a function does not say otherwise (shape, unit, frame):

    t_s : (N,) s, any
"""

import math

from fusus.core.estimation.initial import Start
from fusus.core.estimation.navigation_ekf.covariance import variance_of
from fusus.core.estimation.navigation_ekf.side_by_side import Begin, Hypothesis, Known, Stretch, count, unlikelihood

# Delays that are tried, and one sigma of each.
DELAYS_S, SPREAD_S = (0.0, 0.1, 0.25, 0.45, 0.7, 1.0, 1.3), 0.1
LONGEST_S = 90.0
# The delay found was found from the same fixes that the run takes in again: it is not claimed to be better than this.
WIDER, LEAST_SIGMA_S = 2.0, 0.02


def delay_from_motion(look: Stretch, start: Start, begin: Begin, known: Known, usual_s: float) -> Known:
    """Return what is known with the delay that the likeliest of the filters ends with: by little or no motion, the usual one.

    ``begin`` makes a filter of a start, aiding, times, samples and what is known, and returns how to advance it, its state and its rows.
    """
    tried = []
    for delay in (usual_s, *DELAYS_S):
        assumed = known._replace(delay_s=delay, delay_sigma_s=SPREAD_S)
        advance, state, rows = begin(start, look.aiding, look.t_s, look.samples, assumed)
        h = Hypothesis(advance, state, rows, delay)
        h.advance(0, len(look.t_s))
        count(h)
        h.likelihood -= unlikelihood(delay, usual_s)
        tried.append(h)
    best = max(tried, key=lambda h: h.likelihood)
    m, n = best.state.m, best.state.n
    sigma = math.sqrt(variance_of(best.state.p, n, m.i_delay))
    return known._replace(delay_s=float(m.gnss_delay_s), delay_sigma_s=max(WIDER * sigma, LEAST_SIGMA_S))
