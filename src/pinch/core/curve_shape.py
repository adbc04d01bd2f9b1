"""Which shape the curve of a ladder has, and what chance could have made of it.

The power law with an offset stands while there is more for it than for a smooth bend beside it, judged by the scatter
of the repeats and by how far rungs are off any smooth curve (`core.rung_effects`). Where it gives way, that of a rise
towards a ceiling, two laws that meet at a corner, and a smooth bend beside the best of them is taken for which most
speaks; a smooth shape never falls and never bends up. Draws come from all of them, each as often as speaks for it
(J. A. Hoeting et al., Bayesian Model Averaging, Statist. Sci. 14, 1999): a law that the runs cannot tell from another
must not be surer of itself than both together.
"""

from collections.abc import Callable, Sequence
from functools import cached_property

import numpy as np
from msgspec import Struct

from pinch.core.concave import fit_concave_rows
from pinch.core.corners import LEAST_RUNGS, fit_corners
from pinch.core.powerlaw import PARAMETERS, PowerLaws, fit_power_laws
from pinch.core.printing import in_percent, plain
from pinch.core.rises import exponential, fit_rises, hyperbolic
from pinch.core.robust import t_over_normal
from pinch.core.rung_effects import RUNG_PRIOR, RUNG_SDS, EffectSizes, RungEffects, rung_effects, smooth_draws
from pinch.core.runlog import FloatArray
from pinch.language import tr

LAW, RISE, CORNER, FREE = "law", "rise", "corner", tr("free shape")
DRAWS, SEED = 400, 20260901
"""Draws of an interval: its 2.5 % point rests on ten of them. The seed makes the same points give the same band."""
REJECTED_AT = 0.5
"""The power law gives way where it is likelier than not that it is not all there is of the curve."""
SURE = 0.1
"""Where a bend is less likely, no other law is tried."""
TURN_SD = 0.2
"""How much a parameter that the power law has not changes ln score: common practice, no source."""
LEAST_SHARE = 1e-6
"""Of the best score: a least-squares shape could fall below zero, where no score is."""
EXACT = 1e-9
"""Scores that are alike to so much were not measured, but worked out."""
UNTESTED_RMS = 0.01
"""Without repeats the law is used where it misses the points by less: common practice, no source."""
TURNS = (0.05, 0.275, 0.5, 0.725, 0.95)
"""Where between two rungs a curve may turn, as shares of the way."""


class Scatter(Struct, frozen=True):
    """Run-to-run scatter of ln score at equal watts: `sd` from `df` degrees of freedom; NaN and 0 without repeats."""

    sd: float
    df: int

    @property
    def known(self) -> bool:
        """Whether anything was repeated."""
        return self.df > 0


Fit = Callable[[FloatArray, FloatArray], FloatArray]
"""Rows of ln scores (r, n) and a grid (k,) to curves (r, k)."""


Curve = Callable[[FloatArray], tuple[FloatArray, FloatArray]]
"""A grid (k,) to the curve (k,) and its draws (r, k)."""


class Rungs(Struct, frozen=True, dict=True):
    """What is fitted: watts, ln scores and numbers of runs (n,) of the rungs, and the scatter of their runs."""

    watts: FloatArray
    log_score: FloatArray
    runs: FloatArray
    scatter: Scatter
    pool: FloatArray

    @property
    def variances(self) -> FloatArray:
        """Of each rung's mean ln score by the scatter of its runs, (n,)."""
        return np.asarray(self.scatter.sd**2 / self.runs)

    @cached_property
    def sizes(self) -> EffectSizes:
        """What effects of rungs and bends of all sizes make of these rungs, the same for every law."""
        return EffectSizes.usual(self.watts, self.variances)

    @property
    def wider(self) -> float:
        """Student's t over the normal for as many repeats as there were."""
        return t_over_normal(self.scatter.df)

    @property
    def rungs_wider(self) -> float:
        """The same for as many rungs as there are."""
        return t_over_normal(len(self.watts) - 1)

    def drawn(self, rng: np.random.Generator, rung_sds: FloatArray) -> FloatArray:
        """Ln scores as chance could have made them, with rung effects of (r,) sizes, (r, n)."""
        each = self.runs.astype(int)
        picked = rng.choice(self.pool, (len(rung_sds), int(each.sum())))
        off = np.add.reduceat(picked, np.cumsum(each) - each, axis=1) / each
        rungs = rung_sds[:, None] * rng.standard_normal((len(rung_sds), len(self.runs)))
        return np.asarray(self.log_score + self.wider * off + self.rungs_wider * rungs)


