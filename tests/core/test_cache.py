"""The caches: what is kept in memory, and what lasts on disk and is noticed when it is damaged."""

import random
import threading
from dataclasses import dataclass
from functools import partial
from pathlib import Path
from threading import Event, Thread, get_ident
from weakref import ReferenceType, ref

import numpy as np
import pytest

from even_palette.core.arrays import Samples
from even_palette.core.errors import NotReady
from even_palette.core.memory_account import Account
from even_palette.core.raster.tiles import Grid, Spot, Tile, TiledPlane, each_tile, grid_of, make_tile, spots
from even_palette.core.results.cache import Cache
from even_palette.core.results.disk_cache import SUFFIX, DiskCache


@dataclass(frozen=True, eq=False)
class Result:
    """A result as they are kept: arrays and numbers."""

    picture: Samples
    places: Samples
    count: int
    share: float


def made(seed: int = 1) -> Result:
    rng = np.random.default_rng(seed)
    return Result(rng.integers(0, 9, (30, 40, 3)).astype(np.uint16), rng.random((7, 2)).astype(np.float32), 5, 0.25)


def same(one: Result, other: Result) -> bool:
    arrays = np.array_equal(one.picture, other.picture) and np.array_equal(one.places, other.places)
    types = one.picture.dtype == other.picture.dtype and one.places.dtype == other.places.dtype
    return arrays and types and (one.count, one.share) == (other.count, other.share)


def refuse() -> Result:
    raise AssertionError("it was there")


def test_results_last(tmp_path: Path) -> None:
    """Another run finds what the first one made, whole and with its types; a key of other content does not."""
    assert same(DiskCache(tmp_path).get(Result, ("a", 1), made), made())
    assert same(DiskCache(tmp_path).get(Result, ("a", 1), refuse), made())
    assert same(DiskCache(tmp_path).get(Result, ("a", 2), lambda: made(2)), made(2))
    array = DiskCache(tmp_path).get(np.ndarray, "means", lambda: np.arange(6.0).reshape(2, 3))
    assert np.array_equal(DiskCache(tmp_path).get(np.ndarray, "means", refuse), array)  # type: ignore[arg-type]


def test_damage_is_noticed_and_the_result_made_anew(tmp_path: Path) -> None:
    """200 mutants by a seeded mutator: each gives the right result, never a wrong one, and what is damaged is mended."""
    cache, rng = DiskCache(tmp_path), random.Random(3)
    cache.get(Result, "key", made)
    (path,) = tmp_path.glob(f"*{SUFFIX}")
    whole = path.read_bytes()
    calls = []
    for _ in range(200):
        data = bytearray(whole)
        match rng.randrange(4):
            case 0:
                data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
            case 1:
                del data[rng.randrange(len(data)) :]
            case 2:
                at = rng.randrange(len(data))
                data[at : at + 8] = rng.randbytes(8)
            case _:
                data = bytearray(rng.randbytes(rng.randrange(200)))
        if bytes(data) == whole:
            continue
        path.write_bytes(data)
        before = len(calls)
        assert same(cache.get(Result, "key", lambda: calls.append(1) or made()), made())  # type: ignore[func-returns-value]
        assert path.read_bytes() == (
            whole if len(calls) > before else bytes(data)
        )  # a blank beside the head is no damage
    assert len(calls) > 180


def test_the_disk_cache_is_bounded(tmp_path: Path) -> None:
    cache = DiskCache(tmp_path, most_bytes=100_000)
    for number in range(60):
        cache.get(Result, number, lambda number=number: made(number))
    assert sum(path.stat().st_size for path in tmp_path.iterdir()) < 130_000
    assert same(cache.get(Result, 59, refuse), made(59))


def test_a_folder_that_cannot_be_written_costs_nothing(tmp_path: Path) -> None:
    (tmp_path / "file").write_text("no folder")
    assert same(DiskCache(tmp_path / "file").get(Result, "key", made), made())


