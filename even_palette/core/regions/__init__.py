"""Regions of a sheet: ID colours, keying, weights and packing."""
