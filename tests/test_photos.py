"""Pictures of devices, runs and readings: what of a file is kept, and where it is shown. The files are made and looked
at by Pillow, a reader of pictures from the registries."""

import base64
import contextlib
import io
import struct
import zlib
from pathlib import Path
from unittest import mock

from msgspec.structs import replace
from PIL import Image, ImageFile
from pydantic import ValidationError

from pinch.bench import runlogs
from pinch.bench.opening import create_book, open_book
from pinch.bench.photos import Photo
from pinch.bench.records import Device
from pinch.core.errors import DataError, PinchError
from pinch.intake.book_folder import PHOTOS, photo_name, read_book_folder
from pinch.intake.joining import join_book
from pinch.narrative.report_pictures import pictures_section, with_pictures
from pinch.narrative.reporting import runs_behind
from pinch.publish.open_files import write_book_folder
from pinch.publish.report import html, markdown, plain_html
from pinch.sources.photo_files import read_photo
from pinch.ui.judge.page import JudgePage
from pinch.ui.judge.view import PICTURES
from tests import made
from tests.in_folder import InFolder
from tests.test_report import cabin_test
from tests.window_case import WindowCase, demo_book

ORIENTATION, MAKER, GPS = 0x0112, 0x010F, 0x8825
"""Tags of Exif 2.3, 4.6.4 and 4.6.3."""


