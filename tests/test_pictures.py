"""Pictures of cards: what is drawn is what the spec says, inside safe margins, legible, in every kind of file."""

import errno
import io
import os
import unittest
import xml.etree.ElementTree as ET
from pathlib import Path
from unittest import mock

import numpy as np
import pypdf
from matplotlib.backends.backend_agg import FigureCanvasAgg, RendererAgg
from matplotlib.colors import to_hex
from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties
from matplotlib.text import Text
from msgspec.structs import replace
from PIL import Image

from pinch.charts.bar_chart import Bar, BarChart, BarGroup
from pinch.charts.chart_files import SIZES, bare_svg, face_bytes, write_face
from pinch.charts.draw.bars import most_bars
from pinch.charts.draw.frame import HEIGHT, SAFE, WIDTH, draw_bare, draw_face
from pinch.charts.draw.lettering import NOTE, SMALLEST, missing_signs, set_up, shortened, width, wrapped
from pinch.charts.draw.panels import Words
from pinch.charts.dumbbell_chart import Ball, Dumbbell, DumbbellChart
from pinch.charts.face import Drawn, Face, face_of
from pinch.charts.multiples_chart import GridChart
from pinch.charts.placing import spread
from pinch.charts.runsheet_chart import Block, SheetChart, SheetRow
from pinch.charts.share_chart import ShareChart, share_row
from pinch.charts.slope_chart import SlopeChart, SlopeLine
from pinch.charts.spec import CauseStretch, Chart, Dots, Guide, Line, Panel, Rule, Stretch
from pinch.charts.table_chart import Heading, TableChart
from pinch.charts.theme import DARK, LIGHT
from pinch.core.causes import Cause
from pinch.core.errors import PinchError
from pinch.core.progress import CancelledError
from pinch.publish import pictures
from pinch.publish.pictures import CAPTIONS, Picture, PictureChoice, captions, file_name, write_pictures
from pinch.publish.reveal import plot_edges, write_reveal
from tests.in_folder import InFolder
from tests.test_theme import contrast

LONG = "Sandpiper 14 with the extra long name of a very special edition for shipyards and their suppliers, Full"
HEBREW = "מחשב נייד 14"
X = np.array([0.0, 10.0, 20.0, 30.0])


def timeline() -> Chart:
    t = np.arange(0.0, 300.0)
    strip = (CauseStretch(0, 100, Cause.BURST_POWER), CauseStretch(100, 300, Cause.HEAT))
    panels = (
        Panel("Power", "W", (Line(t, 20 + t / 10),), rules=(Rule(45.0, "claimed 45"),), key="power"),
        Panel("Temperature", "°C", (Line(t, 40 + t / 9),), from_zero=False, key="temp"),
    )
    window = Stretch(150, 300)
    return Chart("Held 35 W", panels, "Time", "min:s", clock=True, strip=strip, window=window, alternative="It held.")


def scatter() -> Chart:
    dots = Dots(X[1:], 2 * X[1:], ("10 W", "20 W", "30 W"), 1, named=True)
    panel = Panel("Score", "fps", (Line(X, X * 1.5, 2, "Limpet"),), dots=(dots,), guides=(Guide(2.0, "2 fps/W"),))
    return Chart("Most", (panel,), "Measured", "W", alternative="In words.")


def shares(name: str = "Limpet, 45 W") -> ShareChart:
    rows = (share_row(name, {"heat": 0.6, "burst-power": 0.1, "sustained-power": 0.3}, "45.0 W, 2 runs"),)
    return ShareChart("Heat", rows, alternative="Heat 60 %.")


def dumbbells() -> DumbbellChart:
    row = Dumbbell("Hush", Ball(3.0, 2.9, 3.1), Ball(2.0, np.nan, np.nan), 0, "slower, −33 %", True)
    return DumbbellChart("Kept", ("mains", "battery"), "Score", "1/s", (row,))


def slopes() -> SlopeChart:
    lines = (
        SlopeLine("Tile", (100.0, 149.0), "+49 %", True),
        SlopeLine("Game", (100.0, 148.0), "+48 % (a tie)", False),
    )
    return SlopeChart("Up", ("old", "new"), lines, "Score, old = 100 %")


def table(rows: int = 4) -> TableChart:
    headings = (Heading("Setting", words=True), Heading("claimed", "W"), Heading("score", "fps"))
    return TableChart("Modes", headings, tuple((f"{n} W", str(n), f"{n * 1.5:g}") for n in range(rows)))


