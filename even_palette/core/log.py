"""The log: what went wrong, with its traceback, in a file of bounded size that the window can show."""

import logging
from functools import cache
from logging.handlers import RotatingFileHandler

from even_palette.core.disk.places import log_file

MOST_BYTES = 1 << 20


@cache
def log() -> logging.Logger:
    """The program's logger. Where the file cannot be written, it keeps quiet."""
    logger = logging.getLogger("even_palette")
    logger.propagate = False
    try:
        log_file().parent.mkdir(parents=True, exist_ok=True)
        handler: logging.Handler = RotatingFileHandler(
            log_file(), maxBytes=MOST_BYTES, backupCount=1, delay=True, encoding="utf-8", errors="backslashreplace"
        )
    except OSError:
        handler = logging.NullHandler()
    handler.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(message)s"))
    logger.addHandler(handler)
    return logger
