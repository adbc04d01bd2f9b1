"""What ships beside the code: metadata, fonts with licences, pinned packages, documents whose links hold."""

import configparser
import re
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path

from pinch import __version__
from pinch.charts.theme import FONTS
from pinch.cli.main import COMMANDS

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

    def test_every_package_is_pinned(self) -> None:
        for name in ("requirements.lock", "requirements-dev.lock"):
            for line in (ROOT / name).read_text().splitlines():
                self.assertRegex(line, r"^[A-Za-z0-9_.-]+==[0-9][A-Za-z0-9.]*$")

    def test_links_of_the_documents_hold(self) -> None:
        for document in [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]:
            for link in re.findall(r"\]\(([^)#:]+)\)", document.read_text(encoding="utf-8")):
                self.assertTrue((document.parent / link).exists(), f"{document.name}: {link}")

    def test_documents_name_every_command(self) -> None:
        formats = (ROOT / "docs" / "formats.md").read_text(encoding="utf-8")
        for command in COMMANDS:
            self.assertIn(f"`pinch {command}", formats)
