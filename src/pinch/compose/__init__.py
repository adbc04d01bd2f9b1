"""The only wiring: joins a source, the recorder and the book. Used by cli and ui."""

from pinch.compose.arriving import (
    Added,
    Arrival,
    Batch,
    add_arrivals,
    arrivals_of,
    as_read,
    files_in,
    put_together,
    read_again,
    read_batch,
    taken_apart,
)
from pinch.compose.checking import gather_evidence
from pinch.compose.devices import (
    ALL_CORES,
    ONE_CORE,
    add_rig,
    add_this_computer,
    demo_book_path,
    find_or_add,
    import_log,
    make_demo,
)
from pinch.compose.digesting import Digested, digest_book
from pinch.compose.judging import (
    JudgeDesk,
    ScalePoint,
    ScaleResult,
    ToldScore,
    judge_from_file,
    known_of,
    scale_cell,
    scale_from_file,
)
from pinch.compose.planning import PlanDesk, plan_from_file
from pinch.compose.recording import BookKeeper, Recording, begin_recording, course_of, ends_by_itself
from pinch.compose.sourcing import IDLE_S, RIG_ADDRESS, RunRequest, load_command, meters_of, rig_command
from pinch.compose.tabling import tabled_runs
from pinch.compose.telling import ToldRun, add_told
from pinch.compose.watching import WatchedFolder

__all__ = [
    "ALL_CORES",
    "IDLE_S",
    "ONE_CORE",
    "RIG_ADDRESS",
    "Added",
    "Arrival",
    "Batch",
    "BookKeeper",
    "Digested",
    "JudgeDesk",
    "PlanDesk",
    "Recording",
    "RunRequest",
    "ScalePoint",
    "ScaleResult",
    "ToldRun",
    "ToldScore",
    "WatchedFolder",
    "add_arrivals",
    "add_rig",
    "add_this_computer",
    "add_told",
    "arrivals_of",
    "as_read",
    "begin_recording",
    "course_of",
    "demo_book_path",
    "digest_book",
    "ends_by_itself",
    "files_in",
    "find_or_add",
    "gather_evidence",
    "import_log",
    "judge_from_file",
    "known_of",
    "load_command",
    "make_demo",
    "meters_of",
    "plan_from_file",
    "put_together",
    "read_again",
    "read_batch",
    "rig_command",
    "scale_cell",
    "scale_from_file",
    "tabled_runs",
    "taken_apart",
]
