"""The log of the program itself: a file that is kept small, in the operator's state folder."""

import logging
import logging.handlers
import sys
from pathlib import Path

import platformdirs

LOGGER = "pinch"
MOST_BYTES, KEPT = 1_000_000, 3
OWN = "pinch log"
FORM = "%(asctime)s %(levelname)s %(name)s: %(message)s"


def log_path() -> Path:
    """Where the log is written unless another place is named."""
    return Path(platformdirs.user_state_dir("pinch")) / "pinch.log"


def keep_log(path: Path | None = None, verbose: bool = False) -> Path:
    """Write the log to a file, and with `verbose` everything to standard error as well; returns the file.

    Raises
    ------
    OSError : the file cannot be written.
    """
    logger, target = logging.getLogger(LOGGER), path or log_path()
    logger.setLevel(logging.DEBUG if verbose else logging.INFO)
    for handler in [h for h in logger.handlers if h.get_name() == OWN]:
        logger.removeHandler(handler)
        handler.close()
    if verbose:
        _add(logger, logging.StreamHandler(sys.stderr))
    target.parent.mkdir(parents=True, exist_ok=True)
    _add(logger, logging.handlers.RotatingFileHandler(target, maxBytes=MOST_BYTES, backupCount=KEPT, encoding="utf-8"))
    return target


def _add(logger: logging.Logger, handler: logging.Handler) -> None:
    handler.set_name(OWN)
    handler.setFormatter(logging.Formatter(FORM))
    logger.addHandler(handler)
