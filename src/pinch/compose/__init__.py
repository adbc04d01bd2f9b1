"""The only wiring: joins a source, the recorder and the book. Used by cli and ui."""

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
from pinch.compose.judging import (
    JudgeDesk,
    ScalePoint,
    ScaleResult,
    judge_from_file,
    known_of,
    scale_cell,
    scale_from_file,
)
from pinch.compose.planning import PlanDesk, plan_from_file
from pinch.compose.recording import BookKeeper, Recording, begin_recording, course_of, ends_by_itself
from pinch.compose.sourcing import IDLE_S, RIG_ADDRESS, RunRequest, load_command, meters_of, rig_command

__all__ = [
    "ALL_CORES",
    "IDLE_S",
    "ONE_CORE",
    "RIG_ADDRESS",
    "BookKeeper",
    "JudgeDesk",
    "PlanDesk",
    "Recording",
    "RunRequest",
    "ScalePoint",
    "ScaleResult",
    "add_rig",
    "add_this_computer",
    "begin_recording",
    "course_of",
    "demo_book_path",
    "ends_by_itself",
    "find_or_add",
    "gather_evidence",
    "import_log",
    "judge_from_file",
    "known_of",
    "load_command",
    "make_demo",
    "meters_of",
    "plan_from_file",
    "rig_command",
    "scale_cell",
    "scale_from_file",
]
