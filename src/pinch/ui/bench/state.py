"""What the Bench page shows: kinds of record, their lists, their forms in sections, and words about them. No Qt."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.bench.book import Book
from pinch.bench.plausibility import is_raised
from pinch.bench.readings import Instrument, Quantity
from pinch.bench.records import (
    Device,
    ExitStatus,
    Listed,
    Protocol,
    Setting,
    Workload,
    standing,
    workload_words,
)
from pinch.bench.variants import own_name, variants_of
from pinch.core.errors import PinchError
from pinch.core.printing import plain
from pinch.language import tr
from pinch.narrative import cautions
from pinch.narrative.methodology import methodology
from pinch.sources.profiles import profiles
from pinch.ui.searching import Search

KINDS: dict[str, type[Listed]] = {
    tr("Devices"): Device,
    tr("Settings"): Setting,
    tr("Workloads"): Workload,
    tr("Protocols"): Protocol,
    tr("Instruments"): Instrument,
}
ONE: dict[type[Listed], str] = {
    Device: tr("device"),
    Setting: tr("setting"),
    Workload: tr("workload"),
    Protocol: tr("protocol"),
    Instrument: tr("instrument"),
}


class Section(Struct, frozen=True):
    """A group of fields of a form."""

    title: str
    fields: tuple[str, ...]


SECTIONS: dict[type[Listed], tuple[Section, ...]] = {
    Device: (
        Section(tr("Unit"), ("name", "form", "status", "came", "chip", "storage")),
        Section(tr("Cores"), ("cores",)),
        Section(tr("Graphics"), ("graphics.name", "graphics.shared", "graphics.compute_units")),
        Section(
            tr("Memory"),
            (
                "memory.kind",
                "memory.size_gb",
                "memory.speed_mts",
                "memory.timings",
                "memory.modules",
                "memory.dual_channel",
                "memory.graphics_share_gb",
            ),
        ),
        Section(
            tr("Limits as claimed"),
            (
                "claims.sustained_w",
                "claims.burst_w",
                "claims.window_s",
                "claims.lowest_w",
                "claims.highest_w",
                "claims.step_w",
                "temp_limit_c",
            ),
        ),
        Section(tr("How far its sensors may be off (usual: 2 %, 1 K)"), ("sensors.power_percent", "sensors.temp_k")),
        Section(tr("Power"), ("battery.design_wh", "battery.full_wh", "battery.charge_min", "adapter_w")),
        Section(
            tr("Cooling and case"),
            ("cooling.fans", "cooling.heat_pipes", "mass_kg", "width_mm", "depth_mm", "height_mm"),
        ),
        Section(
            tr("Display"),
            ("display.size_in", "display.pixels", "display.shape", "display.refresh_hz", "display.variable_refresh"),
        ),
        Section(
            tr("Alarms: Pinch ends its own load"),
            ("alarm_temp_c", "alarm_surface_c", "alarm_battery_c", "alarm_charge"),
        ),
        Section(tr("Another computer, or rights for the probe"), ("reach",)),
        Section(tr("Programs that print lines, read along with each run"), ("programs",)),
        Section(tr("Builds: firmware, OS, drivers"), ("builds",)),
        Section(tr("What changing takes, where it is more than a switch"), ("change_needs",)),
        Section(tr("Not to be had together"), ("exclusions",)),
        Section(tr("Offers"), ("offers",)),
        Section(tr("Notes"), ("ports", "serial", "notes")),
    ),
    Setting: (
        Section(tr("Setting"), ("name", "mode", "mains")),
        Section(tr("Limits as claimed"), ("sustained_w", "burst_w", "window_s")),
        Section(
            tr("Chip"), ("clock_ceiling_mhz", "graphics_ceiling_mhz", "undervolt_mv", "platform_profile", "governor")
        ),
        Section(tr("Cooling, graphics and memory"), ("fan", "graphics_path", "memory_speed_mts", "graphics_memory_gb")),
        Section(tr("Notes"), ("notes",)),
    ),
    Workload: (
        Section(tr("Workload"), ("name", "kind", "counts", "repeatable")),
        Section(tr("Score"), ("score_unit", "higher_is_better", "rate_channel", "score_is_rate")),
        Section(tr("Metrics of its own, such as parts of a score"), ("metrics",)),
        Section(tr("One run"), ("length_s", "passes", "pause_s", "warm_up_pass")),
        Section(
            tr("On this computer"),
            ("runner", "load", "graphics", "command", "folder", "timeout_s", "score_from", "score_pattern"),
        ),
        Section(
            tr("Frames"),
            (
                "frame_log",
                "frame_column",
                "resolution",
                "preset",
                "upscaling",
                "inner_resolution",
                "frame_generation",
                "frame_cap_fps",
                "path",
            ),
        ),
        Section(tr("Notes"), ("notes",)),
    ),
    Instrument: (
        Section(tr("Instrument"), ("name", "measures", "place", "serial")),
        Section(tr("Read by Pinch, not by hand"), ("profile", "address", "every_s")),
        Section(tr("Accuracy as stated"), ("of_reading", "of_range", "range", "resolution", "fixed")),
        Section(tr("Notes"), ("notes",)),
    ),
    Protocol: (
        Section(tr("Protocol"), ("name", "repeats", "warm_up_min")),
        Section(tr("Room"), ("ambient_c", "ambient_within_k", "room_noise_db")),
        Section(tr("Machine"), ("brightness_nits", "volume_percent", "radios", "background")),
        Section(tr("Builds: firmware, OS, drivers"), ("builds",)),
        Section(tr("Cooling between runs"), ("cool_rule", "cool_within_k", "cool_min")),
        Section(tr("Readings and figures"), ("readings_min", "window_rule", "low_school")),
        Section(tr("Notes"), ("notes",)),
    ),
}
VARIANT_SECTIONS = (
    Section(tr("Variant"), ("variant",)),
    Section(
        tr("Frames"), ("preset", "resolution", "upscaling", "inner_resolution", "frame_generation", "frame_cap_fps")
    ),
    Section(tr("One run"), ("length_s", "path")),
    Section(tr("Notes"), ("notes",)),
)
"""What a variant has of its own; all else is entered at its workload."""
WIDE = {"command", "meant", "reach", "frame_log", "address", "notes", "ports", "background", "window_rule", "cool_rule"}
"""Fields that take two places of a row, for their long texts."""

EMPTY_WORDS = {
    Device: tr("No device yet. Enter the first one, or let this computer fill itself in."),
    Setting: tr("No setting of this device yet. Enter one, or make a ladder of limits."),
    Workload: tr("No workload yet. Enter what you run."),
    Protocol: tr("No protocol yet. It holds the conditions constant, and prints as the methodology of a report."),
    Instrument: tr("No instrument yet. Enter a meter, read by Pinch or by hand, with the accuracy its maker states."),
}


class Item(Struct, frozen=True):
    """A line of the list."""

    id: int
    name: str
    detail: str
    archived: bool


def sections_of(record: Listed) -> tuple[Section, ...]:
    """The groups of fields of a record's form."""
    if isinstance(record, Workload) and record.variant_of is not None:
        return VARIANT_SECTIONS
    return SECTIONS[type(record)]


