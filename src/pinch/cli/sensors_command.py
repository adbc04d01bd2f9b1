"""`pinch sensors [--root DIR] [--reach COMMAND] [--json]`: what this machine tells, from where, and to whom; for what
is lacking, why, and the ways to get it."""

import argparse
from pathlib import Path

from msgspec.structs import asdict

from pinch.cli.numbers import print_json
from pinch.core.channels import unit_of
from pinch.narrative.ways_to_sensors import ways_to
from pinch.runs.machine_sensors import MachineSensors, lacking_lines, read_sensors


def configure(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--root", type=Path, help="read this tree instead of /")
    parser.add_argument("--reach", default="", metavar="COMMAND", help="a command that reaches a Python elsewhere")
    parser.add_argument("--json", action="store_true", help="print one JSON object")


def run(args: argparse.Namespace) -> int:
    told = read_sensors(args.root, args.reach)
    if args.json:
        print_json(
            {
                "channels": [asdict(c) | {"unit": unit_of(c.channel)} for c in told.channels],
                "states": [asdict(state) for state in told.states],
                "refused": [asdict(file) for file in told.refused],
                "lacking": [
                    asdict(lack) | {"ways": [asdict(way) for way in ways_to(lack.place, lack.refused)]}
                    for lack in told.lacking
                ],
                "warnings": [{"code": "noticed", "text": note} for note in told.notes],
            }
        )
        return 0
    _print_plain(told)
    return 0


def _print_plain(told: MachineSensors) -> None:
    for each in told.channels:
        label = f" ({each.label})" if each.label else ""
        print(f"{each.channel:28}{each.value_words:>14}   {each.place_words}{label}; read by {each.readable_by}")
    for state in told.states:
        print(f"{state.what:28}{state.value:>14}   {state.file}; read by {state.readable_by}")
    for file in told.refused:
        print(f"refused: {file.file} ({file.why}); read by {file.readable_by}")
    print("\n".join(lacking_lines(told)))
