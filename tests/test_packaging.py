"""What ships beside the code: metadata, fonts with licences, pinned packages, documents whose links hold."""

import argparse
import configparser
import hashlib
import json
import os
import re
import shlex
import shutil
import subprocess
import sys
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path
from unittest import mock

from pinch import __version__
from pinch.charts.theme import FONTS
from pinch.cli.main import COMMANDS, main, parser_of
from pinch.core.errors import PinchError
from pinch.runs.desktop_entry import install
from pinch.sources.probe.bundle import installed_program, program
from tests.in_folder import InFolder
from tests.waiting import PATIENCE_S

ROOT = Path(__file__).parent.parent


class TestPackaging(unittest.TestCase):
    def test_desktop_entry_starts_a_command_that_exists(self) -> None:
        entry = configparser.ConfigParser(interpolation=None)
        entry.optionxform = str  # type: ignore[assignment,method-assign]
        entry.read(ROOT / "packaging" / "org.pinch.Pinch.desktop")
        words = entry["Desktop Entry"]["Exec"].split()
        self.assertEqual((words[0], words[1] in COMMANDS), ("pinch", True))
        self.assertTrue((ROOT / "packaging" / f"{entry['Desktop Entry']['Icon']}.svg").exists())

    def test_metadata_names_this_version(self) -> None:
        tree = ET.parse(ROOT / "packaging" / "org.pinch.Pinch.metainfo.xml")
        release = tree.find("releases/release")
        assert release is not None
        self.assertEqual(release.get("version"), __version__)
        self.assertIn(f'version = "{__version__}"', (ROOT / "pyproject.toml").read_text())
        self.assertIn(f"## {__version__} — {release.get('date')}", (ROOT / "CHANGELOG.md").read_text())

    def test_every_font_has_its_licence_beside_it(self) -> None:
        for font in FONTS.glob("*.otf"):
            licence = FONTS / f"{font.name.split('-')[0]}-LICENSE.txt"
            self.assertIn("SIL OPEN FONT LICENSE", licence.read_text(encoding="utf-8"))

    def test_every_package_is_pinned_with_the_hash_of_each_file(self) -> None:
        for name in ("requirements.lock", "requirements-dev.lock"):
            text = (ROOT / name).read_text()
            packages = re.findall(r"^[A-Za-z].*", text, re.M)
            for line in packages:
                self.assertRegex(line, r"^[A-Za-z0-9_.-]+==[0-9][A-Za-z0-9.]*( ; .+)? \\$")
            self.assertEqual(len(re.findall(r"^[A-Za-z].*\n    --hash=sha256:[0-9a-f]{64}", text, re.M)), len(packages))
        self.assertIn('requires-python = ">=3.11"\n', (ROOT / "pyproject.toml").read_text())

    def test_links_of_the_documents_hold(self) -> None:
        for document in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
            for link in re.findall(r"\]\(([^)#:]+)\)", document.read_text(encoding="utf-8")):
                self.assertTrue((document.parent / link).exists(), f"{document.name}: {link}")

    def test_documents_name_every_command(self) -> None:
        formats = (ROOT / "docs" / "formats.md").read_text(encoding="utf-8")
        for command in COMMANDS:
            self.assertIn(f"`pinch {command}", formats)


