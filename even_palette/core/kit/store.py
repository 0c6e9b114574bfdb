"""Keeping kits on disk so that a save cannot lose work.

A kit is a folder: `kit.json`, `blobs/` with maps that the kit took in, named by their content hash, and beside the save
`kit.autosave.json`. Every file is written whole beside its name, synced, and renamed.
"""

import contextlib
import os
import shutil
from dataclasses import dataclass
from pathlib import Path

import msgspec
from msgspec.structs import replace

from even_palette.core.disk.gate import exists, read_bytes, reason
from even_palette.core.disk.whole import sweep, write_whole
from even_palette.core.errors import UserError
from even_palette.core.kit.coat_owners import without_unused
from even_palette.core.kit.fingerprints import MOST_FILE_BYTES, Fingerprint, fingerprint
from even_palette.core.kit.model import Kit, Recipe
from even_palette.core.kit.older_formats import upgraded
from even_palette.core.kit.planes import without_missing_planes
from even_palette.core.kit.recipe_saves import put_back, writing_recipes
from even_palette.core.kit.scene_references import fitting_scenes
from even_palette.core.kit.trees import FromFile, paint_tiles, with_files, with_paint_tiles
from even_palette.core.kit.validate import check_paint, check_together
from even_palette.core.ranges import told
from even_palette.core.regions.paint import MOST_PACKED, PaintTile, is_name

KIT_FILE = "kit.json"
AUTOSAVE_FILE = "kit.autosave.json"
LOCK_FILE = ".kit.lock"
RECIPES_BEFORE = "kit.recipes-before.json"
"""What the files of recipes held while a save writes them; put back where it does not come to its end."""
BLOBS, PAINT = "blobs", ".paint"
MOST_JSON_BYTES = 64 << 20


def encode_kit(kit: Kit, folder: Path) -> bytes:
    """The text of kit.json for a kit kept in this folder: paths of maps are relative to it."""

    def relative(source: FromFile) -> FromFile:
        if not source.path:
            return source
        with contextlib.suppress(ValueError):
            return replace(source, path=Path(os.path.relpath(source.path, folder.resolve())).as_posix())
        return source

    stored = with_files(kit, relative)
    try:
        return msgspec.json.format(msgspec.json.encode(stored, enc_hook=_stored), indent=2) + b"\n"
    except UnicodeEncodeError:
        odd = next((file.path for file in stored.files if not file.path.isprintable()), "a name")
        raise UserError(f"{odd}: is no UTF-8 and cannot be kept in a kit; rename the file or its folder.") from None


def decode_kit(text: bytes, folder: Path, name: str = KIT_FILE) -> Kit:
    """The kit that kit.json describes; paths become absolute. Raises UserError, naming the file."""
    stored: object = None
    try:
        stored = msgspec.json.decode(text)
        _check_raw(stored)
        stored = upgraded(stored)
        kit = msgspec.convert(stored, type=Kit, dec_hook=_from_stored)
        check_paint(kit)
        kit = without_missing_planes(kit)
        check_together(kit)
    except (msgspec.MsgspecError, UserError, RecursionError, ValueError) as error:  # numbers may have too many digits
        raise UserError(f"{name}: not a kit that can be opened: {_sentence(error, stored)}") from None

    def absolute(source: FromFile) -> FromFile:
        if "\0" in source.path:
            raise UserError(f"{name}: a file has an impossible path.")
        return replace(source, path=os.path.normpath(folder.resolve() / source.path))

    return with_files(kit, absolute)


def _check_raw(stored: object) -> None:
    """Raise UserError for more of anything than is read, before it is carried over from an older format."""
    if isinstance(stored, dict):
        for name, most in MOST_PARTS.items():
            if isinstance(parts := stored.get(name), list) and len(parts) > most:
                raise UserError(f"{len(parts):,} {name}; the limit is {most:,}.")


MOST_PARTS = {
    field.name: field.type.max_length
    for field in msgspec.inspect.type_info(Kit).fields  # type: ignore[attr-defined]
    if getattr(field.type, "max_length", None)
}
"""How many parts of each kind a kit may have, as its fields declare."""


def _sentence(error: Exception, stored: object) -> str:
    return " ".join(told(error, stored).split())[:200]


def _stored(value: object) -> str:
    """In kit.json a tile of paint is its name; its bytes are a blob."""
    if isinstance(value, PaintTile):
        return value.name
    raise NotImplementedError(type(value))


