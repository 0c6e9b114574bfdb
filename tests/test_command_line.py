"""The program as a process: exit codes, one line for what is wrong, and where its code is taken from."""

import doctest
import importlib
import os
import shutil
import signal
import subprocess
import sys
import time
from pathlib import Path

import numpy as np
import pytest
from msgspec.structs import replace

from even_palette import __main__ as program
from even_palette.cli import main
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import KIT_FILE, KitFolder, read_kit
from even_palette.core.raster.files import read_plane, write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.terminal import command

TOP = Path(__file__).resolve().parents[1]
LONG = "x" * 300
WRONG = [
    ["fly"],
    ["check"],
    ["check", "--fast", "kit"],
    ["ship", "kit"],
    ["bake", "kit", "--to", "out", "--suffix", ".gif"],
    ["bake", "kit", "--to"],
    ["masks", "kit", "--to", "out", "--bits", "12"],
    ["masks", "missing", "--to", "out"],
    ["play", "package", "--size", "0", "--out", "a.png"],
    ["play", "package", "--size", "1e3", "--out", "a.png"],
    ["play", "package", "--size", "9" * 5000, "--out", "a.png"],
    ["play", "nowhere", "--out", "a.png"],
    ["play", "package", "--variant", "nobody", "--out", "a.png"],
    ["play", "package", "--output", "nothing", "--out", "a.png"],
    ["play", "package", "--sheet", "nothing", "--out", "a.png"],
    ["check", "nowhere"],
    ["check", LONG],
    ["check", "x" * 5000],
    ["ship", "kit", "--to", LONG],
    ["ship", "kit", "--to", "x" * 5000],
    ["ship", "kit", "--to", f"{LONG}/package"],
    ["ship", "kit", "--to", "/proc/nowhere/package"],
    ["bake", "kit", "--to", LONG],
    ["play", "package", "--out", f"{LONG}.png"],
    ["play", "package", "--out", "a.gif"],
    ["check", "line\nbreak\x1b[31m"],
    ["check", os.fsdecode(b"\xff\xfe")],
    ["ship", "kit", "--to", ""],
]


def call(*words: str, **options: object) -> subprocess.CompletedProcess[bytes]:
    given = {"capture_output": True, "timeout": 30, "check": False, **options}
    return subprocess.run(command(*words), **given)  # type: ignore[call-overload,no-any-return]


@pytest.fixture
def folder(kit: Kit, tmp_path: Path) -> Path:
    """A folder with a kit and a link to the demo's."""
    made = KitFolder.create(tmp_path / "kit")
    made.save(kit)
    made.close()
    return tmp_path


@pytest.mark.parametrize("words", WRONG, ids=lambda words: " ".join(words)[:40].encode("ascii", "replace").decode())
def test_wrong_use(words: list[str], folder: Path) -> None:
    """Code 2 and one line of plain letters in our words; nothing is written."""
    before = sorted(path.name for path in folder.iterdir())
    done = call(*words, cwd=folder, env={**os.environ, "PYTHONIOENCODING": "ascii"})
    told = done.stderr.decode("ascii")
    assert (done.returncode, done.stdout, told.count("\n")) == (2, b"", 1), told
    assert told.startswith("even-palette: ")
    assert all(c.isprintable() for c in told[:-1])
    assert len(told) < 2200
    for word in ("usage:", "argument ", "Errno", "choose from", "Traceback"):
        assert word not in told
    assert sorted(path.name for path in folder.iterdir()) == before


def test_output_that_nobody_reads(folder: Path) -> None:
    """A reader that went away: no word of it, and 1 only for findings. A full device: one sentence, 2."""
    for findings in (False, True):
        if findings:
            (folder / "maps" / "crate_base_colour.png").unlink()
        reader, writer = os.pipe()
        os.close(reader)
        done = call("check", str(folder / "kit"), capture_output=False, stdout=writer, stderr=subprocess.PIPE)
        os.close(writer)
        assert (done.returncode, done.stderr) == (int(findings), b"")
    with open("/dev/full", "wb") as full:
        done = call("check", str(folder / "kit"), capture_output=False, stdout=full, stderr=subprocess.PIPE)
    assert done.returncode == 2
    assert done.stderr.startswith(b"even-palette: the output cannot be written")
    assert done.stderr.count(b"\n") == 1