class TestDesktop(InFolder):
    def test_installed_then_removed_nothing_is_left(self) -> None:
        """desktop-file-validate and the shells read what is written, where they are there."""
        with mock.patch("platformdirs.user_data_path", return_value=self.folder):
            for words in (["--install"], ["--install"]):
                self.assertEqual(main(["desktop", *words]), 0)
            entry = self.folder / "applications/org.pinch.Pinch.desktop"
            started = shlex.split(next(w for w in entry.read_text().splitlines() if w.startswith("Exec="))[5:])
            self.assertTrue(Path(started[0]).is_file())
            self.assertEqual(started[-2:], ["open", "%f"])
            for tool, path in (
                ("desktop-file-validate", entry),
                ("bash", self.folder / "bash-completion/completions/pinch"),
                ("zsh", self.folder / "zsh/site-functions/_pinch"),
            ):
                if shutil.which(tool):
                    words = [tool, *([] if tool.endswith("validate") else ["-n"]), str(path)]
                    done = subprocess.run(words, capture_output=True, text=True)
                    self.assertEqual((done.returncode, done.stdout, done.stderr), (0, "", ""), tool)
            ET.parse(self.folder / "mime/packages/org.pinch.Pinch.xml")
            self.assertEqual(main(["desktop", "--remove"]), 0)
        self.assertEqual([p for p in self.folder.rglob("*pinch*") if p.is_file()], [])
        (self.folder / "man").rename(self.folder / "other")
        (self.folder / "man").write_text("")
        with self.assertRaisesRegex(PinchError, "man1: it cannot be made"):
            install(self.folder, ["pinch"])

    def test_the_manual_page_and_completions_know_every_option(self) -> None:
        """Made from the parser by `scripts/desktop-texts`; an option that came later fails here."""
        texts = {name: (ROOT / "packaging" / name).read_text() for name in ("pinch.1", "pinch.bash", "pinch.zsh")}
        (commands,) = (a for a in parser_of(COMMANDS)._actions if isinstance(a, argparse._SubParsersAction))
        for command, parser in commands.choices.items():
            for action in parser._actions:
                for option in (o for o in action.option_strings if o.startswith("--") and o != "--help"):
                    for name, text in texts.items():
                        self.assertIn(option, text.replace("\\-", "-"), f"{command} {option} in {name}")

    def test_the_probe_of_a_package_runs_nothing_that_it_is_told(self) -> None:
        evil = "open('/tmp/pinch-was-here', 'w')\n" + program(["--list", "--root", str(self.folder)])
        words = [sys.executable, "-I", "-c", installed_program()]
        done = subprocess.run(words, input=evil, capture_output=True, text=True, timeout=PATIENCE_S)
        self.assertEqual(json.loads(done.stdout)["refused"], [])
        self.assertFalse(Path("/tmp/pinch-was-here").exists())


class TestSetUp(InFolder):
    """`scripts/setup` on machines that are pretended: what is installed, and what the distribution has, by stubs."""

    COPIED = ("requirements.lock", "requirements-dev.lock", "pyproject.toml", "scripts/setup")

    def setUp(self) -> None:
        super().setUp()
        self.work = self.folder / "work"
        for folder in (self.folder / "bin", self.work / "scripts", self.work / ".venv"):
            folder.mkdir(parents=True)
        for name in self.COPIED:
            shutil.copy(ROOT / name, self.work / name)

    def run_setup(self, installed: str, offered: str) -> subprocess.CompletedProcess[str]:
        """Run it as a plain user with these packages; returns what it did."""
        tools, has, none = self.folder / "bin", 'echo "  Candidate: 1.0"', 'echo "  Candidate: (none)"'
        stubs = {
            "id": "echo 1000",
            "dpkg-query": f'case " {installed} " in *" $3 "*) echo "install ok installed";; *) exit 1;; esac',
            "apt-cache": f'case " {offered} " in *" $2 "*) {has};; *) {none};; esac',
        }
        for name, line in stubs.items():
            (tools / name).write_text(f"#!/bin/sh\n{line}\n")
            (tools / name).chmod(0o755)
        environment = {**os.environ, "PATH": f"{tools}:{os.environ['PATH']}"}
        command = ["bash", str(self.work / "scripts" / "setup"), "--tests"]
        return subprocess.run(command, capture_output=True, text=True, env=environment, timeout=PATIENCE_S)

    def wanted(self) -> list[str]:
        listed = re.search(r"libraries=\((.*?)\)", (ROOT / "scripts" / "setup").read_text(), re.S)
        assert listed is not None
        return [*listed.group(1).split(), "xvfb", "xauth"]

    def test_a_plain_user_is_told_the_names_that_the_distribution_has(self) -> None:
        for newest, offered in (("libglib2.0-0t64", "libglib2.0-0t64"), ("libglib2.0-0", "libglib2.0-0")):
            done = self.run_setup("", f"{offered} xauth xvfb")
            self.assertEqual(done.returncode, 1)
            line = next(line for line in done.stderr.splitlines() if "apt-get install" in line)
            self.assertEqual([word for word in line.split() if "libglib" in word], [newest])
            self.assertLessEqual({"xauth", "xvfb", "libegl1"}, set(line.split()))

    def test_a_second_start_of_a_plain_user_works_under_either_name(self) -> None:
        for glib in ("libglib2.0-0t64", "libglib2.0-0"):
            there = [name for name in self.wanted() if "/" not in name]
            stamp = hashlib.sha256(b"".join((self.work / name).read_bytes() for name in self.COPIED)).hexdigest()
            (self.work / ".venv" / "installed").write_text(f"{stamp}  - --tests\n")
            done = self.run_setup(" ".join([*there, glib]), "")
            self.assertEqual((done.returncode, done.stdout, done.stderr), (0, "", ""), glib)
