"""Texts are put into another language whole, with its numbers and days, and a broken catalogue breaks nothing."""

import contextlib
import gettext
import json
import os
import runpy
import subprocess
import sys
import tempfile
import unittest
from collections.abc import Iterator
from datetime import datetime
from pathlib import Path
from unittest import mock

from babel import Locale
from babel.dates import format_date
from babel.messages.catalog import Catalog
from babel.messages.mofile import write_mo
from babel.numbers import format_decimal
from PyQt6.QtCore import QLocale

from pinch import language
from pinch.core.printing import counted, in_column, listed, ordinal, plain, signed
from pinch.core.verdict import Answer
from pinch.language import day_words, moment, numeral, tr, trn
from pinch.ui.preferences import LANGUAGE, Preferences
from pinch.ui.settings_dialog import SettingsDialog
from pinch.ui.speaking import catalogues, speak_as_set, trouble
from tests.pseudo import SIGNS, write_pseudo
from tests.waiting import PATIENCE_S
from tests.window_case import WindowCase, demo_book

ROOT = Path(__file__).resolve().parents[1]


def catalogue(path: Path, name: str, texts: dict[str, str | tuple[str, ...]], **signs: str) -> Path:
    """A catalogue with these texts; a pair as key is something counted."""
    made = Catalog(locale=name)
    for text, said in texts.items():
        made.add(tuple(text.split("|")) if "|" in text else text, said)
    for context, said in signs.items():
        sign = {"decimal": (language.DECIMAL, "."), "thousands": (language.THOUSANDS, ",")}[context]
        made.add(sign[1], said, context=sign[0])
    with path.open("wb") as file:
        write_mo(file, made)
    return path


