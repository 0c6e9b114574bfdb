"""Meshes: a million triangles loaded, divided and baked; occlusion against Embree's own rate; frames of the model pane.

Every line gives a ratio to something measured in the same run.
"""

import resource
import tempfile
import threading
import time
from pathlib import Path

import numpy as np

from even_palette.core.colour.numbered import number_colours
from even_palette.core.kit.store import read_kit
from even_palette.core.mesh.bake import make_bake
from even_palette.core.mesh.bakes import BAKES
from even_palette.core.mesh.bakes._declare import Ground
from even_palette.core.mesh.elements import shell_labels
from even_palette.core.mesh.files import read_mesh, write_mesh
from even_palette.core.mesh.model import Mesh, build_mesh
from even_palette.core.mesh.rays import build_scene
from even_palette.core.mesh.view import Orbit
from even_palette.core.results.looks import Look, picture
from even_palette.core.results.sheet_mesh import mesh_on_sheet
from even_palette.core.results.sheets import Sheets
from even_palette.demo import KIT_FOLDER

PIECES = 64


def rippled(triangles: int) -> Mesh:
    """Waving squares, each a shell with its square of the sheet."""
    side = max(2, round((triangles / 2 / PIECES**2) ** 0.5))
    u, v = np.meshgrid(np.linspace(0.02, 0.98, side + 1), np.linspace(0.02, 0.98, side + 1))
    number = np.arange((side + 1) ** 2).reshape(side + 1, side + 1)
    a, b, c, d = number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]
    square = np.concatenate([np.stack(t, axis=-1).reshape(-1, 3) for t in ((a, b, c), (a, c, d))])
    points, faces, uv = [], [], []
    for piece in range(PIECES**2):
        row, column = divmod(piece, PIECES)
        at = np.stack([(column + u) / PIECES, (row + v) / PIECES], axis=-1).reshape(-1, 2)
        height = 0.02 * np.sin(at[:, :1] * 60) * np.cos(at[:, 1:] * 60)
        points.append(np.concatenate([at[:, :1], height, at[:, 1:]], axis=1))
        faces.append(square + piece * (side + 1) ** 2)
        uv.append(at)
    whole, corners = np.concatenate(points).astype(np.float32), np.concatenate(faces)
    return build_mesh(whole, corners, (np.concatenate(uv).astype(np.float32)[corners],))


def write_obj(path: Path, mesh: Mesh) -> None:
    """A plain OBJ text."""
    with path.open("w") as file:
        for x, y, z in mesh.points.tolist():
            file.write(f"v {x:.6f} {y:.6f} {z:.6f}\n")
        uv = mesh.uv_sets[0].reshape(-1, 2)
        for u, v in uv.tolist():
            file.write(f"vt {u:.6f} {1 - v:.6f}\n")
        for number, (a, b, c) in enumerate(mesh.faces.tolist()):
            t = 3 * number
            file.write(f"f {a + 1}/{t + 1} {b + 1}/{t + 2} {c + 1}/{t + 3}\n")


def peak_mib() -> float:
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024


def timed(what: str, act, against: float = 0.0):  # type: ignore[no-untyped-def]
    started = time.perf_counter()
    result = act()
    spent = time.perf_counter() - started
    ratio = f", {spent / against:.0f} x a plain read" if against else ""
    print(f"  {what}: {spent:.2f} s{ratio}; peak {peak_mib():.0f} MiB", flush=True)
    return result


