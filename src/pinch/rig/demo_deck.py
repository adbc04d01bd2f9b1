"""The chart deck and the report of the cabin test: what *Harbour Light* prints. All data are invented."""

from datetime import UTC, datetime

from pinch.bench.bench_questions import Asks, ReviewQuestion
from pinch.bench.book import Book
from pinch.bench.cards import (
    Card,
    CardKind,
    CellQuery,
    CellsQuery,
    CurvesQuery,
    ModesQuery,
    Report,
    RunsQuery,
    UnitsQuery,
)
from pinch.bench.records import Acceptance, Device, Run, Setting, Workload
from pinch.bench.summaries import Origin

TILE, GAME = "Tile Render, all cores", "Skerry Run"
ASHORE_C, BELOW_C = 22.0, 31.0


class _Names:
    """The records of the demo by their names."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self.devices: dict[str, Device] = {d.name: d for d in book.devices()}
        self.works: dict[str, Workload] = {w.name: w for w in book.workloads()}

    def device(self, name: str) -> int:
        return self.devices[name].id

    def work(self, name: str) -> int:
        return self.works[name].id

    def setting(self, device: str, name: str) -> Setting:
        return next(s for s in self._book.settings(self.device(device)) if s.name == name)

    def run(self, device: str, setting: str, work: str, room_c: float = ASHORE_C) -> int:
        """The first run of a cell that counts."""
        wanted = self.setting(device, setting).id
        runs: list[Run] = self._book.runs(self.device(device), self.work(work))
        return next(r.id for r in runs if r.setting_id == wanted and r.ambient_c == room_c and not r.void)

    def cell(self, device: str, setting: str, room_c: float = ASHORE_C) -> CellQuery:
        builds = self.devices[device].builds
        return CellQuery(setting_id=self.setting(device, setting).id, room_c=room_c, builds=builds)

    def told(self, device: str, setting: str, origin: Origin) -> CellQuery:
        """What somebody else tells of a setting."""
        return CellQuery(setting_id=self.setting(device, setting).id, origin=str(origin))


def add_deck(book: Book) -> None:
    """Keep the cards, the report, and what the reviewers accept in the book."""
    _accept_memory(book, _Names(book))
    for place, card in enumerate(_cards(_Names(book)), 1):
        book.save(card.model_copy(update={"place": place}))
    book.save(
        Report(
            title="The cabin test: small computers below deck",
            standfirst="Which small computer keeps its speed in a warm cabin on a small power budget? Four machines, "
            "ashore at 22 °C and below deck at 31 °C, on mains and at anchor.",
            verdict="Below deck the laptop keeps its speed: heat held none of its runs. The mini PC keeps what its "
            "maker set; at higher limits heat holds it. The handheld gives the most for a watt, and is not yet what "
            "will be sold.",
            speaks_for="The laptop at Even is no louder than 36 dB(A) at 50 cm.\nThe mini PC is as fast as the "
            "laptop for less than half of its price.",
            speaks_against="Nothing was repeated on battery.\nWhat was lent may be better than what is sold.",
            publication="Harbour Light",
            edition="1",
            disclosure="Two of the units were lent by their makers for six weeks and go back; nobody but us has seen "
            "this report before it was printed.",
            device_id=_Names(book).device("Sandpiper 14"),
        )
    )


ASKED = datetime(2026, 9, 20, 18, 0, tzinfo=UTC)


def add_questions(book: Book) -> None:
    """What the cabin test asks: two that its runs answer, one that they leave open, one that has no run yet."""
    n = _Names(book)
    tile, chart = n.work(TILE), n.work("Chart Export")
    pair = (n.setting("Gannet", "20 W").id, n.setting("Limpet", "20 W").id)
    devices = (n.device("Gannet"), n.device("Limpet"))
    highest = (n.setting("Limpet", "54 W").id,)
    asked: tuple[tuple[str, dict[str, object]], ...] = (
        ("Which is faster at 20 W?", {"asks": Asks.FASTER, "workload_id": tile, "setting_ids": pair}),
        ("Does the mini PC hold 54 W?", {"asks": Asks.HOLDS, "workload_id": tile, "setting_ids": highest}),
        ("Where do they trade places?", {"asks": Asks.CROSSES, "workload_id": tile, "device_ids": devices}),
        ("And which exports charts faster?", {"asks": Asks.FASTER, "workload_id": chart, "setting_ids": pair}),
    )
    for name, fields in asked:
        book.save(ReviewQuestion.model_validate({"name": name, "asked": ASKED, **fields}))


def _accept_memory(book: Book, n: _Names) -> None:
    """The mini PC comes with its memory; nobody can buy it with the laptop's."""
    ids = (n.setting("Limpet", "28 W").id, n.setting("Sandpiper 14", "Even").id)
    for key, first, second in (("memory kind", "DDR5", "LPDDR5X"), ("memory speed", "5600 MT/s", "7500 MT/s")):
        book.save(
            Acceptance(
                first_setting=ids[0], second_setting=ids[1], key=key, first_value=first, second_value=second,
                reason="both are tested as they are sold", day="2026-09-07",
            )
        )  # fmt: skip


