"""What held settings or runs, as shares of their load."""

from collections.abc import Sequence

import numpy as np

from pinch.analysis.plain_tables import Cell, Column, Table
from pinch.analysis.points import RunPoint
from pinch.charts.share_chart import ShareChart, in_words, share_row
from pinch.core.causes import Cause
from pinch.core.errors import PinchError
from pinch.core.printing import counted, listed
from pinch.language import tr

Named = Sequence[tuple[str, Sequence[RunPoint]]]
"""Runs by the name of their row."""


def shares_chart(rows: Named) -> ShareChart:
    """The mean shares of each row's runs.

    Raises
    ------
    PinchError : nothing is known of what held any of them.
    """
    made = [share_row(name, mean_shares(points), _behind(points)) for name, points in rows if mean_shares(points)]
    if not made:
        raise PinchError(tr("What held these runs is not known: their logs have neither power, clock nor temperature."))
    return ShareChart(shares_words(rows), tuple(made), alternative=in_words(made))


def mean_shares(points: Sequence[RunPoint]) -> dict[Cause, float]:
    """Shares of the load by what held it, the mean over some runs."""
    known = [p.digest.shares for p in points if p.digest.shares]
    if not known:
        return {}
    return {cause: float(np.mean([own.get(cause, 0.0) for own in known])) for cause in Cause}


def shares_words(rows: Named) -> str:
    """Which cause holds most of each row; heat first, where there is any."""
    known = [(name, shares) for name, points in rows if (shares := mean_shares(points))]
    if not known:
        return tr("What held these runs is not known.")
    hottest = max(known, key=lambda row: row[1][Cause.HEAT])
    if hottest[1][Cause.HEAT] >= 0.05:
        others = [name for name, shares in known if shares[Cause.HEAT] < 0.005]
        free = (
            tr(
                "; {few} {what} not held by heat at all",
                few=_few(others),
                what=tr("is") if len(others) == 1 else tr("are"),
            )
            if others
            else ""
        )
        return tr(
            "Heat holds {hottest} for {share:.0f} % of the load{free}.",
            hottest=hottest[0],
            share=100 * hottest[1][Cause.HEAT],
            free=free,
        )
    told = []
    for cause in Cause:
        own = [name for name, shares in known if max(shares, key=lambda c: shares[c]) == cause]
        if own:
            told.append(tr("{label} holds {few} most of the time", label=cause.label, few=_few(own)))
    return tr("Heat holds none of them; {told}.", told="; ".join(told))


def shares_table(rows: Named) -> Table:
    """The shares as numbers."""
    causes = [c for c in Cause if any(mean_shares(points).get(c, 0.0) > 0 for _, points in rows)]
    columns = (Column("of"), *(Column(c.label, "%") for c in causes), Column("runs"))
    made: list[tuple[Cell, ...]] = [
        (name, *(100.0 * shares[c] for c in causes), len(points))
        for name, points in rows
        if (shares := mean_shares(points))
    ]
    return Table("shares", columns, tuple(made))


def _few(names: Sequence[str]) -> str:
    if len(names) <= 3:
        return listed(names)
    return (
        tr("{names} others", names=len(names))
        if len(names) > 4
        else tr("{names} and {last}", names=", ".join(names[:-1]), last=names[-1])
    )


def _behind(points: Sequence[RunPoint]) -> str:
    watts = [p.digest.power_w for p in points if p.digest.power_w is not None]
    runs = counted(len(points), "run")
    return tr("{mean:.1f} W, {runs}", mean=np.mean(watts), runs=runs) if watts else runs
