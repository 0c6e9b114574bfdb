"""Reading and writing: full disks, kills, foreign files, and names that are alike. The old state is whole or the new one."""

import contextlib
import hashlib
import os
import resource
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette.cli import main
from even_palette.core.disk.folders import INDEX_FILE, adding_files, recover
from even_palette.core.disk.gate import file_size, read_bytes, refuse_sources
from even_palette.core.disk.whole import PREFIX, write_whole
from even_palette.core.errors import UserError
from even_palette.core.kit.fingerprints import fingerprint
from even_palette.core.kit.mesh_file import MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.sheet import Bake, Sheet
from even_palette.core.kit.store import KitFolder
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.sheets import Sheets
from even_palette.core.ship.maps import write_bakes
from even_palette.core.ship.read_package import package_files, read_package
from even_palette.core.ship.write import ship
from even_palette.player.load import load

SQUARE = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n"


def state(folder: Path) -> dict[str, str]:
    """Every file below a folder with a hash of its bytes; locks are left out."""
    return {
        str(path.relative_to(folder)): hashlib.sha256(path.read_bytes()).hexdigest()
        for path in sorted(folder.rglob("*"))
        if path.is_file() and not path.name.endswith(".lock") and path.name != "ballast"
    }


@pytest.fixture
def baked(kit: Kit, tmp_path: Path) -> Kit:
    """The small kit with a square mesh and a bake."""
    mesh = tmp_path / "square.obj"
    mesh.write_text(SQUARE)
    seen = fingerprint(mesh)
    sheet = replace(kit.sheets[0], bakes=(Bake("position", "position", size=256),))
    file = MeshFile("square", str(mesh), kit.sheets[0].key, seen.size, seen.sha256)
    return replace(kit.with_sheet(sheet), meshes=(file,))


# Full disks

Room = Callable[[int], contextlib.AbstractContextManager[None]]


@pytest.fixture
def disk(tmp_path: Path) -> Iterator[tuple[Path, Room]]:
    """A folder, and a context in which only so many bytes can be written there: a small tmpfs, else `ulimit -f`."""
    place = tmp_path / "disk"
    place.mkdir()
    mounted = os.geteuid() == 0 and not subprocess.run(
        ["mount", "-t", "tmpfs", "-o", "size=4m", "tmpfs", str(place)], capture_output=True, check=False
    ).returncode  # fmt: skip

    @contextlib.contextmanager
    def room(count: int) -> Iterator[None]:
        if mounted:
            free = os.statvfs(place).f_bavail * os.statvfs(place).f_frsize
            (place / "ballast").write_bytes(b"\0" * max(0, free - count))
        else:
            hard = resource.getrlimit(resource.RLIMIT_FSIZE)[1]
            resource.setrlimit(resource.RLIMIT_FSIZE, (count, hard))
        try:
            yield
        finally:
            (place / "ballast").unlink(missing_ok=True)
            if not mounted:
                resource.setrlimit(resource.RLIMIT_FSIZE, (hard, hard))

    yield place, room
    if mounted:
        subprocess.run(["umount", str(place)], check=True)