class Shape(Struct, frozen=True):
    """A shape that stands: its name, by what, and how its curves are had: the curve (k,) and its draws (r, k)."""

    name: str
    why: str
    effects: RungEffects | None
    curve: Curve


def choose_shape(rung: Rungs, law: PowerLaws) -> Shape:
    """The shape that stands."""
    watts, runs = rung.watts, rung.runs
    if len(watts) <= PARAMETERS:
        words = tr("{watts} settings leave nothing to test a law with", watts=len(watts))
        return Shape(FREE, words, None, lambda grid: _few(rung, grid))
    if not rung.scatter.known or rung.scatter.sd <= EXACT:
        rms = float(np.sqrt(law.misfit[0] / runs.sum()))
        known = tr("no repeats to test it with") if not rung.scatter.known else tr("its repeats do not differ")
        words = tr("power law: {known}; it misses the settings by {rms}", known=known, rms=in_percent(rms))
        if rms < (UNTESTED_RMS if not rung.scatter.known else EXACT):
            return Shape(LAW, words, None, lambda grid: (law.at(grid)[0], _none(grid)))
        return Shape(FREE, words, None, lambda grid: _few(rung, grid))
    laws = [_law(rung, law)]
    for other in (_rise, _corner):
        if laws[-1].effects.bent >= SURE:
            laws += other(rung)
    weighed = _weighed(laws)
    standing = weighed.standing
    if standing is None:
        return Shape(FREE, weighed.words, weighed.around.effects, lambda grid: _free(rung, weighed, grid, DRAWS))
    return Shape(standing.name, weighed.words, standing.effects, lambda grid: _mixed(rung, standing, weighed, grid))


class _Candidate(Struct, frozen=True):
    """A law that may be all there is of the curve: its name and how it is called, how it fits rows of ln scores, its
    curve (k,) at (k,) W, what a small change of each parameter does to ln y there, (k, p), and what rungs show beside
    it."""

    name: str
    words: str
    fit: Fit
    at: Callable[[FloatArray], FloatArray]
    basis: Callable[[FloatArray], FloatArray]
    effects: RungEffects
    parameters: int

    @property
    def evidence(self) -> float:
        """The logarithm of what speaks for it, with or without a bend beside it; what a parameter more than those of
        the power law does is not believed to be more than `TURN_SD` beforehand."""
        return self.effects.evidence - (self.parameters - PARAMETERS) * float(np.log(TURN_SD))


class _Weighed(Struct, frozen=True):
    """The laws that were tried, the power law first, with how likely each is to be all there is of the curve (n,); else
    a smooth bend lies beside the law that it is `around`."""

    laws: Sequence[_Candidate]
    p: FloatArray
    around: _Candidate

    @property
    def p_bend(self) -> float:
        """How likely a bend is."""
        return float(max(0.0, 1.0 - self.p.sum()))

    @property
    def standing(self) -> _Candidate | None:
        """The power law while a bend beside it is not likelier than none; else what is likeliest, a bend being None."""
        if self.laws[0].effects.bent < REJECTED_AT:
            return self.laws[0]
        best = int(np.argmax(self.p))
        return self.laws[best] if self.p[best] > self.p_bend else None

    @property
    def words(self) -> str:
        """How likely everything is."""
        told = [f"{c.words} {plain(float(p), 2)}" for c, p in zip(self.laws, self.p, strict=True)]
        return ", ".join(
            [tr("how likely it is: ") + told[0], *told[1:], tr("a smooth bend {p_bend}", p_bend=plain(self.p_bend, 2))]
        )


def _weighed(laws: Sequence[_Candidate]) -> _Weighed:
    bent = np.array([c.effects.bent for c in laws])
    speaks = np.exp([c.evidence - max(c.evidence for c in laws) for c in laws])
    whole = float(speaks.sum())
    return _Weighed(laws, (1.0 - bent) * speaks / whole, laws[int(np.argmax(bent * speaks))])