def test_plain_output_encodings(kit: Kit, tmp_path: Path) -> None:
    """Names with letters that the terminal lacks, line breaks and escape codes are shown escaped, a finding a line."""
    regions = (replace(kit.sheets[0].regions[0], name="Нос\n\x1b[31m”", keyed=False), *kit.sheets[0].regions[1:])
    made = KitFolder.create(tmp_path / "named")
    made.save(kit.with_sheet(replace(kit.sheets[0], regions=regions)))
    made.close()
    done = call("check", str(tmp_path / "named"), env={**os.environ, "PYTHONIOENCODING": "ascii"})
    assert done.returncode == 1
    assert done.stderr == b""
    lines = done.stdout.decode("ascii").splitlines()
    assert all(line.startswith(("error: ", "warning: ", "note: ")) for line in lines)
    assert r"\u041d\u043e\u0441\n\x1b[31m\u201d covers no texel" in done.stdout.decode()


@pytest.mark.parametrize(
    "change",
    [lambda text: text.replace(b'"path": "', b'"path": "' + b"y" * 5000), lambda text: text.replace(b'"region_1"', b'"re\\u0000"')],
)  # fmt: skip
def test_odd_kits(change, folder: Path) -> None:  # type: ignore[no-untyped-def]
    path = folder / "kit" / KIT_FILE
    path.write_bytes(change(path.read_bytes()))
    done = call("check", str(folder / "kit"))
    assert b"Traceback" not in done.stderr + done.stdout
    assert done.returncode in (1, 2)
    assert (done.stdout if done.returncode == 1 else done.stderr).count(b"\n") >= 1


def test_ctrl_c_at_any_moment(folder: Path) -> None:
    """While it starts, imports and works: one line at the most, no traceback, code 2 or done."""
    seen = set()
    for step in range(16):
        process = subprocess.Popen(
            command("ship", str(folder / "kit"), "--to", str(folder / "out")),
            stdout=subprocess.PIPE, stderr=subprocess.PIPE,
            preexec_fn=lambda: signal.signal(signal.SIGINT, signal.default_int_handler),
        )  # fmt: skip
        time.sleep(0.06 + 0.06 * step)
        process.send_signal(signal.SIGINT)
        _, told = process.communicate(timeout=300)
        seen.add(process.returncode)
        if b"even_palette" in told or b"even-palette" in told or process.returncode in (0, 2):
            assert told == (b"even-palette: stopped.\n" if process.returncode else b"")
        else:  # the interpreter had not begun with us: it ends by the signal, or says so in its own words
            assert process.returncode == -signal.SIGINT or b"KeyboardInterrupt" in told
    assert 2 in seen
    assert not [path.name for path in folder.iterdir() if path.name.startswith(".")]


