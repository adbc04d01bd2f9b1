"""Books from anybody, books of earlier versions, books that are read while somebody writes, books half made."""

import contextlib
import json
import os
import sqlite3
import struct
import subprocess
import sys
import tempfile
import threading
import unittest
import unittest.mock
import zlib

import numpy as np

from pinch.bench import chunks, runlogs, schema
from pinch.bench.book import Book, BookError, BookGoneError
from pinch.bench.opening import UnfinishedBookError, create_book, new_book, open_book
from pinch.bench.records import Device
from pinch.bench.scratch import make_scratch_folder, scratch_folder
from pinch.bench.staging import staged, this_process
from pinch.core.errors import DataError
from tests import made
from tests.test_book import BookCase

DEAD = f"{this_process().partition('-')[0]}-{4_194_305}"
"""A process of this start of the computer that cannot be there: its number is beyond the kernel's largest."""


TO_6 = (
    *(f"DROP TABLE {name}" for name in ("card", "report", "result", "reference", "photo", "question")),
    *("ALTER TABLE judged DROP COLUMN seen", "DROP INDEX run_started"),
)
"""What makes a book one of version 6."""


class TestHostile(BookCase):
    """A file that anybody may have made; it is SQLite, and its bytes are whole."""

    def spoil(self, *statements: str) -> None:
        with contextlib.closing(sqlite3.connect(self.path)) as raw:
            for statement in statements:
                raw.execute(statement)
            raw.commit()

    def refused(self, reason: str) -> None:
        with self.assertRaisesRegex(BookError, reason) as caught:
            open_book(self.path)
        self.assertEqual(str(caught.exception).count("\n"), 0)

    def test_triggers_views_and_foreign_tables_are_refused_before_anything_is_written(self) -> None:
        for kind, make, drop in (
            ("trigger", "CREATE TRIGGER t AFTER UPDATE ON workload BEGIN DELETE FROM device; END", "DROP TRIGGER t"),
            ("view", "CREATE VIEW v AS SELECT 1", "DROP VIEW v"),
            ("table", "CREATE TABLE other (a)", "DROP TABLE other"),
            ("index", "CREATE INDEX i ON device (id)", "DROP INDEX i"),
        ):
            self.spoil(make)
            self.refused(f"holds the {kind}")
            self.spoil(drop)
        open_book(self.path).close()

    def test_a_trigger_does_not_fire_while_an_old_book_is_brought_up_to_date(self) -> None:
        trigger = "CREATE TRIGGER t AFTER UPDATE ON workload BEGIN DELETE FROM device; END"
        self.spoil(trigger, *TO_6, "PRAGMA user_version = 6")
        self.refused("holds the trigger")
        with contextlib.closing(sqlite3.connect(self.path)) as raw:
            self.assertEqual(raw.execute("SELECT COUNT(*) FROM device").fetchone(), (1,))

    def test_a_table_with_another_column_is_damage(self) -> None:
        self.spoil("ALTER TABLE device ADD COLUMN extra TEXT DEFAULT 1")
        self.refused("not as Pinch makes it")

    def test_statistics_for_the_planner_are_let_be(self) -> None:
        self.spoil("ANALYZE")
        open_book(self.path).close()

    def test_a_record_of_megabytes_is_refused_before_it_is_read(self) -> None:
        self.spoil("UPDATE device SET record = '[' || printf('%.*c', 5000000, '[')")
        self.refused("5000001 signs long")

    def test_a_deeply_nested_record_is_one_sentence(self) -> None:
        self.spoil("UPDATE device SET record = printf('%.*c', 200000, '[')")
        with contextlib.closing(open_book(self.path)) as book, self.assertRaisesRegex(BookError, "cannot be read"):
            book.devices()

    def test_a_chunk_that_grows_beyond_measure_takes_no_memory(self) -> None:
        bomb = zlib.compress(struct.pack("<BIH", chunks.VERSION, 4_000_000_000, 1) + bytes(200_000_000), 9)
        claim = zlib.compress(struct.pack("<BIH", chunks.VERSION, 4_000_000_000, 60_000) + bytes(100), 9)
        for blob in (bomb, claim):
            self.assertLess(len(blob), 300_000)
            with self.assertRaisesRegex(DataError, "beyond all measure"):
                chunks.unpack(blob, "here")


