"""The demo kit: a small world of our own, Ferryman's Reach, made by code and shipped ready to open."""

from pathlib import Path

KIT_FOLDER = Path(__file__).parent / "kit"
