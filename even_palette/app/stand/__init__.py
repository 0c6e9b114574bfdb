"""The stand: the viewing area with its panes, looks, wipe and loupe."""
