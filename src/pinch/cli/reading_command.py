"""`pinch reading --run ID --quantity wall.power --value 98 --book FILE`: a value that was read by hand."""

import argparse
from pathlib import Path

from pinch.bench import runlogs
from pinch.bench.entry import read_value
from pinch.bench.readings import UNITS, Quantity, ReadAt, Reading
from pinch.bench.records import Run, checked, live, now
from pinch.cli.books import changed_existing
from pinch.cli.numbers import print_json
from pinch.core.errors import PinchError

NAMES = {
    "wall.power": Quantity.WALL,
    "noise.level": Quantity.NOISE,
    "skin.temp": Quantity.SURFACE,
    "ambient.temp": Quantity.ROOM,
    "battery.charge": Quantity.CHARGE,
}


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--book", type=Path, required=True, metavar="FILE")
    parser.add_argument("--run", type=int, required=True, metavar="ID")
    parser.add_argument("--quantity", required=True, choices=NAMES, help="what was read")
    parser.add_argument("--value", required=True, help="with its unit or without, or a range such as 41.6–42")
    parser.add_argument("--low", type=float, help="the lowest that was seen")
    parser.add_argument("--high", type=float, help="the highest that was seen")
    parser.add_argument("--phase", choices=[str(p) for p in ReadAt if p], default="", help="when in the run")
    parser.add_argument("--place", default="", help="where, one word, such as palm_rest; room: the room alone")
    parser.add_argument("--distance-mm", type=float, metavar="N")
    parser.add_argument("--instrument", default="", metavar="NAME", help="an instrument of the book")
    parser.add_argument("--u", type=float, help="standard uncertainty, else by the instrument's accuracy")
    parser.add_argument("--at", type=float, metavar="S", help="second of the run, else its begin or end by the phase")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    quantity = NAMES[args.quantity]
    entry = read_value(args.value, UNITS[quantity])
    low, high = entry.ends[0], entry.ends[-1]
    with changed_existing(args.book) as book:
        if args.run not in [r.id for r in book.runs()]:
            raise PinchError(f"{args.book}: there is no run {args.run}.")
        instrument = next((i for i in live(book.instruments()) if i.name == args.instrument), None)
        if args.instrument and instrument is None:
            raise PinchError(f"{args.book}: there is no instrument called {args.instrument!r}.")
        value = float(f"{0.5 * (low + high):.12g}")
        u = args.u
        if u is None and instrument is not None and instrument.accuracy.stated:
            u = instrument.accuracy.standard_u(value)
        log = runlogs.read_log(book, book.get(Run, args.run).id)
        begin, end = log.span_s if log.samples else (0.0, 0.0)
        at = args.at if args.at is not None else begin if args.phase == ReadAt.IDLE else end
        reading: Reading = checked(
            Reading,
            "The reading",
            run_id=args.run,
            taken=now(),
            t_s=max(0.0, at),
            quantity=quantity,
            value=value,
            low=args.low if args.low is not None else low if low != high else None,
            high=args.high if args.high is not None else high if low != high else None,
            phase=args.phase,
            place=args.place,
            distance_mm=args.distance_mm,
            instrument=args.instrument,
            u=u,
        )
        kept = book.save(reading)
    if args.json:
        print_json({"reading": kept.id, "channel": kept.channel, "value": kept.value, "warnings": []})
    else:
        print(f"reading {kept.id}: {kept.quantity} {kept.value_words}")
    return 0