def _cards(n: _Names) -> list[Card]:
    new, old, box, hand = "Sandpiper 14", "Sandpiper 14, last year's", "Limpet", "Gannet"
    devices = tuple(n.device(name) for name in (new, old, box, hand))
    tile, game, one = n.work(TILE), n.work(GAME), n.work("Tile Render, one core")
    curves = CurvesQuery(device_ids=devices, workload_ids=(tile,), room_c=ASHORE_C, subject=devices[0])
    anchor = [("Hush", "Hush on battery"), ("18 W", "18 W on battery"), ("Even", "Even on battery")]
    at_anchor = tuple(n.cell(new, name) for pair in anchor for name in pair)
    return [
        Card(
            name="Which units, and how they came",
            kind=CardKind.TABLE,
            query=UnitsQuery(device_ids=devices),
            in_report=False,
        ),
        Card(name="What does each watt buy?", kind=CardKind.CURVES, query=curves),
        Card(name="Which gives the most for a watt?", kind=CardKind.EFFICIENCY, query=curves),
        Card(
            name="At the watts of a small inverter, which is faster?",
            kind=CardKind.BARS,
            query=CellsQuery(
                cells=(n.cell(new, "Even"), n.cell(old, "25 W"), n.cell(box, "28 W"), n.cell(hand, "25 W")),
                workload_ids=(tile, game),
                subject=devices[0],
            ),
        ),
        Card(
            name="What is better than last year?",
            kind=CardKind.SLOPE,
            query=CellsQuery(
                cells=(n.cell(old, "Full"), n.cell(new, "Full")), workload_ids=(tile, one, game), subject=devices[0],
            ),
        ),
        Card(
            name="How does the mini PC fare below deck?",
            kind=CardKind.TIMELINE,
            query=RunsQuery(run_ids=(n.run(box, "45 W", TILE, BELOW_C),)),
        ),
        Card(
            name="What holds the mini PC below deck?",
            kind=CardKind.SHARES,
            query=CellsQuery(
                cells=(
                    n.cell(box, "Stock"), n.cell(box, "45 W"), n.cell(box, "Stock", BELOW_C),
                    n.cell(box, "45 W", BELOW_C), n.cell(box, "54 W", BELOW_C),
                ),
                workload_ids=(tile,),
                subject=devices[2],
            ),
        ),
        Card(
            name="What is left at anchor?",
            kind=CardKind.DUMBBELL,
            query=CellsQuery(cells=at_anchor, workload_ids=(tile,), subject=devices[0]),
        ),
        Card(
            name="The modes of the laptop",
            kind=CardKind.SHEET,
            query=ModesQuery(device_id=devices[0], workload_id=tile, room_c=ASHORE_C),
        ),
        Card(
            name="Is it smooth, or only fast?",
            kind=CardKind.FRAMES,
            query=RunsQuery(run_ids=tuple(n.run(hand, s, GAME) for s in ("10 W", "16 W", "25 W"))),
        ),
        Card(
            name="How long at anchor?",
            kind=CardKind.BATTERY,
            query=ModesQuery(device_id=devices[3], workload_id=tile, package_w=12.0),
        ),
        Card(
            name="How loud is the handheld?",
            kind=CardKind.SOUND,
            query=ModesQuery(device_id=devices[3], workload_id=tile, room_c=ASHORE_C, limit_db=38.0),
        ),
        Card(
            name="The same question for every work",
            kind=CardKind.MULTIPLES,
            query=CurvesQuery(
                device_ids=devices, workload_ids=(tile, game, one), room_c=ASHORE_C, subject=devices[2]
            ),
            in_report=False,
        ),
        Card(
            name="Which preset for the handheld?",
            kind=CardKind.TABLE,
            query=CellsQuery(cells=(n.cell(hand, "16 W"),), workload_ids=(game,), grid="variants", low_share=0.6),
        ),
        Card(
            name="What others tell of Signal Decode",
            kind=CardKind.BARS,
            query=CellsQuery(
                cells=(n.cell(hand, "25 W"), n.told(hand, "25 W", Origin.MAKER), n.told(box, "Stock", Origin.THIRD)),
                workload_ids=(n.work("Signal Decode"),),
                subject=devices[3],
            ),
            in_report=False,
        ),
    ]  # fmt: skip
