"""Offscreen OpenGL rendering with moderngl."""
