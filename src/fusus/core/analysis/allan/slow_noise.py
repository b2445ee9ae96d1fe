"""How large white noise, instability and walk may be that made a record: a posterior over the three, on a grid.

A record of a minute shows the slow part of its noise in a handful of averages only. A single fitted figure then claims more
than can be known; here every combination of noise, instability and walk is weighted by how well it explains the record, and what
is claimed (a bound, a standard error, what a mean is worth later) is taken over all of them.

Means over up to 128 blocks enter with their exact covariance under the three processes; the differences of neighbouring averages
within blocks (octaves) add what they know of the white noise, as far down as they agree with it: a sensor's own low-pass filter and
rounding bend the shortest ones.

Flicker noise: the variance of the difference of two means over T, whose starts lie k T apart, is
B²/π ((k+1)² ln(k+1) + (k-1)² ln|k-1| - 2 k² ln k); random walk: K² T (k - 1/3). Derived here from the spectra of IEEE Std 952-1997,
annex C; k = 1 gives twice its Allan variances, (2 ln 2/π) B² and K² T/3.

Arrays, where a function does not say otherwise (shape, unit, frame):

    means : (n,) any, any
    octave_tau_s : (J,) s, any
    octave_variance : (J,) any, any
    octave_count : (J,) 1, any
    weight : (G,) 1, any
    noise : (G,) any, any
    instability : (G,) any, any
    walk : (G,) any, any
    values : (G,) any, any
"""

import math
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.fft import dct
from scipy.stats import gamma

from fusus.core.arrays import Array, BoolArray

BLOCKS = 128
OCTAVES = 12  # below one block: more add nothing to what is known of the noise
NO_WALK = 0.2  # weight beforehand of no walk at all
LEAST, MOST = 0.03, 3e4  # of a slow process against the white one, where halves of the record are compared
STEPS = 41
ROUNDS = 3  # the first grid and finer ones
NEGLIGIBLE = 1e-6  # weight against the largest that a combination may have and be left out of the finer grid
LEVELS = 15
BENT = 3  # octaves beside one that a filter or rounding has clearly bent: bent too, less clearly
OWN = 0.7  # of an octave's differences are its own: slow noise correlates them with one another and with the next octave's
DATASHEET = 3.0  # a specimen's instability or walk against what its datasheet states, one sigma upwards
AGREES = 5.0  # standard errors by which a slope may miss what the three processes allow


@dataclass(frozen=True, slots=True)
class Blocks:
    """A record in few figures: means of equal blocks, and half the mean square of neighbours' differences by octave."""

    means: Array
    block_s: float
    octave_tau_s: Array
    octave_variance: Array
    octave_count: Array


@dataclass(frozen=True, slots=True)
class NoisePosterior:
    """Combinations of noise, instability and walk with their weights, which sum to one; ``span_s`` is the record's length."""

    weight: Array
    noise: Array
    instability: Array
    walk: Array
    span_s: float

    def error_of(self, values: Array, claimed: float) -> float:
        """Return the standard error of a claimed figure: root mean square distance to what it may be."""
        return math.sqrt(float(np.sum(self.weight * (values - claimed) ** 2)))

    def root_mean_square(self, values: Array) -> float:
        """Return the root of the mean square of what a figure may be."""
        return math.sqrt(float(np.sum(self.weight * values**2)))

    def upper(self, values: Array, probability: float = 0.95) -> float:
        """Return what a figure lies below with a probability."""
        order = np.argsort(values)
        at = np.searchsorted(np.cumsum(self.weight[order]), probability)
        return float(values[order][min(int(at), len(order) - 1)])

    @property
    def mean_sigma(self) -> float:
        """Standard error of the record's mean as the mean of the bias during the record."""
        return self.root_mean_square(self.noise) / math.sqrt(self.span_s)


