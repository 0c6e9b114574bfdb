"""Jobs, autosave and views: the newest wins, views come before checks, and nothing holds the window up."""

import threading
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from pytestqt.qtbot import QtBot

from even_palette.app.document import AUTOSAVE_LATEST_MS, Document
from even_palette.app.jobs import Jobs, Rank
from even_palette.core.disk.places import log_file
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.history import History, unshared_bytes
from even_palette.core.kit.mesh_file import FaceRegions, MeshFile
from even_palette.core.kit.model import Kit
from even_palette.core.kit.store import read_kit
from even_palette.core.raster.files import write_plane
from even_palette.core.raster.guess import Role
from even_palette.core.raster.plane import Encoding, Plane
from even_palette.core.results.sheet_mesh import regions_of_faces
from tests.app.conftest import Driver


@pytest.fixture
def jobs(qtbot: QtBot, qapp: object):  # type: ignore[no-untyped-def]
    made = Jobs()
    yield made
    made.close()


def nothing(*_: object) -> None:
    """For callers who do not look."""


def until_cancelled(progress: Progress, cancel: CancelToken) -> None:
    while True:
        cancel.check()
        time.sleep(0.005)


def test_the_newest_of_a_place_wins(jobs: Jobs, qtbot: QtBot) -> None:
    done: list[int] = []
    jobs.run("Long", until_cancelled, lambda _: done.append(0), nothing, place="view")
    for number in (1, 2, 3):
        jobs.run("Short", lambda p, c, n=number: n, done.append, nothing, place="view")
    qtbot.waitUntil(lambda: not jobs.busy, timeout=60_000)
    assert done[-1] == 3
    assert 0 not in done


def test_views_come_before_checks(jobs: Jobs, qtbot: QtBot) -> None:
    """Checks on every thread: a view is there at once; the checks are stopped for it and done afterwards."""
    order: list[str] = []
    began = threading.Event()

    def check(progress: Progress, cancel: CancelToken) -> None:
        began.set()
        for _ in range(60):
            cancel.check()
            time.sleep(0.01)

    for number in range(3):
        jobs.run("Check", check, lambda _, n=number: order.append(f"check {n}"), nothing, rank=Rank.CHECK)
    assert began.wait(60)
    jobs.run("View", lambda p, c: time.sleep(0.05), lambda _: order.append("view"), nothing, rank=Rank.VIEW)
    qtbot.waitUntil(lambda: not jobs.busy, timeout=60_000)
    assert order[0] == "view"
    assert sorted(order[1:]) == ["check 0", "check 1", "check 2"]


def test_a_check_that_is_set_back_does_not_displace_a_newer_one(jobs: Jobs, qtbot: QtBot) -> None:
    """A check of a place is stopped for a view while a newer check of that place is asked for: only the newer counts."""
    done: list[str] = []
    began = threading.Event()

    def old(progress: Progress, cancel: CancelToken) -> None:
        began.set()
        until_cancelled(progress, cancel)

    jobs.run("Old", old, nothing, nothing, rank=Rank.CHECK, place="pictures")
    assert began.wait(60)
    jobs.run("View", lambda p, c: time.sleep(0.05), nothing, nothing, rank=Rank.VIEW)
    jobs.run(
        "New", lambda p, c: time.sleep(0.05), lambda _: done.append("new"), nothing, rank=Rank.CHECK, place="pictures"
    )
    qtbot.waitUntil(lambda: not jobs.busy, timeout=60_000)
    assert done == ["new"]


def test_what_fails_is_told_and_freezes_nothing(jobs: Jobs, qtbot: QtBot) -> None:
    """An error in the work, or in what takes its outcome: one sentence, a traceback in the log, and it goes on."""
    told: list[str] = []

    def break_down(*_: object) -> None:
        raise ZeroDivisionError("by nothing")

    ended: list[int] = []
    jobs.run("Work", break_down, nothing, told.append, lambda: ended.append(1))
    jobs.run("Outcome", lambda p, c: 5, break_down, told.append, lambda: ended.append(2))
    qtbot.waitUntil(lambda: len(ended) == 2, timeout=60_000)
    assert not jobs.busy
    assert len(told) == 2
    assert all("ZeroDivisionError: by nothing" in text and "\n" not in text for text in told)
    jobs.run("After", lambda p, c: 6, told.append, nothing)
    qtbot.waitUntil(lambda: told[-1] == 6, timeout=60_000)


