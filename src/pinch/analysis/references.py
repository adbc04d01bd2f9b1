"""Other books laid beside the open one: their devices, runs and results can be compared with its own and are cited with
the name of their book. Nothing of them is changed; their records have numbers above all of the book's own."""

from collections.abc import Sequence

from msgspec import Struct
from msgspec.structs import replace

from pinch.analysis.points import BookPoints, RunPoint
from pinch.bench.records import Device, Reference, Setting, Workload
from pinch.language import tr

STEP = 10_000_000
"""The numbers of a reference's records begin at so many times its own number; no book has as many records."""


class OtherBook(Struct, frozen=True):
    """A book laid beside, with its points; None: it could not be read, then `why` says it."""

    reference: Reference
    points: BookPoints | None
    why: str = ""


def is_own(number: int) -> bool:
    """Whether a number is that of a record of the open book."""
    return number < STEP


def with_references(own: BookPoints, others: Sequence[OtherBook]) -> BookPoints:
    """The points of a book with those of others beside it."""
    whole = own
    for other in others:
        if other.points is None:
            name = other.reference.name
            whole = replace(
                whole, lacking=(*whole.lacking, tr("{name} cannot be laid beside: {why}", name=name, why=other.why))
            )
        else:
            whole = _beside(whole, other.reference, other.points)
    return whole


def _beside(own: BookPoints, reference: Reference, points: BookPoints) -> BookPoints:
    offset = STEP * reference.id
    works = _workloads(own, points, offset)
    devices = {d.id: _device(d, reference, offset) for d in points.devices}
    settings = {s.id: _setting(s, offset) for _, s in points.settings} | {
        p.setting.id: _setting(p.setting, offset) for p in points.points
    }

    def moved(p: RunPoint) -> RunPoint:
        run = p.run.model_copy(
            update={
                "kept_id": offset + p.run.id,
                "device_id": offset + p.run.device_id,
                "setting_id": offset + p.run.setting_id,
                "workload_id": works[p.workload.id].id,
                "protocol_id": offset + p.run.protocol_id if p.run.protocol_id else None,
            }
        )
        return replace(
            p,
            run=run,
            device=devices[p.device.id],
            setting=settings[p.setting.id],
            workload=works[p.workload.id],
        )

    results = tuple(
        r.model_copy(
            update={
                "device_id": offset + r.device_id,
                "setting_id": offset + r.setting_id,
                "workload_id": works[r.workload_id].id,
                "run_id": offset + r.run_id if r.run_id else None,
            }
        )
        for r in points.results
        if r.workload_id in works
    )
    new = [w for w in works.values() if w.id >= offset]
    readings = {
        offset + run_id: tuple(r.model_copy(update={"run_id": offset + run_id}) for r in some)
        for run_id, some in points.readings.items()
    }
    return replace(
        own,
        points=(*own.points, *(moved(p) for p in points.points)),
        devices=(*own.devices, *devices.values()),
        workloads=(*own.workloads, *new),
        protocols={**own.protocols, **{offset + number: p for number, p in points.protocols.items()}},
        readings={**own.readings, **readings},
        results=(*own.results, *results),
        settings=(*own.settings, *((devices[d.id], settings[s.id]) for d, s in points.settings)),
        lacking=(*own.lacking, *points.lacking),
    )


def _workloads(own: BookPoints, points: BookPoints, offset: int) -> dict[int, Workload]:
    """Their workloads as ours of the same name, unit and, where that is known, rate; the others under numbers of their
    own."""
    by_name = {(w.name.casefold(), w.score_unit, w.rate_channel): w for w in own.workloads}
    by_unit = {(w.name.casefold(), w.score_unit): w for w in own.workloads}
    found = {}
    for w in points.workloads:
        name, unit, channel = w.name.casefold(), w.score_unit, w.rate_channel
        same = by_name.get((name, unit, channel)) if channel else by_unit.get((name, unit))
        variant_of = None if w.variant_of is None else offset + w.variant_of
        found[w.id] = same or w.model_copy(update={"kept_id": offset + w.id, "variant_of": variant_of})
    return found


def _device(device: Device, reference: Reference, offset: int) -> Device:
    name = f"{device.name} ({reference.name})"
    return device.model_copy(update={"kept_id": offset + device.id, "name": name})


def _setting(setting: Setting, offset: int) -> Setting:
    return setting.model_copy(update={"kept_id": offset + setting.id, "device_id": offset + setting.device_id})
