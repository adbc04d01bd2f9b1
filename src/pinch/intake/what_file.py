"""What a file holds, by its header: a table of results, or a log."""

from pathlib import Path

from pinch.core.errors import DataError
from pinch.intake.table_roles import RESULTS, Role, RoleMapping, guess_roles
from pinch.sources.sheets import Sheet, is_spreadsheet, sheet_of_text

NAMES = frozenset((Role.DEVICE, Role.SETTING, Role.WORKLOAD))
HEAD_BYTES = 65_536
TIMES = ("time", "zeit", "timestamp", "t_s", "elapsed", "temps", "tiempo", "frametime", "msbetween", "stamp", "date")


def holds_results(path: Path) -> bool:
    """Whether a file is a table of results: any spreadsheet, and a text whose columns name devices, settings or
    workloads in words and whose first column is no time."""
    if is_spreadsheet(path):
        return True
    try:
        with path.open("rb") as file:
            head = file.read(HEAD_BYTES)
        text = head.decode("utf-8-sig")
        lines = text.splitlines()
        sheet = sheet_of_text("\n".join(lines if len(head) < HEAD_BYTES else lines[:-1]), str(path))
    except (OSError, UnicodeDecodeError, DataError):
        return False
    return _is_of_results(sheet, guess_roles(sheet))


def _is_of_results(sheet: Sheet, roles: RoleMapping) -> bool:
    first = sheet.names[0].casefold().replace(" ", "")
    if any(first.startswith(word) for word in TIMES):
        return False
    said = {use.role for use in roles.columns}
    return bool(NAMES & said) and bool(RESULTS & said)
