"""One account of memory: shares that are each store's own, the rest lent, and less of everything with half the budget."""

import json
import os
import subprocess
import sys
from threading import Thread

import numpy as np
import pytest

from even_palette.core.memory_account import Account, Kept
from even_palette.core.raster import chain
from even_palette.core.raster.chain import Chain
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.raster.tiles import TiledPlane, grid_of
from even_palette.core.results.cache import Cache
from even_palette.demo import KIT_FOLDER


def stores(account: Account) -> tuple[Kept[bytes], Kept[bytes]]:
    return Kept("A", 0.7, len, account), Kept("B", 0.3, len, account)


def test_what_one_does_not_use_others_borrow_and_give_back() -> None:
    """Alone a store may hold all; once another takes its share, the borrower lets go of what it used longest ago."""
    account = Account(1000)
    a, b = stores(account)
    for number in range(20):
        b.get(number, lambda: bytes(100))
    assert b.bytes == 1000
    assert b.find(0) is None
    for number in range(10):
        a.get(number, lambda: bytes(100))
    assert (a.bytes, b.bytes) == (700, 300)
    assert b.find(19) is not None
    assert [(line.label, line.held, line.own) for line in account.lines()] == [("A", 700, 700), ("B", 300, 300)]


def test_a_smaller_budget_holds_at_once() -> None:
    account = Account(1000)
    a, b = stores(account)
    for number in range(10):
        a.get(number, lambda: bytes(100))
        b.get(number, lambda: bytes(100))
    account.budget = 500
    assert a.bytes + b.bytes <= 500
    assert a.find(9) is not None


def test_the_newest_stays_however_large_it_is() -> None:
    a, _ = stores(Account(1000))
    a.get("small", lambda: bytes(10))
    assert a.get("large", lambda: bytes(5000)) == bytes(5000)
    assert a.find("large") is not None
    assert a.find("small") is None


def test_holders_that_are_gone_hold_nothing() -> None:
    account = Account(1000)
    a, b = stores(account)
    a.get("a", lambda: bytes(600))
    del a
    assert account.allowed(b) == 1000
    assert [line.label for line in account.lines()] == ["B"]


def parts_kept_in(account: Account, monkeypatch: pytest.MonkeyPatch) -> Kept[list[np.ndarray]]:
    """Let tiles made ready for textures be kept in an account of their own."""
    kept = Kept("Tiles", 0.08, chain._bytes_of_parts, account)
    monkeypatch.setattr(chain, "_PARTS", kept)
    return kept


def test_stores_of_all_kinds_together_keep_to_it_from_many_threads(monkeypatch: pytest.MonkeyPatch) -> None:
    """Results, tiles for textures and another store, each filled by threads: never more than the budget and one each."""
    account = Account(8 << 20)
    cache, kept = Cache(account), Kept("Other", 0.2, lambda a: a.nbytes, account)
    parts = parts_kept_in(account, monkeypatch)
    seen: list[int] = []

    def fill(number: int) -> None:
        rng = np.random.default_rng(number)
        for step in range(30):
            samples = rng.integers(0, 255, (256, 256, 4), dtype=np.uint8)
            plane = cache.get((number, step), lambda samples=samples: TiledPlane(grid_of(samples), Encoding.DATA))
            Chain(plane).prepare()
            kept.get((number, step), lambda: np.zeros(1 << 18, np.uint8))
            seen.append(cache.bytes + parts.bytes + kept.bytes)

    threads = [Thread(target=fill, args=(number,)) for number in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    most_at_once = 4 * ((1 << 18) + (1 << 19) + (1 << 18))
    assert max(seen) <= account.budget + most_at_once
    assert seen[-1] > account.budget // 2


def test_what_is_counted_is_what_is_held(monkeypatch: pytest.MonkeyPatch) -> None:
    """A plane of 2048² made ready for textures: its parts count as many bytes as their arrays have."""
    account = Account(1 << 28)
    parts = parts_kept_in(account, monkeypatch)
    plane = Plane(np.random.default_rng(1).integers(0, 255, (2048, 2048, 4), dtype=np.uint8), Encoding.DATA)
    Chain(plane).prepare()
    assert parts.bytes == pytest.approx(2048 * 2048 * 4 * 4 / 3, rel=0.01)


def test_the_command_lists_who_holds_what() -> None:
    told = subprocess.run(
        [sys.executable, "-m", "even_palette", "memory", str(KIT_FOLDER), "--json"],
        capture_output=True, text=True, check=True, env=dict(os.environ),
    ).stdout  # fmt: skip
    found = json.loads(told)
    held = {each["holder"]: each["held"] for each in found["holders"]}
    assert held["Results"] > 1 << 20
    assert sum(held.values()) <= found["budget"]


def test_what_is_always_ones_own_is_not_more_than_all() -> None:
    """Every store has a share that is its own whatever others hold: together they are the budget at the most."""
    told = (
        "import even_palette.app.stand.canvas, even_palette.gl.textures as textures;"
        "from even_palette.core.results.cache import Cache;"
        "from even_palette.cpu.drawing import LoopDrawing;"
        "from even_palette.core.memory_account import ACCOUNT;"
        "made = Cache(), LoopDrawing(lambda shown: True);"
        "shares = {holder.label: holder.share for holder in ACCOUNT._all()};"
        "shares['Textures'] = textures.Textures.share;"
        "print(len(shares), sum(shares.values()))"
    )
    done = subprocess.run([sys.executable, "-c", told], capture_output=True, text=True, check=True)
    count, total = map(float, done.stdout.split())
    assert count >= 8
    assert total <= 1.0001
