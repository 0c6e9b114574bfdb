"""The stand-in for a game runtime: it reads a package, nothing else, and renders it."""
