"""Blocks that other processes encode are those that this one would make, also where such a process dies."""

import os
import signal
import threading

import numpy as np
import pytest
from skimage import data

from even_palette.core.jobs import Cancelled, CancelToken
from even_palette.core.proof import blocks_apart
from even_palette.core.proof.blocks_apart import encoded_apart, end_all, through_blocks_apart
from even_palette.core.raster.blocks import CHANNELS, Block, encode_blocks, through_blocks

PHOTO = data.astronaut()[:271, :333]  # no multiple of a block


@pytest.mark.parametrize("block", list(Block))
def test_bands_are_the_whole(block: Block, monkeypatch: pytest.MonkeyPatch) -> None:
    """However many rows a band has; sides are no multiple of a block, nor of a band."""
    channels = min(CHANNELS[block], 3)
    levels = np.ascontiguousarray(PHOTO[..., :channels])
    for texels in (333 * 20, 1 << 18):
        monkeypatch.setattr(blocks_apart, "BAND_TEXELS", texels)
        assert encoded_apart(levels, block) == encode_blocks(levels, block)
        assert np.array_equal(through_blocks_apart(levels, block), through_blocks(levels, block))


def test_small_ones_are_encoded_here() -> None:
    end_all()
    few = np.ascontiguousarray(PHOTO[:5, :7])
    assert np.array_equal(through_blocks_apart(few, Block.BC7), through_blocks(few, Block.BC7))
    assert blocks_apart._IDLE.empty()


def test_a_process_that_dies_loses_nothing() -> None:
    levels = np.ascontiguousarray(PHOTO[:64, :128])
    wanted = through_blocks(levels, Block.BC1)
    through_blocks_apart(levels, Block.BC1)
    worker = blocks_apart._IDLE.get_nowait()
    os.kill(worker._process.pid, signal.SIGKILL)
    worker._process.wait()
    blocks_apart._IDLE.put(worker)
    assert np.array_equal(through_blocks_apart(levels, Block.BC1), wanted)
    assert np.array_equal(through_blocks_apart(levels, Block.BC1), wanted)


def test_encoding_can_be_cancelled(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(blocks_apart, "BAND_TEXELS", 333 * 4)
    cancel = CancelToken()
    done = blocks_apart._done_apart
    seen: list[int] = []

    def counted(how: str, levels: np.ndarray, block: Block) -> object:
        seen.append(threading.get_ident())
        cancel.cancel()
        return done(how, levels, block)

    monkeypatch.setattr(blocks_apart, "_done_apart", counted)
    with pytest.raises(Cancelled):
        through_blocks_apart(PHOTO, Block.BC7, cancel)
    assert len(seen) < 10
