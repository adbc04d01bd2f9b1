"""What a careful editor would stop before it is published, each with the place where it can be mended.

The rules are common practice of the trade, no source.
"""

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from enum import IntEnum

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.cells import BenchCell
from pinch.analysis.comparing import Compared, CompareResult
from pinch.analysis.modes import LABEL_OFF
from pinch.analysis.points import RunPoint, tested
from pinch.analysis.references import is_own
from pinch.bench.cards import Card, CardKind, Report
from pinch.bench.records import Came, Device, Result, Status, standing
from pinch.bench.summaries import Origin
from pinch.charts.draw.crowding import crowding
from pinch.core.fairness import FairnessGrade
from pinch.core.figures import UNSETTLED
from pinch.core.method import changes_since
from pinch.core.metrics import LOW_NAMES
from pinch.core.printing import counted, listed, plain
from pinch.core.tinybase import is_tiny_base
from pinch.core.verdict import Answer
from pinch.language import tr
from pinch.narrative.cards.content import CardContent, Found
from pinch.narrative.cards.deck import Deck
from pinch.narrative.cards.splitting import can_split
from pinch.narrative.cards.strange_numbers import strange_numbers
from pinch.narrative.claims import Claim, share_words
from pinch.narrative.quotable import Outdated, outdated

WIN_WORDS = tr(
    "faster · quicker · beats · beat · wins · win · won · leads · lead · ahead · better · best · outperforms · "
    "outpaces · superior · slower · worse · loses · lose · trails · behind · crushes"
).split(" · ")
"""Words that say who is ahead, and below those that say that nobody is; each language has its own."""
MOST_NAMED, MOST_UNFAIR = 3, 3
TIE_WORDS = tr("tie · same · equal · level · can't tell · cannot tell · no difference · alike · within").split(" · ")


class Weight(IntEnum):
    """How much speaks for stopping it, the most first."""

    STOP = 0
    LOOK = 1


class ConcernPlace(Struct, frozen=True):
    """Where a concern is mended: a card, a run, a device, or the report's own words."""

    card_id: int | None = None
    run_id: int | None = None
    device_id: int | None = None
    report: bool = False


class Concern(Struct, frozen=True):
    """Something that an editor would stop: a claim with what it rests on, its weight, and its place."""

    claim: Claim
    weight: Weight
    place: ConcernPlace

    @property
    def code(self) -> str:
        """The stable code of its claim."""
        return self.claim.code

    @property
    def words(self) -> str:
        """The sentence of its claim."""
        return self.claim.words


def concerns(deck: Deck) -> list[Concern]:
    """Everything about a deck and its report, what must be stopped first, then in the order of the cards."""
    found = [concern for content in deck.contents for concern in _of_card(content)]
    found += [*_twice(deck), *_of_report(deck)]
    return sorted(dict.fromkeys(found), key=lambda c: c.weight)


def _of_card(content: CardContent) -> Iterator[Concern]:
    if content.found is None:
        yield _card(content, "empty", Weight.STOP, tr("shows nothing: {problem}", problem=content.problem))
        return
    for rule in _CARD_RULES:
        yield from rule(content)


def _twice(deck: Deck) -> Iterator[Concern]:
    """Cards of a report that say the same in the same way as one before them."""
    first: dict[tuple[str, str], Card] = {}
    for content in deck.contents:
        if content.card.in_report and content.found is not None:
            before = first.setdefault((content.card.kind, content.found.chart.alternative), content.card)
            if before.id != content.card.id:
                yield _card(
                    content, "twice", Weight.LOOK, tr("shows once more what “{before}” shows.", before=before.name)
                )


def _card(content: CardContent, code: str, weight: Weight, words: str) -> Concern:
    """What is true of a card as a whole, with all that it rests on."""
    found = content.found
    return _part(content, code, weight, words, (1, 1), found.runs if found else (), found.typed if found else ())


def _part(
    content: CardContent,
    code: str,
    weight: Weight,
    words: str,
    share: tuple[int, int],
    runs: Iterable[RunPoint],
    typed: Iterable[Result] = (),
) -> Concern:
    """What is true of so many things of a card, out of how many, with the runs and typed results that it rests on."""
    of_runs, of_typed = _own_ids(p.run.id for p in runs), _own_ids(r.id for r in typed)
    claim = Claim(code, f"“{content.card.name}” {words}", *share, of_runs, of_typed)
    return Concern(claim, weight, ConcernPlace(card_id=content.card.id))


