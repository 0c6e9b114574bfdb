"""The colours of looks that tell how often a texel is covered."""

HOLE = (0.13, 0.42, 0.95)
OVERLAP = (0.98, 0.58, 0.08)
COVERED = 0.78
