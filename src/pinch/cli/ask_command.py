"""`pinch ask --book FILE [QUESTION.json]…`: questions of a book, where they stand, and the bench time that answers
them."""

import argparse
from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Any

from pydantic import Field

from pinch.bench.bench_questions import Asks, ReviewQuestion
from pinch.bench.book import Book
from pinch.bench.fields import Part
from pinch.bench.files import read_model
from pinch.bench.records import checked
from pinch.cli.books import changed_existing, named
from pinch.cli.numbers import number, print_json
from pinch.core.errors import PinchError

MOST_BYTES = 100_000


class QuestionFile(Part):
    """A question as it stands in a file: records by name, a setting as `DEVICE / SETTING`, shares in per cent."""

    asks: Asks
    workload: str
    settings: tuple[str, ...] = ()
    devices: tuple[str, ...] = ()
    delta_percent: float = 3.0
    within: float = 2.0
    fps: float | None = None
    low_percent: float = 0.0
    rule: str = "95%"
    watts: float | None = None
    room_c: float | None = None
    sure_percent: float = Field(default=95.0)
    notes: str = ""


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("questions", nargs="*", type=Path, metavar="QUESTION.json", help="questions to ask")
    parser.add_argument("--book", type=Path, required=True, metavar="FILE")
    parser.add_argument("--remove", type=int, action="append", default=[], metavar="ID", help="ask it no more")
    parser.add_argument("--plan", action="store_true", help="keep what they need as a plan of the book")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    from pinch.analysis.asking import questions_asked
    from pinch.runs.question_plan import keep_plan, plan_questions
    from pinch.runs.whole_book import read_points

    given = [(path, read_model(path, QuestionFile, MOST_BYTES)) for path in args.questions]
    with changed_existing(args.book) as book:
        for path, told in given:
            try:
                book.save(record_of(told, book))
            except PinchError as error:
                raise PinchError(f"{path}: {error}") from None
        for gone in args.remove:
            book.delete(named(book.questions(), str(gone), "question", lambda q: str(q.id)))
    points = read_points(args.book)
    with changed_existing(args.book) as book:
        asked = questions_asked(points, book.questions())
        if args.plan:
            keep_plan(book, asked)
        found = plan_questions(book, asked, datetime.now().astimezone())
        _tell(found, book, args.json)
    return 0


def record_of(told: QuestionFile, book: Book) -> ReviewQuestion:
    """The record of a question whose devices, settings and work are named.

    Raises
    ------
    PinchError : there is nothing of a name, or the question is not whole.
    """
    devices = book.devices()
    work = named(book.workloads(), told.workload, "workload", lambda w: w.name)
    settings = {f"{d.name} / {s.name}": s.id for d in devices for s in book.settings(d.id)}
    made: ReviewQuestion = checked(
        ReviewQuestion,
        "The question",
        name=f"{told.asks}, {work.name}"[:120],
        notes=told.notes,
        asks=told.asks,
        workload_id=work.id,
        setting_ids=tuple(settings[named(list(settings), s, "setting", str)] for s in told.settings),
        device_ids=tuple(named(devices, d, "device", lambda d: d.name).id for d in told.devices),
        delta=told.delta_percent / 100.0,
        within=told.within,
        fps=told.fps,
        low_share=told.low_percent / 100.0,
        rule=told.rule,
        watts=told.watts,
        room_c=told.room_c,
        certainty=told.sure_percent / 100.0,
    )
    return made


def _tell(found: Any, book: Book, as_json: bool) -> None:
    from pinch.narrative.question_words import names_in, question_words, standing_words

    names = names_in(book)
    told = [
        (a, question_words(a.question, names), standing_words(a, names, found.costs.get(a.question.id)))
        for a in found.asked
    ]
    if as_json:
        print_json(
            {
                "questions": [_json(found, *one, names) for one in told],
                "left_s": number(found.left_s),
                "least_s": number(found.least_s),
                "most_s": number(found.most_s),
                "steps": [] if found.sheet is None else [line.words for line in found.sheet.lines()],
                "warnings": [],
            }
        )
        return
    for a, asked, stands in told:
        print(f"{a.question.id}. {asked}\n   {stands}")
    if found.sheet is not None:
        minutes = [value / 60.0 for value in (found.left_s, found.least_s, found.most_s)]
        print("Bench time for all that are open: about {:.0f} min, {:.0f} to {:.0f}.".format(*minutes))
    elif not told:
        print("Nothing is asked in this book yet.")


def _json(found: Any, asked: Any, words: str, stands: str, names: Any) -> dict[str, Any]:
    s, needs = asked.standing, asked.needs
    return {
        "id": asked.question.id,
        "asks": str(asked.question.asks),
        "question": words,
        "stand": str(s.stand),
        "words": stands,
        "value": number(s.value),
        "interval": [number(s.low), number(s.high)],
        "runs": list(asked.run_ids),
        "cost_s": number(found.costs.get(asked.question.id, 0.0)),
        "needs": _needs(needs, names),
    }


def _needs(needs: Sequence[Any], names: Any) -> list[dict[str, Any]]:
    return [
        {
            "setting": names.setting(n.setting_id),
            "workload": names.work(n.workload_id),
            "runs": n.runs,
            "limit_W": n.watts,
            "room_C": n.room_c,
        }
        for n in needs
    ]