def _own_ids(numbers: Iterable[int]) -> tuple[int, ...]:
    """Those of this book, each once."""
    return tuple(filter(is_own, dict.fromkeys(numbers)))


def _evidence(result: CompareResult, cells: Iterable[BenchCell]) -> tuple[list[RunPoint], list[Result]]:
    """The runs and typed results of some cells, and of the baseline that they are set against."""
    works, both = dict.fromkeys(row.workload.id for row in result.rows), (*cells, result.baseline)
    runs = [p for cell in both for w in works for p in cell.points.get(w, ())]
    return runs, [r for cell in both for w in works for r in cell.results.get(w, ())]


def method_words(card: Card) -> str:
    """What the methods do otherwise than when a card was agreed to; empty where nothing."""
    told = changes_since(card.seen_method)
    return tr(" Since then {told}.", told="; ".join(told)) if told else ""


def _moved(content: CardContent) -> Iterator[Concern]:
    if content.moved:
        was = f"{content.card.seen}{method_words(content.card)}"
        words = tr("has another finding than when it was agreed to. It was: {was}", was=was)
        yield _card(content, "changed", Weight.STOP, words)


def _edited(content: CardContent) -> Iterator[Concern]:
    """A sentence by hand: its numbers, and what it makes of ties."""
    if not content.edited:
        return
    strange = strange_numbers(content.finding, content.composed)
    if strange:
        what = tr("numbers") if len(strange) > 1 else tr("a number")
        yield _card(
            content,
            "edited",
            Weight.STOP,
            tr("says {what} that its figures do not: {strange}.", what=what, strange=", ".join(strange)),
        )
    else:
        yield _card(
            content,
            "edited",
            Weight.LOOK,
            tr("has a sentence by hand. The figures say: {composed}", composed=content.composed),
        )
    yield from _ties_as_wins(content, content.finding)


def _titled(content: CardContent) -> Iterator[Concern]:
    """A title that makes a win of a tie; a question does not."""
    if not content.card.name.endswith("?"):
        yield from _ties_as_wins(content, content.card.name)


def _ties_as_wins(content: CardContent, said: str) -> Iterator[Concern]:
    """Words that make a win of what is a tie or cannot be told."""
    text = said.casefold()
    wins = [word for word in WIN_WORDS if re.search(rf"\b{re.escape(word)}\b", text)]
    if not wins or any(word in text for word in TIE_WORDS):
        return
    pairs = _pairs(content)
    undecided = [(r, c) for r, c in pairs if c.verdict is not None and not c.verdict.answer.is_decided]
    for result, compared in undecided:
        v = compared.verdict
        assert v is not None
        alone = len(result.choice.cells) == 2
        if alone or compared.cell.device.name.casefold() in text or compared.cell.setting.name.casefold() in text:
            what = tr("a tie") if v.answer is Answer.TIE else tr("not to be told yet")
            words = tr(
                "says “{wins}”, but {cell} against {baseline} is {what}.",
                wins=wins[0],
                cell=compared.cell.name,
                baseline=result.baseline.name,
                what=what,
            )
            share = (len(undecided), len(pairs))
            yield _part(content, "tie-as-win", Weight.STOP, words, share, *_evidence(result, [compared.cell]))
            return


def _lone_curves(content: CardContent) -> Iterator[Concern]:
    """Curves of which nothing was repeated: they have no interval, and their crossings are not sure."""
    series = content.found.scaled.series if content.found and content.found.scaled else ()
    lone = [s for s in series if s.scaling and any(w.code == "single-runs" for w in s.scaling.warnings)]
    if lone:
        words = tr(
            "has curves of single runs ({lone} of {series}): {name}.",
            lone=len(lone),
            series=len(series),
            name=", ".join(s.name for s in lone),
        )
        runs = [p.of for s in lone for p in s.points]
        yield _part(content, "single-run", Weight.LOOK, words, (len(lone), len(series)), runs)