def blocks_of(phase: Array, rate_hz: float) -> Blocks:
    """Return what the posterior needs of a record.

    Parameters
    ----------
    phase : ndarray, (N+1,), any, any
        Running sum of the readings, from zero, their mean taken off.
    rate_hz : float
        Sample rate.
    """
    samples = len(phase) - 1
    n = min(BLOCKS, samples // 2)
    parts = 2 ** min(OCTAVES, int(math.log2(samples // n)))
    step = samples // (n * parts)
    m = parts * step
    n = samples // m  # more blocks rather than a rest unused
    fine = np.diff(phase[: n * m + 1 : step]).reshape(n, parts) / step
    taus, variances, counts = [], [], []
    while fine.shape[1] > 1:
        difference = fine[:, 1::2] - fine[:, ::2]
        taus.append(step / rate_hz)
        variances.append(float(np.mean(difference**2)) / 2.0)
        counts.append(OWN * difference.size)
        fine = 0.5 * (fine[:, 1::2] + fine[:, ::2])
        step *= 2
    means = np.diff(phase[: n * m + 1 : m]) / m
    return Blocks(means, m / rate_hz, np.array(taus), np.array(variances), np.array(counts))


def slow_noise(blocks: Blocks, expected: tuple[float, float] | None = None) -> NoisePosterior | None:
    """Return what noise, instability and walk may be; None where the record does not vary at all.

    Parameters
    ----------
    blocks : Blocks
        The record.
    expected : tuple of float, optional
        B and K that a datasheet states: three times as much is then one standard error away, less is not held against it.

    Notes
    -----
    Sizes are equally likely beforehand on a logarithmic scale; the white noise's is integrated in closed form. A first grid finds
    where the weight is, finer ones are laid there.
    """
    n = len(blocks.means)
    if n < 4 or not np.ptp(blocks.means) > 0:
        return None
    modes = _modes(n)
    powers = dct(blocks.means, norm="ortho")[1:] ** 2
    octaves = _agreeing(blocks)
    sizes_b = sizes_k = np.linspace(math.log(LEAST), math.log(MOST), STEPS)
    for _ in range(ROUNDS):
        log_weight, squares = _weigh(blocks.block_s, powers, octaves, modes, sizes_b, sizes_k)
        if expected is not None:
            noise = np.sqrt(squares / (len(powers) + float(octaves[2].sum())))
            found_k = np.concatenate([[0.0], np.exp(sizes_k) * math.sqrt(modes.scale_k / blocks.block_s)])
            log_weight -= _beyond(noise * (np.exp(sizes_b) * math.sqrt(modes.scale_b))[:, None], expected[0])
            log_weight -= _beyond(noise * found_k, expected[1])
        weight = np.exp(log_weight - log_weight.max())
        found_b, found_k, grids = sizes_b, sizes_k, weight > NEGLIGIBLE * weight.max()
        sizes_b, sizes_k = _around(sizes_b, grids.any(axis=1)), _around(sizes_k, grids[:, 1:].any(axis=0))
    shape = (n - 1) / 2.0 + float(octaves[2].sum()) / 2.0
    # The noise's own spread, by equally likely levels.
    level = 0.5 * squares[..., None] / gamma.ppf(1.0 - (np.arange(LEVELS) + 0.5) / LEVELS, shape)
    all_weights = np.broadcast_to(weight[..., None], level.shape).ravel()
    part_b = modes.scale_b * np.exp(2.0 * found_b)[:, None, None]
    part_k = modes.scale_k * np.concatenate([[0.0], np.exp(2.0 * found_k)])[:, None]
    return NoisePosterior(
        all_weights / all_weights.sum(),
        np.sqrt(level * blocks.block_s).ravel(),
        np.sqrt(part_b * level).ravel(),
        np.sqrt(part_k * level / blocks.block_s).ravel(),
        n * blocks.block_s,
    )


def _weigh(
    block_s: float, powers: Array, octaves: tuple[Array, Array, Array], modes: "_Modes", sizes_b: Array, sizes_k: Array
) -> tuple[Array, Array]:
    """Return logarithms of weights, and weighted sums of squares, one row for each size of B, the first column without a walk."""
    tau, energy, count = octaves
    b = np.exp(2.0 * sizes_b)[:, None, None]
    k = np.concatenate([[0.0], np.exp(2.0 * sizes_k)])[:, None]
    spread = 1.0 + b * modes.flicker + k * modes.walk
    share = (
        block_s / tau
        + b * (modes.scale_b * 2.0 * math.log(2.0) / math.pi)
        + k * (modes.scale_k / 3.0) * (tau / block_s)
    )
    squares = (powers / spread).sum(axis=-1) + (count * energy / share).sum(axis=-1)
    shape = (len(powers) + float(count.sum())) / 2.0
    log_weight = -0.5 * (np.log(spread).sum(axis=-1) + (count * np.log(share)).sum(axis=-1)) - shape * np.log(squares)
    step_k = (sizes_k[-1] - sizes_k[0]) / (len(sizes_k) - 1) / math.log(MOST / LEAST)
    log_weight += np.log(np.concatenate([[NO_WALK], np.full(len(sizes_k), (1.0 - NO_WALK) * step_k)]))
    return log_weight, squares


def _beyond(values: Array, stated: float) -> Array:
    """Return how much less likely values beyond a stated one are, as a logarithm."""
    if stated <= 0.0:
        return np.zeros_like(values)
    return np.asarray(0.5 * (np.log(np.maximum(values / stated, 1.0)) / math.log(DATASHEET)) ** 2)


def _around(sizes: Array, kept: BoolArray) -> Array:
    """Return as many sizes again over what is kept and one step on either side; all of them where nothing is."""
    found = np.flatnonzero(kept)
    if len(found) == 0:
        return sizes
    first, last = max(int(found[0]) - 1, 0), min(int(found[-1]) + 1, len(sizes) - 1)
    return np.linspace(sizes[first], sizes[last], len(sizes))


def _agreeing(b: Blocks) -> tuple[Array, Array, Array]:
    """Return the octaves that the three processes can make, from the longest down: τ, variance, count.

    Towards shorter averages the variance can only rise ever more like that of white noise, twofold an octave. Where it rises less
    than before, a filter has taken from it; where it rises more than twofold, rounding adds to it.
    """
    longest = float(np.mean(np.diff(b.means) ** 2)) / 2.0, len(b.means) / 2.0
    steepest, kept = -math.inf, 0
    for variance, count in zip(b.octave_variance[::-1], b.octave_count[::-1], strict=True):
        if variance <= 0 or longest[0] <= 0:
            break
        rise = math.log(variance / longest[0])
        tolerance = AGREES * math.sqrt(2.0 / count + 2.0 / longest[1]) + 0.01
        if rise > math.log(2.0) + tolerance or rise < min(steepest, math.log(2.0)) - tolerance:
            kept = max(kept - BENT, 0)
            break
        steepest, longest, kept = max(steepest, rise), (float(variance), float(count)), kept + 1
    first = len(b.octave_tau_s) - kept
    return b.octave_tau_s[first:], b.octave_variance[first:], b.octave_count[first:]


@dataclass(frozen=True, slots=True)
class _Modes:
    """Strengths of flicker and walk in the cosine transform of n means (n - 1,), scaled to make as much difference between the
    record's halves as the noise; and B² and K² times a block at that scale."""

    flicker: Array
    walk: Array
    scale_b: float
    scale_k: float


@lru_cache(maxsize=8)
def _modes(n: int) -> _Modes:
    """Return the modes; the cosine transform makes the walk's means independent, and those of flicker noise nearly so."""
    k = np.abs(np.subtract.outer(np.arange(n), np.arange(n))).astype(float)
    flicker = (_square_logs(k + 1) + _square_logs(np.abs(k - 1)) - 2 * _square_logs(k)) / math.pi
    walk = np.where(k > 0, k - 1.0 / 3.0, 0.0)
    halves = np.where(np.arange(n) < n // 2, -1.0 / (n // 2), 1.0 / (n - n // 2))
    noise = float(halves @ halves)
    scales, strengths = [], []
    for d in (flicker, walk):
        scale = noise / -float(halves @ d @ halves / 2.0)
        scales.append(scale)
        strengths.append(np.diag(dct(dct(-0.5 * scale * d, axis=0, norm="ortho"), axis=1, norm="ortho"))[1:])
    return _Modes(strengths[0], strengths[1], scales[0], scales[1])


def _square_logs(k: Array) -> Array:
    return np.asarray(np.where(k > 0, k * k * np.log(np.where(k > 0, k, 1.0)), 0.0))
