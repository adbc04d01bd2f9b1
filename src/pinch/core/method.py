"""The version of the methods, and what each version changed."""

from pinch.language import tr

METHOD = 13
"""A change that moves figures of the same log raises it."""
CHANGED = {
    3: tr(
        "each load is cut where power, clock or rate change and asked what is regulated there; "
        "graphics are judged as the processor is; a settled window holds no step"
    ),
    4: tr("the first minutes of a run are parted from the rest where its rate falls, not always after five"),
    5: tr(
        "the order of runs, other days and several cells at once widen what is said of a "
        "difference, and borrowed scatter decides nothing; curves allow for rungs that are off,"
        " and cross only with a real lead on either side; uncertainties hold the sensors' own; "
        "a cut between scenes is one stutter"
    ),
    6: tr(
        "bands and sweet spots of curves are of all laws that the runs do not tell apart, a "
        "curve may have a corner; uncertainties allow for how well it is known how alike "
        "neighbouring samples are"
    ),
    7: tr(
        "the last watt worth it is not blurred over a corner; draws of a rise to a ceiling may level off in either way"
    ),
    8: tr("the knee of a curve of free shape may lie further towards a corner"),
    9: tr("sweet spots of a curve of free shape may lie further down"),
    10: tr("an index counts a workload once, however many variants of it were run"),
    11: tr(
        "the machine's own account of what limits it counts, a signal from outside the chip is "
        "a cause of its own, and a flag of throttling by power is no power"
    ),
    12: tr(
        "the offset of room and sensor is weighed against what both may be off while time "
        "constants are searched: a warm start no longer takes resistance for it; days about "
        "which a book says nothing widen more; the interval of a low by the mean of the worst "
        "frames allows for their skewness"
    ),
    13: tr(
        "time constants are searched until they stand, so that rounding moves nothing; a stretch "
        "with holes keeps its first and last seconds"
    ),
}
"""By version, what it does otherwise than the one before."""


def changes_since(method: int) -> list[str]:
    """What the methods do otherwise than in an earlier version, in order."""
    return [words for version, words in sorted(CHANGED.items()) if version > method]
