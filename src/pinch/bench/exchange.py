"""Devices with their settings, workloads, protocols, instruments and plans as one JSON document, for another book or
person.

Things refer to each other by name. The published schema (`docs/exchange.schema.json`) is made from these models.
"""

import json
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.json_schema import SkipJsonSchema

from pinch.bench.book import Book
from pinch.bench.fields import Name, Part
from pinch.bench.files import read_model, write_whole
from pinch.bench.parts import LineProgram
from pinch.bench.plans import Cell, Outcome, Plan, PlanEntry
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, Listed, Protocol, Setting, Workload, free_name, live
from pinch.bench.refused import problem_of
from pinch.core.errors import DataError
from pinch.language import tr

MOST_BYTES = 20_000_000
Hidden = SkipJsonSchema[None]


class FileSetting(Setting):
    """A setting below its device."""

    kept_id: Hidden = Field(default=None, exclude=True)
    device_id: SkipJsonSchema[int] = Field(default=0, exclude=True)


class FileDevice(Device):
    """A device with its settings; what ties it to this machine, to a network or to the rig stays behind."""

    kept_id: Hidden = Field(default=None, exclude=True)
    rig: Hidden = Field(default=None, exclude=True)
    local: SkipJsonSchema[Literal[False]] = Field(default=False, exclude=True)
    untold: SkipJsonSchema[tuple[str, ...]] = Field(default=(), exclude=True)
    reach: SkipJsonSchema[Literal[""]] = Field(default="", exclude=True)
    programs: SkipJsonSchema[tuple[LineProgram, ...]] = Field(default=(), exclude=True)
    settings: tuple[FileSetting, ...] = ()


class FileWorkload(Workload):
    """A workload; of a variant, `workload` names the one that it is of."""

    kept_id: Hidden = Field(default=None, exclude=True)
    variant_of: Hidden = Field(default=None, exclude=True)
    workload: str = ""


class FileInstrument(Instrument):
    """An instrument; where it is reached stays behind."""

    kept_id: Hidden = Field(default=None, exclude=True)
    address: SkipJsonSchema[Literal[""]] = Field(default="", exclude=True)


class FileProtocol(Protocol):
    """A protocol."""

    kept_id: Hidden = Field(default=None, exclude=True)


class Place(Part):
    """A cell of the matrix by names."""

    device: Name
    setting: Name
    workload: Name


class FileCell(Place):
    """How often a workload is wanted at a setting."""

    repeats: int = Field(default=3, ge=1, le=50)
    priority: int = Field(default=2, ge=1, le=3)


class FileEntry(Place):
    """What happened to one repeat."""

    repeat: int = Field(ge=1)
    outcome: Outcome
    started: str
    ended: str
    reason: str = ""


class FilePlan(Plan):
    """A plan; protocol, cells and entries by name."""

    kept_id: Hidden = Field(default=None, exclude=True)
    protocol_id: Hidden = Field(default=None, exclude=True)
    protocol: str = ""
    cells: tuple[FileCell, ...] = ()  # type: ignore[assignment]
    entries: tuple[FileEntry, ...] = ()  # type: ignore[assignment]


class Exchange(BaseModel):
    """The document."""

    model_config = ConfigDict(frozen=True, extra="forbid", title="Pinch exchange", defer_build=True)

    pinch: Literal["exchange"] = "exchange"
    version: Literal[1] = 1
    devices: tuple[FileDevice, ...] = ()
    workloads: tuple[FileWorkload, ...] = ()
    protocols: tuple[FileProtocol, ...] = ()
    instruments: tuple[FileInstrument, ...] = ()
    plans: tuple[FilePlan, ...] = ()


def schema_text() -> str:
    """The JSON schema (draft 2020-12) of the document."""
    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema", **Exchange.model_json_schema()}
    return json.dumps(schema, indent=1, ensure_ascii=False, sort_keys=True) + "\n"


def exchange_of(book: Book) -> Exchange:
    """All of a book's records that are not archived."""
    devices = live(book.devices())
    settings = {d.id: live(book.settings(d.id)) for d in devices}
    named = {s.id: (d.name, s.name) for d in devices for s in settings[d.id]}
    workloads: dict[int | None, str] = {w.id: w.name for w in book.workloads()}
    protocols = {p.id: p.name for p in book.protocols()}
    plans = [_plan_out(p, named, workloads, protocols) for p in live(book.plans())]
    hidden = {"kept_id", "rig", "local", "untold", "reach", "programs"}
    return Exchange(
        devices=tuple(
            FileDevice(
                **_fields(d, hidden), settings=tuple(FileSetting(**_fields(s, {"kept_id", "device_id"})) for s in own)
            )
            for d in devices
            for own in [settings[d.id]]
        ),
        workloads=tuple(
            FileWorkload(**_fields(w, {"variant_of"}), workload=workloads.get(w.variant_of, ""))
            for w in live(book.workloads())
        ),
        protocols=tuple(FileProtocol(**_fields(p, {"kept_id"})) for p in live(book.protocols())),
        instruments=tuple(FileInstrument(**_fields(i, {"kept_id", "address"})) for i in live(book.instruments())),
        plans=tuple(plans),
    )


