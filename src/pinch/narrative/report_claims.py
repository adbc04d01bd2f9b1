"""What a report says of how it was tested, of power and its own limits: claims about the runs and typed
results behind its cards, each said of as many as it is true of. What nobody noted is said to be not noted."""

from collections import Counter
from collections.abc import Sequence

from pinch.analysis.points import RunPoint
from pinch.bench.records import Came, Device, Protocol, Result, ScoreFrom, Status
from pinch.bench.summaries import Origin
from pinch.core.figures import SettledState
from pinch.core.metrics import SCORE
from pinch.core.printing import counted, listed, with_article
from pinch.language import day_words, numeral, tr, trn
from pinch.narrative.claims import Claim, of_runs, share_words
from pinch.narrative.methodology import methodology


def logged(runs: Sequence[RunPoint]) -> list[RunPoint]:
    """Those that have a log; the others are scores that were told."""
    return [p for p in runs if p.run.summary is None]


# How it was tested


def tested_claims(runs: Sequence[RunPoint], protocols: Sequence[Protocol]) -> list[Claim]:
    """Protocols as far as runs name them, and what was done and noted, whatever they ask for."""
    own = logged(runs)
    if not own:
        return [Claim("no-log", tr("No run behind this report has a log of its own."), 0, len(runs))]
    return [*_protocols(own, protocols), _rooms(own), _repeats(own), _watts(own)]


def _protocols(own: Sequence[RunPoint], protocols: Sequence[Protocol]) -> list[Claim]:
    told, under = [], set[int]()
    for protocol in protocols:
        runs = [p for p in own if p.run.protocol_id == protocol.id]
        if runs:
            under |= {p.run.id for p in runs}
            words = trn(
                "{runs} names “{protocol}” as its protocol.",
                "{runs} name “{protocol}” as their protocol.",
                len(runs),
                runs=_runs(len(runs), len(own)),
                protocol=protocol.name,
            )
            told.append(of_runs("protocol", f"{words} {methodology(protocol)}", runs, own))
    without = [p for p in own if p.run.id not in under]
    if without:
        words = tr(
            "{runs} {what} no protocol.",
            runs=_runs(len(without), len(own)),
            what=tr("name") if len(without) > 1 else tr("names"),
        )
        told.append(of_runs("no-protocol", words, without, own))
    return told


def _runs(n: int, of: int) -> str:
    """So many of the runs, as the beginning of a sentence."""
    if n == of:
        return tr("The run behind this report") if of == 1 else tr("All {of} runs behind this report", of=of)
    return tr("{n} of the {of} runs behind this report", n=n, of=of)


def _rooms(own: Sequence[RunPoint]) -> Claim:
    noted = [p for p in own if p.run.ambient_c is not None]
    if not noted:
        return of_runs("rooms", tr("The temperature of the room was not noted."), noted, own)
    span = span_words([p.run.ambient_c or 0.0 for p in noted])
    scope = (
        ""
        if len(noted) == len(own)
        else tr(", noted of {share_words} runs", share_words=share_words(len(noted), len(own)))
    )
    return of_runs("rooms", tr("The room was at {span}{scope}.", span=span, scope=scope), noted, own)


def span_words(rooms: Sequence[float]) -> str:
    """Temperatures of rooms from the lowest to the highest."""
    low, high = numeral(min(rooms), ".1f"), numeral(max(rooms), ".1f")
    return tr("{low} °C", low=low) if low == high else tr("{low} to {high} °C", low=low, high=high)


def _repeats(own: Sequence[RunPoint]) -> Claim:
    """How often each setting ran each workload: counted, not as it was meant."""
    cells = Counter((p.run.setting_id, p.run.workload_id, p.room_c) for p in own)
    often = Counter(cells.values())
    parts = [
        f"{n} {(tr('cell has') if n == 1 else tr('cells have'))} {counted(k, 'run')}" for k, n in sorted(often.items())
    ]
    words = tr("A cell is a setting under a workload in a room; {parts}.", parts=listed(parts))
    repeated = [p for p in own if cells[(p.run.setting_id, p.run.workload_id, p.room_c)] > 1]
    return of_runs("repeats", words, repeated, own)


def _watts(own: Sequence[RunPoint]) -> Claim:
    measured = [p for p in own if p.digest.power_w is not None]
    if not measured:
        return of_runs("watts", tr("No watts were measured; the watts of a label are a name."), measured, own)
    scope = tr(
        "in {share_words} {what}",
        share_words=share_words(len(measured), len(own)),
        what=tr("run") if len(own) == 1 else tr("runs"),
    )
    return of_runs(
        "watts", tr("Watts were measured {scope}; the watts of a label are a name.", scope=scope), measured, own
    )


# What it cannot say


