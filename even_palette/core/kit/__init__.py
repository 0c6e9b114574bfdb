"""The document: an immutable model, commands on it, its history and store, and results derived from it."""
