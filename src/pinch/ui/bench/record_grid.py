"""Records of the bench as rows of a grid: what was typed into their fields, and what it comes to. No Qt."""

from collections.abc import Mapping, Sequence

from msgspec import Struct, field

from pinch.bench.readings import Instrument
from pinch.bench.records import Device, Listed, Protocol, Setting, Workload, free_name
from pinch.core.errors import PinchError
from pinch.core.printing import counted
from pinch.language import tr
from pinch.ui.bench.entering import enter
from pinch.ui.bench.field_widgets import Kind, field_at, text_at

FIELDS: dict[type[Listed], tuple[str, ...]] = {
    Device: (
        *("name", "form", "chip", "graphics.name", "graphics.compute_units", "memory.kind", "memory.size_gb"),
        *(
            "memory.speed_mts",
            "storage",
            "battery.design_wh",
            "battery.full_wh",
            "claims.sustained_w",
            "claims.burst_w",
        ),
        *("temp_limit_c", "display.size_in", "display.pixels", "mass_kg", "status", "came", "notes"),
    ),
    Setting: (
        *("name", "mode", "sustained_w", "burst_w", "window_s", "mains", "fan", "graphics_path", "clock_ceiling_mhz"),
        *("undervolt_mv", "memory_speed_mts", "graphics_memory_gb", "notes"),
    ),
    Workload: (
        *("name", "kind", "score_unit", "higher_is_better", "length_s", "passes", "repeatable", "counts"),
        *("rate_channel", "resolution", "preset", "frame_cap_fps", "notes"),
    ),
    Protocol: ("name", "ambient_c", "brightness_nits", "room_noise_db", "warm_up_min", "cool_min", "repeats", "notes"),
    Instrument: ("name", "measures", "place", "serial", "of_reading", "resolution", "fixed", "notes"),
}
OFFERS = (
    *("price", "currency", "date", "region", "seller", "members", "tax_in", "configuration", "allowance", "tested"),
)
PARTS = ("graphics", "memory", "battery", "claims", "display")
Place = tuple[int, int]


class GridRecords(Struct, frozen=True):
    """What a filled grid comes to: records that are new or changed, problems and questions by field."""

    records: tuple[Listed, ...] = ()
    problems: Mapping[Place, str] = field(default_factory=dict)
    questions: Mapping[Place, str] = field(default_factory=dict)

    @property
    def words(self) -> str:
        """What keeping it comes to."""
        new = sum(record.kept_id is None for record in self.records)
        changed = len(self.records) - new
        parts = [f"{count} {what}" for count, what in ((new, "new"), (changed, "changed")) if count]
        return f"{counted(len(self.records), 'record')}: {', '.join(parts)}." if parts else tr("Nothing is typed yet.")


def captions(kind: type[Listed]) -> list[tuple[str, bool]]:
    """What stands above the columns, with the units of numbers, and whether they hold words."""
    return [(_caption(kind, path), _is_words(kind, path)) for path in FIELDS[kind]]


def offer_captions() -> list[tuple[str, bool]]:
    """The same of the offers of a device."""
    paths = [f"offers.0.{name}" for name in OFFERS]
    return [(_caption(Device, path), _is_words(Device, path)) for path in paths]


def texts_of(record: Listed) -> list[str]:
    """The fields of a record as they would be typed."""
    return [text_at(record, path) for path in FIELDS[type(record)]]


def offer_texts(device: Device) -> list[list[str]]:
    """The offers of a device as they would be typed, a row each."""
    return [[text_at(device, f"offers.{n}.{name}") for name in OFFERS] for n in range(len(device.offers))]


def records_of(
    kind: type[Listed], there: Sequence[Listed], typed: Mapping[Place, str], fresh: Mapping[str, object]
) -> GridRecords:
    """What typed fields make of records; a row below the last of them is a new one, which has the `fresh` fields."""
    by_row: dict[int, dict[int, str]] = {}
    for (row, column), text in typed.items():
        by_row.setdefault(row, {})[column] = text
    records, problems, questions = list[Listed](), dict[Place, str](), dict[Place, str]()
    names = [r.name for r in there]
    for row, fields in sorted(by_row.items()):
        known = there[row] if row < len(there) else None
        if known is None and not any(text.strip() for text in fields.values()):
            continue
        if known is None and not fields.get(0, "").strip():
            problems[row, 0] = tr("It needs a name.")
            continue
        record: Listed = known if known is not None else kind.model_validate({"name": "new", **fresh})
        for column, text in fields.items():
            if known is not None and text.strip() == text_at(known, FIELDS[kind][column]):
                continue
            record = _entered(record, FIELDS[kind][column], text, (row, column), problems, questions)
        if known is None:
            record = record.model_copy(update={"name": free_name(record.name, names)})
            names.append(record.name)
        if record != known:
            records.append(record)
    return GridRecords(tuple(records), problems, questions)


def device_with_offers(device: Device, typed: Mapping[Place, str]) -> GridRecords:
    """A device with its offers as they were typed; rows below the last one are new."""
    count, offers = len(device.offers), list(device.offers)
    rows = sorted({row for (row, _), text in typed.items() if text.strip() or row < count})
    part = field_at(Device, "offers").part
    assert part is not None
    place = {row: row for row in range(count)}
    for row in rows:
        if row >= count:
            place[row] = len(offers)
            offers.append(part())  # type: ignore[arg-type]
    record: Listed = device.model_copy(update={"offers": tuple(offers)})
    problems, questions = dict[Place, str](), dict[Place, str]()
    for (row, column), text in typed.items():
        if row in place:
            path = f"offers.{place[row]}.{OFFERS[column]}"
            record = _entered(record, path, text, (row, column), problems, questions)
    return GridRecords((record,) if record != device else (), problems, questions)


def _entered(
    record: Listed, path: str, text: str, at: Place, problems: dict[Place, str], questions: dict[Place, str]
) -> Listed:
    try:
        entered = enter(record, path, text)
    except PinchError as error:
        problems[at] = str(error)
        return record
    if entered.record is None:
        problems[at] = entered.problem
        return record
    if entered.question:
        questions[at] = entered.question
    assert isinstance(entered.record, Listed)
    return entered.record


def _is_words(kind: type[Listed], path: str) -> bool:
    return field_at(kind, path).kind is not Kind.NUMBER


def _caption(kind: type[Listed], path: str) -> str:
    found = field_at(kind, path)
    unit = f", {found.unit}" if found.kind is Kind.NUMBER and found.unit else ""
    owner = path.partition(".")[0]
    known = {
        "graphics": tr("Graphics"),
        "memory": tr("Memory"),
        "battery": tr("Battery"),
        "claims": tr("Claimed"),
        "display": tr("Display"),
    }
    return (
        f"{known[owner]}: {found.caption.lower()}{unit}" if owner in known and "." in path else f"{found.caption}{unit}"
    )
