"""Even Palette: channel masks, palettes and parameterized materials for recolouring game assets."""

__version__ = "0.1.0"