def test_two_windows_at_once(tmp_path: Path) -> None:
    """Threads with caches of their own on one folder: all get the result."""
    found: list[Result] = []
    threads = [
        threading.Thread(target=lambda: found.append(DiskCache(tmp_path).get(Result, "key", made))) for _ in range(8)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(found) == 8
    assert all(same(one, made()) for one in found)
    assert len(list(tmp_path.iterdir())) == 1


def test_memory_keeps_what_cost_most_and_is_looked_at(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    clock = [0.0]
    monkeypatch.setattr("even_palette.core.results.cache.time.perf_counter", lambda: clock[0])
    cache = Cache(Account(10_000), DiskCache(tmp_path))

    def costing(seconds: float) -> np.ndarray:
        clock[0] += seconds
        return np.zeros(2000, np.uint8)

    cache.get("dear", lambda: costing(9.0))
    for number in range(20):
        cache.get(number, lambda: costing(0.01))
        assert cache.bytes <= 10_000
    assert cache.peek("dear") is not None
    assert cache.peek(19) is not None
    assert cache.peek(0) is None
    looked_at = cache.peek(17)
    for number in range(30, 33):
        cache.get(number, lambda: costing(0.01))
        cache.peek(17)
    assert cache.peek(17) is looked_at


def test_a_key_that_is_kept_twice_counts_once(tmp_path: Path) -> None:
    cache = Cache(Account(10_000), DiskCache(tmp_path))
    for _ in range(5):
        cache._keep("key", np.zeros(1000, np.uint8), 1.0)
    assert 1000 <= cache.bytes < 1200


def test_shared_memory_counts_once_and_goes_with_the_last_that_keeps_it() -> None:
    """Planes of tiles that they share, and views of one array: what is counted is what is really kept."""
    cache, rng = Cache(Account(1 << 20)), np.random.default_rng(5)
    first = grid_of(rng.integers(0, 9, (500, 700, 1), dtype=np.uint8))
    second = Grid(first.height, first.width, (make_tile(first.tiles[0].samples + 1), *first.tiles[1:]))
    cache.get("first", lambda: TiledPlane(first))
    alone = cache.bytes
    assert first.nbytes <= alone < first.nbytes + 2000
    cache.get("second", lambda: (second, second.tiles[0]))
    assert second.tiles[0].nbytes <= cache.bytes - alone < second.tiles[0].nbytes + 2000
    cache._remove("first")
    assert second.nbytes <= cache.bytes < second.nbytes + 2000
    cache._remove("second")
    assert cache.bytes == 0
    whole = np.zeros((1000, 4), np.uint8)
    for channel in range(4):
        cache.get(channel, lambda channel=channel: whole[:, channel])
    assert whole.nbytes <= cache.bytes < whole.nbytes + 500


def test_planes_that_nobody_sees_give_their_tiles_back() -> None:
    """Edits of a plane that is held: the memory that is counted stays within the budget, and tiles in view stay."""
    cache, rng = Cache(Account(4 << 20)), np.random.default_rng(6)

    def tiled(number: int) -> TiledPlane:
        """As masks are made: each tile looked up by threads of a pool, which note nothing."""
        whole = rng.integers(0, 250, (512, 512, 1), dtype=np.uint8)

        def tile(spot: Spot) -> Tile:
            cut = whole[spot.top : spot.bottom, spot.left : spot.right]
            return cache.get(("tile", number, spot), lambda: make_tile(cut))

        return TiledPlane(Grid(512, 512, tuple(each_tile(512, 512, tile))))

    with cache.holding("view"):
        cache.get("seen", partial(tiled, 0))
    made: list[ReferenceType[Tile]] = []
    for number in range(1, 40):
        made += map(ref, cache.get(number, partial(tiled, number)).grid.tiles)
        assert cache.bytes <= 4 << 20
        assert all(cache.peek(("tile", 0, spot)) is not None for spot in spots(512, 512))
    there = sum(tile() is not None for tile in made)
    assert 4 < there <= (4 << 20) // 65536


def test_the_thread_that_only_looks_makes_nothing() -> None:
    """It gets what is kept, or NotReady at once, also while another thread makes the same; `make` makes it elsewhere."""
    cache = Cache(Account(1 << 20))
    cache.only_looks = get_ident()
    with pytest.raises(NotReady) as told:
        cache.get("a", lambda: 7)
    worker = Thread(target=told.value.make)
    worker.start()
    worker.join()
    assert cache.get("a", lambda: 8) == 7
    begun, go_on = Event(), Event()
    slow = Thread(target=lambda: cache.get("slow", lambda: (begun.set(), go_on.wait(10))))
    slow.start()
    assert begun.wait(10)
    with pytest.raises(NotReady):
        cache.get("slow", lambda: 1)
    go_on.set()
    slow.join()


def test_what_is_held_does_not_go() -> None:
    """What a thread asks for while holding outlives any pressure, until the same purpose holds something else."""
    cache = Cache(Account(1000))
    with cache.holding("view"):
        cache.get("held", lambda: np.zeros(600, dtype=np.uint8))
    for number in range(20):
        cache.get(number, lambda: np.zeros(600, dtype=np.uint8))
    assert cache.peek("held") is not None
    with pytest.raises(ZeroDivisionError), cache.holding("view"):
        cache.get("other", lambda: np.zeros(600 // 0, dtype=np.uint8))
    cache.get("more", lambda: np.zeros(600, dtype=np.uint8))
    assert cache.peek("held") is not None
    with cache.holding("view"):
        cache.get("next", lambda: np.zeros(600, dtype=np.uint8))
    cache.get("last", lambda: np.zeros(600, dtype=np.uint8))
    assert cache.peek("held") is None
    assert cache.peek("next") is not None
