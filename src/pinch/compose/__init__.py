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
from pinch.compose.recording import (
    IDLE_S,
    BookKeeper,
    Recording,
    RunRequest,
    begin_recording,
    ends_by_itself,
    load_command,
    rig_command,
)

__all__ = [
    "ALL_CORES",
    "IDLE_S",
    "ONE_CORE",
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
    "demo_book_path",
    "ends_by_itself",
    "find_or_add",
    "gather_evidence",
    "import_log",
    "judge_from_file",
    "known_of",
    "load_command",
    "make_demo",
    "plan_from_file",
    "rig_command",
    "scale_cell",
    "scale_from_file",
]
