"""Small statistics that do not fall over: scale, slope, serial correlation."""

from collections.abc import Sequence

import numpy as np
from msgspec import Struct

from pinch.core.runlog import FloatArray

Z975 = 1.959963984540054
"""The 97.5 % point of the normal distribution."""
Z95 = 1.6448536269514722
"""Its 95 % point, for two one-sided tests."""
MAD_TO_SD = 1.482602218505602
"""1 / z(0.75): the median absolute deviation of a normal sample times this is its standard deviation."""


RECTANGLE = 3.4641016151377544
"""√12: a step over the standard deviation of what it hides (JCGM 100:2008, 4.3.7)."""
MOST_ALIKE = 0.9
FEW_LEVELS = 10
LEAST_LEVELS, FINE_STEP = 4, 0.025
USUAL_STEPS = (250.0, 200.0, 100.0, 50.0, 25.0, 20.0, 10.0, 5.0, 2.0, 1.0, 0.5, 0.25, 0.1)
QUIET_WINDOW, QUIET_FACTOR = 8, 2.0
"""The 3 % point of the noise of eight steps is about half of the noise itself."""


class Slope(Struct, frozen=True):
    """A slope per unit of t with its 95 % interval."""

    value: float
    low: float
    high: float

    @property
    def holds_zero(self) -> bool:
        """Whether no slope at all is within the interval."""
        return self.low <= 0.0 <= self.high


def mad_sd(values: FloatArray) -> float:
    """Robust standard deviation of (n,) values: 1.4826 · MAD."""
    return float(MAD_TO_SD * np.median(np.abs(values - np.median(values))))


def noise_sd(values: FloatArray) -> float:
    """Standard deviation of the sample-to-sample noise of (n,) values, blind to slow change."""
    return mad_sd(np.diff(values)) / np.sqrt(2.0) if len(values) > 2 else 0.0


def quiet_noise_sd(values: FloatArray) -> float:
    """Noise as `noise_sd` has it, but of the quietest stretches of (n,) values where the rest swings so much that its
    swing would be taken for noise."""
    whole = noise_sd(values)
    if len(values) < 4 * QUIET_WINDOW:
        return whole
    steps = np.diff(values)
    count = len(steps) // QUIET_WINDOW
    local = np.sqrt((steps[: count * QUIET_WINDOW].reshape(count, QUIET_WINDOW) ** 2).mean(axis=1) / 2.0)
    quiet = float(np.percentile(local[local > 0.0], 3)) * QUIET_FACTOR if (local > 0.0).any() else 0.0
    return quiet if 0.0 < quiet < whole / 3.0 else whole


def step_of(values: FloatArray) -> float:
    """The step in which (n,) values are shown, where it is so coarse that they take few levels only; else 0."""
    levels = np.unique(values)
    if len(levels) < 2 or len(levels) > max(3, len(values) // FEW_LEVELS):
        return 0.0
    apart = float(np.min(np.diff(levels)))
    if len(levels) < LEAST_LEVELS:  # far apart they tell of two states, and of no step
        apart = min(apart, max(1.0, FINE_STEP * abs(float(np.median(values)))))
    return _roundest(levels, apart)


def _roundest(levels: FloatArray, apart: float) -> float:
    """The coarsest usual step that all levels are multiples of, where they lie further apart than such a step."""
    for step in USUAL_STEPS:
        if step <= apart and np.allclose(levels / step, np.round(levels / step), atol=1e-6):
            return step
    return apart


def centre(values: FloatArray) -> float:
    """The level of (n,) finite values: the mean of those near their median, so that neither an outlier moves it nor the
    steps in which they are shown."""
    middle = float(np.median(values))
    near = np.abs(values - middle) <= 3.0 * max(mad_sd(values), step_of(values))
    return float(values[near].mean()) if near.any() else middle


def autocorrelation(values: FloatArray, lags: int) -> FloatArray:
    """Autocorrelation at lags 1 … `lags`, (lags,); zeros where the values do not vary.

    Source: NIST/SEMATECH e-Handbook of Statistical Methods, 1.3.5.12.
    """
    centred = values - values.mean()
    total = float(centred @ centred)
    if total <= 1e-24 * max(1.0, float(values @ values)):
        return np.zeros(lags)
    return np.array([centred[: len(centred) - k] @ centred[k:] for k in range(1, lags + 1)]) / total


def effective_samples(n: int, r1: float) -> float:
    """Number of independent samples worth as much as n AR(1) ones: n (1 − r₁) / (1 + r₁)."""
    return n * (1.0 - r1) / (1.0 + r1)


def theil_sen(t: FloatArray, values: FloatArray, blocks: int = 48) -> Slope:
    """Theil–Sen slope of (n,) values over (n,) times, on means of at most `blocks` equal blocks.

    Block means take most of the serial correlation out, without which the interval is far too narrow,
    and average a saw-tooth over its periods. The interval is Sen's, from the normal approximation of Kendall's S
    (P. K. Sen, J. Am. Stat. Assoc. 63, 1968). Where what is left of the slope is alike from one block to the next,
    it is wider by √((1 + r₁) / (1 − r₁)), as for an AR(1) process.
    """
    mean_t, mean_v = block_means(t, blocks), block_means(values, blocks)
    count = len(mean_v)
    if count < 3:
        return Slope(0.0, -np.inf, np.inf)
    i, j = np.triu_indices(count, k=1)
    apart = mean_t[j] != mean_t[i]
    i, j = i[apart], j[apart]
    slopes = np.sort((mean_v[j] - mean_v[i]) / (mean_t[j] - mean_t[i]))
    value = float(np.median(slopes))
    left = mean_v - value * mean_t
    alike = float(autocorrelation(left, 1)[0])
    alike = min(alike, MOST_ALIKE) if alike > Z975 / np.sqrt(count) else 0.0
    reach = Z975 * np.sqrt(kendall_variance(mean_v) * (1.0 + alike) / (1.0 - alike))
    low = max(round((len(slopes) - reach) / 2.0) - 1, 0)
    high = min(round((len(slopes) + reach) / 2.0), len(slopes) - 1)
    return Slope(value, float(slopes[low]), float(slopes[high]))


def t_factor(level: float, df: float) -> float:
    """Two-sided coverage factor of Student's t."""
    from scipy.special import stdtrit

    return float(stdtrit(df, 0.5 + level / 2.0))


def t_over_normal(df: float) -> float:
    """How much wider a 95 % interval of Student's is than a normal one."""
    return t_factor(0.95, df) / Z975


def satterthwaite(parts: Sequence[tuple[float, float]]) -> float:
    """Degrees of freedom of a sum of variances, each given with its own; those of all together where none varies.

    Source: F. E. Satterthwaite, Biometrics Bull. 2, 1946.
    """
    below = sum(variance**2 / df for variance, df in parts if variance > 0.0)
    return sum(variance for variance, _ in parts) ** 2 / below if below > 0.0 else sum(df for _, df in parts)


def kendall_variance(values: FloatArray) -> float:
    """Variance of Kendall's S of (n,) values in chance order, ties counted."""
    n = len(values)
    _, tied = np.unique(values, return_counts=True)
    return (n * (n - 1) * (2 * n + 5) - float((tied * (tied - 1) * (2 * tied + 5)).sum())) / 18.0


def block_means(values: FloatArray, blocks: int) -> FloatArray:
    """Means of at most about so many equal blocks of (n,) values; what is left over at the end is in none."""
    size = max(1, len(values) // blocks)
    count = len(values) // size
    return np.asarray(values[: count * size].reshape(count, size).mean(axis=1))
