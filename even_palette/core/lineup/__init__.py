"""Where the instances of a lineup stand: kinds of placings, and lists of places in files."""
