"""Folders of files that appear whole: a folder replaced in one step, or a set of files added to a folder.

What is written is written first into a hidden folder, which a lock marks as in use while its process lives. What killed
processes left behind is found by the next run: an old folder that was moved away comes back, the rest is removed.
"""

import contextlib
import ctypes
import errno
import fcntl
import hashlib
import os
import shutil
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

import msgspec

from even_palette.core.disk.gate import reason
from even_palette.core.disk.whole import PREFIX, sweep, sync, write_whole
from even_palette.core.errors import UserError

NEW, OLD = "new", "old"
INDEX_FILE = "even-palette-files.json"
AT_FDCWD, RENAME_EXCHANGE = -100, 2

Owned = Callable[[Path], list[str] | None]
"""Names of our own files in a folder, the one that proves it last; None if the folder is not one of ours."""


@contextmanager
def replacing_folder(folder: Path, owned: Owned) -> Iterator[Path]:
    """Give a folder to write to, which then takes the place of `folder` in one step.

    `folder` may be missing, empty, or one of ours that holds nothing else; everything else is refused before the work.
    Files that somebody puts into the old folder meanwhile come along. If the block raises, the old folder stays.
    Raises UserError, or OSError while writing.
    """
    target = Path(os.path.realpath(folder))
    try:
        _check_target(folder, target, owned)
        target.parent.mkdir(parents=True, exist_ok=True)
        recover(target, owned)
        staging, lock = _begin(target.parent, _label(target))
    except OSError as error:
        raise UserError(f"{folder}: cannot be written ({reason(error)}).") from error
    try:
        new = staging / NEW
        new.mkdir(mode=0o755)
        yield new
        for path in new.iterdir():
            sync(path)
        sync(new)
        _exchange(staging, target)
        sync(target.parent)
        _clear(new, target, owned)
        _clear(staging / OLD, target, owned)
    finally:
        shutil.rmtree(staging, ignore_errors=True)
        os.close(lock)


def recover(target: Path, owned: Owned) -> None:
    """Tidy up what killed runs left beside a target. An old folder that was moved away comes back."""
    for staging in sorted(target.parent.glob(f"{PREFIX}{_label(target)}-*")):
        lock = _take(staging)
        if lock is None:
            continue
        try:
            if (staging / OLD).is_dir() and not target.exists():
                os.rename(staging / OLD, target)
            for left in (staging / NEW, staging / OLD):
                _clear(left, target, owned)
            shutil.rmtree(staging, ignore_errors=True)
        finally:
            os.close(lock)
    sweep(target.parent)
    for staging in sorted(target.parent.glob(f"{PREFIX}*-*/")):
        # That of another target, whose old folder would come back with the next work on it.
        if not (staging / OLD).exists() and (lock := _take(staging)) is not None:
            shutil.rmtree(staging, ignore_errors=True)
            os.close(lock)


def _check_target(folder: Path, target: Path, owned: Owned) -> None:
    """Raise UserError unless the target may be replaced."""
    if not target.exists():
        return
    if not target.is_dir():
        raise UserError(f"{folder}: is a file; choose a folder.")
    if os.path.ismount(target):
        raise UserError(f"{folder}: is a mount point, which cannot be replaced; choose a folder inside it.")
    here = Path.cwd()
    if target == here or target in here.parents:
        raise UserError(f"{folder}: is the folder that you are in; choose a folder inside it, or go elsewhere.")
    present = sorted(path.name for path in target.iterdir())
    if not present:
        return
    known = owned(target)
    strange = [name for name in present if name not in (known or ())]
    if strange:
        raise UserError(f"{folder}: holds other files ({strange[0]}); choose an empty folder or an older package.")


def _exchange(staging: Path, target: Path) -> None:
    """Put the new folder in the place of the target; the old one is then in the staging folder."""
    new = staging / NEW
    if not target.exists():
        os.rename(new, target)
        return
    if exchange(new, target):
        return
    os.rename(target, staging / OLD)
    try:
        os.rename(new, target)
    except OSError:
        os.rename(staging / OLD, target)
        raise


def exchange(one: Path, other: Path) -> bool:
    """Let two names change places in one step (renameat2(2)); False where the system cannot. Raises OSError."""
    try:
        call = ctypes.CDLL(None, use_errno=True).renameat2
    except (OSError, AttributeError):
        return False
    if call(AT_FDCWD, os.fsencode(one), AT_FDCWD, os.fsencode(other), RENAME_EXCHANGE) == 0:
        return True
    code = ctypes.get_errno()
    if code in (errno.EINVAL, errno.ENOSYS, errno.ENOTSUP):
        return False
    raise OSError(code, os.strerror(code), str(other))