def test_closing_is_not_held_up(qtbot: QtBot, qapp: object) -> None:
    """Work that does not look at its token cannot keep the window open."""
    jobs, began, stop = Jobs(), threading.Event(), threading.Event()
    for _ in range(4):
        jobs.run("Stubborn", lambda p, c: (began.set(), stop.wait(600)), nothing, nothing)
    assert began.wait(60)
    jobs.close()
    assert not jobs.idle
    stop.set()


def test_errors_of_the_program_go_to_the_log(small: Driver) -> None:
    def break_down(*_: object) -> None:
        raise ZeroDivisionError("seen in the log")

    from even_palette.core.log import log

    log.cache_clear()
    small.window.jobs.run("Odd", break_down, nothing, small.session.notice.emit)
    small.settle()
    assert "Odd: an error of the program" in small.window.notice.text.text()
    assert "seen in the log" in log_file().read_text()
    assert "Traceback" in log_file().read_text()


def test_autosave_comes_at_the_latest_20_s_after_the_first_change(
    small: Driver, monkeypatch: pytest.MonkeyPatch
) -> None:
    """However busy the hand: every change puts it off by two seconds, but never beyond that."""
    document: Document = small.session.document
    now = [1000.0]
    monkeypatch.setattr("even_palette.app.document.time.monotonic", lambda: now[0])
    due: list[float] = []
    for number in range(200):
        small.session.do(commands.rename_kit(f"Name {number}"))
        due.append(now[0] + document._autosave.interval() / 1000)
        now[0] += 0.15
        if now[0] > 1000 + 19:
            break
    assert 1000 + AUTOSAVE_LATEST_MS / 1000 <= max(due) < 1020
    assert due[1] > due[0]


def test_autosave_is_written_by_a_worker_and_a_save_wins(small: Driver, tmp_path: Path) -> None:
    small.session.do(commands.rename_kit("Kept"))
    small.session.document.autosave()
    small.settle()
    assert b"Kept" in (tmp_path / "kit" / "kit.autosave.json").read_bytes()
    small.session.do(commands.rename_kit("Saved"))
    small.session.document.autosave()
    small.session.document.save()
    small.settle()
    assert not (tmp_path / "kit" / "kit.autosave.json").exists()
    assert read_kit(tmp_path / "kit").name == "Saved"


def test_the_history_keeps_to_its_budget_and_tells(small: Driver) -> None:
    """Steps that keep much go from the far end; the newest stay, and a sentence says how many went."""
    history = History(Kit(), budget_bytes=1 << 20)
    for number in range(40):
        faces = FaceRegions(8, ("a",), bytes([number]) * 100_000)
        changed = Kit(name=str(number), meshes=(MeshFile("m", "x.ply", "sheet_1", faces=faces),))
        history.do(commands.Command(f"Step {number}", lambda kit, changed=changed: changed))
    assert 0 < len(history.undo_labels) <= 11
    assert history.dropped == 40 - len(history.undo_labels)
    assert history.undo_labels[0] == "Step 39"
    assert history.bytes <= (1 << 20) + 200_000
    while history.undo():
        pass
    assert history.kit.name == str(history.dropped - 1)
    assert unshared_bytes(history.kit, history.kit) < 1000
    small.session.history._budget = 2000
    for number in range(20):
        small.session.do(commands.rename_kit(f"Name {number}"))
        small.session.history.end_merge()
    assert "steps of the history were dropped" in small.window.notice.text.text()


def test_opening_another_kit_shows_nothing_of_the_old_one(small: Driver, monkeypatch: pytest.MonkeyPatch) -> None:
    """While work on the old kit is under way: from then on only the new kit is ever shown."""
    from even_palette.demo import KIT_FOLDER

    seen: list[str] = []
    session = small.session
    session.shown_changed.connect(lambda: seen.append(session.shown.kit.name if session.shown else ""))
    session.do(commands.set_tolerance("region_1", 3, 30))
    session.open_copy(read_kit(KIT_FOLDER))
    small.settle()
    assert seen[-1] == "Ferryman's Reach"
    assert set(seen) <= {"", "Ferryman's Reach"}


