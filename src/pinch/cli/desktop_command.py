"""`pinch desktop --install | --remove [--system]`: Pinch in the desktop's menus, and its books opened by a click."""

import argparse
import shutil
import sys
from pathlib import Path

from pinch.runs.desktop_entry import install, remove, share_folder


def configure(parser: argparse.ArgumentParser) -> None:
    what = parser.add_mutually_exclusive_group(required=True)
    what.add_argument("--install", action="store_true", help="entry, icon, kind of file, manual page, completions")
    what.add_argument("--remove", action="store_true", help="remove all of these again")
    parser.add_argument("--system", action="store_true", help="for all users, which only root can; else for this one")


def run(args: argparse.Namespace) -> int:
    share = share_folder(args.system)
    done = install(share, _own_command()) if args.install else remove(share)
    for path in done:
        print(f"{'written' if args.install else 'removed'}: {path}")
    return 0


def _own_command() -> list[str]:
    """What starts this very Pinch."""
    beside = Path(sys.executable).with_name("pinch")
    found = str(beside) if beside.is_file() else shutil.which("pinch")
    return [found] if found else [sys.executable, "-m", "pinch"]