def _unfair(content: CardContent) -> Iterator[Concern]:
    """What is not like for like, pair by pair where there are few; of many, in how many pairs what differs."""
    for result in content.found.compared if content.found else ():
        found = [u for u in result.unfair if u.is_open and u.difference.grade is FairnessGrade.HOLDS_BACK]
        cells = {u.cell.key: u.cell for u in found}
        share = (len(cells), len(result.choice.cells) - 1)
        if len(found) <= MOST_UNFAIR:
            for u in found:
                words = tr(
                    "sets {cell} against {baseline}: {difference}",
                    cell=u.cell.name,
                    baseline=result.baseline.name,
                    difference=u.difference.words,
                )
                yield _part(content, "unfair", Weight.STOP, words, share, *_evidence(result, [u.cell]))
            continue
        pairs = Counter(u.difference.what for u in found)
        told = listed([tr("{what} with {n}", what=what, n=n) for what, n in pairs.most_common()])
        which = tr("is") if len(cells) == 1 else tr("are")
        out_of = tr(" of {share}", share=share[1]) if len(cells) < share[1] else ""
        words = tr(
            "sets {cells}{out_of} against {baseline} that {which} not like it",
            cells=counted(len(cells), "cell"),
            out_of=out_of,
            baseline=result.baseline.name,
            which=which,
        )
        yield _part(content, "unfair", Weight.STOP, f"{words}: {told}.", share, *_evidence(result, cells.values()))


def _drifting(content: CardContent) -> Iterator[Concern]:
    own = [p for p in content.found.runs if p.digest.state in UNSETTLED] if content.found else []
    yield from _of_runs(content, own, "drifting", tr("had not settled"))


def _void(content: CardContent) -> Iterator[Concern]:
    own = [p for p in content.found.runs if p.run.void] if content.found else []
    for concern in _of_runs(content, own, "void-run", tr("is void") if len(own) == 1 else tr("are void")):
        yield replace(concern, weight=Weight.STOP)


def _by_hand(content: CardContent) -> Iterator[Concern]:
    own = [p for p in content.found.runs if p.run.window is not None] if content.found else []
    yield from _of_runs(content, own, "window-by-hand", tr("had the settled window chosen by hand"))


def _of_runs(content: CardContent, own: Sequence[RunPoint], code: str, words: str) -> Iterator[Concern]:
    """One concern for all runs of a card of which something is true; its place is the first of them."""
    if own and content.found:
        looked_at = {p.run.id for p in content.found.runs}
        named = "; ".join(f"{p.device.name}, {p.name}" for p in own[:MOST_NAMED])
        more = tr(" and {own} more", own=len(own) - MOST_NAMED) if len(own) > MOST_NAMED else ""
        which = (
            tr(", of which {own} {words}: {named}{more}", own=len(own), words=words, named=named, more=more)
            if len(looked_at) > 1
            else tr(" that {words}: {named}", words=words, named=named)
        )
        said = tr(
            "“{card}” rests on {looked_at}{which}.",
            card=content.card.name,
            looked_at=counted(len(looked_at), "run"),
            which=which,
        )
        claim = Claim(code, said, len(own), len(looked_at), _own_ids(p.run.id for p in own))
        yield Concern(claim, Weight.LOOK, ConcernPlace(content.card.id, own[0].run.id))


def _tiny_base(content: CardContent) -> Iterator[Concern]:
    """A percentage of so little that it says more than there is."""
    pairs = _pairs(content)
    for result, compared in pairs:
        row = next(r for r in result.rows if compared in r.cells)
        base = next((c for c in row.cells if c.cell == result.baseline), None)
        frames = row.metric.unit == "fps"
        v = compared.verdict
        if base is None or not frames or v is None or not v.answer.is_decided:
            continue
        apart = abs(compared.score.mean - base.score.mean)
        if is_tiny_base(base.score.mean, compared.score.mean, row.metric.key in LOW_NAMES):
            words = tr("gives a percentage of {mean} fps", mean=plain(base.score.mean, 3))
            apart_words = tr("{cell} is {apart} fps apart.", cell=compared.cell.name, apart=plain(apart, 2))
            evidence = _evidence(result, [compared.cell])
            yield _part(content, "tiny-base", Weight.LOOK, f"{words}: {apart_words}", (1, len(pairs)), *evidence)


