"""Colour spaces and differences: one file a space, pure functions on float32 arrays of any leading shape."""
