"""A book may come from anybody: nothing of it runs or is opened before somebody here has agreed to its very words."""

import contextlib
import os
from pathlib import Path
from unittest import mock

from PyQt6.QtWidgets import QMessageBox

from pinch.bench.cards import Report
from pinch.bench.opening import open_book
from pinch.bench.readings import Instrument
from pinch.bench.records import Device, Runner, Workload
from pinch.runs.consent import ConsentError, Wish, agree, check_consent, lines_of, refused, wishes_of
from pinch.runs.devices import add_this_computer
from pinch.ui.dialogs import ConsentDialog
from pinch.ui.run.page import RunPage
from tests.in_folder import CommandCase, InFolder
from tests.window_case import WindowCase


class TestConsent(InFolder):
    def setUp(self) -> None:
        super().setUp()
        self.enterContext(mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": str(self.folder / "config")}))
        self.book = self.folder / "a.pinch"

    def test_it_is_of_one_book_one_computer_and_the_very_words(self) -> None:
        wishes = wishes_of(Device(name="Gannet", reach="ssh bench python3 -"))
        self.assertEqual(refused(self.book, wishes), wishes)
        agree(self.book, wishes)
        check_consent(self.book, wishes)
        renamed = wishes_of(Device(name="Limpet", reach="ssh bench python3 -"))
        check_consent(self.book, renamed)
        for other, wanted in (
            (self.folder / "b.pinch", wishes),
            (self.book, wishes_of(Device(name="Gannet", reach="ssh bench python3 - ; rm -r ~"))),
        ):
            with self.assertRaises(ConsentError):
                check_consent(other, wanted)
        with mock.patch.dict(os.environ, {"XDG_CONFIG_HOME": str(self.folder / "elsewhere")}):
            self.assertEqual(refused(self.book, wishes), wishes)

    def test_every_record_says_what_it_wants(self) -> None:
        work = Workload(name="W", runner=Runner.COMMAND, command="./go", folder="/srv/x", frame_log="/tmp/*.csv")
        meter = Instrument(name="M", profile="ac-power")
        for record, words in (
            (work, ["./go (in /srv/x)", "/tmp/*.csv"]),
            (work.model_copy(update={"runner": Runner.HAND}), ["/tmp/*.csv"]),
            (meter.model_copy(update={"address": "TCPIP::10.0.0.1::1::SOCKET"}), ["TCPIP::10.0.0.1::1::SOCKET"]),
            (meter.model_copy(update={"address": "rig"}), []),
            (meter.model_copy(update={"address": "sim:ASRL1::INSTR"}), []),
            (Report(template="/home/x/t.html"), ["/home/x/t.html"]),
            (Device(name="D"), []),
        ):
            self.assertEqual([wish.words for wish in wishes_of(record)], words)

    def test_what_hides_is_shown(self) -> None:
        line = lines_of([Wish("run W with the command", "true\u202e\u0000\n; rm -r ~")])[0]
        self.assertEqual(line, "run W with the command: true\\u202e\\u0000\\u000a; rm -r ~")


class TestCommandLine(CommandCase):
    def test_a_command_of_the_book_is_refused_until_it_is_agreed_to(self) -> None:
        path, sign = self.folder / "a.pinch", self.folder / "it ran"
        words = ("record", "--book", path, "--setting", "Default", "--workload", "W", "--idle", "0")
        self.run_command("records", path, "--add", self.document(sign))
        status, _, told = self.run_command(*words)
        self.assertEqual(status, 2)
        self.assertIn(f"run W with the command: touch '{sign}'", told)
        self.assertIn("--agree", told)
        self.assertFalse(sign.exists())
        self.assertEqual(self.run_command(*words, "--agree")[0], 0)
        self.assertTrue(sign.exists())
        sign.unlink()
        self.assertEqual(self.run_command(*words)[0], 0, "it is asked once")
        self.assertTrue(sign.exists())

    def document(self, sign: Path) -> Path:
        path = self.folder / "records.json"
        path.write_text(
            '{"pinch": "exchange", "version": 1, "workloads": [{"name": "W", "runner": "a command", '
            f'"command": "touch \'{sign}\'"}}]}}'
        )
        return path


class TestInTheWindow(WindowCase):
    """A hostile book is opened and looked at."""

    def setUp(self) -> None:
        super().setUp()
        self.sign = self.session.book.path.with_name("it ran")
        device = add_this_computer(self.session.book)
        self.session.book.save(device.model_copy(update={"reach": f"touch '{self.sign}'"}))
        self.session.refresh()
        self.session.choose(device.id, self.session.settings(device.id)[0].id, None, None)

    def test_looking_at_the_run_page_runs_nothing_and_says_so(self) -> None:
        page = self.window.page(RunPage)
        self.window.show_page(page)
        self.wait_for(lambda: page.view.preflight.checks)
        self.assertIn(
            "nobody has agreed here to what the book wants", " ".join(c.evidence for c in page.view.preflight.checks)
        )
        self.assertFalse(self.sign.exists())

    def test_checking_again_asks_and_a_no_runs_nothing(self) -> None:
        page = self.window.page(RunPage)
        self.window.show_page(page)
        shown: list[str] = []

        def answer(dialog: ConsentDialog) -> int:
            shown.append(dialog.text.toPlainText())
            return 0

        with mock.patch.object(ConsentDialog, "exec", answer):
            page.checking.look_again()
        self.wait_for(lambda: page.view.preflight.checks)
        self.assertEqual(len(shown), 1)
        self.assertIn(f"touch '{self.sign}'", shown[0])
        self.assertFalse(self.sign.exists())
        with mock.patch.object(ConsentDialog, "exec", lambda dialog: 1):
            page.checking.look_again()
        self.wait_for(self.sign.exists)

    def test_what_is_typed_here_is_agreed_to_by_typing_it(self) -> None:
        from pinch.ui.bench.page import BenchPage

        bench = self.window.page(BenchPage)
        self.window.show_page(bench)
        bench.control.choose(self.session.subject.device_id, Device)
        bench.control.enter("reach", "true")
        with contextlib.closing(open_book(self.session.book.path)) as book:
            device = next(d for d in book.devices() if d.reach)
        self.assertEqual(device.reach, "true")
        check_consent(self.session.book.path, wishes_of(device))


class TestUnfinishedBook(WindowCase):
    def test_it_is_offered_for_removal(self) -> None:
        from pinch.ui.book_actions import BookActions

        left = self.session.book.path.with_name("left.pinch")
        left.touch()
        with mock.patch.object(QMessageBox, "question", return_value=QMessageBox.StandardButton.No):
            self.window.part(BookActions).open_or_offer(left)
        self.assertTrue(left.exists())
        with mock.patch.object(QMessageBox, "question", return_value=QMessageBox.StandardButton.Yes):
            self.window.part(BookActions).open_or_offer(left)
        self.assertFalse(left.exists())
