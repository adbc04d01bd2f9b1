"""The pictures of a report: of the devices it is about, and of the runs behind it."""

from collections.abc import Sequence

from pinch.analysis.points import RunPoint
from pinch.bench.book import Book
from pinch.bench.photos import Photo
from pinch.bench.records import Device
from pinch.language import tr
from pinch.narrative.story import StoryPhoto, StorySection

BEFORE = "questions"
"""The section that they stand before: one sees the things first."""


def pictures_section(book: Book, devices: Sequence[Device], runs: Sequence[RunPoint]) -> StorySection:
    """Pictures that reports may show, each with what it is of."""
    found = [_told(photo, d.name) for d in devices for photo in book.photos(d.id)]
    for p in runs:
        photos = book.photos(p.device.id, p.run.id)
        read = {r.id: f": {tr(r.quantity)} {r.value_words}" for r in book.readings(p.run.id)} if photos else {}
        of = tr(
            "{device}, {setting}, {workload}, run {repeat}",
            device=p.device.name,
            setting=p.setting.name,
            workload=p.workload.name,
            repeat=p.run.repeat,
        )
        found += [_told(photo, of + read.get(photo.reading_id or 0, "")) for photo in photos]
    return StorySection("pictures", tr("Pictures"), photos=tuple(photo for photo in found if photo is not None))


def with_pictures(sections: Sequence[StorySection], pictures: StorySection) -> list[StorySection]:
    """The sections with that of the pictures, where there are any."""
    if pictures.is_empty:
        return list(sections)
    at = next((n for n, section in enumerate(sections) if section.key == BEFORE), len(sections))
    return [*sections[:at], pictures, *sections[at:]]


def _told(photo: Photo, of: str) -> StoryPhoto | None:
    if not photo.published:
        return None
    return StoryPhoto(photo.id, photo.caption, of, photo.jpeg, photo.width, photo.height)
