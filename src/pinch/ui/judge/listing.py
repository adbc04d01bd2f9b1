"""The list of all judged runs: its rows, its columns, and what a filter keeps. No Qt."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence

from msgspec import Struct

from pinch.bench.book import Book
from pinch.bench.digests import Digest
from pinch.bench.records import Run, when_words
from pinch.core.causes import Cause
from pinch.core.printing import in_column
from pinch.language import day_words, marked, numeral, tr

FLAG_WORDS = {
    marked("drifting"): tr("the run had not settled; the Heat tab says where it leads"),
    marked("short"): tr("too short to settle"),
    marked("heat"): tr("heat held it for a tenth of the load or more"),
    marked("gap"): tr("a hole in the log"),
    marked("fault"): tr("power collapsed: a fault, not a limit"),
    marked("void"): tr("it does not count"),
    marked("unfair"): tr("started in spite of a warning"),
    marked("by hand"): tr("the settled window was moved by hand"),
    marked("told"): tr("a score without a log"),
    marked("cut"): tr("its recorder was cut off"),
}
FLAGS = tuple(FLAG_WORDS)


class RunRow(Struct, frozen=True):
    """A run in the list; `digest` is None while it is not judged; `flags` are what speaks against it, and `text` is all
    that a filter looks through."""

    run: Run
    device: str
    setting: str
    workload: str
    digest: Digest | None
    flags: tuple[str, ...]
    text: str

    @classmethod
    def of(cls, run: Run, device: str, setting: str, workload: str, digest: Digest | None) -> "RunRow":
        """The row of a run."""
        flags = (*(digest.flags if digest else ()), *(("cut",) if run.cut_off else ()))
        words = (device, setting, workload, str(run.day or tr("no day")), *flags, run.notes)
        return cls(run, device, setting, workload, digest, flags, " ".join(words).casefold())


class ListColumn(Struct, frozen=True):
    """A column: its title, what is shown of a row, what it is sorted by; what is shown among runs of several years."""

    title: str
    shown: Callable[[RunRow], str]
    key: Callable[[RunRow], object]
    number: bool = False
    over_years: Callable[[RunRow], str] | None = None


class RunListing(Struct, frozen=True):
    """Runs of a book, the newest first; how many have a flag of each kind; how many runs the book has; and whether they
    are of several years."""

    rows: list[RunRow] = []
    flags: Mapping[str, int] = {}
    of: int = 0
    over_years: bool = False


def run_listing(
    book: Book, digests: Mapping[int, Digest], before: Iterable[RunRow] = (), newest: int | None = None
) -> RunListing:
    """All runs of a book or so many of the newest; rows that were there before stay the same where nothing of them
    changed."""
    devices = {d.id: d.name for d in book.devices()}
    settings = {s.id: s.name for d in devices for s in book.settings(d or 0)}
    workloads = {w.id: w.name for w in book.workloads()}
    known = {row.run.id: row for row in before}
    rows = []
    runs = book.runs()[::-1] if newest is None else book.newest_runs(newest)
    for run in runs:
        names = devices[run.device_id], settings[run.setting_id], workloads[run.workload_id]
        row, digest = known.get(run.id), digests.get(run.id)
        same = row is not None and row.run is run and row.digest is digest
        if row is None or not same or (row.device, row.setting, row.workload) != names:
            row = RunRow.of(run, *names, digest)
        rows.append(row)
    of = len(rows) if newest is None else book.count_runs()
    years = {row.run.started.year for row in rows if not row.run.undated}
    return RunListing(rows, Counter(flag for row in rows for flag in row.flags), of, len(years) > 1)


def _figure(field: str, form: str, factor: float = 1.0) -> tuple[Callable[[RunRow], str], Callable[[RunRow], object]]:
    return _shown_and_key(lambda digest: getattr(digest, field), form, factor)


def _flags(row: RunRow) -> str:
    return ", ".join(map(tr, row.flags))


def _heat_share(digest: Digest) -> float | None:
    return digest.shares.get(Cause.HEAT, 0.0) if digest.shares else None


def _shown_and_key(
    read: Callable[[Digest], float | None], form: str, factor: float = 1.0
) -> tuple[Callable[[RunRow], str], Callable[[RunRow], object]]:
    def value(row: RunRow) -> float | None:
        found = None if row.digest is None else read(row.digest)
        return None if found is None else factor * float(found)

    def shown(row: RunRow) -> str:
        return in_column([value(row)], form)[0]

    def key(row: RunRow) -> object:
        found = value(row)
        return float("-inf") if found is None else found

    return shown, key


COLUMNS: Sequence[ListColumn] = (
    ListColumn(tr("Day"), lambda r: when_words(r.run), lambda r: r.run.started, False,
               lambda r: day_words(r.run.day) if r.run.day else when_words(r.run)),
    ListColumn(tr("Device"), lambda r: r.device, lambda r: r.device),
    ListColumn(tr("Setting"), lambda r: r.setting, lambda r: r.setting),
    ListColumn(tr("Workload"), lambda r: r.workload, lambda r: r.workload),
    ListColumn(tr("Room"), lambda r: "" if r.run.ambient_c is None else numeral(r.run.ambient_c, "g"),
               lambda r: -99.0 if r.run.ambient_c is None else r.run.ambient_c, True),
    ListColumn("W", *_figure("power_w", ".1f"), True),
    ListColumn("GHz", *_figure("clock_mhz", ".2f", 1e-3), True),
    ListColumn("°C", *_figure("temp_c", ".0f"), True),
    ListColumn(tr("Score"), *_figure("rate", ".4g"), True),
    ListColumn(tr('1 % low'), *_shown_and_key(lambda d: d.lows.get("low_1.percentile"), ".1f"), True),
    ListColumn(tr('Heat %'), *_shown_and_key(_heat_share, ".0f", 100.0), True),
    ListColumn(tr("Flags"), lambda r: _flags(r) if r.digest else tr("not judged yet"), _flags),
)  # fmt: skip


def list_words(listing: RunListing, shown: int) -> str:
    """How many runs there are, and how many have a flag of each kind."""
    if len(listing.rows) < listing.of:
        newest = numeral(len(listing.rows), ",")
        return tr(
            "The newest {rows} of {of} runs; the others are being read …", rows=newest, of=numeral(listing.of, ",")
        )
    flagged = ", ".join(f"{numeral(n, ',')} {tr(flag)}" for flag in FLAGS if (n := listing.flags.get(flag)))
    runs = (
        tr("{shown} of {rows} runs", shown=numeral(shown, ","), rows=numeral(listing.of, ","))
        if shown != listing.of
        else tr("{rows} runs", rows=numeral(listing.of, ","))
    )
    return f"{runs}: {flagged}." if flagged else f"{runs}."