def limit_claims(
    runs: Sequence[RunPoint], results: Sequence[Result], devices: Sequence[Device], left_out: Sequence[RunPoint]
) -> list[Claim]:
    """Everything that speaks against the figures of a report."""
    own = logged(runs)
    told = [*_unsettled(own), *_single(own), *_gaps(own), *_by_hand(own), *_of_units(devices)]
    told += [*_told(runs, results), *_typed_once(runs, results), *_several_units(runs, results)]
    if left_out:
        more = tr("; and {left_out} more", left_out=len(left_out) - 6) if len(left_out) > 6 else ""
        words = tr("Left out: {why}{more}.", why="; ".join(_why(p) for p in left_out[:6]), more=more)
        told.append(of_runs("left-out", words, left_out, left_out))
    if own:
        words = tr("What was measured here was measured on one unit of each device; units differ among themselves.")
        told.append(of_runs("one-unit", words, own, own))
    return told


def _unsettled(own: Sequence[RunPoint]) -> list[Claim]:
    drifting = [p for p in own if p.digest.state == SettledState.DRIFTING]
    figures = tr("its figures") if len(drifting) == 1 else tr("figures")
    words = tr("{named} had not settled: {figures} still moved.", named=_named(drifting), figures=figures)
    return [of_runs("unsettled", words, drifting, own)] if drifting else []


def _single(own: Sequence[RunPoint]) -> list[Claim]:
    cells: dict[tuple[int, int, float | None], list[RunPoint]] = {}
    for p in own:
        cells.setdefault((p.run.setting_id, p.run.workload_id, p.room_c), []).append(p)
    single = [runs[0] for runs in cells.values() if len(runs) == 1]
    if not single:
        return []
    rest = tr("rests") if len(single) == 1 else tr("rest")
    words = tr(
        "{single} of {cells} {rest} on a single run: {named}.",
        single=len(single),
        cells=counted(len(cells), "cell"),
        rest=rest,
        named=_named(single),
    )
    return [Claim("single-runs", words, len(single), len(cells), tuple(p.run.id for p in single))]


def _gaps(own: Sequence[RunPoint]) -> list[Claim]:
    gaps = [p for p in own if "gap" in p.digest.flags]
    words = tr(
        "There are gaps in the {what} of {named}; nothing is filled in.",
        what=tr("log") if len(gaps) == 1 else tr("logs"),
        named=_named(gaps),
    )
    return [of_runs("gaps", words, gaps, own)] if gaps else []


def _by_hand(own: Sequence[RunPoint]) -> list[Claim]:
    moved = [p for p in own if p.run.window is not None]
    windows = tr("settled window") if len(moved) == 1 else tr("settled windows")
    words = tr(
        "The {windows} of {named} {what} chosen by hand.",
        windows=windows,
        named=_named(moved),
        what=tr("was") if len(moved) == 1 else tr("were"),
    )
    return [of_runs("window-by-hand", words, moved, own)] if moved else []


def _of_units(devices: Sequence[Device]) -> list[Claim]:
    """Units that are not those that are sold, or came in a way that is not noted."""
    told = []
    for d in devices:
        if d.status is not Status.RETAIL:
            words = tr(
                "{name} is {with_article} unit: one that is sold may do otherwise.",
                name=d.name,
                with_article=with_article(tr(d.status)),
            )
            told.append(Claim("not-retail", words, 1, len(devices)))
    told += [
        Claim("came-unknown", tr("How {name} came is not noted.", name=d.name), 1, len(devices))
        for d in devices
        if d.came is Came.UNKNOWN
    ]
    return told


def _told(runs: Sequence[RunPoint], results: Sequence[Result]) -> list[Claim]:
    """Figures without a log: one's own that were typed, and those of others."""
    scores = [(p.run.id, p.run.summary.origin) for p in runs if p.run.summary is not None]
    found = []
    for code, is_own in (("typed", True), ("others", False)):
        of_run = tuple(number for number, origin in scores if (origin is Origin.OWN) == is_own)
        typed = tuple(r.id for r in results if (r.origin is Origin.OWN) == is_own)
        n = len(of_run) + len(typed)
        if not n:
            continue
        figures = counted(n, "figure is", "figures are")
        words = (
            tr(
                "{figures} typed in as own tests; there is no log to check {what} by.",
                figures=figures,
                what=tr("it") if n == 1 else tr("them"),
            )
            if is_own
            else tr("{figures} told by others, and not measured here.", figures=figures)
        )
        found.append(Claim(code, words, n, len(runs) + len(results), of_run, typed))
    return found


