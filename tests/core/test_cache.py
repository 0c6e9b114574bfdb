"""The caches: what is kept in memory, and what lasts on disk and is noticed when it is damaged."""

import random
import threading
from dataclasses import dataclass
from pathlib import Path
from threading import Event, Thread, get_ident

import numpy as np
import pytest

from even_palette.core.arrays import Samples
from even_palette.core.errors import NotReady
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
    """200 mutants by a seeded mutator: every one gives the right result, never a wrong one, and mends the file."""
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
        assert same(cache.get(Result, "key", lambda: calls.append(1) or made()), made())  # type: ignore[func-returns-value]
        assert path.read_bytes() == whole
    assert len(calls) > 190


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
    cache = Cache(10_000, DiskCache(tmp_path))

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
    cache = Cache(10_000, DiskCache(tmp_path))
    for _ in range(5):
        cache._keep("key", np.zeros(1000, np.uint8), 1.0)
    assert cache.bytes == 1000


def test_the_thread_that_only_looks_makes_nothing() -> None:
    """It gets what is kept, or NotReady at once, also while another thread makes the same; `make` makes it elsewhere."""
    cache = Cache(1 << 20)
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
    cache = Cache(1000)
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
