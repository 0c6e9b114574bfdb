"""The board: the table of regions and variants at the bottom of the window."""