def _typed_once(runs: Sequence[RunPoint], results: Sequence[Result]) -> list[Claim]:
    """Cells of typed own figures that stand on one run, by what was noted of them."""
    repeats: dict[tuple[int, int, str], int] = {}
    for p in runs:
        if p.run.summary is not None and p.run.summary.origin is Origin.OWN:
            cell = p.run.setting_id, p.run.workload_id, SCORE
            repeats[cell] = repeats.get(cell, 0) + p.run.summary.repeats * p.run.summary.units
    for r in results:
        if r.origin is Origin.OWN:
            cell = r.setting_id, r.workload_id, r.metric
            repeats[cell] = repeats.get(cell, 0) + r.n * r.units
    n = sum(behind == 1 for behind in repeats.values())
    if not n:
        return []
    words = tr(
        "{n} of {repeats} {what} on a single run.",
        n=n,
        repeats=counted(len(repeats), "typed figure"),
        what=tr("rests") if n == 1 else tr("rest"),
    )
    return [Claim("typed-once", words, n, len(repeats))]


def _several_units(runs: Sequence[RunPoint], results: Sequence[Result]) -> list[Claim]:
    of_run = tuple(p.run.id for p in runs if p.run.summary is not None and p.run.summary.units > 1)
    typed = tuple(r.id for r in results if r.units > 1)
    n = len(of_run) + len(typed)
    if not n:
        return []
    words = tr(
        "{n} {what} of several units.", n=counted(n, "figure"), what=tr("is a mean") if n == 1 else tr("are means")
    )
    return [Claim("several-units", words, n, len(runs) + len(results), of_run, typed)]


def _why(p: RunPoint) -> str:
    return f"{p.device.name}, {p.workload.name}, {p.name}: {p.why_not.rstrip('.')}"


def _named(runs: Sequence[RunPoint]) -> str:
    names = [f"{p.device.name}, {p.name}" for p in runs]
    return (
        "; ".join(names)
        if len(names) <= 4
        else tr("{names} and {more} more", names="; ".join(names[:3]), more=len(names) - 3)
    )


# Data


def _logs_claim(own: Sequence[RunPoint], runs: Sequence[RunPoint]) -> Claim:
    """How many logs there are, and of which days."""
    dated = [p for p in own if p.run.day is not None]
    days = sorted({f"{p.run.day}" for p in dated})
    span = tr(", whose day is not known")
    if days:
        span = (
            tr(", made on {days}", days=day_words(days[0]))
            if len(days) == 1
            else tr(", made between {first} and {last}", first=day_words(days[0]), last=day_words(days[-1]))
        )
        span += (
            tr(" ({dated} of them; the day of the others is not known)", dated=len(dated))
            if len(dated) < len(own)
            else ""
        )
    with_logs = tr("1 run with a log of its own") if len(own) == 1 else tr("{own} runs with logs", own=len(own))
    words = tr(
        "{with_logs}{span}, {what} behind this report.",
        with_logs=with_logs,
        span=span,
        what=tr("stands") if len(own) == 1 else tr("stand"),
    )
    return of_runs("logs", words, own, runs)


def _score_claims(own: Sequence[RunPoint]) -> list[Claim]:
    """Which scores are not worked out from a log: typed in beside it, or told by a program."""
    scored = [p for p in own if any(one.score is not None and not one.of_rate for one in p.run.passes)]
    by_hand = [p for p in scored if p.workload.score_from is ScoreFrom.NONE]
    by_program = [p for p in scored if p not in by_hand]
    ways = (
        ("typed-score", by_hand, tr("typed in")),
        ("program-score", by_program, tr("told by the program of the workload")),
    )
    return [of_runs(code, f"{_scores_of(runs)} {how}.", runs, own) for code, runs, how in ways if runs]


def _scores_of(runs: Sequence[RunPoint]) -> str:
    """The beginning of a sentence on the scores of some runs."""
    return (
        tr("The score of 1 run with a log was")
        if len(runs) == 1
        else tr("The scores of {runs} runs with logs were", runs=len(runs))
    )


def data_claims(runs: Sequence[RunPoint], results: Sequence[Result], readings: int) -> list[Claim]:
    """What stands behind the report: logs of when, what was typed, and what was read by hand."""
    own = logged(runs)
    scored = _score_claims(own)
    told = [_logs_claim(own, runs), *scored] if own else []
    typed = len(results) + len(runs) - len(own)
    if typed:
        words = tr(
            "{typed} {what} typed in or told, without a log.",
            typed=counted(typed, "figure"),
            what=tr("was") if typed == 1 else tr("were"),
        )
        ids = tuple(p.run.id for p in runs if p.run.summary is not None)
        told.append(Claim("typed-in", words, typed, len(runs) + len(results), ids, tuple(r.id for r in results)))
    elif own and not scored:
        words = tr("Every score is worked out from these logs; none is typed in.")
        told.append(of_runs("all-logged", words, own, runs))
    if readings:
        words = tr(
            "{readings} {what} taken by hand.",
            readings=counted(readings, "reading"),
            what=tr("was") if readings == 1 else tr("were"),
        )
        told.append(Claim("readings", words, readings, readings))
    return told