class TestWords(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    @contextlib.contextmanager
    def speaking(self, path: Path) -> Iterator[None]:
        with mock.patch.object(language, "_spoken", language._language_of(str(path))):
            yield

    def test_values_are_put_in_by_name_in_the_order_of_the_language(self) -> None:
        texts: dict[str, str | tuple[str, ...]] = {
            "{name} holds {watts:,.1f} W": "{watts:,.1f} W hält {name}",
            "faster": "schneller",
            "{by} % {answer}": "um {by} % {answer}",
        }
        with self.speaking(catalogue(self.folder / "de.mo", "de", texts, decimal=",", thousands=".")):
            self.assertEqual(
                tr("{name} holds {watts:,.1f} W", name="Faster 5.5", watts=1234.56), "1.234,6 W hält Faster 5.5"
            )
            self.assertEqual(tr("{by} % {answer}", by=plain(2.5), answer=Answer.FASTER), "um 2,5 % schneller")
            self.assertEqual(tr("nobody translated {this:.1f}", this=1.5), "nobody translated 1,5")
            self.assertEqual((signed(-1234.5, 5), plain(float("nan"))), ("−1.234,5", "–"))
            self.assertEqual(in_column([9.5, None, 14600.0], ",.1f"), ["9,5", "", "14.600,0"])

    def test_plurals_are_those_of_the_language(self) -> None:
        """The plural rules of CLDR by Babel: Polish has three forms (1; 2 to 4; 5 and more, 12 to 14)."""
        texts: dict[str, str | tuple[str, ...]] = {
            "{n:,} run|{n:,} runs": ("{n:,} bieg", "{n:,} biegi", "{n:,} biegów")
        }
        with self.speaking(catalogue(self.folder / "pl.mo", "pl", texts)):
            said = [counted(n, "run").split()[1] for n in (1, 2, 5, 12, 22, 25)]
        self.assertEqual(said, ["bieg", "biegi", "biegów", "biegów", "biegi", "biegów"])
        self.assertEqual((counted(1, "run"), trn("{n} of {all}", "{n} from {all}", 2, all=3)), ("1 run", "2 from 3"))

    def test_numbers_and_days_are_written_as_unicode_says_they_are(self) -> None:
        """Unicode's CLDR, by Babel: signs of numbers and the short names of months."""
        path = self.folder / "de.mo"
        write_pseudo("de", path)
        with self.speaking(path):
            for value in (0.5, 1234.5, 1234567.25):
                self.assertEqual(numeral(value, ",.2f").rstrip("0"), format_decimal(value, locale="de").rstrip("0"))
            when = datetime(2026, 9, 4, 7, 30)
            self.assertEqual((day_words("2026-09-04"), day_words(when)), ("04.09.2026", "04.09.2026"))
            self.assertEqual(day_words("2026-09-04"), format_date(when, "dd.MM.yyyy", locale="de"))
            self.assertEqual((day_words("noted"), moment(when, "%Y-%m-%d %H:%M")), ("noted", "04.09.2026 07:30"))
        self.assertEqual(moment(when, "%a %-d %b %Y"), format_date(when, "E d MMM yyyy", locale="en"))
        for name, signs in SIGNS.items():
            self.assertEqual(signs[language.DIRECTION], Locale(name).text_direction)

    def test_a_broken_catalogue_gives_way_to_english(self) -> None:
        texts: dict[str, str | tuple[str, ...]] = {
            "one {a}": "{b}",
            "two {a}": "{a.__class__}",
            "three {a}": "{a[0]}",
            "four {a}": "{a:zz}",
            "five {a}": "{",
        }
        with self.speaking(catalogue(self.folder / "xx.mo", "de", texts)):
            for text in texts:
                self.assertEqual(tr(text, a="so"), text.replace("{a}", "so"))
        (self.folder / "torn.mo").write_bytes(b"\xde\x12\x04\x95 and no more")
        for name in ("torn.mo", "nowhere.mo"):
            self.assertIs(language._language_of(str(self.folder / name)), language.ENGLISH)
        with mock.patch.dict(os.environ, {language.VARIABLE: str(self.folder / "torn.mo")}):
            self.assertIn("torn.mo: it is no catalogue", trouble()[0])
        self.assertEqual(trouble(), ())

    def test_english_stays_as_it_is_written(self) -> None:
        self.assertIs(type(language.spoken().words), gettext.NullTranslations)
        self.assertEqual(tr("{a!r} of {b:>4}", a="x", b=1), "'x' of    1")
        self.assertEqual(
            [ordinal(n) for n in (1, 11, 12, 21, 22, 23, 112)],
            ["first", "11th", "12th", "21st", "22nd", "23rd", "112th"],
        )
        self.assertEqual((listed([]), listed(["a"]), listed(["a", "b", "c"])), ("", "a", "a, b and c"))

    def test_the_template_is_of_today(self) -> None:
        with mock.patch.object(sys, "argv", ["texts", "--check"]), self.assertRaises(SystemExit) as ended:
            runpy.run_path(str(ROOT / "scripts" / "texts"), run_name="__main__")
        self.assertEqual(ended.exception.code, 0, "run scripts/texts")


class TestChoice(WindowCase):
    def test_the_language_of_the_desktop_is_spoken_where_there_is_a_catalogue(self) -> None:
        folder = self.folder / "languages"
        folder.mkdir()
        for name in ("de", "pt_BR"):
            catalogue(folder / f"{name}.mo", name, {"Close": "Zu"})
        told = Preferences()
        with (
            mock.patch("pinch.ui.speaking.folder", return_value=folder),
            mock.patch("pinch.ui.speaking.speak") as spoken,
        ):
            self.assertEqual(list(catalogues()), ["de", "pt_BR"])
            for chosen, desktop, wanted in (
                ("desktop", ["fr-FR", "de-DE", "de"], "de.mo"),
                ("desktop", ["en-GB", "de"], ""),
                ("desktop", ["pt-BR"], "pt_BR.mo"),
                ("desktop", ["fr"], ""),
                ("de", ["fr"], "de.mo"),
                ("en", ["de"], ""),
                ("gone", ["de"], ""),
            ):
                told.set(LANGUAGE, chosen)
                with mock.patch.object(QLocale, "uiLanguages", lambda _, desktop=desktop: desktop):
                    speak_as_set(told)
                self.assertEqual(Path(spoken.call_args[0][0]).name, wanted, (chosen, desktop))
            with mock.patch.dict(os.environ, {language.VARIABLE: "of my own.mo"}):
                spoken.reset_mock()
                speak_as_set(told)
                spoken.assert_not_called()
            dialog = SettingsDialog(told, self.window)
            words = [dialog.language.itemText(n) for n in range(dialog.language.count())]
            self.assertEqual(words[2:], ["Deutsch", "português (Brasil)"])
            dialog.language.setCurrentIndex(2)
            dialog.accept()
        self.assertEqual(told.get(LANGUAGE), "de")


class TestWindow(unittest.TestCase):
    """Nothing is cut off where words are longer, and nothing is left in English or with foreign signs."""

    def gone_through(self, name: str) -> dict[str, list[str]]:
        demo_book()
        with tempfile.TemporaryDirectory() as folder:
            path = Path(folder) / f"{name}.mo"
            write_pseudo(name, path)
            done = subprocess.run(
                [sys.executable, "-m", "tests.in_language"],
                cwd=ROOT,
                env=os.environ | {language.VARIABLE: str(path), "PINCH_TESTS": str(demo_book().parent)},
                capture_output=True,
                text=True,
                timeout=PATIENCE_S,
            )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        found: dict[str, list[str]] = json.loads(done.stdout.splitlines()[-1])
        return found

    def test_words_a_third_longer_with_the_signs_of_german(self) -> None:
        found = self.gone_through("de")
        self.assertEqual((found["signs"], found["cut"], found["rtl"]), ([], [], False))

    def test_all_words_are_those_of_the_catalogue_from_right_to_left(self) -> None:
        found = self.gone_through("he")
        self.assertEqual((found["left"], found["cut"], found["rtl"]), ([], [], True))