def _claimed(content: CardContent) -> Iterator[Concern]:
    """Watts that were told on an axis of watts, and settings whose name is not what they draw."""
    if content.found is None:
        return
    told = [t for s in content.found.scaled.series for t in s.told] if content.found.scaled else []
    if told and content.card.kind is CardKind.CURVES:
        beside = len(told) + sum(len(s.points) for s in content.found.scaled.series) if content.found.scaled else 0
        words = tr(
            "has {told} at watts that were told, not measured, of {beside} on it.",
            told=counted(len(told), "score"),
            beside=beside,
        )
        evidence = [t.of for t in told if t.of], [t.result for t in told if t.result]
        yield _part(content, "claimed-watts", Weight.STOP, words, (len(told), beside), *evidence)
    if content.card.kind in (CardKind.BARS, CardKind.DUMBBELL, CardKind.SHARES, CardKind.SLOPE):
        yield from _labels_off(content, content.found.runs)


def _labels_off(content: CardContent, runs: Sequence[RunPoint]) -> Iterator[Concern]:
    """Settings that carry watts in their name, and drew others in the mean of their runs."""
    by_setting: dict[int, list[RunPoint]] = {}
    for p in runs:
        if p.setting.sustained_w and re.search(r"\d\s*W\b", p.setting.name) and p.digest.power_w is not None:
            by_setting.setdefault(p.run.setting_id, []).append(p)
    for own in by_setting.values():
        claimed = own[0].setting.sustained_w or 0.0
        measured = sum(p.digest.power_w or 0.0 for p in own) / len(own)
        if abs(measured / claimed - 1.0) > LABEL_OFF:
            which = tr("in its one run") if len(own) == 1 else tr("in the mean of its {own} runs", own=len(own))
            name = f"{own[0].device.name}, {own[0].setting.name}"
            words = tr(
                "names {name} by {claimed:g} W; {measured:.1f} W were measured {which}.",
                name=name,
                claimed=claimed,
                measured=measured,
                which=which,
            )
            yield _part(content, "label-watts", Weight.LOOK, words, (1, len(by_setting)), own)


def _told(content: CardContent) -> Iterator[Concern]:
    runs = content.found.runs if content.found else ()
    told = [p for p in runs if p.run.summary is not None and p.run.summary.origin is not Origin.OWN]
    if told:
        words = tr(
            "rests on {told} that others tell, out of {runs}; its",
            told=counted(len(told), "score"),
            runs=counted(len(runs), "figure"),
        )
        words += tr(" notes say whose.")
        yield _part(content, "told", Weight.LOOK, words, (len(told), len(runs)), told)


def _missing_signs(content: CardContent) -> Iterator[Concern]:
    if content.missing:
        signs = " ".join(content.missing[:8])
        words = tr("has signs that no shipped font knows, and boxes stand for them: {signs}", signs=signs)
        yield _card(content, "missing-signs", Weight.STOP, words)


def _prices(content: CardContent) -> Iterator[Concern]:
    """A price without its day."""
    if content.found is None or content.card.kind not in (CardKind.MONEY, CardKind.TABLE):
        return
    words = " ".join((content.found.finding, content.found.chart.alternative))
    if "no date" in words or "no noted day" in words:
        yield _card(content, "undated-price", Weight.STOP, tr("gives a price without its day."))


def _crowded(content: CardContent) -> Iterator[Concern]:
    """A picture that cannot show what it holds."""
    found = crowding(content.face) if content.face is not None else None
    if found is not None:
        split = tr("split it, ") if can_split(content) else ""
        words = tr(
            "holds {there} {what}, and a picture has room for {legible}: {split}take fewer, or draw"
            " it as something else.",
            there=found.there,
            what=found.what,
            legible=found.legible,
            split=split,
        )
        yield _card(content, "crowded", Weight.STOP, words)


_CARD_RULES: tuple[Callable[[CardContent], Iterator[Concern]], ...] = (
    *(_moved, _edited, _titled, _lone_curves, _unfair, _tiny_base, _claimed, _missing_signs, _prices, _crowded),
    *(_void, _told, _drifting, _by_hand),
)


