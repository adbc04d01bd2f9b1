"""What is said of a run that is a score without a log."""

from pinch.bench.summaries import Origin, Summary, origin_words
from pinch.core.printing import plain


def told_headline(summary: Summary, unit: str) -> str:
    """The score and whose it is."""
    return f"{plain(summary.score, 5)} {unit}, told without a log: {origin_words(summary)}."


def told_lines(summary: Summary, unit: str) -> list[str]:
    """What stands behind the score, and what cannot be said of it."""
    units = "one unit" if summary.units == 1 else f"{summary.units} units of the device"
    runs = "how many runs of each is not told" if summary.units > 1 else "one run"
    lines = [f"Behind it: {units}, {f'{summary.repeats} runs' if summary.repeats > 1 else runs}."]
    if summary.spread is not None:
        lines.append(f"Standard deviation of its runs: {plain(summary.spread)} {unit}.")
    if summary.power_w is not None:
        lines.append(f"Told with {summary.power_w:g} W, which were not measured here.")
    if summary.origin is not Origin.OWN:
        lines.append(
            "Somebody else's conditions are not known here: room, limits, builds. Keep that in every comparison."
        )
    if summary.units > 1:
        lines.append(
            "A mean of several units hides how much they differ; a single unit of one's own may be off it by that."
        )
    lines.append("Nothing is judged: there is no log to see a limit, a settled window or a gap in.")
    return lines