def test_the_window_answers_while_large_maps_are_opened(empty: Driver, tmp_path: Path) -> None:
    """Nothing of reading, decoding or hashing happens on the window's thread, also with Source open."""
    window_thread = threading.get_ident()
    offences: list[str] = []
    import even_palette.app.files as files
    import even_palette.core.results.maps as maps

    def watched(name: str, real: Callable[..., object]) -> Callable[..., object]:
        def call(*args: object, **options: object) -> object:
            if threading.get_ident() == window_thread:
                offences.append(name)
            return real(*args, **options)

        return call

    rng = np.random.default_rng(1)
    for name in ("boat_base_colour", "boat_id"):
        write_plane(
            tmp_path / f"{name}.png", Plane(rng.integers(0, 3, (900, 700, 3)).astype(np.uint8) * 99, Encoding.SRGB)
        )
    patches = [(files, "fingerprint"), (maps, "read_plane")]
    real = [(module, name, getattr(module, name)) for module, name in patches]
    try:
        for module, name, function in real:
            setattr(module, name, watched(name, function))
        empty.stage(1)
        empty.window.open_paths([tmp_path / "boat_base_colour.png", tmp_path / "boat_id.png"])
        empty.settle()
        for number in range(1, 9):
            empty.stage(number)
            empty.settle()
    finally:
        for module, name, function in real:
            setattr(module, name, function)
    assert empty.session.kit.sheets[0].source(Role.ID) is not None
    assert not offences


def test_opening_never_displaces(small: Driver, tmp_path: Path) -> None:
    """A map whose role is taken, or that nothing tells the role of, is there without one, and that is said."""
    before = {source.role: source for source in small.session.kit.sheets[0].sources}
    rng = np.random.default_rng(4)
    for name in ("crate_dirt", "crate_albedo", "other_id"):
        write_plane(tmp_path / f"{name}.png", Plane(rng.integers(0, 255, (64, 64, 3)).astype(np.uint8), Encoding.SRGB))
        small.window.open_paths([tmp_path / f"{name}.png"])
        small.settle()
        assert "is there without a role" in small.window.notice.text.text()
    sources = small.session.kit.sheets[0].sources
    assert {source.role: source for source in sources if source.role != Role.NONE} == before
    assert len(sources) == len(before) + 3
    small.session.undo(3)
    assert len(small.session.kit.sheets[0].sources) == len(before)


def test_a_mesh_that_is_opened_again_keeps_what_was_given_to_it(demo: Driver) -> None:
    """The demo's tug: all its faces, its unit and its slots stay as they were."""
    file = demo.session.kit.meshes[0]
    assert file.faces.regions
    meshes = len(demo.session.kit.meshes)
    demo.window.open_paths([Path(file.path)])
    demo.settle()
    assert demo.session.kit.meshes[0] == file
    assert len(demo.session.kit.meshes) == meshes


def test_a_removed_region_leaves_nothing_to_others(demo: Driver) -> None:
    """Its key is never used again, and its faces come to no new region."""
    session = demo.session
    region = next(r for r in session.at.sheet.regions if r.key in session.kit.meshes[0].faces.regions)
    labels = regions_of_faces(session.at, session.sheets)
    owned = int((labels == session.at.sheet.regions.index(region)).sum())
    assert owned
    session.do(commands.remove_region(region.key))
    session.do(commands.add_regions(session.at.key, [(1, 2, 3)]))
    made = session.at.sheet.regions[-1]
    session.do(commands.rename_region(made.key, region.name))
    session.do(commands.remove_region(made.key))
    session.do(commands.add_regions(session.at.key, [(1, 2, 3)]))
    assert session.at.sheet.regions[-1].key not in (region.key, made.key)
    labels = regions_of_faces(session.at, session.sheets)
    assert not (labels == len(session.at.sheet.regions) - 1).any()
    session.undo(5)
    assert int((regions_of_faces(session.at, session.sheets) == session.at.sheet.regions.index(region)).sum()) == owned