def bars(count: int, name: str = "Limpet") -> BarChart:
    group = BarGroup(
        "Skerry Run, fps",
        tuple(Bar(f"{name} {n}", 50.0 + n, 49 + n, 52 + n, n, n == 0, "faster") for n in range(count)),
    )
    return BarChart("Which", (group,))


def grid() -> GridChart:
    cell = Chart("Skerry Run", (Panel("", "fps", (Line(X, X),)),), "Measured", "W")
    return GridChart("Both", (cell, replace(cell, title="Tile Render")), (("Limpet", 0), ("Gannet", 1)))


def sheet() -> SheetChart:
    blocks = (Block(19.5, 20.5, "run", "Tile Render", 0), Block(20.5, 22.9, "cool", "cool", 1))
    return SheetChart("Sheet", (SheetRow("Wed 25 Nov", blocks), SheetRow("Thu 26 Nov", blocks)), 19.0, 23.0)


ALL: tuple[Drawn, ...] = (
    sheet(),
    *(timeline(), scatter(), shares(), dumbbells(), slopes(), table(), bars(5), grid()),
    *(bars(40), bars(3, LONG), bars(3, HEBREW), shares(LONG), table(60)),
)


def faces() -> list[Face]:
    notes = tuple(f"{'▲△✓'[n % 3]} Limpet, {n} W: it drew {n} % more watts, will it?" for n in range(12))
    finding = "Limpet holds 35 W of the 45 W that its label claims, after a burst of 9 s at 65 W; then heat holds it."
    return [Face("What does it hold?", finding, chart, notes, "In words.") for chart in ALL]


def drawn_texts(figure: Figure) -> list[Text]:
    """All words that are drawn; ticks outside of their axes are not."""
    FigureCanvasAgg(figure).draw()
    outside = set()
    for axes in figure.axes:
        for axis in (axes.xaxis, axes.yaxis):
            low, high = sorted(axis.get_view_interval())
            reach = 1e-9 * (high - low)
            ticks = [t for t in axis.get_major_ticks() if not low - reach <= t.get_loc() <= high + reach]
            outside |= {id(label) for t in ticks for label in (t.label1, t.label2)}
    texts = (t for t in figure.findobj(Text) if id(t) not in outside)
    return [t for t in texts if t.get_text().strip() and t.get_visible()]


