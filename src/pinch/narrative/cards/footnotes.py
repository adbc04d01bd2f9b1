"""Footnotes that write themselves: everything that a reader has to know of a picture, from the records of its runs."""

from collections import Counter
from collections.abc import Sequence

from pinch.analysis.comparing import Unfair
from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.records import Came, Result, standing, workload_words
from pinch.bench.summaries import Origin, origin_words
from pinch.core.fairness import FairnessGrade
from pinch.core.figures import UNSETTLED
from pinch.core.printing import counted
from pinch.narrative.cards.content import Found

"""States of a window whose figures still move."""
MOST_UNFAIR = 7
OPEN_MARK, NOTE_MARK, ACCEPTED_MARK = "▲", "△", "✓"


def footnotes(found: Found, book: BookPoints, own: str) -> tuple[str, ...]:
    """What stands below a picture: what speaks against it first, then conditions, repeats, method, units and days."""
    unfair = [u for result in found.compared for u in result.unfair]
    parts = [*_unfair_words(unfair), _rooms(found.runs), _repeats(found.runs), _passes(found.runs), *found.method]
    parts += [
        _told(found.runs),
        *_typed(found.typed),
        *_windows(found.runs),
        *_units(found.runs),
        _days(found.runs),
        own,
    ]
    return tuple(dict.fromkeys(p.rstrip(".") for p in parts if p))


def _unfair_words(unfair: Sequence[Unfair]) -> list[str]:
    """Differences that are open, the worst first, then those that were accepted with their reasons."""
    told = []
    for u in unfair:
        if u.difference.grade is FairnessGrade.HARMLESS:
            continue
        whose = "" if u.cell.name in u.difference.words else f"{u.cell.name}: "
        words = f"{whose}{u.difference.words.rstrip('.')}"
        mark = OPEN_MARK if u.difference.grade is FairnessGrade.HOLDS_BACK else NOTE_MARK
        told.append(f"{ACCEPTED_MARK} {words} (accepted: {u.accepted})" if u.accepted else f"{mark} {words}")
    told = list(dict.fromkeys(told))
    if len(told) > MOST_UNFAIR:
        told = [*told[:MOST_UNFAIR], f"and {len(told) - MOST_UNFAIR} more differences of conditions"]
    return told


def _rooms(runs: Sequence[RunPoint]) -> str:
    own = [p for p in runs if p.run.summary is None]
    if not own:
        return ""
    rooms = sorted({p.room_c for p in own if p.room_c is not None})
    words = [f"room {' and '.join(f'{r:g}' for r in rooms)} °C"] if rooms else []
    words += ["room not noted of some"] if rooms and any(p.room_c is None for p in own) else []
    supplies = {p.setting.mains for p in own}
    supply = "mains and battery" if len(supplies) > 1 else "mains" if supplies == {True} else "battery"
    return ", ".join([*(words or ["room not noted"]), supply])


def _repeats(runs: Sequence[RunPoint]) -> str:
    counts = Counter((p.run.setting_id, p.run.workload_id, p.room_c) for p in runs if p.run.summary is None)
    if not counts:
        return ""
    least, most = min(counts.values()), max(counts.values())
    if most == 1:
        return "single runs" if len(counts) > 1 else "a single run"
    return f"{most} runs of each" if least == most else f"{least} to {most} runs of each"


def _passes(runs: Sequence[RunPoint]) -> str:
    """How alike the passes of the workloads are."""
    words = dict.fromkeys(workload_words(p.workload) for p in runs)
    return ", ".join(words) if 0 < len(words) <= 3 else ""


def _told(runs: Sequence[RunPoint]) -> str:
    told = dict.fromkeys(
        f"{p.device.name}, {p.setting.name}: {origin_words(p.run.summary)}" for p in runs if p.run.summary is not None
    )
    return f"told, not measured: {'; '.join(told)}" if told else ""


def _typed(results: Sequence[Result]) -> list[str]:
    """Typed figures, whose they are."""
    by_origin = Counter(r.origin for r in results)
    own = by_origin.pop(Origin.OWN, 0)
    words = [f"{counted(own, 'figure')} typed in as own tests"] if own else []
    return words + [f"{counted(n, 'figure')} told, not measured: {origin}" for origin, n in by_origin.items()]


def _windows(runs: Sequence[RunPoint]) -> list[str]:
    """What is not settled, and windows that were chosen by hand."""
    drifting = sum(p.digest.state in UNSETTLED for p in runs)
    void = sum(bool(p.run.void) for p in runs)
    by_hand = sum(p.run.window is not None for p in runs)
    words = [f"{drifting} of {len(runs)} runs not settled: their figures still move"] if drifting else []
    words += [f"{void} of {len(runs)} runs void"] if void else []
    return [*words, *([f"{by_hand} settled windows chosen by hand"] if by_hand else [])]


def _units(runs: Sequence[RunPoint]) -> list[str]:
    devices = dict.fromkeys(p.device for p in runs)
    known = [f"{d.name}: {standing(d)}" for d in devices if standing(d)]
    unknown = [d.name for d in devices if d.came is Came.UNKNOWN]
    return [*known, *([f"how it came not noted: {', '.join(unknown)}"] if unknown else [])]


def _days(runs: Sequence[RunPoint]) -> str:
    days = sorted({p.run.started.date() for p in runs if p.run.summary is None})
    if not days:
        return ""
    return f"tested {days[0]}" if days[0] == days[-1] else f"tested {days[0]} to {days[-1]}"
