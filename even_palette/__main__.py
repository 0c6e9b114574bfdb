"""Starts the program: `python -P even_palette/__main__.py`.

The folder that holds this file is where the program is taken from, never the folder that one happens to be in. Nothing
but our own sentences reaches standard error: libraries that print go to the log, and no traceback is shown.
"""

from __future__ import annotations

# Built in, so that hardly anything runs before Ctrl-C ends the program without a word.
import _signal  # type: ignore[import-not-found]

FIRST = _signal.getsignal(_signal.SIGINT)
if FIRST is _signal.default_int_handler:
    _signal.signal(_signal.SIGINT, _signal.SIG_DFL)

import os  # noqa: E402
import signal  # noqa: E402
import sys  # noqa: E402

TYPE_CHECKING = False
if TYPE_CHECKING:
    from types import FrameType
    from typing import TextIO

IMPORTS = "<frozen importlib._bootstrap>"
WAIT_S = 0.02
NO_MEMORY = "there is not enough memory for this."
UNMAPPED = ("failed to map segment", "cannot allocate memory", "cannot map zero-fill")
"""How the system's loader (glibc) says that a library does not fit into memory."""
TOP = os.path.dirname(os.path.dirname(os.path.realpath(__file__)))


def run() -> int:
    """Run the command line and give its exit code; an interruption at any moment is one sentence."""
    try:
        if FIRST is signal.default_int_handler:
            signal.signal(signal.SIGALRM, _interrupt)
            signal.signal(signal.SIGINT, _interrupt)
            sys.unraisablehook = _unraisable
        if TOP not in sys.path:
            sys.path.insert(0, TOP)
        return _guarded()
    except KeyboardInterrupt:
        os.write(2, b"even-palette: stopped.\n")
        return 2


def _interrupt(number: int, frame: FrameType | None) -> None:
    """Ctrl-C. One that meets an import waits until its end, since modules half made answer in ways of their own."""
    while frame is not None:
        if frame.f_code.co_filename == IMPORTS:
            signal.setitimer(signal.ITIMER_REAL, WAIT_S)
            return
        frame = frame.f_back
    raise KeyboardInterrupt


def _unraisable(told: sys.UnraisableHookArgs) -> None:
    """An interruption that met a callback, where Python drops it, comes again; the rest goes into the log."""
    if isinstance(told.exc_value, KeyboardInterrupt):
        signal.setitimer(signal.ITIMER_REAL, WAIT_S)
        return
    import traceback

    traceback.print_exception(told.exc_type, told.exc_value, told.exc_traceback, file=sys.__stderr__)


def _guarded() -> int:
    """Run the command line. Output that nobody reads any more is dropped; other trouble with it is told."""
    from even_palette.terminal import DONE, REFUSED, drop_output, tell

    errors = _own_errors()
    _lenient(sys.stdout)
    code = DONE
    try:
        code = _run(errors)
        if sys.stdout is not None:
            sys.stdout.flush()
        return code
    except BrokenPipeError:
        drop_output()
        return code
    except OSError as error:
        drop_output()
        tell(f"the output cannot be written ({error.strerror}).", errors)
        return REFUSED


def _run(errors: TextIO) -> int:
    import errno

    from even_palette.cli import main
    from even_palette.terminal import REFUSED, tell

    try:
        return main()
    except KeyboardInterrupt:
        tell("stopped.", errors)
    except BrokenPipeError:
        raise
    except MemoryError:
        tell(NO_MEMORY, errors)
    except OSError as error:
        if error.errno in (errno.ENOSPC, errno.EIO, errno.EFBIG) and not error.filename:
            raise
        tell(f"{error.filename or ''}: {error.strerror or error}".lstrip(": "), errors)
    except Exception as error:
        if isinstance(error, ImportError) and any(text in str(error) for text in UNMAPPED):
            tell(NO_MEMORY, errors)
            return REFUSED
        import traceback

        traceback.print_exc(file=sys.__stderr__)  # into the log
        tell(f"an error of the program ({type(error).__name__}: {error}); the log has more.", errors)
    return REFUSED


def _own_errors() -> TextIO:
    """Standard error for our own words; what libraries print goes to the log instead."""
    import warnings

    warnings.simplefilter("ignore")
    if os.environ.get("EVEN_PALETTE_LOUD"):
        _lenient(sys.stderr)
        return sys.stderr
    encoding = getattr(sys.stderr, "encoding", None) or "utf-8"
    own = os.fdopen(os.dup(2), "w", encoding=encoding, errors="backslashreplace")
    log = _log()
    os.dup2(log, 2)
    os.close(log)
    sys.stderr = own
    return own


def _log() -> int:
    """A file for what libraries print; nowhere if it cannot be opened."""
    from even_palette.core.disk.places import log_file

    try:
        path = log_file()
        path.parent.mkdir(parents=True, exist_ok=True)
        if path.exists() and path.stat().st_size > 1 << 20:
            os.replace(path, path.with_suffix(".old.log"))
        return os.open(path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | os.O_NONBLOCK, 0o600)
    except OSError:
        return os.open(os.devnull, os.O_WRONLY)


def _lenient(stream: TextIO | None) -> None:
    """Letters that the stream's encoding lacks are shown escaped."""
    if stream is not None and hasattr(stream, "reconfigure"):
        stream.reconfigure(errors="backslashreplace")


if __name__ == "__main__":
    sys.exit(run())
