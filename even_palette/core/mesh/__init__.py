"""Meshes: files, elements, UV raster bakes and rays."""
