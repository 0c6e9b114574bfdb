"""Masks that were made elsewhere: channels that overlap or hold nothing, grey files, a folder of single masks."""

from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from even_palette import scripting
from even_palette.core.errors import UserError
from even_palette.core.results.masks import mask_of


@pytest.fixture
def kit(tmp_path: Path) -> scripting.OpenKit:
    made = scripting.new_kit("Masks")
    Image.fromarray(np.full((90, 130, 3), 120, np.uint8)).save(tmp_path / "paint.png")
    made.add_map(tmp_path / "paint.png", "base colour")
    return made


def test_planes_whose_channels_overlap_and_one_is_absent(kit: scripting.OpenKit, tmp_path: Path) -> None:
    """An RGBA plane from another program, blue absent: a region each for R, G and A, whose masks are its channels, and
    whose weights share where they add up to more than one (w = m / max(1, sum m), the design's `share`)."""
    rng = np.random.default_rng(1)
    levels = rng.integers(0, 256, (90, 130, 4)).astype(np.uint8)
    levels[..., 2] = 0
    Image.fromarray(levels).save(tmp_path / "hull_masks.png")
    key = kit.add_map(tmp_path / "hull_masks.png", "no role", "data")
    assert kit.regions_from_masks([key])
    regions = kit.at().sheet.regions
    assert [region.name for region in regions] == ["hull masks R", "hull masks G", "hull masks A"]
    channels = levels[..., [0, 1, 3]].astype(float) / 255
    for region, channel in zip(regions, np.moveaxis(channels, -1, 0), strict=True):
        mask = mask_of(kit.at(), kit.results, region.key).samples[..., 0] / 65535
        assert np.abs(mask - channel).max() < 1e-4
    weights = np.stack(list(kit.weights().values()), axis=-1)
    wanted = channels / np.maximum(1, channels.sum(axis=-1, keepdims=True))
    assert np.abs(weights - wanted).max() <= 1.01 / 255
    assert any("more than one region" in finding.text for finding in kit.findings())
    assert kit.undo()
    assert not kit.at().sheet.regions


@pytest.mark.parametrize("mode", ["L", "RGB", "LA", "I;16"])
def test_a_folder_of_single_masks(kit: scripting.OpenKit, tmp_path: Path, mode: str) -> None:
    """Grey files of any kind give one region each, named by file; what was split by `masks` joins to the same weights."""
    left, right = np.zeros((2, 90, 130), dtype=np.uint8)
    left[:, :60], right[:, 60:] = 255, 255
    keys = []
    for name, mask in (("left_wing", left), ("right_wing", right)):
        image = Image.fromarray(mask)
        if mode == "I;16":
            image = Image.fromarray(mask.astype(np.uint16) * 257)
        image = image if mode in ("L", "I;16") else image.convert(mode)
        image.save(tmp_path / f"{name}.png")
        keys.append(kit.add_map(tmp_path / f"{name}.png", "no role", "data"))
    assert kit.regions_from_masks(keys)
    assert [region.name for region in kit.at().sheet.regions] == ["left wing", "right wing"]
    first, second = kit.weights().values()
    assert np.array_equal(first * 255, left)
    assert np.array_equal(second * 255, right)
    kit.masks(tmp_path / "out")
    with scripting.new_kit("Joined") as again:
        again.add_map(tmp_path / "paint.png", "base colour")
        files = sorted((tmp_path / "out").glob("*wing*.png"))
        again.regions_from_masks([again.add_map(file, "no role", "data") for file in files])
        for one, other in zip(again.weights().values(), kit.weights().values(), strict=True):
            assert np.array_equal(one, other)


def test_maps_that_hold_nothing_are_told(kit: scripting.OpenKit, tmp_path: Path) -> None:
    Image.fromarray(np.zeros((90, 130, 3), np.uint8)).save(tmp_path / "none.png")
    key = kit.add_map(tmp_path / "none.png", "no role", "data")
    with pytest.raises(UserError, match="hold nothing"):
        kit.regions_from_masks([key])
    with pytest.raises(UserError, match="no map"):
        kit.regions_from_masks(["nowhere"])
