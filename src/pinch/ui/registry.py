"""The pages of the window in the order of the work, and its parts without a page. A new one is a folder and a line
here."""

from collections.abc import Callable
from typing import Any

from pinch.ui.bench.page import BenchPage
from pinch.ui.book_actions import BookActions
from pinch.ui.compare.page import ComparePage
from pinch.ui.judge.page import JudgePage
from pinch.ui.logs.actions import LogActions
from pinch.ui.modes.page import ModesPage
from pinch.ui.page_protocol import Page, Shell, WindowPart
from pinch.ui.plan.page import PlanPage
from pinch.ui.program_actions import ProgramActions
from pinch.ui.publish.page import PublishPage
from pinch.ui.run.page import RunPage
from pinch.ui.scale.page import ScalePage

PAGES: tuple[type[Page[Any]], ...] = (
    BenchPage,
    PlanPage,
    RunPage,
    JudgePage,
    ScalePage,
    ComparePage,
    ModesPage,
    PublishPage,
)
PARTS: tuple[Callable[[Shell], WindowPart], ...] = (BookActions, LogActions, ProgramActions)
