"""A child process that talks in lines."""

import contextlib
import logging
import os
import queue
import shlex
import signal
import subprocess
import threading
import time
from collections.abc import Sequence
from typing import IO

from pinch.core.errors import PinchError
from pinch.language import tr

GRACE_S = 1.0
LONGEST_LINE = 1_000_000
"""Bytes; no child has so much to say at once."""
MOST_WAITING = 64_000_000
"""Bytes of lines that wait to be taken; what a child says beyond them is left out."""
MOST_AT_ONCE = 5_000
"""Lines that are handed on at once, so that whoever takes them can be stopped between."""
MOST_NOTES = 500
"""Lines of standard error that are kept, the first ones."""
log = logging.getLogger(__name__)


def command_words(command: str, whose: str) -> list[str]:
    """The words of a command as somebody typed it; `whose` ends *the command …* where it cannot be read.

    Raises
    ------
    PinchError : a quote is not closed.
    """
    try:
        return shlex.split(command)
    except ValueError as error:
        raise PinchError(tr("The command {whose} cannot be read: {error}.", whose=whose, error=error)) from None


class LineProcess:
    """A child whose lines are read in the background, so that it never waits for us.

    Its standard input is a pipe that closes with Pinch, however Pinch ends: a child that watches it cannot be left
    behind. With `program` that is what it gets to read instead, and then the end; such a child notices that Pinch has
    gone when nobody takes its lines.

    Only whole lines of text are handed on. One that was cut, has no end or is not text is left out: it says nothing
    true. `damage` is what was wrong with the first such line, empty where there was none.
    """

    def __init__(self, command: Sequence[str], program: str | None = None) -> None:
        try:
            self._process = subprocess.Popen(
                command,
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.PIPE,
                env={**os.environ, "PYTHONUNBUFFERED": "1"},
                start_new_session=True,  # an interrupt at the terminal is for Pinch, which ends its children itself
            )
        except OSError as error:
            raise PinchError(
                tr("{command} cannot be started: {strerror}.", command=command[0], strerror=error.strerror)
            ) from None
        self._lines: queue.SimpleQueue[str | None] = queue.SimpleQueue()
        self._waiting, self._counting = 0, threading.Lock()
        self.notes: list[str] = []
        self.damage = ""
        self.ended = False
        self._readers = [
            threading.Thread(target=self._read_lines, daemon=True),
            threading.Thread(target=self._read_notes, daemon=True),
        ]
        if program is not None:
            self._readers.append(threading.Thread(target=self._hand_over, args=(program,), daemon=True))
        for reader in self._readers:
            reader.start()

    @property
    def pid(self) -> int:
        """Process number of the child."""
        return self._process.pid

    def lines(self, wait_s: float = 0.0) -> list[str]:
        """Lines since the last call; waits up to `wait_s` for the first one."""
        found: list[str] = []
        with contextlib.suppress(queue.Empty):
            line = self._lines.get(timeout=wait_s) if wait_s > 0 else self._lines.get_nowait()
            while line is not None:
                found.append(line)
                if len(found) == MOST_AT_ONCE:
                    break
                line = self._lines.get_nowait()
            else:
                self.ended = True
        with self._counting:
            self._waiting -= sum(map(len, found))
        return found

    def tell(self, command: str) -> None:
        """Send a line; a child that has gone does not hear it."""
        with contextlib.suppress(OSError, ValueError):
            assert self._process.stdin is not None
            self._process.stdin.write(f"{command}\n".encode())
            self._process.stdin.flush()

    def close(self) -> None:
        """End the child: by closing its input, then by force. Safe to call again."""
        with contextlib.suppress(OSError, ValueError):
            assert self._process.stdin is not None
            self._process.stdin.close()
        try:
            self._process.wait(GRACE_S / 2)
        except subprocess.TimeoutExpired:
            self._signal(signal.SIGTERM)
            try:
                self._process.wait(GRACE_S)
            except subprocess.TimeoutExpired:
                self._signal(signal.SIGKILL)
                self._process.wait()
        until = time.monotonic() + GRACE_S / 2
        for reader in self._readers:
            reader.join(max(0.0, until - time.monotonic()))
        for stream in (self._process.stdout, self._process.stderr):
            if stream is not None:
                stream.close()

    def _signal(self, number: signal.Signals) -> None:
        """To the child and to what it has started."""
        with contextlib.suppress(ProcessLookupError):
            os.killpg(self._process.pid, number)

    def _hand_over(self, program: str) -> None:
        self.tell(program)
        with contextlib.suppress(OSError, ValueError):
            assert self._process.stdin is not None
            self._process.stdin.close()

    def _read_lines(self) -> None:
        assert self._process.stdout is not None
        try:
            self._read_whole_lines(self._process.stdout)
        except ValueError:  # closed under our hands: Pinch does not want to hear more
            pass
        except Exception as error:
            self._damaged(tr("it could not be read any more"))
            log.error("Reading the lines of a child", exc_info=error)
        finally:
            self._lines.put(None)

    def _read_whole_lines(self, stream: IO[bytes]) -> None:
        too_long = False
        while piece := stream.readline(LONGEST_LINE):
            if not piece.endswith(b"\n"):
                whole = len(piece) < LONGEST_LINE  # then the child ended within it
                self._damaged(
                    tr("its last line has no end")
                    if whole
                    else tr("a line is longer than {longest_line:,} bytes", longest_line=LONGEST_LINE)
                )
                too_long = True
            elif too_long:
                too_long = False  # the rest of a line that was too long
            else:
                self._hand_on(piece)

    def _hand_on(self, piece: bytes) -> None:
        try:
            line = piece.decode("utf-8").rstrip("\r\n")
        except UnicodeDecodeError:
            self._damaged(tr("a line is not UTF-8 text"))
            return
        with self._counting:
            if self._waiting + len(line) > MOST_WAITING:
                self._damaged(tr("it says more than can be taken in"))
                return
            self._waiting += len(line)
        self._lines.put(line)

    def _damaged(self, reason: str) -> None:
        self.damage = self.damage or reason

    def _read_notes(self) -> None:
        assert self._process.stderr is not None
        with contextlib.suppress(ValueError):
            while piece := self._process.stderr.readline(LONGEST_LINE):
                if len(self.notes) < MOST_NOTES:
                    self.notes.append(piece.decode("utf-8", "replace").strip())