def items(book: Book, kind: type[Listed], device_id: int | None, search: str, archived: bool) -> list[Item]:
    """The list of a kind, searched by every word in name, details and notes."""
    found, wanted = [], Search(search)
    for record in records(book, kind, device_id):
        if record.archived and not archived:
            continue
        if wanted.keeps(f"{record.name} {detail(record)} {record.notes}"):
            found.append(Item(record.id, record.name, detail(record), record.archived))
    return found


def records(book: Book, kind: type[Listed], device_id: int | None) -> Sequence[Listed]:
    if kind is Device:
        return book.devices()
    if kind is Setting:
        return book.settings(device_id) if device_id else []
    if kind is Instrument:
        return book.instruments()
    return book.workloads() if kind is Workload else book.protocols()


def detail(record: Listed) -> str:
    """The second line of a record in the list."""
    if isinstance(record, Device):
        words = [tr(record.form), record.chip, standing(record)]
    elif isinstance(record, Setting):
        watts = record.sustained_w
        words = [
            tr("{watts:g} W", watts=watts) if watts else "",
            tr("mains") if record.mains else tr("battery"),
            record.fan,
        ]
    elif isinstance(record, Workload):
        words = [tr(record.kind), tr("{run_s:g} min", run_s=record.run_s / 60), record.score_unit]
    elif isinstance(record, Protocol):
        words = [
            tr("{repeats} repeats", repeats=record.repeats),
            tr("{ambient_c:g} °C", ambient_c=record.ambient_c) if record.ambient_c is not None else "",
        ]
    elif isinstance(record, Instrument):
        words = [tr(record.measures), record.profile or tr("read by hand")]
    else:
        words = []
    return " · ".join(filter(None, words))


