"""The command line. Exit codes: 0 done, 1 findings, 2 wrong use or unreadable input."""

import argparse
import sys
from pathlib import Path

from even_palette.core.errors import UserError
from even_palette.core.jobs import Progress, silent


def main(arguments: list[str] | None = None) -> int:
    """Run a command; errors that a person can mend are one line on standard error."""
    options = _parser().parse_args(arguments)
    try:
        return int(options.run(options))
    except UserError as error:
        print(f"even-palette: {error}", file=sys.stderr)
        return 2
    except KeyboardInterrupt:
        print("even-palette: stopped.", file=sys.stderr)
        return 2


def _parser() -> argparse.ArgumentParser:
    parser = argparse.ArgumentParser(
        prog="even-palette", description="Author channel masks and build recolouring materials for game assets."
    )
    parser.set_defaults(run=_window, paths=[])
    commands = parser.add_subparsers(title="commands", metavar="COMMAND")

    command = commands.add_parser("demo", help="open the window with the demo kit")
    command.set_defaults(run=_demo)

    command = commands.add_parser("open", help="open a kit, or make one from image files")
    command.add_argument("paths", nargs="+", type=Path, metavar="KIT|FILES")
    command.set_defaults(run=_window)

    command = commands.add_parser("check", help="list findings; exit 1 if one is an error")
    command.add_argument("kit", type=Path)
    command.set_defaults(run=_check)

    command = commands.add_parser("bake", help="bake maps from the meshes of a kit")
    command.add_argument("kit", type=Path)
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="folder for the maps")
    command.add_argument(
        "--suffix", default=".png", choices=(".png", ".tif", ".exr", ".tga"), help="format of the maps"
    )
    command.set_defaults(run=_bake)

    command = commands.add_parser("ship", help="write the package of a kit")
    command.add_argument("kit", type=Path)
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="a new folder, or an older package")
    command.set_defaults(run=_ship)

    command = commands.add_parser("play", help="render a package with the player, which reads nothing else")
    command.add_argument("package", type=Path)
    command.add_argument("--variant", default="", help="name of a variant; without it the defaults")
    command.add_argument("--sheet", default="", help="name of a sheet; without it the first")
    command.add_argument("--size", type=_size, help="side of the picture in pixels; without it the sheet's own")
    command.add_argument("--reference", action="store_true", help="play the graph with NumPy instead of OpenGL")
    command.add_argument("--out", type=Path, required=True, metavar="PNG")
    command.set_defaults(run=_play)

    command = commands.add_parser("bench", help="speed and start-up, as ratios in one run")
    command.set_defaults(run=_bench)
    return parser


def _size(text: str) -> int:
    size = int(text)
    if not 1 <= size <= 16384:
        raise argparse.ArgumentTypeError("must be 1 to 16384")
    return size


def _progress() -> Progress:
    if not sys.stderr.isatty():
        return silent

    def show(share: float, doing: str) -> None:
        print(f"\r{doing}: {share:4.0%}   ", end="\n" if share >= 1 else "", file=sys.stderr, flush=True)

    return show


def _window(options: argparse.Namespace) -> int:
    from even_palette.app.main import run_window

    return run_window(options.paths)


def _demo(options: argparse.Namespace) -> int:
    from even_palette.app.main import run_demo

    return run_demo()


def _check(options: argparse.Namespace) -> int:
    from even_palette.core.checks import Severity, find
    from even_palette.core.kit.sheets import Sheets
    from even_palette.core.kit.store import read_kit

    findings = list(find(read_kit(options.kit), Sheets()))
    for finding in findings:
        print(f"{finding.severity}: {finding.stage}: {finding.text}")
    return int(any(finding.severity == Severity.ERROR for finding in findings))


def _bake(options: argparse.Namespace) -> int:
    from even_palette.core.kit.sheets import Sheets
    from even_palette.core.kit.store import read_kit
    from even_palette.core.raster.files import write_plane

    kit, meshes = read_kit(options.kit), Sheets().meshes
    if not any(sheet.bakes for sheet in kit.sheets):
        raise UserError(f"{options.kit}: the kit has no bakes; add some in Regions.")
    try:
        options.to.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UserError(f"{options.to}: the folder cannot be made ({error.strerror}).") from error
    for sheet in kit.sheets:
        for bake in sheet.bakes:
            plane, _ = meshes.bake(kit.showing(sheet.key), bake, _progress())
            path = options.to / f"{sheet.key}_{bake.key}{options.suffix}"
            write_plane(path, plane)
            print(f"{path.stat().st_size:>12,}  {path.name}")
    return 0


def _ship(options: argparse.Namespace) -> int:
    from even_palette.core.kit.sheets import Sheets
    from even_palette.core.kit.store import read_kit
    from even_palette.core.ship.write import ship

    for name, size in ship(read_kit(options.kit), Sheets(), options.to, _progress()).items():
        print(f"{size:>12,}  {name}")
    return 0


def _play(options: argparse.Namespace) -> int:
    from even_palette.core.raster.files import write_plane
    from even_palette.core.raster.plane import Encoding, Plane
    from even_palette.player.load import load

    loaded = load(options.package, options.sheet)
    width = options.size or loaded.sheet.width
    height = max(1, round(width * loaded.sheet.height / loaded.sheet.width))
    if options.reference:
        from even_palette.player.reference import play_reference as play
    else:
        from even_palette.player.opengl import play_opengl as play
    write_plane(options.out, Plane(play(loaded, options.variant, width, height), Encoding.SRGB))
    return 0


def _bench(options: argparse.Namespace) -> int:
    import subprocess

    benches = Path(__file__).resolve().parent.parent / "bench"
    scripts = sorted(benches.glob("bench_*.py"))
    if not scripts:
        raise UserError(f"{benches}: the benches are only in a source checkout.")
    return max(subprocess.call([sys.executable, str(script)]) for script in scripts)


if __name__ == "__main__":
    sys.exit(main())
