"""Tones: paint without its colour, palettes with their index maps, ramps, and paint smoothed along its strands."""
