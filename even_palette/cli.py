"""The command line. Exit codes: 0 done, 1 findings, 2 wrong use or unreadable input."""

import argparse
import re
import sys
from collections.abc import Iterator, Sequence
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any, NoReturn

from even_palette.core.errors import UserError, one_line
from even_palette.core.jobs import Progress, silent
from even_palette.terminal import FINDINGS, REFUSED, say, tell

if TYPE_CHECKING:
    from even_palette.core.kit.model import Kit

MOST_SCRIPT_BYTES = 16 << 20
WRONG_USE = (
    (r"the following arguments are required: (.+)", r"\1 is missing"),
    (r"argument COMMAND: invalid choice: '?(.*?)'? \(choose from .*", r"there is no command “\1”"),
    (r"unrecognized arguments: (.+)", r"“\1” is not understood"),
    (r"argument (\S+): expected (?:one|at least one) argument", r"\1 needs something behind it"),
    (r"argument (\S+): invalid choice: '?(.*?)'? \(choose from (.*)\)", r"\1 cannot be “\2”; it is one of \3"),
    (r"argument (\S+): invalid \S+ value: '(.*)'", r"\1 cannot be “\2”"),
    (r"argument (\S+): (.+)", r"\1 \2"),
    (r"ambiguous option: (\S+).*", r"“\1” could be several options"),
)
"""What the library for arguments says, and how we say it."""