def _law(rung: Rungs, law: PowerLaws) -> _Candidate:
    def fit(rows: FloatArray, grid: FloatArray) -> FloatArray:
        return fit_power_laws(rung.watts, rows, rung.runs).at(grid)

    return _candidate(rung, LAW, tr("power law"), fit, law.at, law.basis)


def _rise(rung: Rungs) -> list[_Candidate]:
    scores = np.exp(rung.log_score)[None, :]
    rises = [fit_rises(rung.watts, scores, rung.runs, basis) for basis in (exponential, hyperbolic)]
    best = min(rises, key=lambda rise: float(rise.misfit[0]))
    if best.depth[0] <= 0.0 or best.at(rung.watts).min() <= LEAST_SHARE * float(scores.max()):
        return []

    def fit(rows: FloatArray, grid: FloatArray) -> FloatArray:
        tried = [fit_rises(rung.watts, np.exp(rows), rung.runs, basis) for basis in (exponential, hyperbolic)]
        nearer = tried[0].misfit <= tried[1].misfit  # chance decides which of them a curve is taken for
        return np.where(nearer[:, None], tried[0].at(grid), tried[1].at(grid))

    return [_candidate(rung, RISE, tr("rise to a ceiling"), fit, best.at, best.basis_of_log)]


def _corner(rung: Rungs) -> list[_Candidate]:
    if len(rung.watts) < LEAST_RUNGS:
        return []
    best = fit_corners(rung.watts, rung.log_score[None, :], rung.runs)
    if not np.isfinite(best.misfit[0]):
        return []

    def fit(rows: FloatArray, grid: FloatArray) -> FloatArray:
        return fit_corners(rung.watts, rows, rung.runs).at(grid)

    return [
        _candidate(
            rung, CORNER, tr("a corner at {corner_w:.1f} W", corner_w=best.corner_w[0]), fit, best.at, best.basis
        )
    ]


def _candidate(
    rung: Rungs,
    name: str,
    words: str,
    fit: Fit,
    curves: Callable[[FloatArray], FloatArray],
    basis: Callable[[FloatArray], FloatArray],
) -> _Candidate:
    def at(power: FloatArray) -> FloatArray:
        return np.asarray(curves(power)[0])

    own = basis(rung.watts)
    effects = rung_effects(rung.sizes, rung.log_score - np.log(at(rung.watts)), own)
    return _Candidate(name, words, fit, at, basis, effects, own.shape[1])


