"""What tests with OpenGL share."""

from collections.abc import Iterator

import pytest

from even_palette.gl.context import offscreen_context
from even_palette.gl.crowd_view import CrowdRenderer
from even_palette.gl.sheet_view import SheetRenderer
from even_palette.gl.textures import Textures


@pytest.fixture(scope="module")
def renderer() -> SheetRenderer:
    return SheetRenderer()


@pytest.fixture
def crowd_renderer() -> Iterator[CrowdRenderer]:
    context = offscreen_context()
    found = CrowdRenderer(context, Textures(context))
    yield found
    found.release()
