"""The rig's mains meter: a small SCPI instrument on a TCP port of this computer alone."""

import contextlib
import re
import socket
import threading
from collections.abc import Callable

PLATFORM_W, EFFICIENCY = 5.0, 0.9
"""What the rest of a simulated device draws, and the share of mains power that its adapter passes on."""


def wall_w(package_w: float) -> float:
    """Power at the mains of a simulated device, W."""
    return (package_w + PLATFORM_W) / EFFICIENCY


class RigMeter:
    """Answers in a thread until it is closed; while `silent` it takes queries and says nothing."""

    def __init__(self, watts: Callable[[], float]) -> None:
        self._watts = watts
        self.silent = False
        self._listening = socket.create_server(("127.0.0.1", 0))
        self.port: int = self._listening.getsockname()[1]
        threading.Thread(target=self._accept, daemon=True).start()

    def close(self) -> None:
        """Take no more calls."""
        self._listening.close()

    def answer(self, line: str) -> str:
        """The response to a program message, empty for commands; headers in long or short form."""
        header = short_form(line.strip())
        if header == "*IDN?":
            return "Pinch,rig mains meter,0,1"
        if header in ("MEAS:POW:AC?", "FETC:POW:AC?", "MEAS:POW?"):
            return f"{self._watts():+.4E}"
        return "" if not header.endswith("?") else '-113,"Undefined header"'

    def _accept(self) -> None:
        with contextlib.suppress(OSError):
            while True:
                caller, _ = self._listening.accept()
                threading.Thread(target=self._talk, args=(caller,), daemon=True).start()

    def _talk(self, caller: socket.socket) -> None:
        with caller, contextlib.suppress(OSError), caller.makefile("rw", newline="\n") as lines:
            for line in lines:
                response = self.answer(line)
                if response and not self.silent:
                    lines.write(response + "\n")
                    lines.flush()


def short_form(message: str) -> str:
    """A program header with each mnemonic in its short form: four letters, three where the fourth is a vowel (SCPI
    1999, 6.2.1; from memory); the optional node SCALar is left out."""
    header, _, rest = message.partition(" ")

    def shorten(found: re.Match[str]) -> str:
        word = found.group().upper()
        return word if len(word) <= 4 else word[:3] if word[3] in "AEIOU" else word[:4]

    return re.sub(r"[A-Za-z]+", shorten, header).replace(":SCAL", "").lstrip(":") + (f" {rest}" if rest else "")