def test_ctrl_c_waits_for_an_import(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """An interruption within an import, even where Python would wrap or swallow it, is told once the import is done."""
    (tmp_path / "interrupted_here.py").write_text(
        "import os, signal, time\n"
        "class Stops:\n"
        "    def __set_name__(self, owner, name):\n"
        "        os.kill(os.getpid(), signal.SIGINT)\n"
        "        time.sleep(0.05)\n"
        "class Made:\n"
        "    field = Stops()\n"
    )
    monkeypatch.syspath_prepend(str(tmp_path))

    def import_and_wait() -> None:
        importlib.import_module("interrupted_here")
        time.sleep(5)

    before = [signal.signal(number, program._interrupt) for number in (signal.SIGINT, signal.SIGALRM)]
    try:
        with pytest.raises(KeyboardInterrupt):
            import_and_wait()
        assert "interrupted_here" in sys.modules
    finally:
        for number, handler in zip((signal.SIGINT, signal.SIGALRM), before, strict=True):
            signal.signal(number, handler)


def test_no_screen(folder: Path) -> None:
    """A display that cannot be reached is told in one sentence."""
    hidden = ("QT_QPA_PLATFORM", "WAYLAND_DISPLAY")
    for display in (":97", "nowhere:0", ""):
        env = {**{k: v for k, v in os.environ.items() if k not in hidden}, "DISPLAY": display}
        done = call("demo", env={**env, "EVEN_PALETTE_STATE": str(folder / "state")})
        assert done.returncode == 2
        assert done.stderr.count(b"\n") == 1
        assert b"screen" in done.stderr


# Where the code comes from


@pytest.fixture(scope="module")
def checkout(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A copy of the checkout that shares this one's environment."""
    top = tmp_path_factory.mktemp("copy") / "checkout"
    shutil.copytree(
        TOP, top, ignore=shutil.ignore_patterns(".git", ".venv*", "node_modules", "screenshots", ".*_cache")
    )
    return top


def with_environment(top: Path) -> None:
    """An environment as the set-up makes it: found by where it lies, not by where it was made."""
    venv = top / ".venv"
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(venv)], check=True)
    site = venv / "lib" / "python3.11" / "site-packages"
    packages = Path(sys.prefix) / "lib" / "python3.11" / "site-packages"
    (site / "packages.pth").write_text(f"{packages}\n")
    (site / "even_palette.pth").write_text("../../../..\n")
    shutil.copy(top / "requirements.lock", venv / ".runtime-lock")


def test_run_starts_the_checkout_that_it_lies_in(checkout: Path, folder: Path) -> None:
    """Also through a link, after the checkout was moved, and with modules of other people in the current folder."""
    with_environment(checkout)
    moved = checkout.with_name("moved")
    checkout.rename(moved)
    marker = moved / "even_palette" / "__init__.py"
    marker.write_text(marker.read_text() + "\nimport sys as _s\n_s.stdout.write('moved copy\\n')\n")
    (folder / "numpy.py").write_text("print('foreign code')\n")
    (folder / "argparse.py").write_text("print('foreign code')\n")
    (folder / "link").symlink_to(moved / "run")
    (folder / "maps" / "crate_base_colour.png").unlink()
    for start in (str(moved / "run"), str(folder / "link"), "./link"):
        done = subprocess.run([start, "check", "kit"], cwd=folder, capture_output=True, text=True, check=False)
        assert done.returncode == 1, done.stderr
        assert "foreign code" not in done.stdout + done.stderr
        assert "moved copy" in done.stdout
        assert "is missing" in done.stdout


SETUP = """
set -euo pipefail
. "$1/.setup.sh"
even_palette_system() {{ :; }}
python3.11() {{ [ "$1" = -c ] || mkdir -p "$3/bin"; }}
even_palette_install() {{ {install}; }}
setup_even_palette "$1" runtime
echo "set up"
"""


@pytest.mark.parametrize("install", ["false", "kill -9 $BASHPID", "mkdir -p $(dirname $1); exit 1"])
def test_a_failed_set_up_leaves_no_environment(install: str, tmp_path: Path) -> None:
    """An install step that fails or is killed: the next run sets up anew, it does not take what is there for whole."""
    top = tmp_path / "top"
    (top / "even_palette").mkdir(parents=True)
    for name in (".setup.sh", "requirements.lock"):
        shutil.copy(TOP / name, top / name)
    text = SETUP.format(install=install)
    for _ in range(2):
        done = subprocess.run(["bash", "-c", text, "bash", str(top)], capture_output=True, text=True, check=False)
        assert done.returncode != 0
        assert "set up" not in done.stdout
        assert not (top / ".venv").exists()


