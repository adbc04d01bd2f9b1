"""`pinch card add --kind KIND … | list | remove ID --book FILE`: the chart deck from the command line. A card is worked
out before it is kept; one that has nothing to show is not."""

import argparse
from pathlib import Path

from msgspec.structs import replace

from pinch.analysis.offers import OfferChoice
from pinch.analysis.points import BookPoints
from pinch.analysis.references import is_own
from pinch.bench.cards import Card, CardKind, CurvesQuery, ModesQuery, Query, RunsQuery, TestedQuery, UnitsQuery
from pinch.bench.parts import PriceOf
from pinch.bench.rates import EXAMPLE, read_rates
from pinch.cli import compare_book
from pinch.cli.books import changed_existing, named
from pinch.cli.numbers import print_json
from pinch.core.errors import PinchError
from pinch.narrative.cards import cell_cards
from pinch.narrative.cards.deck import CardMaker, new_card, replace_fields
from pinch.narrative.cards.questions import question_of
from pinch.narrative.compare_words import shown_plainly
from pinch.runs.whole_book import read_points

OF_CELLS = {
    "bars": CardKind.BARS,
    "pairs": CardKind.DUMBBELL,
    "slopes": CardKind.SLOPE,
    "money": CardKind.MONEY,
    "table": CardKind.TABLE,
    "matrix": CardKind.TABLE,
}
OF_CURVES = {"curves": CardKind.CURVES, "efficiency": CardKind.EFFICIENCY, "multiples": CardKind.MULTIPLES}
OF_RUNS = {
    "timeline": CardKind.TIMELINE,
    "frames": CardKind.FRAMES,
    "heat": CardKind.HEAT,
    "shares": CardKind.SHARES,
}
OF_MODES = {"modes": CardKind.SHEET, "wall": CardKind.WALL, "battery": CardKind.BATTERY, "sound": CardKind.SOUND}
OF_BENCH = {"units": CardKind.TABLE, "tested": CardKind.TABLE}
KINDS = {**OF_CELLS, **OF_CURVES, **OF_RUNS, **OF_MODES, **OF_BENCH}
GRIDS = ("variants", "settings", "graphics memory")


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("do", choices=("add", "list", "remove"))
    parser.add_argument("ids", nargs="*", type=int, metavar="ID", help="the cards to remove")
    parser.add_argument("--book", type=Path, required=True, metavar="FILE")
    parser.add_argument("--kind", choices=KINDS, help="what the card is drawn as")
    parser.add_argument("--device", action="append", default=[], metavar="NAME", help="may stand several times")
    parser.add_argument("--variant", default="", metavar="NAME", help="the variant of the workload")
    parser.add_argument(
        "--run", action="append", default=[], type=int, metavar="ID", help="of timeline, frames, heat …"
    )
    parser.add_argument("--across", choices=GRIDS, default="variants", help="the columns of a matrix")
    parser.add_argument("--title", default="", metavar="TEXT", help="what stands above it")
    compare_book.configure(parser)
    parser.add_argument(
        "--price", choices=[p.name.lower() for p in PriceOf], default="tested", help="which price of each device"
    )
    parser.add_argument("--rates", default="", metavar="TEXT", help=f"of currencies, such as '{EXAMPLE}'")
    parser.add_argument("--delta", type=float, default=3.0, metavar="%", help="smallest difference that matters")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    if args.do == "add":
        return _add(args)
    with changed_existing(args.book) as book:
        cards = book.cards()
        if args.do == "remove":
            for number in args.ids:
                book.delete(named(cards, str(number), "card", lambda card: str(card.id)))
            cards = book.cards()
    if args.json:
        listed = [{"id": card.id, "title": card.name, "kind": str(card.kind)} for card in cards]
        print_json({"cards": listed, "warnings": []})
    else:
        for card in cards:
            print(f"{card.id}: {card.name} ({card.kind})")
    return 0


def _add(args: argparse.Namespace) -> int:
    if args.kind is None:
        raise PinchError(f"Say what the card is drawn as: --kind {', '.join(KINDS)}.")
    if args.variant:
        args.workload = [f"{name}, {args.variant}" for name in args.workload]
    points = read_points(args.book)
    query, kind = _query(args, points), KINDS[args.kind]
    with changed_existing(args.book) as book:
        content = CardMaker(book, points).make(Card(name=args.title or "a new card", kind=kind, query=query))
        if content.found is None:
            raise PinchError(f"Nothing was kept. {content.problem}")
        title = args.title or question_of(content.card, content.found)
        kept = new_card(book, replace(content, card=replace_fields(content.card, name=title)))
    if args.json:
        print_json({"id": kept.id, "title": kept.name, "finding": content.finding, "warnings": []})
    else:
        print(f"card {kept.id}: {kept.name}\n{content.finding}")
    return 0


def _query(args: argparse.Namespace, points: BookPoints) -> Query:
    if args.kind in OF_RUNS:
        return _runs(args, points)
    if args.kind in OF_BENCH:
        ids = tuple(_device(points, name) for name in args.device)
        return UnitsQuery(device_ids=ids) if args.kind == "units" else TestedQuery(device_ids=ids)
    if args.kind in OF_CELLS:
        return _cells(args, points)
    works = tuple(named(points.workloads, name, "workload", lambda w: w.name).id for name in args.workload)
    if not works:
        raise PinchError(f"A card of {args.kind} needs a --workload.")
    devices = tuple(_device(points, name) for name in args.device) or tuple(d.id for d in points.devices)
    if args.kind in OF_CURVES:
        return CurvesQuery(device_ids=devices, workload_ids=works, measure=args.metric)
    if not args.device:
        raise PinchError(f"A card of {args.kind} needs a --device.")
    return ModesQuery(device_id=devices[0], workload_id=works[0])


def _runs(args: argparse.Namespace, points: BookPoints) -> Query:
    there = {p.run.id for p in points.points if is_own(p.run.id)}
    missing = [number for number in args.run if number not in there]
    if missing or not args.run:
        raise PinchError(f"There is no run {missing[0]}." if missing else f"A card of {args.kind} needs a --run.")
    return RunsQuery(run_ids=tuple(args.run))


def _cells(args: argparse.Namespace, points: BookPoints) -> Query:
    names = [named(points.devices, name, "device", lambda d: d.name).name for name in args.device]
    args.where = [*args.where, *(f"device={name}" for name in names[: len(names) == 1])]
    result = compare_book.compared(points, args)
    if len(names) > 1:
        kept = tuple(c for c in result.choice.cells if c.device.name in names)
        result = replace(result, choice=replace(result.choice, cells=kept))
    offers = OfferChoice(PriceOf[args.price.upper()], read_rates(args.rates))
    result = replace(result, choice=replace(result.choice, offers=offers))
    query = cell_cards.query_of(shown_plainly(result))
    if args.kind == "matrix":
        plain = query.cells[0].model_copy(update={"variant_id": None})
        return query.model_copy(update={"cells": (plain,), "grid": args.across})
    return query


def _device(points: BookPoints, name: str) -> int:
    return named(points.devices, name, "device", lambda d: d.name).id