def _from_stored(kind: type, value: object) -> PaintTile:
    """The tile of a name, without its bytes."""
    if kind is PaintTile and isinstance(value, str) and is_name(value):
        return PaintTile(value)
    raise msgspec.ValidationError(f"there is no {kind.__name__} {str(value)[:40]!r}")


def _schema_of(kind: type) -> dict[str, object]:
    if kind is PaintTile:
        return {"type": "string", "pattern": "^[0-9a-f]{64}$", "description": "The SHA-256 of a blob with paint."}
    raise NotImplementedError(kind)


def kit_schema() -> dict[str, object]:
    """JSON Schema of kit.json."""
    return msgspec.json.schema(Kit, schema_hook=_schema_of)


@dataclass(frozen=True)
class Opened:
    """A kit as it was found: the save, and the autosave where that is newer and differs."""

    saved: Kit
    recovered: Kit | None


class KitFolder:
    """A kit's folder, held by a lock while it is open. Without the lock, `read_only` says why.

    `unwritten` says what the last save left as it is: the files of recipes that it could not write.
    """

    def __init__(self, folder: Path) -> None:
        from filelock import FileLock, Timeout

        self.folder = folder
        self.read_only = ""
        self.unwritten: list[str] = []
        self._kept_paint: set[str] = set()
        self._lock = FileLock(folder / LOCK_FILE, thread_local=False)  # taken and let go by any worker
        try:
            self._lock.acquire(timeout=0)
            self._clear_unfinished()
        except Timeout:
            self.read_only = "it is open in another window"
        except OSError as error:
            self.read_only = f"its folder cannot be written ({reason(error)})"

    def _clear_unfinished(self) -> None:
        """Remove what a killed save left; the lock says that nobody else is saving."""
        for folder in (self.folder, self.folder / BLOBS):
            sweep(folder)
        put_back(self.folder / RECIPES_BEFORE, self.folder / KIT_FILE)

    @classmethod
    def create(cls, folder: Path) -> "KitFolder":
        """A folder for a kit that is new there. Raises UserError if there is one already or it cannot be made."""
        if exists(folder / KIT_FILE):
            raise UserError(f"{folder}: there is a kit already; choose another folder.")
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise UserError(f"{folder}: the folder cannot be made ({reason(error)}).") from error
        made = cls(folder)
        if made.read_only:
            raise UserError(f"{folder}: the kit cannot be saved there: {made.read_only}.")
        return made

    def open(self) -> Opened:
        """Read the save and a newer autosave. Raises UserError if the save cannot be read.

        A folder with an autosave alone is a kit that was never saved: its recovered state stands on an empty save.
        """
        saved_path, auto_path = self.folder / KIT_FILE, self.folder / AUTOSAVE_FILE
        if not exists(saved_path) and exists(auto_path):
            return Opened(Kit(), _read(auto_path))
        saved = _read(saved_path)
        recovered = None
        with contextlib.suppress(OSError, UserError):
            # A save removes the autosave, so one of the same tick of the clock was written after it.
            if auto_path.stat().st_mtime_ns >= saved_path.stat().st_mtime_ns:
                recovered = _read(auto_path)
        return Opened(saved, recovered if recovered != saved else None)

    def save(self, kit: Kit) -> Kit:
        """Save the kit, and the recipes that were changed in it to their files.

        Returns it with maps taken in by another folder pointing to this one's copies, and with what the files hold.

        Raises UserError if that fails; the last save is then still whole, and the files of recipes are what they were.
        """
        self._must_write()
        try:
            with writing_recipes(with_files(kit, self._adopt), self.folder / RECIPES_BEFORE) as (kept, self.unwritten):
                self._keep_paint(kept)
                write_whole(self.folder / KIT_FILE, encode_kit(fitting_scenes(without_unused(kept)), self.folder))
            (self.folder / AUTOSAVE_FILE).unlink(missing_ok=True)
            self._drop_paint(kept)
        except OSError as error:
            raise UserError(f"{self.folder}: the kit could not be saved ({reason(error)}).") from error
        return kept

    def autosave(self, kit: Kit) -> None:
        """Write the kit beside the save, with files that another folder took in. Raises UserError if that fails."""
        self._must_write()
        try:
            kept = with_files(kit, self._adopt)
            self._keep_paint(kept)
            write_whole(self.folder / AUTOSAVE_FILE, encode_kit(kept, self.folder))
        except OSError as error:
            raise UserError(f"{self.folder}: autosave failed ({reason(error)}).") from error

    def _keep_paint(self, kit: Kit) -> None:
        """Write the tiles of paint that are not there yet."""
        for tile in paint_tiles(kit):
            path = self.folder / BLOBS / f"{tile.name}{PAINT}"
            if tile.is_there and tile.name not in self._kept_paint and not path.exists():
                path.parent.mkdir(exist_ok=True)
                write_whole(path, tile.packed)
            self._kept_paint.add(tile.name)

    def _drop_paint(self, kit: Kit) -> None:
        """Remove tiles of paint that the save does not have; the steps of the history hold their own."""
        used = {tile.name for tile in paint_tiles(kit)}
        for path in (self.folder / BLOBS).glob(f"*{PAINT}"):
            if path.stem not in used and is_name(path.stem):
                path.unlink(missing_ok=True)
        self._kept_paint &= used

    def drop_autosave(self) -> None:
        """Remove the autosave, if there is one."""
        if not self.read_only:
            (self.folder / AUTOSAVE_FILE).unlink(missing_ok=True)

    def take_in(self, path: Path) -> tuple[Path, Fingerprint]:
        """Copy a map into the kit as a blob named by its content. Raises UserError if that fails."""
        self._must_write()
        seen = fingerprint(path)
        blob = self.folder / BLOBS / f"{seen.sha256}{path.suffix.lower()}"
        if not blob.exists():
            try:
                blob.parent.mkdir(exist_ok=True)
                write_whole(blob, read_bytes(path, MOST_FILE_BYTES))
            except OSError as error:
                raise UserError(f"{path.name}: could not be taken into the kit ({reason(error)}).") from error
        return blob, seen

    def _adopt(self, source: FromFile) -> FromFile:
        """A source whose file is another kit's blob comes along into this folder."""
        path = Path(source.path)
        ours = self.folder / BLOBS
        foreign = path.parent.name == BLOBS and path.stem == source.sha256 and path.parent != ours.resolve()
        if not foreign or not exists(path):
            return source
        blob, _ = self.take_in(path)
        return replace(source, path=str(blob.resolve()))

    def _must_write(self) -> None:
        if self.read_only:
            raise UserError(f"{self.folder}: the kit is read-only: {self.read_only}.")

    def close(self) -> None:
        """Let go of the lock."""
        if self._lock.is_locked:
            self._lock.release()

    def remove(self) -> None:
        """Delete a folder that was only ever an autosave."""
        self.close()
        if not (self.folder / KIT_FILE).exists():
            shutil.rmtree(self.folder, ignore_errors=True)