class TestOldBooks(BookCase):
    def setUp(self) -> None:
        super().setUp()
        self.book.close()
        self.path.unlink()
        with contextlib.closing(sqlite3.connect(self.path)) as raw:
            for script in schema.MIGRATIONS[:5]:
                raw.executescript(script)
            raw.execute(f"PRAGMA application_id = {schema.APPLICATION_ID}")
            raw.execute("PRAGMA user_version = 5")
            raw.execute("""INSERT INTO device (record) VALUES ('{"name": "Gannet"}')""")
            raw.commit()

    def test_a_copy_is_kept_as_it_was(self) -> None:
        before = self.path.read_bytes()
        with contextlib.closing(open_book(self.path)) as book:
            self.assertIn("is kept as a (version 5).pinch", book.notes[0])
        with contextlib.closing(sqlite3.connect(self.folder / "a (version 5).pinch")) as kept:
            self.assertEqual(kept.execute("PRAGMA user_version").fetchone(), (5,))
        self.assertNotEqual(self.path.read_bytes(), before)
        with contextlib.closing(open_book(self.path)) as again:
            self.assertEqual(again.notes, ())

    def test_many_open_it_at_once(self) -> None:
        found: list[object] = []

        def look() -> None:
            try:
                with contextlib.closing(open_book(self.path)) as book:
                    found.append(book.devices()[0].name)
            except BookError as error:
                found.append(error)

        threads = [threading.Thread(target=look) for _ in range(8)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        self.assertEqual(found, ["Gannet"] * 8)

    def test_where_no_copy_can_be_kept_it_is_open_read_only(self) -> None:
        with unittest.mock.patch.object(Book, "copy_to", side_effect=BookError(self.path, "the disk is full")):
            book = open_book(self.path)
        self.addCleanup(book.close)
        self.assertEqual([d.name for d in book.devices()], ["Gannet"])
        self.assertIn("read-only, as no copy of it could be kept (the disk is full)", book.notes[0])
        with self.assertRaisesRegex(BookError, "read-only"):
            book.save(Device(name="Limpet"))


@unittest.skipUnless(os.geteuid() == 0, "needs another user, whom only the administrator may become")
class TestReadBySomebodyElse(BookCase):
    """A shared book: one may write it, the other only read."""

    CODE = """if True:
        import json, os, sys
        from pathlib import Path
        from pinch.bench.opening import open_book
        os.setgroups([])
        os.setgid(65534)
        os.setuid(65534)  # only now: what is imported here cannot be imported by everybody
        book = open_book(Path(sys.argv[1]))
        for line in sys.stdin:
            print(json.dumps([book.read_only, [d.name for d in book.devices()], book.notes]), flush=True)
    """

    def start(self) -> None:
        self.folder.chmod(0o755)
        command = [sys.executable, "-c", self.CODE, str(self.path)]
        self.reader = self.enterContext(
            subprocess.Popen(command, text=True, stdin=subprocess.PIPE, stdout=subprocess.PIPE)
        )

    def told(self) -> object:
        assert self.reader.stdin is not None and self.reader.stdout is not None
        self.reader.stdin.write("look\n")
        self.reader.stdin.flush()
        return json.loads(self.reader.stdout.readline())

    def test_what_the_writer_has_not_yet_folded_in_is_seen(self) -> None:
        self.book.save(Device(name="Limpet"))  # is in the log beside the book
        self.start()
        self.assertEqual(self.told(), [True, ["Sandpiper 14", "Limpet"], []])

    def test_a_writer_that_comes_later_is_seen_too(self) -> None:
        self.book.close()
        self.start()
        self.assertEqual(self.told(), [True, ["Sandpiper 14"], []])
        with contextlib.closing(open_book(self.path)) as writer:
            writer.save(Device(name="Limpet"))
            self.assertEqual(self.told(), [True, ["Sandpiper 14", "Limpet"], []])
        self.assertEqual(self.told(), [True, ["Sandpiper 14", "Limpet"], []])

    def test_an_old_version_is_open_read_only(self) -> None:
        self.book.close()
        with contextlib.closing(sqlite3.connect(self.path)) as raw:
            raw.executescript(";".join(TO_6))
            raw.executescript("PRAGMA user_version = 6; PRAGMA journal_mode = DELETE")
        self.start()
        words = "a.pinch is of version 6 and is open read-only, as it cannot be written."
        self.assertEqual(self.told(), [True, ["Sandpiper 14"], [words]])


class TestWholeOrNotAtAll(BookCase):
    def test_a_new_book_that_fails_is_not_there(self) -> None:
        target = self.folder / "new.pinch"
        with self.assertRaises(ZeroDivisionError), new_book(target) as book:
            book.save(Device(name="Limpet"))
            self.assertFalse(target.exists())
            raise ZeroDivisionError
        self.assertEqual([p.name for p in self.folder.iterdir() if "new" in p.name], [])

    def test_what_a_killed_process_left_is_gone_at_the_next(self) -> None:
        left = self.folder / f".new.pinch.{DEAD}-0.part"
        living = self.folder / f".new.pinch.{this_process().partition('-')[0]}-{os.getppid()}-0.part"
        for path in (left, left.with_name(left.name + "-journal"), living):
            path.write_bytes(b"half")
        create_book(self.folder / "new.pinch").close()
        self.assertEqual(sorted(p.name for p in self.folder.glob(".*")), [living.name])

    def test_an_empty_file_is_an_unfinished_book(self) -> None:
        empty, bare = self.folder / "e.pinch", self.folder / "b.pinch"
        empty.touch()
        with contextlib.closing(sqlite3.connect(bare)) as raw:
            raw.executescript("CREATE TABLE a (b); DROP TABLE a")
        for path in (empty, bare):
            with self.assertRaisesRegex(UnfinishedBookError, "can be removed"):
                open_book(path)

    def test_files_have_the_mode_that_the_user_wants(self) -> None:
        before = os.umask(0o077)
        try:
            with staged(self.folder / "own") as part:
                part.write_text("x")
        finally:
            os.umask(before)
        self.assertEqual((self.folder / "own").stat().st_mode & 0o777, 0o600)

    def test_a_link_is_replaced_and_not_followed(self) -> None:
        target, link = self.folder / "secret", self.folder / "link"
        target.write_text("kept")
        link.symlink_to(target)
        with staged(link) as part:
            part.write_text("new")
        self.assertEqual((target.read_text(), link.read_text(), link.is_symlink()), ("kept", "new", False))

    def test_scratch_folders_are_private_and_those_of_the_dead_are_gone(self) -> None:
        with unittest.mock.patch.object(tempfile, "tempdir", str(self.folder)):
            dead, foreign = self.folder / f"pinch-{DEAD}-x", self.folder / "pinch-of-somebody"
            for folder in (dead, foreign):
                folder.mkdir()
            with scratch_folder() as mine:
                self.assertEqual(mine.stat().st_mode & 0o777, 0o700)
                self.assertEqual((dead.exists(), foreign.exists()), (False, True))
            self.assertFalse(mine.exists())
            self.assertTrue(make_scratch_folder().exists())


class TestGone(BookCase):
    def test_nothing_is_written_into_a_deleted_or_replaced_book(self) -> None:
        copy = self.folder / "copy.pinch"
        self.book.copy_to(copy)
        self.book.save(Device(name="Gannet"))  # stands in the log beside the book
        copy.replace(self.path)
        with self.assertRaisesRegex(BookGoneError, "deleted or replaced"):
            self.book.save(Device(name="Limpet"))
        with contextlib.closing(open_book(self.path)) as other:
            self.assertEqual([d.name for d in other.devices()], ["Sandpiper 14"], "nothing of ours comes into it")
        self.path.unlink()
        with self.assertRaises(BookGoneError):
            self.book.save(Device(name="Limpet"))
        self.book.copy_to(self.path)  # what is open can be kept, also in its own place
        with contextlib.closing(open_book(self.path)) as again:
            self.assertEqual([d.name for d in again.devices()], ["Sandpiper 14", "Gannet"])


class TestOneChange(BookCase):
    def test_a_change_within_another_is_kept_or_lost_with_it(self) -> None:
        with self.assertRaises(ZeroDivisionError), self.book.change():
            self.add(made.two_level())
            raise ZeroDivisionError
        self.assertEqual(self.book.runs(), [])
        with self.book.change():
            self.add(made.two_level())
        self.assertEqual(len(self.book.runs()), 1)

    def test_a_long_log_is_kept_in_pieces(self) -> None:
        run = made.new_run(self.book, *self.cell)
        stream = runlogs.add_stream(self.book, run.id, ["cpu.power"])
        runlogs.append(self.book, stream, np.arange(10_000.0), [np.ones(10_000)])
        self.assertEqual(runlogs.log_size(self.book, run.id), (3, 10_000))