def _mixed(rung: Rungs, standing: _Candidate, weighed: _Weighed, grid: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The curve of the law that stands, and what chance and rungs could have made of it: draws of all laws that were
    tried and of a smooth bend, each as often as it is likely."""
    rng = np.random.default_rng(SEED)
    *counts, bent = rng.multinomial(DRAWS, [*weighed.p, weighed.p_bend])
    draws = [_free(rung, weighed, grid, bent)[1]] if bent else []
    for law, count in zip(weighed.laws, counts, strict=True):
        rows = rung.drawn(rng, law.effects.drawn_rungs(rng, count, straight=True))
        draws.append(law.fit(rows, grid) if count else _none(grid))
    return standing.at(grid), rng.permutation(np.vstack(draws))


def _free(rung: Rungs, weighed: _Weighed, grid: FloatArray, count: int) -> tuple[FloatArray, FloatArray]:
    """The curve with a bend beside the law that it fits best, and draws of that; half of them beside the power law,
    from which a bend that large may go anywhere."""
    widest = weighed.laws[0]
    half = 0 if weighed.around is widest else count // 2
    curve, draws = _smooth(rung, weighed.around, grid, count - half)
    if half:
        draws = np.random.default_rng(SEED).permutation(np.vstack([draws, _smooth(rung, widest, grid, half)[1]]))
    return curve, draws


def _none(grid: FloatArray) -> FloatArray:
    return np.empty((0, len(grid)))


def _smooth(rung: Rungs, law: _Candidate, grid: FloatArray, count: int) -> tuple[FloatArray, FloatArray]:
    """The curve where a law is not all there is of it: smooth between the rungs, too, never falling nor bending up."""
    watts = rung.watts
    nodes = _with_middles(watts)
    mean, draws = smooth_draws(
        law.effects,
        rung.log_score - np.log(law.at(watts)),
        (law.basis(watts), law.basis(nodes)),
        nodes,
        np.random.default_rng(SEED),
        count,
    )
    base = np.log(law.at(nodes))
    rows = base + np.vstack([mean, mean + rung.wider * rung.rungs_wider * (draws - mean)])
    fitted = fit_concave_rows(nodes, np.exp(rows), np.ones(len(nodes)))
    turned = _turned_between(watts, fitted[1::2, ::2], grid, np.random.default_rng(SEED + 1))
    curves = _in_turns(_through(nodes, fitted[::2], grid), turned)
    return curves[0], curves[1:]


def _in_turns(drawn: FloatArray, turned: FloatArray) -> FloatArray:
    """Curves of both kinds, one of each in turns, (r, k)."""
    curves = np.empty((len(drawn) + len(turned), drawn.shape[1]))
    curves[::2], curves[1::2] = drawn, turned
    return curves


def _turned_between(watts: FloatArray, rows: FloatArray, grid: FloatArray, rng: np.random.Generator) -> FloatArray:
    """Curves through (r, n) scores of rungs, on the grid, that turn somewhere between them: a shape that never bends up
    leaves room between the chord and where the chords beside it would meet, and half of the curves fill it, with a
    corner."""
    curves = np.empty((len(rows), len(grid)))
    for number, place in enumerate(TURNS[: len(rows)]):
        which = slice(number, None, len(TURNS))
        curves[which] = _turned_at(watts, rows[which], place, grid, rng)
    return curves


def _turned_at(
    watts: FloatArray, rows: FloatArray, place: float, grid: FloatArray, rng: np.random.Generator
) -> FloatArray:
    """The same, all of which turn at one place of every gap, as a share of it."""
    inner = watts[:-1] + place * np.diff(watts)
    slope = np.diff(rows, axis=1) / np.diff(watts)
    chord = rows[:, :-1] + slope * (inner - watts[:-1])
    from_left = np.full_like(chord, np.inf)
    from_left[:, 1:] = rows[:, 1:-1] + slope[:, :-1] * (inner - watts[:-1])[1:]
    from_right = np.full_like(chord, np.inf)
    from_right[:, :-1] = rows[:, 1:-1] - slope[:, 1:] * (watts[1:] - inner)[:-1]
    room = np.minimum(from_left, from_right) - chord
    filled = rng.random(chord.shape)
    filled[::2] = 1.0
    nodes, turned = np.empty(2 * len(watts) - 1), np.empty((len(rows), 2 * len(watts) - 1))
    nodes[::2], nodes[1::2] = watts, inner
    turned[:, ::2], turned[:, 1::2] = rows, chord + filled * np.maximum(room, 0.0)
    above = np.maximum(turned, LEAST_SHARE * float(rows.max()))
    before = np.clip(np.searchsorted(nodes, grid, side="right") - 1, 0, len(nodes) - 2)
    way = (grid - nodes[before]) / np.diff(nodes)[before]
    return np.asarray(above[:, before] * (1.0 - way) + above[:, before + 1] * way)


def _few(rung: Rungs, grid: FloatArray) -> tuple[FloatArray, FloatArray]:
    """The curve through so few rungs that no law can be tested, with what rungs usually are off."""
    measured = fit_concave_rows(rung.watts, np.exp(rung.log_score[None, :]), rung.runs)
    curve = _through(rung.watts, measured, grid)[0]
    if not rung.scatter.known or rung.scatter.sd == 0.0:
        return curve, _none(grid)
    rng = np.random.default_rng(SEED)
    drawn = rung.drawn(rng, rng.choice(RUNG_SDS, DRAWS, p=RUNG_PRIOR))
    rows = fit_concave_rows(rung.watts, np.exp(drawn), rung.runs)
    turned = _turned_between(rung.watts, rows[1::2], grid, rng)
    return curve, _in_turns(_through(rung.watts, rows[::2], grid), turned)


def _with_middles(watts: FloatArray) -> FloatArray:
    """Watts (n,), and one place between each two, (2 n − 1,)."""
    return np.sort(np.concatenate([watts, np.sqrt(watts[1:] * watts[:-1])]))


def _through(nodes: FloatArray, fitted: FloatArray, grid: FloatArray) -> FloatArray:
    """Curves through (r, n) scores on the grid, (r, k)."""
    from scipy.interpolate import PchipInterpolator

    above = np.maximum(fitted, LEAST_SHARE * float(fitted[0].max()))
    return np.asarray(PchipInterpolator(nodes, above, axis=1)(grid))