def _of_report(deck: Deck) -> list[Concern]:
    shown = [c for c in deck.contents if c.card.in_report and c.found is not None]
    if not shown:
        words = tr("The report has no card with something to show.")
        return [_of_words("no-card", Weight.STOP, words, (len(deck.contents), len(deck.contents)))]
    devices = _on_the_bench(deck, [c.found for c in shown if c.found])
    owed = [d for d in devices if d.came not in (Came.UNKNOWN, Came.BOUGHT) or d.status is not Status.RETAIL]
    told = [concern for d in devices for concern in _of_a_device(d, len(devices))]
    return [*told, *_words_of_report(deck.report, owed), *map(_outdated, outdated(deck))]


def _on_the_bench(deck: Deck, found: Sequence[Found]) -> list[Device]:
    """The devices behind cards that anything of one's own is known of."""
    here = tested((p for f in found for p in f.runs), (r for f in found for r in f.typed))
    by_id = {d.id: d for d in deck.points.devices} | {p.device.id: p.device for f in found for p in f.runs}
    return [d for number, d in by_id.items() if number in here and is_own(number)]


def _of_a_device(d: Device, devices: int) -> Iterator[Concern]:
    """How one of some devices came, and its prices."""
    if d.came is Came.UNKNOWN:
        words = tr("How {name} came is not noted; readers are owed that.", name=d.name)
        yield _of_device(d, "disclosure", Weight.STOP, words, (1, devices))
    priced = [o for o in d.offers if o.price is not None]
    undated = sum(not o.date for o in priced)
    if undated:
        which = (
            tr("the price")
            if len(priced) == 1
            else tr("{share_words} prices", share_words=share_words(undated, len(priced)))
        )
        words = tr(
            "{upper}{which} of {name} {what} no date.",
            upper=which[0].upper(),
            which=which[1:],
            name=d.name,
            what=tr("has") if undated == 1 else tr("have"),
        )
        yield _of_device(d, "undated-price", Weight.STOP, words, (undated, len(priced)))
    yield from _two_prices(d)


def _two_prices(device: Device) -> Iterator[Concern]:
    """Prices that differ though all that is noted of them is the same."""
    seen: dict[tuple[object, ...], float] = {}
    for o in device.offers:
        alike = (o.configuration, o.currency, o.date, o.region, o.tax_in, o.members, o.seller)
        if o.price is not None and seen.setdefault(alike, o.price) != o.price:
            words = tr(
                "Two prices of {device} differ, {seen:g} and {price:g} {currency}",
                device=device.name,
                seen=seen[alike],
                price=o.price,
                currency=o.currency,
            ).rstrip()
            words += tr(", and nothing noted tells why.")
            yield _of_device(device, "two-prices", Weight.LOOK, words, (2, len(device.offers)))


def _of_device(device: Device, code: str, weight: Weight, words: str, share: tuple[int, int]) -> Concern:
    """What is true of a device by what was noted of it: it rests on no run."""
    return Concern(Claim(code, words, *share), weight, ConcernPlace(device_id=device.id))


def _of_words(code: str, weight: Weight, words: str, share: tuple[int, int] = (1, 1)) -> Concern:
    """What is true of the report's own words and cards."""
    return Concern(Claim(code, words, *share), weight, ConcernPlace(report=True))


def _outdated(found: Outdated) -> Concern:
    """A sentence of Pinch's in somebody's own words that the figures do not say any more."""
    now = tr("It reads now: {now}", now=found.now) if found.now else tr("Nothing says it any more.")
    words = tr("The report's own words say “{quote}” {now}", quote=found.quote.words, now=now)
    return _of_words("quote", Weight.STOP, words)


def _words_of_report(report: Report, owed: Sequence[Device]) -> list[Concern]:
    found = []
    if owed and not report.disclosure:
        named = "; ".join(f"{d.name}: {standing(d)}" for d in owed)
        words = tr("The report has no disclosure, but needs one ({named}).", named=named)
        found.append(_of_words("disclosure", Weight.STOP, words))
    if not report.title:
        found.append(_of_words("no-title", Weight.LOOK, tr("The report has no title.")))
    return found


def _pairs(content: CardContent) -> list[tuple[CompareResult, Compared]]:
    """Every cell with its verdict, and the comparison that it stands in."""
    results = content.found.compared if content.found else ()
    return [(result, c) for result in results for row in result.rows for c in row.cells if c.verdict is not None]
