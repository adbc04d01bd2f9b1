"""What a judgement came to, kept in the book so that lists need not judge again: by the log's hash, what is known of
the run, and the version of the methods. Derived, never typed in; throwing it away loses nothing."""

import hashlib
import json

from pydantic import Field, ValidationError

from pinch.bench.book import Book
from pinch.bench.fields import Part
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
    figures: dict[str, float] = Field(default_factory=dict)
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


def read_digests(book: Book) -> dict[int, tuple[str, int, Digest]]:
    """Key, version of the methods and digest by run; one that is damaged is left out, and will be worked out again."""
    kept = {}
    for run_id, key, method, text in book.query("SELECT run_id, key, method, record FROM judged"):
        try:
            kept[int(str(run_id))] = str(key), int(str(method)), Digest(**json.loads(str(text)))
        except (ValidationError, ValueError, TypeError):
            continue
    return kept


def keep_digest(book: Book, run_id: int, key: str, method: int, digest: Digest) -> None:
    """Keep a digest in place of the one before.

    Raises
    ------
    BookError : the book cannot be written.
    """
    with book.change() as connection:
        connection.execute(
            "INSERT OR REPLACE INTO judged (run_id, key, method, record) VALUES (?, ?, ?, ?)",
            (run_id, key, method, digest.model_dump_json()),
        )
