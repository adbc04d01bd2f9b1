"""What is said of a run that is a score without a log."""

from pinch.bench.summaries import Origin, Summary, origin_words
from pinch.core.printing import plain
from pinch.language import tr


def told_headline(summary: Summary, unit: str) -> str:
    """The score and whose it is."""
    return tr(
        "{score} {unit}, told without a log: {origin_words}.",
        score=plain(summary.score, 5),
        unit=unit,
        origin_words=origin_words(summary),
    )


def told_lines(summary: Summary, unit: str) -> list[str]:
    """What stands behind the score, and what cannot be said of it."""
    units = tr("one unit") if summary.units == 1 else tr("{units} units of the device", units=summary.units)
    runs = tr("how many runs of each is not told") if summary.units > 1 else tr("one run")
    lines = [
        tr(
            "Behind it: {units}, {what}.",
            units=units,
            what=tr("{repeats} runs", repeats=summary.repeats) if summary.repeats > 1 else runs,
        )
    ]
    if summary.spread is not None:
        lines.append(tr("Standard deviation of its runs: {spread} {unit}.", spread=plain(summary.spread), unit=unit))
    if summary.power_w is not None:
        lines.append(tr("Told with {power_w:g} W, which were not measured here.", power_w=summary.power_w))
    if summary.origin is not Origin.OWN:
        lines.append(
            tr("Somebody else's conditions are not known here: room, limits, builds. Keep that in every comparison.")
        )
    if summary.units > 1:
        lines.append(
            tr("A mean of several units hides how much they differ; a single unit of one's own may be off it by that.")
        )
    lines.append(tr("Nothing is judged: there is no log to see a limit, a settled window or a gap in."))
    return lines
