"""The middle of the window: the stand, or in a stage that shows scenes the scene that is chosen."""

from collections.abc import Sequence

from PyQt6.QtWidgets import QStackedWidget

from even_palette.app.session import Session
from even_palette.app.stage import Stage
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.scene_pane import ScenePane
from even_palette.app.stand.stand import Stand


class Centre(QStackedWidget):
    """Shows one of the two; what belongs to whichever is seen goes through here."""

    def __init__(self, session: Session, stand: Stand, renderer: Renderer, stages: Sequence[Stage]) -> None:
        super().__init__()
        self.session, self.stand, self._stages = session, stand, stages
        self.scene = ScenePane(session, renderer)
        self.addWidget(stand)
        self.addWidget(self.scene)
        stand.moment.changed.connect(self.scene.refresh)
        session.view.scene_changed.connect(self._follow)
        session.changed.connect(self._follow)

    @property
    def shows_scene(self) -> bool:
        """Whether a scene is seen."""
        return self.currentWidget() is self.scene

    def _follow(self) -> None:
        stage = self.session.view.state.stage
        wanted = self.scene if stage >= 0 and self._stages[stage].shows_scenes and self.scene.scene else self.stand
        if self.currentWidget() is not wanted:
            self.setCurrentWidget(wanted)
            self.scene.refresh()

    def light(self) -> None:
        """Light what is seen, or show its colours as they are."""
        (self.scene if self.shows_scene else self.stand.model).lit_button.click()

    def frame(self) -> None:
        """All of what is seen in view."""
        (self.scene if self.shows_scene else self.stand.model).canvas.frame()