def sizes(most: int) -> list[int]:
    """20 sizes of free space, from none to what is nearly enough."""
    return [most * step // 20 for step in range(20)]


@pytest.mark.parametrize("act", ["ship", "bake", "play"])
def test_a_full_disk_keeps_what_was_there(
    act: str, baked: Kit, tmp_path: Path, disk: tuple[Path, Room], capsys: pytest.CaptureFixture[str]
) -> None:
    """At 20 sizes of free space: code 2 with one line, and the old files whole, or code 0 and the new ones whole."""
    place, room = disk
    kit_folder = KitFolder.create(tmp_path / "kit")
    kit_folder.save(baked)
    kit_folder.close()
    ship(baked, Sheets(), tmp_path / "package")
    target = place / "out"
    arguments = {
        "ship": ["ship", str(kit_folder.folder), "--to", str(target)],
        "bake": ["bake", str(kit_folder.folder), "--to", str(target)],
        "play": ["play", str(tmp_path / "package"), "--reference", "--out", str(place / "out.png")],
    }[act]
    assert main(arguments) == 0
    before, refused = state(place), 0
    needed = sum(path.stat().st_size for path in place.rglob("*") if path.is_file())
    for free in sizes(needed):
        capsys.readouterr()
        with room(free):
            code = main(arguments)
        told = capsys.readouterr().err
        assert state(place) == before, free
        assert not list(place.rglob(f"{PREFIX}*"))
        if code:
            refused += 1
            assert (code, told.count("\n")) == (2, 1), told
    assert refused > 10
    if act != "play":
        assert main(arguments) == 0


@pytest.mark.parametrize("act", ["save", "autosave", "take in"])
def test_a_full_disk_keeps_the_kit(act: str, kit: Kit, maps: dict[Role, Path], disk: tuple[Path, Room]) -> None:
    """The same for saving, autosaving and taking a map into the kit."""
    place, room = disk
    folder = KitFolder.create(place / "kit")
    folder.save(kit)
    folder.autosave(replace(kit, name="Before"))
    before, refused = state(place), 0
    changed = replace(kit, name="After " + "x" * 2000)
    todo = {
        "save": lambda: folder.save(changed),
        "autosave": lambda: folder.autosave(changed),
        "take in": lambda: folder.take_in(maps[Role.BASE_COLOUR]),
    }[act]
    for free in sizes(9000):
        with room(free):
            try:
                todo()
            except UserError:
                refused += 1
                assert state(place) == before
            else:
                assert state(place) != before
                folder.save(kit)
                folder.autosave(replace(kit, name="Before"))
                if act == "take in":
                    for blob in (folder.folder / "blobs").iterdir():
                        blob.unlink()
                before = state(place)
        assert not list(place.rglob(f"{PREFIX}*"))
    assert refused > 3


def test_a_png_that_was_cut_is_noticed(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The library that writes PNG tells nothing when the disk is full; the file that was there stays."""
    noise = np.random.default_rng(3).integers(0, 255, (64, 64, 3)).astype(np.uint8)
    path = tmp_path / "a.png"
    write_plane(path, Plane(noise[::-1].copy(), Encoding.SRGB))
    before, hard = path.read_bytes(), resource.getrlimit(resource.RLIMIT_FSIZE)[1]
    for most in (0, 100, 4000, 8192, 12000):
        resource.setrlimit(resource.RLIMIT_FSIZE, (most, hard))
        try:
            with pytest.raises(UserError, match=r"a\.png: cannot be written"):
                write_plane(path, Plane(noise, Encoding.SRGB))
        finally:
            resource.setrlimit(resource.RLIMIT_FSIZE, (hard, hard))
        assert path.read_bytes() == before


# Kills

SHIPPER = """
import os, random, sys, time
import OpenImageIO as oiio
oiio.attribute("threads", 1)
from pathlib import Path
from msgspec.structs import replace
from even_palette.core.disk import folders
from even_palette.core.results.sheets import Sheets
from even_palette.core.kit.store import read_kit
from even_palette.core.ship.write import ship
kits = [read_kit(Path(sys.argv[1])), replace(read_kit(Path(sys.argv[1])), name="Other")]
target, sheets = Path(sys.argv[2]), Sheets()
if sys.argv[3] == "plain":
    folders.exchange = lambda one, other: False
started = time.perf_counter()
for kit in kits:
    ship(kit, sheets, target)
spent = (time.perf_counter() - started) / 2
print("ready", flush=True)
rng = random.Random(4)
for line in sys.stdin:
    child = os.fork()
    if child == 0:
        while True:
            for kit in kits:
                ship(kit, sheets, target)
    time.sleep(rng.random() * spent * 2)
    os.kill(child, 9)
    os.waitpid(child, 0)
    print("killed", flush=True)
"""


@pytest.mark.parametrize(("how", "kills"), [("exchange", 24), ("plain", 12)])
def test_kills_while_shipping(how: str, kills: int, kit: Kit, tmp_path: Path) -> None:
    """The target is always the old or the new package whole, and the next run leaves no hidden folder.

    Where the system cannot exchange two folders in one step, the next run brings the old one back.
    """
    folder, target = KitFolder.create(tmp_path / "kit"), tmp_path / "out" / "package"
    folder.save(kit)
    folder.close()
    process = subprocess.Popen(
        [sys.executable, "-c", SHIPPER, str(folder.folder), str(target), how],
        stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert process.stdin
    assert process.stdout
    assert process.stdout.readline() == "ready\n"
    whole = []
    for name in (kit.name, "Other"):
        ship(replace(kit, name=name), Sheets(), tmp_path / name)
        whole.append(state(tmp_path / name))
    left = 0
    try:
        for _ in range(kills):
            process.stdin.write("go\n")
            process.stdin.flush()
            assert process.stdout.readline() == "killed\n"
            left += len(list(target.parent.glob(f"{PREFIX}*")))
            if how == "plain":
                recover(target, package_files)
                assert not list(target.parent.glob(f"{PREFIX}*"))
            assert state(target) in whole
    finally:
        process.kill()
        process.wait()
    assert left > 0  # kills did hit work in progress
    ship(kit, Sheets(), target)
    assert [path.name for path in target.parent.iterdir()] == ["package"]


# Folders of others


def foreign_json(folder: Path) -> None:
    (folder / "package.json").write_text('{"name": "website", "version": "1.0.0", "scripts": {}}')


def folder_called_package(folder: Path) -> None:
    (folder / "package.json").mkdir()


def folder_called_readme(folder: Path) -> None:
    foreign_json(folder)
    (folder / "README.txt").mkdir()


def disguised(folder: Path) -> None:
    (folder / "package.json").write_text('{"format": 1, "made_by": "Somebody else", "sheets": []}')


@pytest.mark.parametrize("fill", [foreign_json, folder_called_package, folder_called_readme, disguised])
def test_folders_of_others_are_never_replaced(
    fill: Callable[[Path], None], kit: Kit, sheets: Sheets, tmp_path: Path
) -> None:
    target = tmp_path / "theirs"
    target.mkdir()
    fill(target)
    before = state(target)
    with pytest.raises(UserError, match="holds other files"):
        ship(kit, sheets, target)
    assert state(target) == before
    assert not list(tmp_path.glob(f"{PREFIX}*"))


def test_a_package_with_a_folder_for_a_readme_is_refused(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    target = tmp_path / "package"
    ship(kit, sheets, target)
    (target / "README.txt").unlink()
    (target / "README.txt").mkdir()
    (target / "README.txt" / "notes").write_text("keep")
    with pytest.raises(UserError, match=r"README\.txt"):
        ship(kit, sheets, target)
    assert (target / "README.txt" / "notes").read_text() == "keep"


def test_what_is_put_into_an_old_package_meanwhile_stays(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    target = tmp_path / "package"
    ship(kit, sheets, target)

    def meanwhile(share: float, doing: str) -> None:
        (target / "late.txt").write_text("keep me")

    sizes = ship(kit, sheets, target, meanwhile)
    assert (target / "late.txt").read_text() == "keep me"
    assert {path.name for path in target.iterdir()} == {*sizes, "late.txt"}
    assert not list(tmp_path.glob(f"{PREFIX}*"))


def test_odd_targets(
    kit: Kit, sheets: Sheets, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, disk: tuple[Path, Room]
) -> None:
    """A link is followed and stays a link; the current folder, a mount point and a file are refused before the work."""
    (tmp_path / "real").mkdir()
    (tmp_path / "link").symlink_to("real")
    ship(kit, sheets, tmp_path / "link")
    assert (tmp_path / "link").is_symlink()
    assert read_package(tmp_path / "real").name == kit.name
    (tmp_path / "loose").symlink_to("not yet")
    ship(kit, sheets, tmp_path / "loose")
    assert (tmp_path / "not yet" / "package.json").is_file()
    (tmp_path / "here").mkdir()
    monkeypatch.chdir(tmp_path / "here")
    (tmp_path / "file").write_text("x")
    cases = [(Path("."), "that you are in"), (Path(".."), "in|read from"), (tmp_path / "file", "is a file")]
    if os.path.ismount(disk[0]):
        cases.append((disk[0], "mount point"))
    for target, told in cases:
        with pytest.raises(UserError, match=told):
            ship(kit, sheets, target)
    assert not list(tmp_path.rglob(f"{PREFIX}*"))


def test_a_package_that_a_kit_reads_is_no_target(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """A kit whose base colour is the map of an older package."""
    target = tmp_path / "package"
    ship(kit, sheets, target)
    seen = fingerprint(target / "base_colour.png")
    base = replace(kit.sheets[0].sources[0], path=str(target / "base_colour.png"), size=seen.size, sha256=seen.sha256)
    with pytest.raises(UserError, match="read from"):
        ship(kit.with_sheet(replace(kit.sheets[0], sources=(base, *kit.sheets[0].sources[1:]))), sheets, target)
    assert load(target)


# Names


def test_sheets_never_share_files(kit: Kit, tmp_path: Path) -> None:
    """Names that differ by case, punctuation or letters outside ASCII: each sheet plays with its own map."""
    names, made = ["Нос", "Рот", "A b", "a-b", "A_B", "a b base"], []
    for number, name in enumerate(names):
        path = tmp_path / f"{number}.png"
        write_plane(path, Plane(np.full((4, 4, 3), 40 * number, np.uint8), Encoding.SRGB))
        seen = fingerprint(path)
        source = replace(kit.sheets[0].sources[0], path=str(path), size=seen.size, sha256=seen.sha256)
        made.append(Sheet(f"sheet_{number}", name, (source,)))
    many = replace(kit, sheets=tuple(made), parameters=(), variants=())
    ship(many, Sheets(), tmp_path / "package")
    for number, name in enumerate(names):
        assert load(tmp_path / "package", name).slots["base_colour"].plane.samples.max() == 40 * number
    files = [path.name.casefold() for path in (tmp_path / "package").iterdir()]
    assert len(set(files)) == len(files) == 2 * len(names) + 2


def test_bakes_never_share_files(baked: Kit, tmp_path: Path) -> None:
    sheets = (
        replace(baked.sheets[0], key="a", name="One", bakes=(Bake("b_c", "position", size=256),)),
        Sheet("a_b", "Two", bakes=(Bake("c", "random", size=256),)),
    )
    mesh = replace(baked.meshes[0], sheet="a")
    many = replace(baked, sheets=sheets, meshes=(mesh, replace(mesh, key="other", sheet="a_b")))
    made = write_bakes(many, Sheets(), tmp_path / "baked")
    assert len(made) == 2
    assert len(set(state(tmp_path / "baked").values())) == 3


@pytest.mark.parametrize("key", ["x/../../../escaped", "..", "", "a\0b", "A", "a" * 65])
def test_keys_of_bakes_are_checked_on_reading(key: str, baked: Kit, tmp_path: Path) -> None:
    from even_palette.core.kit.store import decode_kit, encode_kit

    odd = baked.with_sheet(replace(baked.sheets[0], bakes=(Bake(key, "position"),)))
    with pytest.raises(UserError, match="bake"):
        decode_kit(encode_kit(odd, tmp_path), tmp_path)


def test_bakes_replace_only_what_they_wrote(baked: Kit, tmp_path: Path) -> None:
    folder, name = tmp_path / "baked", f"{baked.sheets[0].key}-position.png"
    for _ in range(2):
        assert list(write_bakes(baked, Sheets(), folder)) == [name]
    assert sorted(path.name for path in folder.iterdir()) == [INDEX_FILE, name]
    (folder / name).write_text("somebody else's")
    with pytest.raises(UserError, match="was not written here"):
        write_bakes(baked, Sheets(), folder)
    assert (folder / name).read_text() == "somebody else's"


def test_a_file_that_the_kit_reads_is_no_target(baked: Kit, sheets: Sheets, tmp_path: Path) -> None:
    """A map that has the name of a bake, and the kit's own mesh as the place for one with ID colours."""
    from even_palette.core.ship.mesh_with_ids import write_with_ids

    folder, name = tmp_path / "baked", f"{baked.sheets[0].key}-position.png"
    write_bakes(baked, Sheets(), folder)
    seen = fingerprint(folder / name)
    source = replace(baked.sheets[0].sources[0], path=str(folder / name), size=seen.size, sha256=seen.sha256)
    taken = baked.with_sheet(replace(baked.sheets[0], sources=(source,)))
    with pytest.raises(UserError, match="read from"):
        write_bakes(taken, Sheets(), folder)
    for other in (tmp_path / "square.obj", tmp_path / "link.glb"):
        (tmp_path / "link.glb").unlink(missing_ok=True)
        (tmp_path / "link.glb").symlink_to(tmp_path / "square.obj")
        with pytest.raises(UserError, match=r"read from|not written"):
            write_with_ids(baked, sheets, "square", other)
    assert (tmp_path / "square.obj").read_text() == SQUARE


def test_play_does_not_write_into_its_package(kit: Kit, sheets: Sheets, tmp_path: Path) -> None:
    ship(kit, sheets, tmp_path / "package")
    before = state(tmp_path / "package")
    out = str(tmp_path / "package" / "base_colour.png")
    assert main(["play", str(tmp_path / "package"), "--reference", "--out", out]) == 2
    assert state(tmp_path / "package") == before


# Sets of files, and the gate


def test_a_set_appears_together_or_not_at_all(tmp_path: Path) -> None:
    def fail() -> None:
        with adding_files(tmp_path / "set", ["a", "b"]) as staging:
            (staging / "a").write_text("new")
            raise RuntimeError

    with adding_files(tmp_path / "set", ["a", "b"]) as staging:
        (staging / "a").write_text("1")
        (staging / "b").write_text("2")
    before = state(tmp_path / "set")
    with pytest.raises(RuntimeError):
        fail()
    assert state(tmp_path / "set") == before
    assert not list((tmp_path / "set").glob(f"{PREFIX}*"))


def test_unfinished_files_of_a_killed_save_are_removed(kit: Kit, tmp_path: Path) -> None:
    folder = KitFolder.create(tmp_path / "kit")
    folder.save(kit)
    folder.close()
    (tmp_path / "kit" / f"{PREFIX}abc.json").write_text("{")
    KitFolder(tmp_path / "kit").close()
    assert not list((tmp_path / "kit").glob(f"{PREFIX}*"))


def test_links_stay_links(tmp_path: Path) -> None:
    (tmp_path / "real.txt").write_text("old")
    (tmp_path / "link.txt").symlink_to("real.txt")
    write_whole(tmp_path / "link.txt", b"new")
    assert (tmp_path / "link.txt").is_symlink()
    assert (tmp_path / "real.txt").read_text() == "new"


@pytest.mark.parametrize(
    ("make", "told"),
    [(lambda p: p.mkdir(), "a folder"), (lambda p: os.mkfifo(p), "a named pipe"),
     (lambda p: p.symlink_to("/dev/zero"), "a device"), (lambda p: p.symlink_to(p), "opened"),
     (lambda p: p.write_bytes(b"x" * 11), "11 bytes"), (lambda p: None, "No such file")],
)  # fmt: skip
def test_the_gate(make: Callable[[Path], None], told: str, tmp_path: Path) -> None:
    path = tmp_path / "it"
    make(path)
    for read in (file_size, read_bytes):
        with pytest.raises(UserError, match=told):
            read(path, 10)
    for odd in (Path("x" * 5000), Path("a\0b")):
        with pytest.raises(UserError, match="cannot be opened"):
            read_bytes(odd, 10)


def test_sources_are_known_through_links(tmp_path: Path) -> None:
    (tmp_path / "map.png").write_text("x")
    (tmp_path / "link").symlink_to(tmp_path)
    for target in (tmp_path / "link" / "map.png", tmp_path / "link", tmp_path):
        with pytest.raises(UserError, match="read from"):
            refuse_sources(target, [tmp_path / "map.png"])
    refuse_sources(tmp_path / "other.png", [tmp_path / "map.png"])
