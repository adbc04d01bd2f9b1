"""What the cabin test has without logs: variants of the games, sub-scores, and figures that others tell. Invented."""

from collections.abc import Mapping

from pinch.bench.book import Book
from pinch.bench.parts import OwnMetric
from pinch.bench.records import Repeatable, Result, Setting, WorkKind, Workload
from pinch.bench.summaries import Origin
from pinch.bench.variants import add_variant
from pinch.core.metrics import AVERAGE, SCORE

DAY, AS_IT_IS = "2026-09-18", "as it is"
DECODE_WORK = Workload(
    name="Signal Decode",
    kind=WorkKind.COMBINED,
    score_unit="points",
    repeatable=Repeatable.BUILT_IN,
    length_s=180.0,
    metrics=(OwnMetric(name="Graphics", unit="points"), OwnMetric(name="Processor", unit="points")),
)
ICE_WORK = Workload(
    name="Pack Ice",
    kind=WorkKind.GAME,
    rate_channel="frame.rate",
    score_unit="fps",
    length_s=240.0,
    repeatable=Repeatable.WALKED,
    preset="medium",
    resolution="1920×1200",
)
PRESETS: Mapping[str, Mapping[str, tuple[float, float]]] = {
    "Skerry Run": {"low": (96.4, 74.1), "high": (51.7, 40.2), "generated": (38.9, 30.6)},
    "Lantern Deep": {"low": (71.2, 52.8), "medium": (58.3, 44.9), AS_IT_IS: (44.6, 35.7)},
    "Pack Ice": {"low": (63.9, 31.4), AS_IT_IS: (48.8, 27.3), "high": (39.5, 24.9)},
}
"""Average and 1 % low of the handheld at 15 W by workload and variant, fps."""
DECODE = {
    "Sandpiper 14": ("Full", 14021.0, 9120.0, 21480.0),
    "Sandpiper 14, last year's": ("Full", 11840.0, 7415.0, 18905.0),
    "Limpet": ("Stock", 13216.0, 9064.0, 19377.0),
    "Gannet": ("25 W", 9312.0, 6987.0, 12540.0),
}
"""Score of Signal Decode and its graphics and processor parts, by device, at a setting."""
TOLD = {
    "Sandpiper 14": {"value": 14600.0, "spread": 210.0, "units": 6, "origin": Origin.MAKER},
    "Sandpiper 14, last year's": {"value": 11920.0, "spread": 340.0, "units": 11, "origin": Origin.ARCHIVE},
    "Limpet": {"value": 12980.0, "spread": 120.0, "n": 5, "origin": Origin.THIRD},
    "Gannet": {"value": 9900.0, "origin": Origin.MAKER},
}
"""What others tell of Signal Decode."""


def add_results(book: Book) -> None:
    """Add them to a book that has the devices, settings and workloads of the cabin test."""
    settings = {(d.name, s.name): s for d in book.devices() for s in book.settings(d.id)}
    decode = book.save(DECODE_WORK)
    book.save(ICE_WORK)
    for device, (name, *values) in DECODE.items():
        for metric, value in zip((SCORE, "Graphics", "Processor"), values, strict=True):
            _add(book, settings[device, name], decode, metric, value=value, n=3, spread=value * 0.006, day=DAY)
    for device, told in TOLD.items():
        setting = settings[device, DECODE[device][0]]
        _add(book, setting, decode, SCORE, told_by="invented", day="2026-07-01", **told)
    _add_games(book, settings["Gannet", "16 W"])


def _add_games(book: Book, setting: Setting) -> None:
    """The presets of three games on the handheld."""
    works = {w.name: w for w in book.workloads()}
    for game, presets in PRESETS.items():
        for name, (average, low) in presets.items():
            variant = works[game]
            if name != AS_IT_IS:
                is_generated = name == "generated"
                set_so = {"preset": "high" if is_generated else name}
                set_so |= {"frame_generation": "every second frame"} if is_generated else {}
                variant = add_variant(book, works[game], name, None, **set_so)
            for metric, value in ((AVERAGE, average), ("low_1.percentile", low)):
                _add(book, setting, variant, metric, value=value, day=DAY)


def _add(book: Book, setting: Setting, work: Workload, metric: str, **fields: object) -> None:
    ids = {"device_id": setting.device_id, "setting_id": setting.id, "workload_id": work.id}
    book.save(Result.model_validate({**ids, "metric": metric, **fields}))