def test_run_does_commands_on_kits(folder: Path, kit: Kit) -> None:
    """A script runs on each kit with it as `kit`; its failures are one line with the place, and lose nothing."""
    (folder / "good.py").write_text('kit.do("rename_region", "region_1", "Lid")\nkit.save()\n')
    done = call("run", str(folder / "good.py"), str(folder / "kit"))
    assert (done.returncode, done.stderr) == (0, b"")
    assert read_kit(folder / "kit").sheets[0].regions[0].name == "Lid"
    before = (folder / "kit" / KIT_FILE).read_bytes()
    for text, told in (
        ("x = (", "cannot be run"),
        ("x = 1\ny = 1 / 0", "line 2: ZeroDivisionError"),
        ('kit.do("fly")', "no command “fly”"),
        ('kit.do("add_variant")', "missing 1 required"),
        ('kit.do("rename_region", "nobody", "x")', "there is no 'nobody'"),
        ("raise SystemExit(3)", "ended with 3"),
    ):
        (folder / "bad.py").write_text(text)
        done = call("run", str(folder / "bad.py"), str(folder / "kit"))
        assert (done.returncode, done.stderr.count(b"\n")) == (2, 1)
        assert told in done.stderr.decode()
    assert (folder / "kit" / KIT_FILE).read_bytes() == before


def test_scripting_page(maps: dict[Role, Path], tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """The examples of docs/scripting.md."""
    monkeypatch.chdir(tmp_path)
    results = doctest.testfile(str(TOP / "docs" / "scripting.md"), module_relative=False)
    assert results.attempted > 20
    assert results.failed == 0


def test_library_messages_go_to_the_log(folder: Path, maps: dict[Role, Path]) -> None:
    """A TIFF whose tags make its library print warnings."""
    import struct

    from PIL import Image

    Image.open(maps[Role.BASE_COLOUR]).save(folder / "a.tif")
    data = bytearray((folder / "a.tif").read_bytes())
    (at,) = struct.unpack_from("<I", data, 4)
    (fields,) = struct.unpack_from("<H", data, at)
    struct.pack_into("<H", data, at + 2 + 12 * (fields - 1), 65000)  # the last tag becomes one that nobody knows
    (folder / "maps" / "odd.tif").write_bytes(bytes(data))
    text = (folder / "kit" / KIT_FILE).read_text().replace("crate_base_colour.png", "odd.tif")
    (folder / "kit" / KIT_FILE).write_text(text)
    assert call("check", str(folder / "kit")).stderr == b""


def test_palettes_of_many_pictures(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """Index map, strip, list and preview of each; shared by all; alpha apart; nothing foreign is replaced."""
    rng = np.random.default_rng(2)
    few = rng.integers(0, 256, (5, 3)).astype(np.uint8)
    paths = [tmp_path / "a.png", tmp_path / "b.png"]
    for path in paths:
        alpha = rng.integers(0, 256, (9, 11, 1)).astype(np.uint8)
        write_plane(path, Plane(np.concatenate([few[rng.integers(0, 5, (9, 11))], alpha], -1), Encoding.SRGB))
    arguments = ["palette", *map(str, paths), "--to", str(tmp_path / "out"), "--size", "5", "--shared"]
    assert main(arguments) == 0
    assert "5 entries, OKLab error x 100: mean 0.00" in capsys.readouterr().out
    for name, path in zip("ab", paths, strict=True):
        preview = read_plane(tmp_path / "out" / f"{name}-preview.png", Encoding.SRGB).samples
        assert np.array_equal(preview, read_plane(path, Encoding.SRGB).samples[..., :3])
        index = read_plane(tmp_path / "out" / f"{name}-index.png", Encoding.DATA).samples
        assert set(np.unique(index)) <= {0, 64, 128, 191, 255}
        assert (tmp_path / "out" / f"{name}-alpha.png").exists()
    assert main(arguments) == 0  # what was written here may be written anew
    (tmp_path / "out" / "a-strip.png").write_bytes(b"mine")
    assert main(arguments) == 2
    assert "was not written here" in capsys.readouterr().err
    assert main([*arguments[:-3], "--size", "1"]) == 2
    (tmp_path / "bad.png").write_bytes(paths[0].read_bytes()[:60])
    assert main(["palette", str(tmp_path / "bad.png"), "--to", str(tmp_path / "other")]) == 2
    assert not list((tmp_path / "other").glob("bad*"))
