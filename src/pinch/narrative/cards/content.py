"""What a card comes to."""

from collections.abc import Sequence

from msgspec import Struct

from pinch.analysis.comparing import CompareResult
from pinch.analysis.curves import ScaleResult
from pinch.analysis.plain_tables import Table
from pinch.analysis.points import RunPoint
from pinch.bench.cards import Card
from pinch.bench.records import Result
from pinch.charts.face import Drawn, Face
from pinch.narrative.claims import Claim


class Found(Struct, frozen=True):
    """What a query came to, before it is dressed as a card: the sentence, the chart, its data as a table, the runs
    and typed results behind it, what is said of its axes and schools, and the results that can be questioned."""

    finding: str
    chart: Drawn
    table: Table
    runs: Sequence[RunPoint] = ()
    method: Sequence[str] = ()
    compared: Sequence[CompareResult] = ()
    scaled: ScaleResult | None = None
    typed: Sequence[Result] = ()


class CardContent(Struct, frozen=True):
    """A card with what it comes to now: the composed finding and the picture; where nothing can be shown, `found` and
    `face` are None and `problem` says why. `notes` stand below it: those that write themselves, with what
    they rest on, are `claims`. `missing` are signs that no shipped font has."""

    card: Card
    found: Found | None = None
    face: Face | None = None
    notes: tuple[str, ...] = ()
    claims: tuple[Claim, ...] = ()
    missing: str = ""
    problem: str = ""

    @property
    def composed(self) -> str:
        """The sentence that the figures make."""
        return self.found.finding if self.found else ""

    @property
    def finding(self) -> str:
        """The sentence that is published."""
        return self.card.finding or self.composed

    @property
    def edited(self) -> bool:
        """Whether somebody wrote the sentence."""
        return bool(self.card.finding) and self.card.finding != self.composed

    @property
    def moved(self) -> bool:
        """Whether the composed sentence is another than the one that was agreed to last."""
        return bool(self.card.seen) and self.found is not None and self.card.seen != self.composed
