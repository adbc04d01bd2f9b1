"""`pinch probe`: the sensors as CSV, or the probe itself as one text for a Python elsewhere."""

import argparse

from pinch.sources.probe import bundle, sampling


def configure(parser: argparse.ArgumentParser) -> None:
    sampling.configure(parser)
    parser.add_argument("--as-program", action="store_true", help="print the probe itself, for a Python elsewhere")


def run(args: argparse.Namespace) -> int:
    if args.as_program:
        print(bundle.program())
        return 0
    return sampling.run(args)
