"""The error that is meant for the person in front of the window."""


class UserError(Exception):
    """One sentence in plain words: what happened, to which file or value, and what to do."""
