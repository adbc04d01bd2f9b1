"""A report as files: HTML that stands alone, PDF, Markdown, and plain HTML for word processors."""

import base64
import json
from collections.abc import Callable, Sequence
from concurrent.futures import Executor
from functools import partial
from pathlib import Path

from markupsafe import Markup
from msgspec import Struct

from pinch.bench.files import not_written, replace_file
from pinch.charts.chart_files import bare_png, bare_svg
from pinch.charts.draw.frame import bare_height
from pinch.charts.draw.spoken import without_spoken
from pinch.charts.series import series_of
from pinch.charts.table_chart import TableChart
from pinch.charts.theme import DARK, LIGHT
from pinch.core.errors import PinchError
from pinch.core.progress import Progress, tell, unheard
from pinch.language import spoken, tr
from pinch.narrative.story import Story, StoryPhoto
from pinch.publish.pages import FONTS_HERE, TEMPLATES, contained_pdf, render, with_fonts
from pinch.publish.plain_markdown import escaped
from pinch.publish.report_colours import by_role, rules, settled

WIDE = 900
"""Width of a chart in the report, px."""
PLAIN_WIDE = 620
"""Width of a picture on a page of a word processor: the column of an A4 page at 96 dpi."""
PICTURES = "pictures"
SCRIPTS = ("sorting.js", "report.js")
HTML, PDF, MARKDOWN, PLAIN = "report.html", "report.pdf", "report.md", "report-plain.html"
FORMS = {"html": HTML, "pdf": PDF, "markdown": MARKDOWN, "plain": PLAIN}


class ReportChoice(Struct, frozen=True):
    """Which forms are written, and the operator's own template of the HTML, where there is one."""

    forms: tuple[str, ...] = tuple(FORMS)
    template: Path | None = None


class BegunReport(Struct, frozen=True):
    """A report whose page is drawn: its files by their names, each made when it is asked for, or begun already."""

    files: Sequence[tuple[str, Callable[[], bytes]]]

    def write(self, folder: Path, progress: Progress = unheard) -> list[Path]:
        """Write the files into a folder, which is made where needed. Every one is complete or absent.

        Raises
        ------
        PinchError : a file cannot be made or written.
        CancelledError : `progress` answered False; what was written stays.
        """
        paths = []
        try:
            folder.mkdir(parents=True, exist_ok=True)
            for number, (name, content) in enumerate(self.files):
                tell(progress, number / len(self.files))
                path = folder / name
                path.parent.mkdir(exist_ok=True)
                replace_file(path, content())
                paths.append(path)
        except OSError as error:
            raise not_written(error, folder) from None
        return paths


def begin_report(story: Story, choice: ReportChoice, beside: Executor, progress: Progress = unheard) -> BegunReport:
    """Draw the page of a report and let `beside` see to its PDF.

    Raises
    ------
    PinchError : an unknown form, or an error in the template.
    CancelledError : `progress` answered False.
    """
    for form in choice.forms:
        if form not in FORMS:
            raise PinchError(tr("A report is written as {forms}, not as {form}.", forms=", ".join(FORMS), form=form))
    page = html(story, choice.template, progress=progress) if {"html", "pdf"} & set(choice.forms) else ""
    made: list[tuple[str, Callable[[], bytes]]] = []
    if "html" in choice.forms:
        made.append((HTML, page.encode))
    if "markdown" in choice.forms:
        made.append((MARKDOWN, lambda: markdown(story).encode()))
    if "plain" in choice.forms:
        made.append((PLAIN, lambda: plain_html(story).encode()))
    if {"markdown", "plain"} & set(choice.forms):
        made += [(name, picture) for name, picture in _pictures(story)]
    if "pdf" in choice.forms:
        paper = settled(without_spoken(page))
        made.append((PDF, beside.submit(contained_pdf, paper, str(choice.template or PDF)).result))
    return BegunReport(made)


def html(story: Story, template: Path | None = None, progress: Progress = unheard) -> str:
    """The report as one page: own styles, fonts and charts, and one short script for readers who want more than to
    read; nothing to fetch.

    Raises
    ------
    DataError : the operator's template has an error.
    """
    charts = {}
    for number, figure in enumerate(story.figures):
        tell(progress, number / len(story.figures))
        if figure.table is None:
            charts[figure.number] = Markup(by_role(bare_svg(figure.chart, LIGHT, WIDE, figure.key)))
    values = {"story": story, "charts": charts, "theme": LIGHT, "script": Markup(_script())}
    values |= {"series": {f.number: series_of(f.chart) for f in story.figures}}
    values |= {"colours": {"light": rules(LIGHT), "dark": rules(DARK)}}
    return with_fonts(render("report.html", template, fonts=FONTS_HERE, **values))


