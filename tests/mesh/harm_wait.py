"""A reader that waits for ever."""

import threading


def read(path: object, limits: object) -> None:
    threading.Event().wait()