def as_kept(old: Kit, before: Kit, after: Kit) -> Kit:
    """A kit of the history with what a save of `before` changed: where maps lie, and what the files of recipes hold.

    Where the save joined a recipe with what others wrote, trees that do not have that know the file as it was.
    """
    pairs = zip(before.files, after.files, strict=True)
    kept = {a.path: b for a, b in pairs if a != b and not _joined(a, b)}

    def change(file: FromFile) -> FromFile:
        now = kept.get(file.path)
        if isinstance(file, Recipe):
            return replace(file, sha256=now.sha256, linked=now.linked) if isinstance(now, Recipe) else file
        return file if now is None else replace(file, path=now.path)

    return with_files(old, change)


def _joined(before: object, after: object) -> bool:
    return isinstance(before, Recipe) and isinstance(after, Recipe) and before.coats != after.coats


def read_kit(folder: Path) -> Kit:
    """The saved kit in a folder (or of a kit.json), without taking its lock. Raises UserError."""
    return _read(folder if folder.name == KIT_FILE else folder / KIT_FILE)


def _read(path: Path) -> Kit:
    kit = decode_kit(read_bytes(path, MOST_JSON_BYTES), path.parent, str(path))
    blobs, known = path.parent / BLOBS, dict[str, PaintTile]()

    def read(tile: PaintTile) -> PaintTile:
        """The tile with its bytes; one that is missing or damaged paints nothing, and the checks tell of it."""
        if tile.name not in known:
            known[tile.name] = tile
            with contextlib.suppress(UserError):
                packed = read_bytes(blobs / f"{tile.name}{PAINT}", MOST_PACKED)
                known[tile.name] = PaintTile.read(tile.name, packed)
        return known[tile.name]

    return with_paint_tiles(kit, read) if any(True for _ in paint_tiles(kit)) else kit