def _script() -> str:
    words = {
        "light": tr("Light page"),
        "dark": tr("Dark page"),
        "hint": tr("Point at a value, or step through them with ← and →."),
        "shown": tr("Shown"),
        "decimal": spoken().decimal,
    }
    told = json.dumps(words, ensure_ascii=False).replace("</", "<\\/")
    return f"const words = {told};\n" + "".join((TEMPLATES / name).read_text(encoding="utf-8") for name in SCRIPTS)


def plain_html(story: Story) -> str:
    """The report without styles, with its charts as pictures beside it: word processors open it as text. They need the
    height of a picture with its width, or take it at its full size."""
    pictures = {f.number: picture_path(story, f.number) for f in story.figures if f.table is None}
    heights = {f.number: round(PLAIN_WIDE / WIDE * bare_height(f.chart, WIDE)) for f in story.figures}
    photos = {photo.number: photo_path(photo) for photo in story.photos}
    files = {"pictures": pictures, "photo_files": photos}
    return render("report-plain.html", None, story=story, wide=PLAIN_WIDE, heights=heights, **files)


def markdown(story: Story) -> str:
    """The report as Markdown, with its charts as pictures beside it."""
    by_line = " · ".join(
        filter(None, (story.publication, story.author, tr("edition {edition}", edition=story.edition), story.day))
    )
    parts = [
        f"# {escaped(story.title)}",
        escaped(by_line),
        f"**{escaped(story.standfirst)}**" if story.standfirst else "",
    ]
    for section in story.sections:
        parts.append(f"## {escaped(section.title)}")
        parts += [escaped(paragraph) for paragraph in section.paragraphs]
        parts += ["\n".join(f"- {escaped(point)}" for point in section.points)] if section.points else []
        parts += [_md_table(table) for table in section.tables]
        for f in section.figures:
            parts += [f"### {f.number}. {escaped(f.title)}", escaped(f.finding)]
            shown = f.table
            picture = f"![{escaped(f.alternative)}]({picture_path(story, f.number)})"
            parts.append(picture if shown is None else _md_table(shown))
            parts += ["\n".join(f"- {escaped(note)}" for note in f.notes)] if f.notes else []
        for photo in section.photos:
            caption = " · ".join(filter(None, (photo.caption, photo.of)))
            parts += [f"![{escaped(photo.alternative)}]({photo_path(photo)})", escaped(caption)]
    parts.append(
        tr(
            "Made with Pinch {version}; data {fingerprint}. {licence}: {address}",
            version=story.version,
            fingerprint=story.fingerprint,
            licence=story.licence[0],
            address=story.licence[1],
        )
    )
    return "\n\n".join(filter(None, parts)) + "\n"


def picture_path(story: Story, number: int) -> str:
    """Where the picture of a figure stands beside the report."""
    return f"{PICTURES}/figure-{number:0{max(2, len(str(len(story.figures))))}d}.png"


def photo_path(photo: StoryPhoto) -> str:
    """Where a photo stands beside the report."""
    return f"{PICTURES}/photo-{photo.number}.jpg"


def _pictures(story: Story) -> list[tuple[str, Callable[[], bytes]]]:
    made: list[tuple[str, Callable[[], bytes]]] = []
    for f in story.figures:
        if f.table is None:
            made.append((picture_path(story, f.number), partial(bare_png, f.chart, LIGHT, WIDE)))
    made += [(photo_path(photo), partial(base64.b64decode, photo.jpeg)) for photo in story.photos]
    return made


def _md_table(table: TableChart) -> str:
    heads = [" ".join(filter(None, (h.name, f"({h.unit})" if h.unit else ""))) for h in table.headings]
    rules = ["---" if h.words or not n else "---:" for n, h in enumerate(table.headings)]
    rows: Sequence[Sequence[str]] = [heads, rules, *table.rows]
    lines = [" | ".join(cell if row is rules else escaped(cell) for cell in row) for row in rows]
    caption = f"{escaped(table.title)}\n\n" if table.title else ""
    return caption + "\n".join(f"| {line} |" for line in lines)
