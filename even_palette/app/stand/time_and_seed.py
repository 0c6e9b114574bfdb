"""Pictures at the moment that is chosen, and labels that tell it."""

from even_palette.app.view_state import ViewState
from even_palette.core.kit.model import Focus
from even_palette.core.results.at_time import at_time
from even_palette.core.results.looks import Look
from even_palette.core.results.pictures import Picture


def at_moment(at: Focus, look: Look, shown: Picture, state: ViewState) -> Picture:
    """A picture of a look at the moment that is chosen."""
    return at_time(at, look, shown, state.time, state.seed)


def labelled(label: str, state: ViewState) -> str:
    """A label with the moment, where that is not the first one."""
    parts = [label, f"{state.time:.1f} s" if state.time else "", f"instance {state.seed:.3f}" if state.seed else ""]
    return " · ".join(part for part in parts if part)
