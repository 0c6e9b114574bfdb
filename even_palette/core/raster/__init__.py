"""Planes: images in memory with a stated encoding, and their way in and out of files."""
