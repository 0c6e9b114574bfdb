"""Small pictures of what kinds of coats would do to the region that is selected, made on a worker."""

from PyQt6.QtGui import QIcon

from even_palette.app.jobs import Rank
from even_palette.app.session import Session
from even_palette.app.tray.add_list import PICTURE, AddList
from even_palette.app.tray.coats import before_and_after
from even_palette.app.tray.overcoats import suited_coat
from even_palette.core.arrays import Levels
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.material.coats import COATS
from even_palette.core.results.strips import coat_strip, strip_with

Pair = tuple[Levels, Levels]


def show_kinds(session: Session, shown: AddList) -> None:
    """Give a list of kinds of coats its pictures: the colours that are there, and what a coat makes of them below."""
    at, sheets, owner, variant = session.at, session.sheets, session.owner, session.variant
    if not owner or session.shown is None:
        return
    coats = {name: suited_coat(at, name) for name in COATS}

    def make(progress: Progress, cancel: CancelToken) -> dict[str, Pair]:
        before, found = coat_strip(at, sheets, owner, variant), dict[str, Pair]()
        for name, coat in coats.items():
            cancel.check()
            after = strip_with(at, sheets, owner, variant, coat)
            found[name] = before, before if after is None else after
        return found

    def done(found: dict[str, Pair]) -> None:
        shown.show_pictures({name: QIcon(before_and_after(*pair, PICTURE)) for name, pair in found.items()})

    session.jobs.run("Pictures of coats", make, done, lambda told: None, rank=Rank.VIEW, place="kinds of coats")
