"""Footnotes that write themselves: everything that a reader has to know of a picture, each as a claim with the runs and
typed results that it rests on."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from pinch.analysis.comparing import CompareResult, Unfair
from pinch.analysis.points import BookPoints, RunPoint, generates, tested
from pinch.analysis.references import is_own
from pinch.bench.records import Came, Result, standing, workload_words
from pinch.bench.summaries import Origin, origin_words
from pinch.core.fairness import FairnessGrade
from pinch.core.figures import UNSETTLED
from pinch.core.printing import counted, listed
from pinch.language import day_words, numeral, tr
from pinch.narrative.cards.content import Found
from pinch.narrative.claims import Claim, share_words
from pinch.narrative.compare_words import NOTE_MARK, OPEN_MARK, mark_of, named_difference

MOST_UNFAIR, MOST_WORKLOADS = 7, 3
ACCEPTED_MARK = "✓"


def footnotes(found: Found, book: BookPoints) -> tuple[Claim, ...]:
    """What stands below a picture: what speaks against it first, then conditions, repeats, method, units and days.
    Rooms, repeats, windows and days are said of the runs that have a log; what is told has none."""
    logs = [p for p in found.runs if p.run.summary is None]
    told = [p for p in found.runs if p.run.summary is not None]
    claims = [
        *_unfair(found.compared),
        *(claim for said in (_rooms, _supplies, _repeats, _generated) for claim in said(logs)),
        *_workloads(found.runs),
        *(_of("method", words, found.runs, found.runs) for words in found.method),
        *_told(told, found.runs),
        *_typed(found.typed),
        *_windows(logs),
        *_units(found, book),
        *_days(logs),
    ]
    return tuple({claim.words: claim for claim in claims}.values())


def _of(code: str, words: str, true_of: Iterable[RunPoint], looked_at: Sequence[RunPoint]) -> Claim:
    """What is true of some runs of a picture, those of other books among them, which have no number here."""
    ids = list(dict.fromkeys(p.run.id for p in true_of))
    own = tuple(number for number in ids if is_own(number))
    return Claim(code, words.rstrip("."), len(ids), len({p.run.id for p in looked_at}), own)


def _unfair(compared: Sequence[CompareResult]) -> list[Claim]:
    """Differences that are open, the worst first, then those that were accepted with their reasons: in how many of the
    cells that were set against a baseline."""
    pairs = sum(len(result.choice.cells) - 1 for result in compared)
    told: dict[str, list[tuple[CompareResult, Unfair]]] = {}
    for result in compared:
        for u in result.unfair:
            if u.difference.grade is not FairnessGrade.HARMLESS:
                told.setdefault(_unfair_words(u), []).append((result, u))
    codes = {ACCEPTED_MARK: "accepted", OPEN_MARK: "unfair", NOTE_MARK: "unfair-a-little"}
    claims = [Claim(codes[words[0]], words, len(found), pairs, _runs_of_pairs(found)) for words, found in told.items()]
    if len(claims) > MOST_UNFAIR:
        more = tr("and {claims} of conditions", claims=counted(len(claims) - MOST_UNFAIR, "more difference"))
        claims = [*claims[:MOST_UNFAIR], Claim("more-unfair", more, len(claims) - MOST_UNFAIR, len(claims))]
    return claims


def _runs_of_pairs(found: Sequence[tuple[CompareResult, Unfair]]) -> tuple[int, ...]:
    """The runs of this book on both sides of some pairs, of the workloads in which they differ."""
    ids = dict[int, None]()
    for result, u in found:
        works = [row.workload.id for row in result.rows if row.workload.name in u.workloads]
        for cell in (u.cell, result.baseline):
            ids |= {p.run.id: None for w in works for p in cell.points.get(w, ()) if is_own(p.run.id)}
    return tuple(ids)


def _unfair_words(u: Unfair) -> str:
    words = named_difference(u).rstrip(".")
    return (
        tr(
            "{accepted_mark} {words} (accepted: {accepted})",
            accepted_mark=ACCEPTED_MARK,
            words=words,
            accepted=u.accepted,
        )
        if u.accepted
        else f"{mark_of(u)} {words}"
    )


def _rooms(logs: Sequence[RunPoint]) -> Iterator[Claim]:
    noted = [p for p in logs if p.room_c is not None]
    rooms = [numeral(room, "g") for room in sorted({p.room_c for p in noted if p.room_c is not None})]
    if len(noted) == len(logs) and logs:
        yield _of("room", tr("room {rooms} °C", rooms=listed(rooms)), noted, logs)
    elif noted:
        words = tr(
            "room {rooms} °C in {noted} of {logs}, not noted in the others",
            rooms=listed(rooms),
            noted=len(noted),
            logs=counted(len(logs), "run"),
        )
        yield _of("room", words, noted, logs)
    elif logs:
        yield _of("room-unknown", tr("room not noted"), logs, logs)


def _supplies(logs: Sequence[RunPoint]) -> Iterator[Claim]:
    plugged = [p for p in logs if p.setting.mains]
    if plugged and len(plugged) < len(logs):
        words = tr(
            "{plugged} of {logs} on mains, the others on battery, by their settings",
            plugged=len(plugged),
            logs=counted(len(logs), "run"),
        )
        yield _of("supply", words, plugged, logs)
    elif logs:
        yield _of(
            "supply",
            tr(
                "on {supply}, by {told_by}",
                supply=tr("mains") if plugged else tr("battery"),
                told_by=tr("their settings") if len(logs) > 1 else tr("its setting"),
            ),
            logs,
            logs,
        )


def _repeats(logs: Sequence[RunPoint]) -> Iterator[Claim]:
    counts = Counter((p.run.setting_id, p.run.workload_id, p.room_c) for p in logs).values()
    if not counts:
        return
    least, most = min(counts), max(counts)
    if most == 1:
        words = tr("single runs") if len(counts) > 1 else tr("a single run")
    else:
        each = tr(" of each") if len(counts) > 1 else ""
        words = (
            tr("{most} runs{each}", most=most, each=each)
            if least == most
            else tr("{least} to {most} runs of each", least=least, most=most)
        )
    yield _of("repeats", words, logs, logs)


def _generated(logs: Sequence[RunPoint]) -> Iterator[Claim]:
    """That frames which were shown were not all drawn."""
    made = [p for p in logs if generates(p)]
    if made:
        runs = tr("run") if len(logs) == 1 else tr("runs")
        words = tr(
            "frames were generated in {share_words} {runs}; only those that were drawn count",
            share_words=share_words(len(made), len(logs)),
            runs=runs,
        )
        yield _of("generated", words, made, logs)


def _workloads(runs: Sequence[RunPoint]) -> Iterator[Claim]:
    """How alike the passes of the workloads are, where they are few."""
    by_words: dict[str, list[RunPoint]] = {}
    for p in runs:
        by_words.setdefault(workload_words(p.workload), []).append(p)
    if len(by_words) <= MOST_WORKLOADS:
        yield from (_of("workload", words, own, runs) for words, own in by_words.items())


def _told(told: Sequence[RunPoint], runs: Sequence[RunPoint]) -> Iterator[Claim]:
    words = dict.fromkeys(
        f"{p.device.name}, {p.setting.name}: {origin_words(p.run.summary)}" for p in told if p.run.summary is not None
    )
    if words:
        yield _of("told", tr("told, not measured: {words}", words="; ".join(words)), told, runs)


def _typed(results: Sequence[Result]) -> Iterator[Claim]:
    """Typed figures, whose they are."""
    by_origin: dict[Origin, list[int]] = {Origin.OWN: []}
    for r in results:
        by_origin.setdefault(r.origin, []).append(r.id)
    for origin, ids in by_origin.items():
        whose = (
            tr("typed in as own tests") if origin is Origin.OWN else tr("told, not measured: {origin}", origin=origin)
        )
        if ids:
            own = tuple(filter(is_own, ids))
            yield Claim("typed", f"{counted(len(ids), 'figure')} {whose}", len(ids), len(results), (), own)


def _windows(logs: Sequence[RunPoint]) -> Iterator[Claim]:
    """What is not settled, what was found wrong, and windows that were chosen by hand."""
    drifting = [p for p in logs if p.digest.state in UNSETTLED]
    void = [p for p in logs if p.run.void]
    by_hand = [p for p in logs if p.run.window is not None]
    for code, these, words in (
        ("drifting", drifting, tr("not settled: what they give still moves")),
        ("void", void, "void"),
        ("window-by-hand", by_hand, tr("with a settled window that was chosen by hand")),
    ):
        if these:
            runs = tr("run") if len(logs) == 1 else tr("runs")
            yield _of(code, f"{share_words(len(these), len(logs))} {runs} {words}", these, logs)


def _units(found: Found, book: BookPoints) -> Iterator[Claim]:
    """How each device came that was on the bench, those of typed figures among them."""
    by_id = {d.id: d for d in book.devices}
    typed = [by_id[r.device_id] for r in found.typed if r.device_id in by_id]
    here = tested(found.runs, found.typed)
    devices = [d for d in dict.fromkeys([*(p.device for p in found.runs), *typed]) if d.id in here]
    for d in devices:
        if standing(d):
            yield Claim("unit", f"{d.name}: {standing(d)}", 1, len(devices))
    unknown = [d.name for d in devices if d.came is Came.UNKNOWN]
    if unknown:
        yield Claim(
            "unit-unknown",
            tr("how it came not noted: {unknown}", unknown=", ".join(unknown)),
            len(unknown),
            len(devices),
        )


def _days(logs: Sequence[RunPoint]) -> Iterator[Claim]:
    dated = [p for p in logs if p.run.day is not None]
    days = sorted({f"{p.run.day}" for p in dated})
    if days:
        words = (
            tr("tested {days}", days=day_words(days[0]))
            if days[0] == days[-1]
            else tr("tested {first} to {last}", first=day_words(days[0]), last=day_words(days[-1]))
        )
        some = tr(
            ", {dated} of {logs}; the day of the others is not known", dated=len(dated), logs=counted(len(logs), "run")
        )
        yield _of("days", words + (some if len(dated) < len(logs) else ""), dated, logs)
    elif logs:
        yield _of("day-unknown", tr("the day is not known"), logs, logs)