class TestFrame(unittest.TestCase):
    def test_nothing_stands_outside_the_safe_margins_or_below_the_smallest_size(self) -> None:
        # SMPTE ST 2046-1: 90 % is safe for titles (from memory).
        for face in faces():
            figure = draw_face(face, LIGHT)
            for text in drawn_texts(figure):
                box = text.get_window_extent()
                name = f"{type(face.chart).__name__}: {text.get_text()}"
                self.assertGreaterEqual(box.x0, SAFE * WIDTH - 2, name)
                self.assertLessEqual(box.x1, (1 - SAFE) * WIDTH + 2, name)
                self.assertGreaterEqual(box.y0, SAFE * HEIGHT - 2, name)
                self.assertLessEqual(box.y1, (1 - SAFE) * HEIGHT + 2, name)
                self.assertGreaterEqual(text.get_fontsize(), SMALLEST, name)

    def test_a_chart_alone_on_a_page_cuts_no_words(self) -> None:
        for chart in ALL:
            figure = draw_bare(chart, LIGHT, 900)
            wide, high = figure.get_size_inches() * 100
            for text in drawn_texts(figure):
                box, name = text.get_window_extent(), f"{type(chart).__name__}: {text.get_text()}"
                self.assertTrue(box.x0 >= -1 and box.x1 <= wide + 1, name)
                self.assertTrue(box.y0 >= -1 and box.y1 <= high + 1, name)

    def test_words_beside_points_keep_off_each_other_and_off_curves(self) -> None:
        axis = Figure(figsize=(8, 4), dpi=100).add_axes((0, 0, 1, 1))
        axis.set_xlim(0, 100)
        axis.set_ylim(0, 100)
        words = Words(axis)
        words.keep_off(np.linspace(50, 90, 50), np.full(50, 46.0))  # right of the place and below it
        sides = ((9.0, -12.0), (9.0, 12.0), (-9.0, -12.0))
        for _ in range(4):
            words.put("a name", (50.0, 50.0), sides, 12, "black", needed=False)
        self.assertEqual([t.xyann for t in axis.texts], [(9.0, 12.0), (-9.0, -12.0), (9.0, -12.0)])
        words.put("needed", (50.0, 50.0), sides, 12, "black")
        self.assertEqual(len(axis.texts), 4, "the fourth name found no room, but what is needed is written")

    def test_all_words_have_the_contrast_of_text(self) -> None:
        # WCAG 2.2, success criterion 1.4.3: 4.5 for text; device colours alone have 3.
        for theme in (LIGHT, DARK):
            for slot in range(len(theme.devices)):
                self.assertGreaterEqual(contrast(theme.letters(slot), theme.paper), 4.5)
            for face in faces()[:8]:
                for text in drawn_texts(draw_face(face, theme)):
                    colour = to_hex(text.get_color())
                    self.assertGreaterEqual(contrast(colour, theme.paper), 4.5, f"{theme.name}: {text.get_text()}")

    def test_words_do_not_cover_words(self) -> None:
        for face in (f for f in faces() if not isinstance(f.chart, Chart | GridChart)):
            boxes = [(t.get_text(), t.get_window_extent()) for t in drawn_texts(draw_face(face, LIGHT))]
            for n, (a, first) in enumerate(boxes):
                for b, second in boxes[n + 1 :]:
                    wide = min(first.x1, second.x1) - max(first.x0, second.x0)
                    high = min(first.y1, second.y1) - max(first.y0, second.y0)
                    self.assertFalse(wide > 3 and high > 5, f"{type(face.chart).__name__}: {a!r} over {b!r}")

    def test_long_words_break_and_names_keep_their_end(self) -> None:
        self.assertEqual(" ".join(wrapped("a b c", 12, 500)), "a b c")
        self.assertTrue(all(width(line, 12) <= 200 for line in wrapped("x" * 400, 12, 200)))
        short = shortened(LONG, 12, 200)
        self.assertTrue(short.startswith("Sandpiper") and short.endswith("Full") and "…" in short)
        self.assertEqual(missing_signs("Ωß ≤ שלום"), "")
        self.assertEqual(missing_signs("漢字"), "漢字")

    def test_letters_take_the_same_room_at_every_size(self) -> None:
        set_up()
        words = "▲ Sandpiper 14, last year's, 25 W: Sandpiper 14, Even drew 12 % more watts  ·  △ Limpet, 28 W"
        for dpi in (100, 150, 300):
            drawn = RendererAgg(1, 1, dpi).get_text_width_height_descent(words, FontProperties(size=NOTE), False)[0]
            self.assertAlmostEqual(drawn * 100 / dpi, width(words, NOTE), delta=0.002 * width(words, NOTE))

    def test_labels_are_spread(self) -> None:
        placed = spread([10.0, 11.0, 12.0, 100.0], 15.0)
        self.assertTrue(np.all(np.diff(placed) >= 14.9))
        self.assertAlmostEqual(float(np.mean(placed[:3])), 11.0, delta=0.1)
        self.assertEqual(placed[3], 100.0)