def headline(record: Listed, device: Device | None) -> str:
    """What the form is about."""
    if isinstance(record, Setting) and device is not None:
        return tr("{record} of {device}", record=record.name, device=device.name)
    return record.name


def margin_words(book: Book, record: Listed, device: Device | None) -> list[str]:
    """What the margin says beside a form."""
    if isinstance(record, Device):
        runs = book.runs(record.id)
        done = sum(r.status is ExitStatus.COMPLETE and not r.void for r in runs)
        words = [
            tr(
                "{settings} settings, {runs} runs, {done} of them whole and not void.",
                settings=len(book.settings(record.id)),
                runs=len(runs),
                done=done,
            )
        ]
        stands = standing(record)
        words.append(
            tr("Every figure says: {stands}.", stands=stands)
            if stands
            else tr("A retail unit: figures say nothing more.")
        )
        if record.untold:
            words.append(tr("Linux does not tell: {untold}. Enter what you know.", untold=", ".join(record.untold)))
        return words
    if isinstance(record, Setting):
        words = [tr("What is left empty is as the device comes.")]
        if device is not None and is_raised(record, device):
            words.append(tr("This setting goes beyond what the maker claims. See the caution below the form."))
        return words
    if isinstance(record, Workload):
        return [
            tr("Charts name it: {workload_words}.", workload_words=workload_words(record)),
            *_variant_words(book, record),
        ]
    if isinstance(record, Protocol):
        return [tr("The methodology paragraph of a report:"), methodology(record)]
    return _instrument_words(record) if isinstance(record, Instrument) else []


def _variant_words(book: Book, workload: Workload) -> list[str]:
    """What a workload has below it, or what it is below."""
    own = variants_of(workload.root_id, book.workloads())
    if workload.variant_of is not None:
        return [tr("A variant of {own}: what does not stand here is as it is entered there.", own=own[0].name)]
    if len(own) == 1:
        return [tr("Presets, resolutions or caps of the same work are variants of it: Add > Variant of the workload.")]
    return [tr("Its variants: {own_name}.", own_name=", ".join(own_name(w) for w in own))]


def _instrument_words(instrument: Instrument) -> list[str]:
    """Its uncertainty, whether its profile is known, and which there are."""
    at = {Quantity.WALL: 60.0, Quantity.NOISE: 40.0}.get(instrument.measures, 45.0)
    u = instrument.accuracy.standard_u(at)
    words = [
        tr("At {at:g} {unit} its standard uncertainty is {u} {unit}.", at=at, unit=instrument.unit, u=plain(u, 2))
        if instrument.accuracy.stated
        else tr("Without a stated accuracy its readings have no uncertainty of their own.")
    ]
    try:
        known = profiles()
    except PinchError as error:
        return [*words, str(error)]
    if instrument.profile and instrument.profile not in known:
        words.append(tr("There is no profile {profile!r}.", profile=instrument.profile))
    words.append(tr("Without a profile it is read by hand. Profiles that Pinch speaks:"))
    words += [f"{key}: {tr(p.title)}." for key, p in known.items()]
    words.append(
        tr("Address: TCPIP::HOST::PORT::SOCKET, USB::…::INSTR, ASRL/dev/ttyUSB0::INSTR, or rig for the rig's meter.")
    )
    words.append(cautions.INSTRUMENTS)
    return words
