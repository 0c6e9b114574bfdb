"""Drawing by the processor, by compiled loops: a way to draw sheets beside OpenGL's in `gl`."""