def _clear(left: Path, target: Path, owned: Owned) -> None:
    """Remove a folder that was replaced, or was never finished; what is not ours in it goes into the target."""
    if not left.is_dir():
        return
    known = owned(left)
    if known is not None:
        for path in sorted(left.iterdir()):
            if path.name not in known:
                kept = _free_name(target, path.name)
                os.rename(path, kept)
        for name in known:
            (left / name).unlink(missing_ok=True)
    shutil.rmtree(left, ignore_errors=True)


def _free_name(folder: Path, name: str) -> Path:
    wanted, number = folder / name, 2
    while os.path.lexists(wanted):
        wanted = folder / f"{Path(name).stem} {number}{Path(name).suffix}"
        number += 1
    return wanted


def _label(target: Path) -> str:
    return hashlib.sha256(os.fsencode(target.name)).hexdigest()[:12]


def _begin(parent: Path, label: str) -> tuple[Path, int]:
    """A staging folder with its lock. Raises OSError."""
    while True:
        staging = Path(tempfile.mkdtemp(prefix=f"{PREFIX}{label}-", dir=parent))
        lock = _take(staging)
        if lock is not None:
            return staging, lock


def _take(staging: Path) -> int | None:
    """A lock on a staging folder, which ends with its process; None if somebody else has it or it is gone."""
    try:
        handle = os.open(staging, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
    except OSError:
        return None
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        if os.path.samestat(os.fstat(handle), os.stat(staging)):
            return handle
    except OSError:
        pass
    os.close(handle)
    return None


# A set of files in a folder that may hold others


@contextmanager
def adding_files(folder: Path, names: Iterable[str], read: Iterable[Path] = ()) -> Iterator[Path]:
    """Give a folder to write files of these names to; when all are there, they are moved into `folder` one by one.

    A file there that this did not write, or that was changed since, is never replaced: the set is refused before the
    work. What was written is noted in `even-palette-files.json`. `read` are files that must stay. If the block raises,
    nothing in the folder has changed. Raises UserError, or OSError while writing.
    """
    folder = Path(os.path.realpath(folder))
    wanted = list(names)
    kept = {os.path.realpath(path) for path in read}
    try:
        folder.mkdir(parents=True, exist_ok=True)
        sweep(folder)
        for left in sorted(folder.glob(f"{PREFIX}set-*")):
            if (old_lock := _take(left)) is not None:
                shutil.rmtree(left, ignore_errors=True)
                os.close(old_lock)
        index = _read_index(folder)
        for name in wanted:
            path = folder / name
            if os.path.realpath(path) in kept:
                raise UserError(f"{path}: is a file that is read from; choose another folder.")
            if os.path.lexists(path) and (not path.is_file() or _hash(path) not in index.get(name, ())):
                raise UserError(f"{path}: is there already and was not written here; move it or choose another folder.")
        staging, lock = _begin(folder, "set")
    except OSError as error:
        raise UserError(f"{folder}: cannot be written ({reason(error)}).") from error
    try:
        yield staging
        made = {name: _hash(staging / name) for name in wanted}
        # Both the old and the new contents are known while files are moved, so that a kill leaves nothing foreign.
        _write_index(folder, {**index, **{name: [*index.get(name, ())[-1:], digest] for name, digest in made.items()}})
        for name in wanted:
            os.replace(staging / name, folder / name)
        _write_index(folder, {**index, **{name: [digest] for name, digest in made.items()}})
        sync(folder)
    finally:
        shutil.rmtree(staging, ignore_errors=True)
        os.close(lock)


def _read_index(folder: Path) -> dict[str, list[str]]:
    with contextlib.suppress(OSError, msgspec.MsgspecError):
        path = folder / INDEX_FILE
        if path.is_file() and path.stat().st_size < 1 << 24:
            return msgspec.json.decode(path.read_bytes(), type=dict[str, list[str]])
    return {}


def _write_index(folder: Path, index: dict[str, list[str]]) -> None:
    write_whole(folder / INDEX_FILE, msgspec.json.format(msgspec.json.encode(index), indent=1) + b"\n")


def _hash(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()