class _Parser(argparse.ArgumentParser):
    """Says in one line what is wrong with the arguments."""

    def __init__(self, *args: Any, **options: Any) -> None:
        super().__init__(*args, **{**options, "allow_abbrev": False})

    def error(self, message: str) -> NoReturn:
        for pattern, ours in WRONG_USE:
            if re.fullmatch(pattern, message, re.DOTALL):
                message = re.sub(pattern, ours, message, flags=re.DOTALL)
                break
        raise UserError(f"{message}; see {self.prog} --help.")


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command; errors that a person can mend are one line on standard error."""
    try:
        options = _parser().parse_args(arguments)
        return int(options.run(options))
    except UserError as error:
        tell(str(error))
    except KeyboardInterrupt:
        tell("stopped.")
    return REFUSED


def _parser() -> argparse.ArgumentParser:
    from even_palette.core.kit.output_plan import PATTERN, READY
    from even_palette.core.limits import MOST_ROW_TEXELS
    from even_palette.core.raster.formats import LAYERED, OFFERED, OFFERED_16

    parser = _Parser(
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
    command.add_argument("--suffix", default=".png", choices=OFFERED, help="format of the maps")
    command.set_defaults(run=_bake)

    command = commands.add_parser("masks", help="write the weights of every region and the packed planes")
    command.add_argument("kit", type=Path)
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="folder for the masks")
    command.add_argument("--bits", type=int, default=8, choices=(8, 16), help="depth of the regions' weights")
    command.add_argument("--suffix", default=".png", choices=OFFERED_16, help="format of the masks")
    command.set_defaults(run=_masks)

    command = commands.add_parser("palette", help="palette, index map and strip of images")
    command.add_argument("images", nargs="+", type=Path, metavar="IMAGE")
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="folder for the maps")
    command.add_argument("--size", type=_entries, default=256, metavar="N", help="entries, 2 to 256")
    command.add_argument("--method", default="chain", choices=("chain", "means", "cut"), help="how colours are fitted")
    command.add_argument("--dither", default="none", choices=("none", "ordered", "diffused"))
    command.add_argument("--shared", action="store_true", help="one palette for all images")
    command.set_defaults(run=_palette)

    command = commands.add_parser("render", help="full-size maps of variants")
    command.add_argument("kit", type=Path)
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="folder for the maps")
    command.add_argument("--variant", action="append", metavar="V", help="name or key; without it all, master first")
    command.add_argument(
        "--sheet", action="append", metavar="S", help="a sheet or twin, by name or key; without it all"
    )
    command.add_argument("--output", action="append", metavar="NAME", help="colour (without it), emission, roughness …")
    command.add_argument("--size", type=_size, default=0, metavar="N", help="width in texels; else the sheet's own")
    command.add_argument("--format", default="png", choices=("png", "exr", "tga", "tif"), help="format of the maps")
    command.set_defaults(run=_render)

    command = commands.add_parser("review", help="pictures of variants beside each other, or of a scene")
    command.add_argument("kit", type=Path)
    command.add_argument(
        "--to", type=Path, required=True, metavar="FILE", help="PNG or TIFF; over time animated WebP, too"
    )
    command.add_argument("--scene", metavar="S", help="a scene, by name or key, in place of variants")
    command.add_argument("--sheet", metavar="S", help="the sheet whose meshes are shown; without it the first")
    command.add_argument("--variant", action="append", metavar="V", help="name or key; without it all, master first")
    command.add_argument("--width", type=_size, default=640, metavar="N", help="of one picture, in pixels")
    command.add_argument("--height", type=_size, default=480, metavar="N")
    command.add_argument("--flat", action="store_true", help="the exact colours, without light")
    command.add_argument("--seconds", type=float, default=0.0, help="over time: numbered pictures, or one WebP")
    command.add_argument("--rate", type=float, default=12.0, help="pictures a second")
    command.add_argument("--turns", type=float, default=0.0, help="how often the view goes around meanwhile")
    command.set_defaults(run=_review)

    command = commands.add_parser("textures", help="maps of a sheet in blocks, as its conditions in stage 7 say")
    command.add_argument("kit", type=Path)
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="folder for the textures")
    command.add_argument("--sheet", metavar="S", help="by name or key; without it the first")
    command.add_argument("--format", default="ktx2", choices=("ktx2", "dds"), help="format of the files")
    command.set_defaults(run=_textures)

    command = commands.add_parser("write", help="maps by an output plan: what goes into which channel of which file")
    command.add_argument("kit", type=Path)
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="folder for the maps")
    command.add_argument(
        "--plan",
        default="separate",
        metavar="PLAN",
        help=f"{', '.join(plan.key for plan in READY)}, masks, packed_masks, pictures …, or a file of JSON",
    )
    command.add_argument("--variant", action="append", metavar="V", help="name or key; without it all, master first")
    command.add_argument(
        "--sheet", action="append", metavar="S", help="a sheet or twin, by name or key; without it all"
    )
    command.add_argument("--size", type=_size, default=0, metavar="N", help="width in texels; else the sheet's own")
    command.add_argument("--suffix", default=".png", choices=(*OFFERED, *LAYERED), help="format of the maps")
    command.add_argument("--bits", type=int, default=8, choices=(8, 16), help="depth of a channel; EXR holds floats")
    command.add_argument(
        "--row-texels",
        type=int,
        default=1,
        choices=range(1, MOST_ROW_TEXELS + 1),
        metavar="N",
        help="height of rows of strips",
    )
    command.add_argument("--name", default=PATTERN, metavar="PATTERN", help="file names, with {kit} and {size} as well")
    command.set_defaults(run=_write)

    command = commands.add_parser("ship", help="write the package of a kit")
    command.add_argument("kit", type=Path)
    command.add_argument("--to", type=Path, required=True, metavar="DIR", help="a new folder, or an older package")
    command.add_argument("--target", default="", metavar="NAME", help="for whom; without it the first, glsl")
    command.set_defaults(run=_ship)

    command = commands.add_parser("play", help="render a package with the player, which reads nothing else")
    command.add_argument("package", type=Path)
    command.add_argument("--variant", default="", help="name of a variant; without it the defaults")
    command.add_argument("--sheet", default="", help="name of a sheet; without it the first")
    command.add_argument("--twin", default="", metavar="NAME", help="a twin of the sheet, with values of its own")
    command.add_argument(
        "--output", default="colour", metavar="NAME", help="an output of the material: colour, roughness …"
    )
    command.add_argument("--size", type=_size, help="side of the picture in pixels; without it the sheet's own")
    command.add_argument("--time", type=float, default=0.0, metavar="S", help="the time in seconds")
    command.add_argument("--seed", type=float, default=0.0, metavar="N", help="the seed of the instance, 0 to 1")
    command.add_argument("--reference", action="store_true", help="play the graph with NumPy instead of OpenGL")
    command.add_argument("--out", type=Path, required=True, metavar="PNG")
    command.set_defaults(run=_play)

    command = commands.add_parser("memory", help="who would hold how much memory with a kit that is looked at")
    command.add_argument("kit", type=Path)
    command.add_argument("--json", action="store_true", help="for machines, in bytes")
    command.set_defaults(run=_memory)

    command = commands.add_parser("run", help="run a Python script on kits; what it does are commands of the history")
    command.add_argument("script", type=Path)
    command.add_argument("kits", nargs="+", type=Path, metavar="KIT")
    command.set_defaults(run=_run)

    command = commands.add_parser("bench", help="speed and start-up, as ratios in one run")
    command.set_defaults(run=_bench)
    return parser


def _size(text: str) -> int:
    if not text.isascii() or not text.isdigit() or not 1 <= int(text[:9]) <= 16384:
        raise argparse.ArgumentTypeError("must be a whole number from 1 to 16384")
    return int(text)


def _entries(text: str) -> int:
    if not text.isascii() or not text.isdigit() or not 2 <= int(text[:9]) <= 256:
        raise argparse.ArgumentTypeError("must be a whole number from 2 to 256")
    return int(text)


def _progress() -> Progress:
    if not sys.stderr.isatty():
        return silent

    def show(share: float, doing: str) -> None:
        print(f"\r{one_line(doing)}: {share:4.0%}   ", end="\n" if share >= 1 else "", file=sys.stderr, flush=True)

    return show


def _window(options: argparse.Namespace) -> int:
    from even_palette.app.main import run_window

    return run_window(options.paths)


def _demo(options: argparse.Namespace) -> int:
    from even_palette.app.main import run_demo

    return run_demo()


def _kit(place: Path) -> "Kit":
    """A saved kit with its files as they are now, whatever it remembers of them.

    Commands read it before they import what takes long, so that what is wrong with it is told at once.
    """
    from even_palette.core.kit.fingerprints import as_on_disk
    from even_palette.core.kit.store import read_kit

    return as_on_disk(read_kit(place))[0]


def _check(options: argparse.Namespace) -> int:
    kit = _kit(options.kit)
    from even_palette.core.checks import Severity, find
    from even_palette.core.results.sheets import Sheets

    findings = list(find(kit, Sheets()))
    for finding in findings:
        say(f"{finding.severity}: {finding.stage}: {finding.text}")
    return FINDINGS if any(finding.severity == Severity.ERROR for finding in findings) else 0


def _bake(options: argparse.Namespace) -> int:
    kit = _kit(options.kit)
    from even_palette.core.results.sheets import Sheets
    from even_palette.core.ship.maps import write_bakes

    _print_sizes(write_bakes(kit, Sheets(), options.to, options.suffix, _progress()))
    return 0


def _masks(options: argparse.Namespace) -> int:
    kit = _kit(options.kit)
    from even_palette.core.results.sheets import Sheets
    from even_palette.core.ship.maps import write_masks

    _print_sizes(write_masks(kit, Sheets(), options.to, options.bits, options.suffix, _progress()))
    return 0


def _palette(options: argparse.Namespace) -> int:
    from even_palette.core.ship.palettes import write_palettes
    from even_palette.core.tones.index_map import Dither
    from even_palette.core.tones.palette_fit import Method

    written = write_palettes(
        options.images, options.to, options.size, Method(options.method), options.shared, Dither(options.dither),
        _progress(),
    )  # fmt: skip
    for each in written:
        say(f"{each.picture}: {each.entries} entries, OKLab error x 100: mean {each.mean:.2f}, most {each.largest:.2f}")
    return 0


def _render(options: argparse.Namespace) -> int:
    kit = _kit(options.kit)
    from even_palette.core.kit.names import keys_called
    from even_palette.core.results.sheets import Sheets
    from even_palette.core.ship.render import write_renders

    variants = keys_called("variant", kit.variant_names, options.variant or ())
    surfaces = keys_called("sheet or twin", kit.surface_names, options.sheet or ())
    outputs = list(dict.fromkeys(options.output or ["colour"]))
    sizes = write_renders(
        kit, Sheets(), options.to, variants, surfaces, outputs, options.size, f".{options.format}", _progress()
    )
    _print_sizes(sizes)
    return 0


def _review(options: argparse.Namespace) -> int:
    from even_palette.core.raster.files import write_plane
    from even_palette.core.raster.plane import Encoding, Plane
    from even_palette.scripting import OpenKit

    made = OpenKit(_kit(options.kit), None)
    how = {"width": options.width, "height": options.height, "lit": not options.flat}
    if options.scene and options.seconds > 0:
        told = {"seconds": options.seconds, "rate": options.rate, "turns": options.turns}
        made.write_frames(options.to, options.scene, **told, **how)
    elif options.scene:
        write_plane(options.to, Plane(made.scene_picture(options.scene, **how), Encoding.SRGB))
    else:
        made.write_variants(options.to, options.variant or (), options.sheet or "", **how)
    return 0


def _textures(options: argparse.Namespace) -> int:
    from even_palette.scripting import OpenKit

    written = OpenKit(_kit(options.kit), None).write_textures(options.to, options.sheet or "", f".{options.format}")
    for path, size in written.items():
        print(f"{path}  {size:,} bytes")
    return 0


def _write(options: argparse.Namespace) -> int:
    kit = _kit(options.kit)
    from even_palette.core.kit.names import keys_called
    from even_palette.core.kit.ready_plans import plan_of
    from even_palette.core.results.sheets import Sheets
    from even_palette.core.ship.planned_maps import Wish, write_planned

    variants = keys_called("variant", kit.variant_names, options.variant or ())
    surfaces = keys_called("sheet or twin", kit.surface_names, options.sheet or ())
    plan = plan_of(options.plan, kit)
    wish = Wish(plan, variants, surfaces, options.size, options.suffix, options.bits, options.name, options.row_texels)
    _print_sizes(write_planned(kit, Sheets(), [wish], options.to, _progress()))
    return 0


def _ship(options: argparse.Namespace) -> int:
    kit = _kit(options.kit)
    from even_palette.core.results.sheets import Sheets
    from even_palette.core.ship.write import ship

    _print_sizes(ship(kit, Sheets(), options.to, _progress(), target=options.target))
    return 0


def _print_sizes(sizes: dict[str, int]) -> None:
    for name, size in sizes.items():
        say(f"{size:>12,}  {name}")


def _play(options: argparse.Namespace) -> int:
    from even_palette.core.disk.gate import refuse_sources
    from even_palette.core.material.outputs import LIGHT
    from even_palette.core.raster.files import write_plane
    from even_palette.core.raster.plane import Encoding, Plane
    from even_palette.player.load import load

    loaded = load(options.package, options.sheet)
    refuse_sources(options.out, loaded.files(options.package))
    width = options.size or loaded.sheet.width
    height = max(1, round(width * loaded.sheet.height / loaded.sheet.width))
    if options.reference:
        from even_palette.player.reference import play_reference as play
    else:
        from even_palette.player.opengl import play_opengl as play
    light = options.output in LIGHT
    pixels = play(loaded, options.variant, width, height, options.output, options.time, options.seed, options.twin)
    write_plane(options.out, Plane(pixels, Encoding.SRGB if light else Encoding.DATA))
    return 0


def _memory(options: argparse.Namespace) -> int:
    import json

    kit = _kit(options.kit)

    from even_palette.core.memory_account import ACCOUNT
    from even_palette.core.results.prepare_views import make_ready
    from even_palette.core.results.sheets import Sheets

    sheets = Sheets()
    for sheet in kit.sheets:
        make_ready(kit.at(sheet.key), sheets, progress=_progress())
    lines = ACCOUNT.lines()
    if options.json:
        held = [{"holder": line.label, "held": line.held, "own": line.own} for line in lines]
        say(json.dumps({"budget": ACCOUNT.budget, "holders": held}))
        return 0
    _print_sizes({line.label: line.held for line in lines})
    say(f"{sum(line.held for line in lines):>12,}  together, of {ACCOUNT.budget:,} that may be held")
    return 0


def _run(options: argparse.Namespace) -> int:
    from even_palette.core.disk.gate import read_bytes
    from even_palette.scripting import open_kit

    try:
        code = compile(read_bytes(options.script, MOST_SCRIPT_BYTES), str(options.script), "exec")
    except (SyntaxError, ValueError) as error:
        raise UserError(f"{options.script}: cannot be run: {error}.") from None
    for place in options.kits:
        with open_kit(place) as kit:
            try:
                exec(code, {"__name__": "__main__", "__file__": str(options.script), "kit": kit})
            except UserError as error:
                raise UserError(f"{place}: {error}") from None
            except SystemExit as ending:
                if ending.code:
                    raise UserError(f"{place}: the script ended with {ending.code}.") from None
            except Exception as error:
                trace = error.__traceback__
                lines = [at.tb_lineno for at in _frames(trace) if at.tb_frame.f_code.co_filename == str(options.script)]
                where = f", line {lines[-1]}" if lines else ""
                told = " ".join(f"{type(error).__name__}: {error}".split())
                raise UserError(f"{place}: {options.script}{where}: {told}") from None
    return 0


def _frames(trace: TracebackType | None) -> Iterator[TracebackType]:
    while trace is not None:
        yield trace
        trace = trace.tb_next


def _bench(options: argparse.Namespace) -> int:
    import subprocess

    benches = Path(__file__).resolve().parent.parent / "bench"
    scripts = sorted(benches.glob("bench_*.py"))
    if not scripts:
        raise UserError(f"{benches}: the benches are only in a source checkout.")
    return max(subprocess.call([sys.executable, str(script)]) for script in scripts)
