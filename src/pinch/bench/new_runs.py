"""A run that begins now, as a record of its book."""

from pinch.bench.book import Book
from pinch.bench.parts import Build
from pinch.bench.records import Device, Run, Setting, Workload, now


def new_run(
    book: Book,
    device: Device,
    setting: Setting,
    workload: Workload,
    source: str,
    ambient_c: float | None = None,
    notes: str = "",
    protocol_id: int | None = None,
    more_builds: tuple[Build, ...] = (),
) -> Run:
    """A run that begins now, the next repeat of its cell, kept in the book, with the builds of its device and more."""
    ids = (device.id, setting.id, workload.id)
    return book.save(
        Run(
            device_id=ids[0],
            setting_id=ids[1],
            workload_id=ids[2],
            repeat=book.next_repeat(*ids),
            started=now(),
            ambient_c=ambient_c,
            source=source,
            notes=notes,
            builds=(*device.builds, *more_builds),
            protocol_id=protocol_id,
        )
    )
