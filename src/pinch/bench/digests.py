"""What a judgement came to, kept in the book so that lists need not judge again: by the log's hash, what is known of
the run, and the version of the methods. Derived, never typed in; throwing it away loses nothing."""

import hashlib
import json
from collections.abc import Mapping

from msgspec import Struct
from pydantic import Field, ValidationError

from pinch.bench.book import Book
from pinch.bench.fields import Part
from pinch.bench.figure_row import Figures
from pinch.bench.remembered import Remembered
from pinch.core.metrics import AVERAGE


class RundownDigest(Part):
    """What a rundown came to: draw by energy and by power, W; hours of a full battery with their 95 % interval; from
    and to charge, %; wear and sag as shares; None where a figure cannot be had."""

    from_charge: float
    to_charge: float
    draw_w: float | None = None
    power_w: float | None = None
    runtime_h: float | None = None
    low_h: float | None = None
    high_h: float | None = None
    wear: float | None = None
    sag: float | None = None
    notes: tuple[str, ...] = ()


class Digest(Part):
    """The figures of a run in a list: state of its window, what it held, and what speaks against it. None where a
    figure could not be had; `problem` says why there is no judgement at all. `lows` are rates of frames by low and
    school (`low_1.percentile`), `shares` those of the load by what held it, `whole_rate` and `whole_power_w`
    are those over all of the load after its burst, `seconds` how much of the run its figures are of, `hold`
    the sustained share of the burst clock, `surfaces` °C by place. `metric` is what `rate` is of: the average of what
    was logged, or a score; `figures` holds all else by the keys of core/metrics."""

    finding: str = ""
    state: str = ""
    power_w: float | None = None
    clock_mhz: float | None = None
    temp_c: float | None = None
    rate: float | None = None
    whole_rate: float | None = None
    whole_power_w: float | None = None
    seconds: float | None = None
    burst_w: float | None = None
    hold: float | None = None
    headroom_k: float | None = None
    idle_w: float | None = None
    wall_w: float | None = None
    idle_wall_w: float | None = None
    battery_w: float | None = None
    cpu_w: float | None = None
    gpu_w: float | None = None
    gpu_load: float | None = None
    noise_db: float | None = None
    fan_rpm: float | None = None
    surfaces: dict[str, float] = Field(default_factory=dict)
    rundown: RundownDigest | None = None
    lows: dict[str, float] = Field(default_factory=dict)
    metric: str = AVERAGE
    figures: Figures = Field(default_factory=dict)
    shares: dict[str, float] = Field(default_factory=dict)
    r_th: float | None = None
    flags: tuple[str, ...] = ()
    problem: str = ""


def log_hash(book: Book, run_id: int) -> str:
    """The same for the same samples, marks and streams of a run."""
    found = hashlib.sha256()
    rows = book.query(
        "SELECT stream.channels, chunk.data FROM stream JOIN chunk ON chunk.stream_id = stream.id "
        "WHERE stream.run_id = ? ORDER BY chunk.id",
        run_id,
    )
    for channels, data in rows:
        found.update(str(channels).encode())
        found.update(bytes(data))  # type: ignore[call-overload]
    return found.hexdigest()


_DIGESTS: Remembered[Digest] = Remembered()


class KeptDigest(Struct, frozen=True):
    """A digest with the key of what it was judged from, the version of the methods, and what was seen of that then."""

    digest: Digest
    key: str = ""
    method: int = 0
    seen: str = ""

    def is_of(self, key: str, method: int) -> bool:
        """Whether it was judged from what has this key, by this version of the methods."""
        return (self.key, self.method) == (key, method)


def seen_of_runs(book: Book, beside: str) -> dict[int, str]:
    """A short text a run that changes whenever its key could: by what the rows of its records and its log say of
    themselves and by what stands `beside` them, without reading a sample. A key of many runs would read the whole
    book."""
    texts = {
        table: {int(str(key)): str(text) for key, text in book.query(f"SELECT id, record FROM {table}")}
        for table in ("device", "setting", "workload")
    }
    works = texts["workload"]
    roots = {number: works.get(int(json.loads(text).get("variant_of") or 0), "") for number, text in works.items()}
    logs = book.query(
        "SELECT stream.run_id, GROUP_CONCAT(stream.channels), COUNT(chunk.id), MAX(chunk.id), SUM(LENGTH(chunk.data)) "
        "FROM stream LEFT JOIN chunk ON chunk.stream_id = stream.id GROUP BY stream.run_id"
    )
    log = {int(str(run_id)): told for run_id, *told in logs}
    found = {}
    for row in book.each("SELECT id, device_id, setting_id, workload_id, record FROM run WHERE removed = 0"):
        run_id, device, setting, workload = (int(str(number)) for number in row[:4])
        told = (
            *(beside, texts["device"].get(device), texts["setting"].get(setting), works.get(workload)),
            *(roots.get(workload), row[4], log.get(run_id)),
        )
        found[run_id] = hashlib.blake2b(repr(told).encode(), digest_size=12).hexdigest()
    return found


def read_digests(book: Book) -> dict[int, KeptDigest]:
    """What is kept, by run; one that is damaged is left out, and will be worked out again."""
    kept = {}
    for run_id, key, method, text, seen in book.each("SELECT run_id, key, method, record, seen FROM judged"):
        try:
            number = int(str(run_id))
            digest = _DIGESTS.read(book.path, number, str(text), Digest.model_validate_json)
            kept[number] = KeptDigest(digest, str(key), int(str(method)), str(seen))
        except (ValidationError, ValueError, TypeError):
            continue
    return kept


def keep_digests(book: Book, found: Mapping[int, KeptDigest]) -> None:
    """Keep digests by run, in place of those before.

    Raises
    ------
    BookError : the book cannot be written.
    """
    rows = [(run_id, k.key, k.method, k.digest.model_dump_json(), k.seen) for run_id, k in found.items()]
    with book.change() as connection:
        connection.executemany(
            "INSERT OR REPLACE INTO judged (run_id, key, method, record, seen) VALUES (?, ?, ?, ?, ?)", rows
        )