class TestDrawnData(unittest.TestCase):
    """The file draws the very data of the spec."""

    def axes(self, chart: Drawn) -> Figure:
        return draw_face(face_of(chart), DARK)

    def test_shares(self) -> None:
        (axis,) = self.axes(shares()).axes
        self.assertEqual([round(p.get_width()) for p in axis.patches], [10, 30, 60])
        self.assertEqual([p.get_hatch() for p in axis.patches], ["..", "--", "///"])

    def test_dumbbells(self) -> None:
        (axis,) = self.axes(dumbbells()).axes
        drawn = [list(line.get_xdata()) for line in axis.lines]
        for wanted in ([3.0, 2.0], [3.0], [2.0], [2.9, 3.1]):
            self.assertIn(wanted, drawn)

    def test_names_of_slopes_stand_where_they_end(self) -> None:
        """Each beside its own line, from 100 up to 200 % and down to 50 %."""
        lines = (SlopeLine("Fell", (100.0, 50.0), "−50 %", True), SlopeLine("Rose", (100.0, 200.0), "+100 %", True))
        figure = self.axes(SlopeChart("Up", ("old", "new"), lines, "Score"))
        (axis,) = figure.axes
        for name, value in (("Fell", 50.0), ("Rose", 200.0)):
            box = next(t.get_window_extent() for t in drawn_texts(figure) if name in t.get_text())
            middle = (box.y0 + box.y1) / 2.0
            ends = axis.transData.transform((1.0, value))[1]
            self.assertAlmostEqual(middle, ends, delta=0.05 * axis.bbox.height, msg=name)

    def test_slopes_and_multiples(self) -> None:
        (axis,) = self.axes(slopes()).axes
        self.assertEqual([list(line.get_ydata()) for line in axis.lines[1:]], [[100.0, 149.0], [100.0, 148.0]])
        self.assertEqual([line.get_linestyle() for line in axis.lines[1:]], ["-", ":"])
        for axis in self.axes(grid()).axes:
            np.testing.assert_array_equal(axis.lines[0].get_xydata(), np.column_stack([X, X]))

    def test_guides_go_through_the_origin(self) -> None:
        (axis,) = self.axes(scatter()).axes
        guide = next(line for line in axis.lines if line.get_linewidth() == 1.1)
        (x0, x1), (y0, y1) = guide.get_xdata(), guide.get_ydata()
        self.assertEqual((x0, y0), (0.0, 0.0))
        self.assertAlmostEqual(y1 / x1, 2.0)

    def test_tables_and_what_finds_no_room(self) -> None:
        texts = [t.get_text() for t in drawn_texts(self.axes(table()))]
        for cell in ("Setting", "claimed", "W", "3 W", "4.5"):
            self.assertIn(cell, texts)
        long = " ".join(t.get_text() for t in drawn_texts(self.axes(table(60))))
        self.assertRegex(long, r"Not drawn for want of room, but in the table file: \d+ more rows")

    def test_more_bars_than_can_be_read_are_known(self) -> None:
        self.assertTrue(18 <= most_bars(430.0) <= 26)


class TestFiles(InFolder):
    def test_png_in_three_sizes_with_words(self) -> None:
        face = replace(face_of(scatter()), title="Why?")
        for wide, high in SIZES.values():
            with Image.open(io.BytesIO(face_bytes(face, "png", LIGHT, (wide, high)))) as image:
                self.assertEqual(image.size, (wide, high))
                self.assertEqual(image.info["Description"], "In words.")

    def test_svg_has_text_words_and_its_own_letters(self) -> None:
        face = Face("Why <now>?", "Most & best", scatter(), ("a note",), "In words.")
        svg = face_bytes(face, "svg", LIGHT)
        root = ET.fromstring(svg)
        names = {"s": "http://www.w3.org/2000/svg"}
        texts = ["".join(t.itertext()).strip() for t in root.iterfind(".//s:text", names)]
        for words in ("Why <now>?", "Most & best", "a note", "Score, fps", "2 fps/W", "Limpet"):
            self.assertIn(words, [t.replace("\u00a0", " ") for t in texts])
        self.assertEqual(root.findtext("s:desc", namespaces=names), "In words.")
        self.assertIn('font-family: "Karla"', svg.decode())
        self.assertLess(len(svg), 200_000)
        self.assertEqual(svg, face_bytes(face, "svg", LIGHT))

    def test_pdf_has_its_text(self) -> None:
        face = Face("Why now?", "Most of all", scatter(), ("a note below",), "In words.")
        pdf = face_bytes(face, "pdf", DARK)
        reader = pypdf.PdfReader(io.BytesIO(pdf))
        text = reader.pages[0].extract_text().replace("\u00a0", " ")
        for words in ("Why now?", "Most of all", "a note below", "Score, fps", "Limpet"):
            self.assertIn(words, text)
        assert reader.metadata is not None
        self.assertEqual(reader.metadata.subject, "In words.")
        self.assertEqual(pdf, face_bytes(face, "pdf", DARK))

    def test_charts_of_one_page_share_no_identifier(self) -> None:
        roots = [ET.fromstring(bare_svg(timeline(), LIGHT, 900, key)) for key in "ab"]
        ids = [{e.get("id") for e in root.iter() if e.get("id")} for root in roots]
        self.assertTrue(ids[0] and not ids[0] & ids[1])

    def test_no_permission_and_wrong_endings_are_one_sentence(self) -> None:
        with self.assertRaisesRegex(PinchError, r"\.png, \.svg or \.pdf"):
            write_face(face_of(table()), self.folder / "a.gif")
        denied = PermissionError(errno.EACCES, os.strerror(errno.EACCES), str(self.folder / "a.png"))
        with (
            mock.patch("pinch.charts.chart_files.replace_file", side_effect=denied),
            self.assertRaisesRegex(PinchError, "denied"),
        ):
            write_face(face_of(table()), self.folder / "a.png")