def read_exchange(path: Path) -> Exchange:
    """Read a document.

    Raises
    ------
    DataError : it cannot be read, is no JSON, or a field makes no sense; the sentence names the place.
    """
    return read_model(path, Exchange, MOST_BYTES)


def write_exchange(exchange: Exchange, path: Path) -> None:
    """Write a document.

    Raises
    ------
    DataError : the file cannot be written.
    """
    text = exchange.model_dump_json(indent=1, exclude_defaults=True)
    document = {"pinch": exchange.pinch, "version": exchange.version, **json.loads(text)}
    write_whole(path, (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode())


def add_exchange(book: Book, exchange: Exchange) -> list[Plan]:
    """Add everything of a document to a book, under a new name where the name is taken; returns the plans.

    Raises
    ------
    DataError : a plan speaks of something that is neither in the document nor in the book.
    """
    settings: dict[tuple[str, str], int] = {}
    for kept in book.devices():
        settings |= {(kept.name, s.name): s.id for s in book.settings(kept.id)}
    workloads = {w.name: w.id for w in book.workloads()}
    protocols = {p.name: p.id for p in book.protocols()}
    for device in exchange.devices:
        new = Device(**_fields(device, {"settings"}))
        saved = book.save(new.model_copy(update={"name": free_name(new.name, [d.name for d in book.devices()])}))
        for setting in device.settings:
            fields = _fields(setting, {"kept_id"}) | {"device_id": saved.id}
            settings[device.name, setting.name] = book.save(Setting(**fields)).id
    for workload in exchange.workloads:
        name = free_name(workload.name, [w.name for w in book.workloads()])
        fields = _fields(workload, {"workload"}) | {"name": name}
        if workload.workload:
            fields["variant_of"] = workloads.get(workload.workload)
        workloads[workload.name] = book.save(Workload(**fields)).id
    for protocol in exchange.protocols:
        name = free_name(protocol.name, [p.name for p in book.protocols()])
        protocols[protocol.name] = book.save(Protocol(**_fields(protocol) | {"name": name})).id
    for instrument in exchange.instruments:
        name = free_name(instrument.name, [i.name for i in book.instruments()])
        book.save(Instrument(**_fields(instrument) | {"name": name}))
    return [book.save(_plan_in(p, settings, workloads, protocols)) for p in exchange.plans]


def _fields(record: Listed, without: set[str] | None = None) -> dict[str, Any]:
    left_out = (without or set()) | {"kept_id"}
    return {name: getattr(record, name) for name in type(record).model_fields if name not in left_out}


def _plan_out(
    plan: Plan, settings: dict[int, tuple[str, str]], workloads: dict[int | None, str], protocols: dict[Any, str]
) -> FilePlan:
    def place(x: Cell | PlanEntry) -> dict[str, str]:
        device, setting = settings[x.setting_id]
        return {"device": device, "setting": setting, "workload": workloads[x.workload_id]}

    cells = [
        FileCell(**place(c), repeats=c.repeats, priority=c.priority) for c in plan.cells if c.setting_id in settings
    ]
    entries = [
        FileEntry(
            **place(e),
            repeat=e.repeat,
            outcome=e.outcome,
            started=e.started.isoformat(),
            ended=e.ended.isoformat(),
            reason=e.reason,
        )
        for e in plan.entries
        if e.setting_id in settings
    ]
    fields = _fields(plan, {"protocol_id", "cells", "entries"})
    return FilePlan(**fields, protocol=protocols.get(plan.protocol_id, ""), cells=tuple(cells), entries=tuple(entries))


def _plan_in(
    plan: FilePlan, settings: dict[tuple[str, str], int], workloads: dict[str, int], protocols: dict[str, int]
) -> Plan:
    where = tr("plan {plan}", plan=plan.name)

    def ids(place: Place) -> dict[str, int]:
        key = (place.device, place.setting)
        if key not in settings:
            raise DataError(
                where,
                tr(
                    "there is no setting {setting!r} of a device {device!r}", setting=place.setting, device=place.device
                ),
            )
        if place.workload not in workloads:
            raise DataError(where, tr("there is no workload {workload!r}", workload=place.workload))
        return {"setting_id": settings[key], "workload_id": workloads[place.workload]}

    if plan.protocol and plan.protocol not in protocols:
        raise DataError(where, tr("there is no protocol {protocol!r}", protocol=plan.protocol))
    names = set(Place.model_fields)
    try:
        cells = tuple(Cell(**ids(c), **c.model_dump(exclude=names)) for c in plan.cells)
        entries = tuple(PlanEntry.model_validate(ids(e) | e.model_dump(exclude=names)) for e in plan.entries)
    except ValidationError as error:
        raise DataError(where, ": ".join(problem_of(error))) from None
    fields = _fields(plan, {"protocol", "protocol_id", "cells", "entries"})
    return Plan(**fields, protocol_id=protocols.get(plan.protocol), cells=cells, entries=entries)
