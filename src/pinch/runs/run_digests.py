"""What a list keeps of each run: worked out here or, where there are many, by processes of their own."""

import hashlib
import logging
import os
from collections import deque
from collections.abc import Generator, Sequence
from concurrent.futures import Future
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

from pinch.analysis.digesting import digest_of, told_digest, unjudged_digest
from pinch.analysis.judging import JudgeDesk, known_of
from pinch.bench.book import Book
from pinch.bench.digests import Digest, log_hash
from pinch.bench.opening import open_book
from pinch.bench.records import Device, Run, Setting, Workload, scores_of
from pinch.bench.workers import workers_on
from pinch.core.errors import PinchError
from pinch.core.faults import fault_of
from pinch.language import tr
from pinch.narrative.finding import finding, told_finding

log = logging.getLogger(__name__)
FORM = 5
"""Part of a digest's key: raised when a digest holds more than before."""
MANY, BATCH = 200, 16
"""From so many runs on processes are worth their start; so many are given to one at a time."""
NICE = 5
"""Who works in front of the machine goes first."""


class DigestDesk:
    """Digests runs of one book; the records that they depend on are read once."""

    def __init__(self, book: Book, language: str = "") -> None:
        self._book, self._language = book, language
        self._devices: dict[int, Device] = {d.id: d for d in book.devices()}
        self._settings: dict[int, Setting] = {s.id: s for number in self._devices for s in book.settings(number)}
        self._workloads: dict[int, Workload] = {w.id: w for w in book.workloads()}

    def key(self, run: Run) -> str:
        """The same while neither the log of a run nor what is known of it changes."""
        device, setting = self._devices[run.device_id], self._settings[run.setting_id]
        told = (
            FORM,
            known_of(device, setting, self._workloads[run.workload_id], run),
            device.battery,
            setting.sustained_w,
            run.void,
            run.in_spite_of,
            run.summary,
            scores_of(run),
        )
        return hashlib.sha256(f"{log_hash(self._book, run.id)}{told}{self._language}".encode()).hexdigest()

    def digest(self, run: Run) -> Digest:
        """What a list keeps of a run, with its finding; a run that cannot be judged says why."""
        if run.summary is not None:
            return told_digest(run.summary).model_copy(update={"finding": told_finding(run.summary)})
        try:
            samples, judged = JudgeDesk(self._book).judge(run)
        except PinchError as error:
            return unjudged_digest(run, str(error))
        except Exception as error:
            log.error("Judging a run", exc_info=error)  # one run that cannot be judged keeps no other from it
            return unjudged_digest(run, fault_of(error, tr("Judging run {run}", run=run.id)).sentence)
        words = finding(judged, self._settings[run.setting_id].sustained_w)
        return digest_of(run, samples, judged, self._devices[run.device_id]).model_copy(update={"finding": words})


def digests_of(book: Book, runs: Sequence[Run], desk: DigestDesk) -> Generator[list[tuple[Run, Digest]], None, None]:
    """The digests of runs in their order, batch by batch, so that each can be kept before the next is there."""
    batches = [runs[at : at + BATCH] for at in range(0, len(runs), BATCH)]
    if len(runs) < MANY:
        yield from ([(run, desk.digest(run))] for run in runs)
        return
    workers = os.cpu_count() or 1
    waiting, under_way = deque(batches), deque[tuple[Sequence[Run], Future[list[Digest]]]]()
    pool = workers_on(book.path, _take_book, workers)
    try:
        while waiting or under_way:
            while waiting and len(under_way) < 2 * workers:
                batch = waiting.popleft()
                under_way.append((batch, pool.submit(_digest, batch)))
            batch, found = under_way.popleft()
            yield list(zip(batch, found.result(), strict=True))
    except BrokenProcessPool:  # as happens where memory is short: one after the other then
        for left in (batch, *(begun for begun, _ in under_way), *waiting):
            yield [(run, desk.digest(run)) for run in left]
    finally:
        pool.shutdown(cancel_futures=True)


_desk: DigestDesk
"""Of a process that digests, from its start to its end."""


def _take_book(path: Path) -> None:
    global _desk
    os.nice(NICE)
    _desk = DigestDesk(open_book(path, only_read=True))


def _digest(runs: Sequence[Run]) -> list[Digest]:
    return [_desk.digest(run) for run in runs]
