"""What a report says, as plain data: sections with paragraphs, figures, tables and lists. How it is set is the business
of the templates."""

from msgspec import Struct, field

from pinch.charts.face import Drawn
from pinch.charts.table_chart import TableChart
from pinch.language import tr
from pinch.narrative.claims import Claim


class StoryFigure(Struct, frozen=True):
    """A chart with its question, what was found, and the notes below it; `number` counts through the report. What was
    found is the first of its `claims`, then come the notes that wrote themselves, last what the chart shows."""

    number: int
    title: str
    finding: str
    chart: Drawn
    notes: tuple[str, ...]
    alternative: str
    edited: bool = False
    claims: tuple[Claim, ...] = ()

    @property
    def table(self) -> TableChart | None:
        """The chart as a table, where it is one: a page sets it as text."""
        return self.chart if isinstance(self.chart, TableChart) else None

    @property
    def key(self) -> str:
        """Its identifier on a page."""
        return f"figure-{self.number}"


class StoryPhoto(Struct, frozen=True):
    """A photo or screenshot: its number in the book, its caption and what it is of, and the JPEG as base64."""

    number: int
    caption: str
    of: str
    jpeg: str
    width: int
    height: int

    @property
    def alternative(self) -> str:
        """What it shows, for who cannot see it, as far as somebody said."""
        return f"{self.caption or tr('A picture without a caption')}, {self.of}"


class StorySection(Struct, frozen=True):
    """A section: its heading, paragraphs and points of a list, by hand or of cards (`written`, `items`) and as claims
    (`claims`, `listed`), tables, figures and photos."""

    key: str
    title: str
    written: tuple[str, ...] = ()
    items: tuple[str, ...] = ()
    claims: tuple[Claim, ...] = ()
    listed: tuple[Claim, ...] = ()
    tables: tuple[TableChart, ...] = ()
    figures: tuple[StoryFigure, ...] = ()
    photos: tuple[StoryPhoto, ...] = ()

    @property
    def paragraphs(self) -> tuple[str, ...]:
        """All paragraphs, claims first."""
        return (*(c.words for c in self.claims), *self.written)

    @property
    def points(self) -> tuple[str, ...]:
        """All points of the list, claims first."""
        return (*(c.words for c in self.listed), *self.items)

    @property
    def is_empty(self) -> bool:
        """Whether there is nothing to say."""
        return not (self.paragraphs or self.points or self.tables or self.figures or self.photos)


class Story(Struct, frozen=True):
    """A report: its words, sections and what it rests on. `day` is the only part that the same book may give anew."""

    title: str
    standfirst: str
    publication: str
    author: str
    edition: str
    day: str
    licence: tuple[str, str]
    sections: tuple[StorySection, ...]
    version: str
    fingerprint: str
    left_out: tuple[str, ...] = field(default=())

    @property
    def figures(self) -> tuple[StoryFigure, ...]:
        """All figures in their order."""
        return tuple(f for section in self.sections for f in section.figures)

    @property
    def photos(self) -> tuple[StoryPhoto, ...]:
        """All photos in their order."""
        return tuple(photo for section in self.sections for photo in section.photos)

    @property
    def claims(self) -> tuple[tuple[str, Claim], ...]:
        """All claims in their order, each with the key of its section; those of figures last."""
        own = [(s.key, claim) for s in self.sections for claim in (*s.claims, *s.listed)]
        return (*own, *((s.key, claim) for s in self.sections for f in s.figures for claim in f.claims))