class TestDeckFiles(InFolder):
    def pictures(self, count: int) -> list[Picture]:
        small = face_of(table(2))
        return [Picture(n, f"Größe {n}: was/wie?", small) for n in range(1, count + 1)]

    def test_names_captions_and_what_is_left_out(self) -> None:
        deck = [*self.pictures(1), Picture(2, "Gone", None, "None of its runs is in the book any more.")]
        written = write_pictures(deck, self.folder / "deck", PictureChoice(("png", "svg"), (1280, 720)))
        self.assertEqual(
            sorted(p.name for p in written.paths), ["01-groe-1-was-wie.png", "01-groe-1-was-wie.svg", CAPTIONS]
        )
        self.assertEqual(written.left_out, ("Gone: None of its runs is in the book any more.",))
        self.assertIn("Not written: None of its runs", (self.folder / "deck" / CAPTIONS).read_text())
        self.assertEqual(file_name(Picture(7, "日本", None)), "07-card")
        self.assertIn("Alternative text:", captions(deck))

    def test_a_full_disk_at_card_17_leaves_whole_files_only(self) -> None:
        written = pictures.replace_file
        calls = iter(range(100))

        def full(path: Path, content: bytes) -> None:
            if next(calls) == 16:
                raise OSError(errno.ENOSPC, os.strerror(errno.ENOSPC), str(path))
            written(path, content)

        png = face_bytes(face_of(table(2)), "png", LIGHT)
        with (
            mock.patch.object(pictures, "replace_file", full),
            mock.patch.object(pictures, "face_bytes", return_value=png),
            self.assertRaisesRegex(
                PinchError, "17-gro.*No space left.*16 of 40 pictures are there, each of them whole"
            ),
        ):
            write_pictures(self.pictures(40), self.folder, PictureChoice())
        there = sorted(self.folder.iterdir())
        self.assertEqual(len(there), 16)
        self.assertTrue(all(p.suffix == ".png" and p.read_bytes() == png for p in there))

    def test_cancelling_and_unknown_kinds(self) -> None:
        shares_heard: list[float] = []

        def stop(share: float) -> bool:
            shares_heard.append(share)
            return len(shares_heard) < 3

        with self.assertRaises(CancelledError):
            write_pictures(self.pictures(5), self.folder, PictureChoice(size=(1280, 720)), stop)
        self.assertEqual(len(list(self.folder.glob("*.png"))), 2)
        self.assertEqual(list(self.folder.glob("*.part")), [])
        with self.assertRaisesRegex(PinchError, "not as gif"):
            write_pictures(self.pictures(1), self.folder, PictureChoice(("gif",)))


class TestReveal(InFolder):
    def test_frames_reveal_the_very_picture_from_left_to_right(self) -> None:
        face = face_of(timeline())
        size = (1280, 720)
        paths = write_reveal(face, self.folder / "s", 4, size)
        self.assertEqual([p.name for p in paths], [f"reveal-000{n}.png" for n in (1, 2, 3, 4)])
        with Image.open(io.BytesIO(face_bytes(face, "png", LIGHT, size))) as image:
            whole = np.array(image.convert("RGB"))
        frames = [np.array(Image.open(p)) for p in paths]
        np.testing.assert_array_equal(frames[3], whole)
        left, right = plot_edges(face, LIGHT, size)
        for number in (1, 2, 3):
            edge = round(left + (right - left) * number / 4)
            np.testing.assert_array_equal(frames[number - 1][:, :edge], whole[:, :edge])
            self.assertFalse(np.array_equal(frames[number - 1], whole))
        hidden = frames[0][300:600, round(left + 0.6 * (right - left)) : round(right)]
        blue = np.array([int(LIGHT.devices[0][i : i + 2], 16) for i in (1, 3, 5)])
        self.assertFalse((np.abs(hidden.astype(int) - blue).sum(axis=2) < 20).any(), "the curve is not there yet")

    def test_what_cannot_be_revealed(self) -> None:
        for face, frames, words in ((face_of(table()), 10, "Only a timeline"), (face_of(timeline()), 1, "2 to 3000")):
            with self.assertRaisesRegex(PinchError, words):
                write_reveal(face, self.folder, frames)
        (self.folder / "reveal-0011.png").write_bytes(b"")
        with self.assertRaisesRegex(PinchError, "longer sequence"):
            write_reveal(face_of(timeline()), self.folder, 10)
