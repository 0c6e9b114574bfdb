"""Proof: what a runtime makes of textures: samplers, mips, block compression, and what they cost."""
