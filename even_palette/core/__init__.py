"""Everything that computes. Imports neither Qt nor OpenGL."""
