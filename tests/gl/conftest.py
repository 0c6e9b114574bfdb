"""What tests with OpenGL share."""

import pytest

from even_palette.gl.sheet_view import SheetRenderer


@pytest.fixture(scope="module")
def renderer() -> SheetRenderer:
    return SheetRenderer()