def million() -> None:
    small = rippled(20_000)
    with tempfile.TemporaryDirectory() as folder:
        for suffix in (".ply", ".obj"):
            path = Path(folder) / f"warm{suffix}"
            write_mesh(path, small, number_colours(small.face_count)) if suffix == ".ply" else write_obj(path, small)
            read_mesh(path)
        ground = Ground(small, small.uv_sets[0], number_colours(small.face_count), np.zeros(small.face_count, bool))
        make_bake(BAKES["id_colours"], ground, {}, 256, 4, 2)
        mesh = rippled(1_000_000)
        paths = {suffix: Path(folder) / f"mesh{suffix}" for suffix in (".ply", ".obj")}
        write_mesh(paths[".ply"], mesh, number_colours(mesh.face_count))
        write_obj(paths[".obj"], mesh)
        del mesh
        for suffix, path in paths.items():
            started = time.perf_counter()
            path.read_bytes()
            plain = time.perf_counter() - started
            print(f"{suffix[1:].upper()} of {path.stat().st_size >> 20} MiB, plain read {plain:.3f} s")
            loaded = timed("load", lambda path=path: read_mesh(path), plain)
        print(f"{loaded.face_count:,} triangles")
        labels = timed("shells", lambda: shell_labels(loaded), plain)
        print(f"  {labels.max() + 1} shells")
        ground = Ground(loaded, loaded.uv_sets[0], number_colours(4096)[labels], np.zeros(loaded.face_count, bool))
        timed("ID colours at 4096², 4 samples a texel, padding 16",
              lambda: make_bake(BAKES["id_colours"], ground, {}, 4096, 16, 2), plain)  # fmt: skip


def occlusion() -> None:
    kit = read_kit(KIT_FOLDER)
    sheets = Sheets()
    found = mesh_on_sheet(kit.at(), sheets)
    assert found is not None
    ground = Ground(found.mesh, found.uv, number_colours(found.mesh.face_count), np.zeros(found.mesh.face_count, bool))
    kind, settings = BAKES["occlusion"], {"rays": 64.0, "reach": 1.0}
    make_bake(kind, ground, settings, 256, 0, 1)
    rng = np.random.default_rng(0)
    corners = found.mesh.corners()
    count = 1 << 20
    origins = np.ascontiguousarray(corners[rng.integers(len(corners), size=count)].mean(axis=1), dtype=np.float32)
    directions = rng.normal(size=(count, 3)).astype(np.float32)
    embree = build_scene(found.mesh).embree

    def shoot() -> None:
        for first in range(0, count, 1 << 18):
            embree.run(origins[first : first + (1 << 18)], directions[first : first + (1 << 18)], query="OCCLUDED")

    rates = []
    for _ in range(3):
        started = time.perf_counter()
        threads = [threading.Thread(target=shoot) for _ in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        own = 2 * count / (time.perf_counter() - started)
        started = time.perf_counter()
        baked = make_bake(kind, ground, settings, 1024, 16, 1)
        rate = baked.covered_texels * 64 / (time.perf_counter() - started)
        rates.append(rate / own)
        print(f"  Embree alone {own / 1e6:.1f} M rays/s on two threads; the whole bake {rate / 1e6:.1f} M rays/s")
    print(f"Occlusion 1024², 64 rays, demo tug: {np.median(rates):.2f} of Embree's own rate (reach: at least 0.5)")


def frames() -> None:
    from even_palette.gl.context import offscreen_context
    from even_palette.gl.model_view import Light, ModelRenderer, Skin
    from even_palette.gl.textures import Textures

    kit, sheets = read_kit(KIT_FOLDER), Sheets()
    found = mesh_on_sheet(kit.at(), sheets)
    assert found is not None
    context = offscreen_context()
    renderer = ModelRenderer(context, Textures(context))
    shown = picture(kit.at(), sheets, Look(variant="night_post"))
    large = rippled(200_000)
    times = {}
    for name, mesh in (("demo tug", found.mesh), ("200 k", large)):
        skin = Skin(mesh, shown)
        for moving in (True, False):
            spent = []
            for turn in range(12):
                orbit = Orbit(yaw=turn * 0.3).framed(mesh.points, 860 / 420)
                started = time.perf_counter()
                renderer.render([skin], orbit, 860, 420, Light(lit=True, smooth=not moving))
                spent.append(time.perf_counter() - started)
            times[name, moving] = float(np.median(spent[2:]))
    for moving in (True, False):
        tug, many = times["demo tug", moving], times["200 k", moving]
        look = "in motion" if moving else "still, edges smoothed"
        print(f"Lit frame of the model pane at 860 x 420, {look}: {large.face_count:,} triangles {many * 1e3:.0f} ms, "
              f"demo tug ({found.mesh.face_count:,}) {tug * 1e3:.0f} ms: {many / tug:.1f} x")  # fmt: skip


if __name__ == "__main__":
    million()
    occlusion()
    frames()