def camera_photo(path: Path, size: tuple[int, int] = (2400, 1500)) -> Path:
    """As a camera held upright writes it: lying on its side, with its place and maker. Its left half is dark."""
    picture = Image.new("RGB", size, "white")
    picture.paste("black", (0, 0, size[0] // 2, size[1]))
    exif = Image.Exif()
    exif[ORIENTATION], exif[MAKER] = 6, "somebody"
    exif.get_ifd(GPS)[1] = "N"
    picture.save(path, exif=exif)
    return path


def kept(path: Path, **of: object) -> Photo:
    read = read_photo(path)
    return Photo.model_validate({"device_id": 1, **of, "jpeg": read.jpeg, "width": read.width, "height": read.height})


class TestFiles(InFolder):
    def test_only_what_is_seen_is_kept(self) -> None:
        path = camera_photo(self.folder / "meter.jpg")
        self.assertIn(b"somebody", path.read_bytes())
        photo = kept(path)
        self.assertNotIn(b"somebody", photo.content)
        with Image.open(io.BytesIO(photo.content)) as picture:
            self.assertEqual((picture.format, picture.size), ("JPEG", (1000, 1600)))
            self.assertEqual(dict(picture.getexif()), {})
            upper, lower = (picture.convert("L").getpixel((500, y)) for y in (400, 1200))
        self.assertEqual((upper, lower), (0, 255), "turned as the camera was held")

    def test_what_shines_through_is_on_white_and_small_ones_stay(self) -> None:
        Image.new("RGBA", (40, 30), (0, 0, 0, 0)).save(self.folder / "shot.png")
        Image.new("RGB", (40, 30), "red").save(self.folder / "shot.webp")
        for name, colour in (("shot.png", (255, 255, 255)), ("shot.webp", (254, 0, 0))):
            photo = kept(self.folder / name)
            self.assertEqual((photo.width, photo.height), (40, 30))
            with Image.open(io.BytesIO(photo.content)) as picture:
                got = picture.getpixel((20, 15))
            self.assertTrue(all(abs(a - b) <= 3 for a, b in zip(got, colour, strict=True)), got)  # type: ignore[arg-type]

    def test_other_files_are_refused_in_a_sentence(self) -> None:
        header = struct.pack(">IIBBBBB", 60_000, 60_000, 8, 2, 0, 0, 0)
        parts = ((b"IHDR", header), (b"IDAT", zlib.compress(b"\0")), (b"IEND", b""))
        chunks = (struct.pack(">I", len(d)) + k + d + struct.pack(">I", zlib.crc32(k + d)) for k, d in parts)
        cut = camera_photo(self.folder / "whole.jpg").read_bytes()[:5000]
        files = {
            "text.jpg": (b"no picture at all", "it is no JPEG, PNG or WebP picture"),
            "huge.png": (b"\x89PNG\r\n\x1a\n" + b"".join(chunks), "pixels"),
            "cut.jpg": (cut, "cannot be read"),
            "film.gif": (b"GIF89a" + bytes(40), "it is no JPEG, PNG or WebP picture"),
        }
        for name, (content, reason) in files.items():
            (self.folder / name).write_bytes(content)
            for passes in (False, True):  # what a maker of PDF sets for its whole process
                lax = mock.patch.object(ImageFile, "LOAD_TRUNCATED_IMAGES", passes)
                with self.subTest(name), lax, self.assertRaisesRegex(DataError, f"{name}.*{reason}"):
                    read_photo(self.folder / name)
        for jpeg in (base64.b64encode(b"<svg/>").decode(), "not base64!"):
            with self.assertRaises(ValidationError):
                Photo(device_id=1, width=3, height=3, jpeg=jpeg)


class TestBooks(InFolder):
    def test_they_go_with_their_book_by_every_door(self) -> None:
        path = self.folder / "a.pinch"
        opened, device, setting, workload = made.book_with_cell(path)
        with contextlib.closing(opened) as book:
            run = made.new_run(book, device, setting, workload)
            runlogs.append_log(book, run.id, made.two_level())
            for of in ({"run_id": run.id, "caption": "the meter"}, {}):
                book.save(kept(camera_photo(self.folder / "p.jpg"), device_id=device.id, **of))
            write_book_folder(book, self.folder / "open")
            before = list(book.all_photos())
        file = self.folder / "open" / PHOTOS / photo_name(before[0].id)
        self.assertEqual(file.read_bytes(), before[0].content)
        read_book_folder(self.folder / "open", self.folder / "b.pinch")
        with contextlib.closing(open_book(self.folder / "b.pinch")) as book:
            self.assertEqual(list(book.all_photos()), before)
        with contextlib.closing(create_book(self.folder / "c.pinch")) as book:
            for _ in range(2):
                with contextlib.closing(open_book(path, only_read=True)) as other:
                    join_book(book, other)
            self.assertEqual([p.caption for p in book.photos(1, 1)], ["the meter"])
            self.assertEqual(len(book.photos(1)), 1, "the second time nothing comes twice")
        file.write_bytes(b"<svg/>")
        with self.assertRaisesRegex(PinchError, "picture-1.jpg.*no JPEG"):
            read_book_folder(self.folder / "open", self.folder / "d.pinch")
        self.assertFalse((self.folder / "d.pinch").exists())

    def test_reports_show_those_that_are_for_them(self) -> None:
        deck, story, _ = cabin_test()
        path = self.folder / "copy.pinch"
        with contextlib.closing(open_book(demo_book())) as original:
            original.copy_to(path)
        with contextlib.closing(open_book(path)) as book:
            point = runs_behind(deck)[0]
            reading = book.readings(point.run.id)[0]
            photo = camera_photo(self.folder / "p.jpg", (60, 40))
            of_reading = {"device_id": point.device.id, "run_id": point.run.id, "reading_id": reading.id}
            book.save(kept(photo, caption="<b>meter</b>", **of_reading))
            book.save(kept(photo, caption="nobody's business", device_id=point.device.id, published=False))
            section = pictures_section(book, book.devices(), runs_behind(deck))
        self.assertEqual([p.caption for p in section.photos], ["<b>meter</b>"])
        self.assertTrue(section.photos[0].of.endswith(f": {reading.quantity} {reading.value:g} dB(A)"))
        told = replace(story, sections=tuple(with_pictures(story.sections[:7], section)))
        keys = [s.key for s in told.sections]
        self.assertEqual(keys.index("pictures") + 1, keys.index("questions"))
        page = html(told)
        self.assertIn("&lt;b&gt;meter&lt;/b&gt;", page)
        self.assertEqual(page.count('src="data:image/jpeg;base64,'), 1)
        for text in (markdown(told), plain_html(told)):
            self.assertIn(f"pictures/photo-{section.photos[0].number}.jpg", text)
        self.assertEqual(with_pictures(story.sections, replace(section, photos=())), list(story.sections))


class TestPane(WindowCase):
    demo = True

    def test_added_captioned_moved_and_taken_back(self) -> None:
        book, page = self.session.book, self.window.page(JudgePage)
        self.session.choose_run(1)
        self.window.show_page(page)
        page.view.tabs.setCurrentIndex(PICTURES)
        self.assertFalse(page.view.pictures.rows)
        self.assertFalse(page.takes([self.folder / "a.txt"]))
        self.assertTrue(page.takes([camera_photo(self.folder / "a.JPG")]))
        self.wait_for(lambda: len(page.view.pictures.rows) == 1)
        row = page.view.pictures.rows[0]
        row.caption.setText("The meter")
        row.caption.editingFinished.emit()
        (photo,) = book.photos(1, 1)
        self.assertEqual((photo.caption, photo.published), ("The meter", True))
        self.assertIs(page.view.pictures.rows[0], row, "the keyboard stays where it is")
        self.assertIn("noise level, 28.1 dB(A)", [row.of.itemText(n).strip() for n in range(row.of.count())])
        row.of.setCurrentIndex(row.of.count() - 1)
        row.of.activated.emit(row.of.count() - 1)
        self.assertEqual([p.caption for p in book.photos(1)], ["The meter"], "it is of the device now")
        page.view.pictures.rows[0].published.click()
        self.assertFalse(book.photos(1)[0].published)
        page.pictures.remove(book.photos(1)[0])
        self.assertEqual((book.photos(1), page.view.pictures.rows), ([], []))
        self.window.undo()
        self.assertEqual(len(page.view.pictures.rows), 1)
        (self.folder / "bad.png").write_bytes(b"no")
        page.takes([self.folder / "bad.png"])
        self.wait_for(lambda: "bad.png: it is no JPEG" in self.window.notices.words.text())
        self.assertEqual(book.delete(Device(id=1, name="x")), None)
        self.assertEqual(list(book.all_photos()), [], "they go with their device")
