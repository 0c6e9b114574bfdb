"""What a kit may hold at the most: the reader, commands and packers refuse the same."""

FORMAT = 10
MOST_SHEETS = 512
MOST_REGIONS = 255
"""On one sheet: edge pairs name a region by one byte, 0 for the base."""
MOST_FACE_REGIONS = 65535
"""On one mesh, which may lie on several sheets: a face names its region by two bytes at the most, 0 for none."""
MOST_MESHES = 64
MOST_BAKES = 64
MOST_BOXES = 64
MOST_PARAMETERS = 4096
MOST_SIDE = 16384
MOST_PAINTED = 1 << 18
"""Tiles of paint in a kit, however often one and the same occurs: 16 GiB of paint."""
MOST_COATS = 16
MOST_RECIPES = 256
MOST_PLANS = 64
MOST_PRESETS = 32
MOST_BUDGET = 1 << 40
MOST_SCENES, MOST_PLACINGS, MOST_INSTANCES = 32, 256, 20_000
MOST_IN_SCENE = 50_000
MOST_LAMPS = 4
MOST_SWATCHES = 64
MOST_FRAMES = 10_000
"""Of a scene over time, written as pictures."""
MOST_TRACK_KEYS, LONGEST_S = 64, 3600.0
MOST_STEPS = 32
MOST_TOLERANCE = 512.0
"""Levels between ID colours."""
MOST_MAPS = 64
MOST_TWINS = 64
MOST_TONES = 64
MOST_PALETTES = 256
MOST_ROWS = 256
MOST_ROW_TEXELS = 16
"""Of a palette or ramp."""
MOST_PADDING = 256
MOST_SLOPE = 8.0
"""Factor on the slopes of a normal map."""
MOST_MIP = 12
LEAST_BAKE, MOST_BAKE = 256, 8192
LEAST_MASK, MOST_MASK = 64, 8192
MOST_UV_SETS = 16
MOST_FACES = 8_000_000
MOST_VARIANTS = 2000
LEAST_TILING, MOST_TILING = 1 / 64, 1024.0
MOST_GRID = 16
FASTEST = 100.0
FARTHEST_VALUE = 1e6
"""Parameters lie between minus this and this, so that float32 holds them well."""
