"""The pane of a scene: its canvas, and in its foot lit or flat, and frame."""

from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QWidget

from even_palette.app import plain
from even_palette.app.session import Session
from even_palette.app.stand.model_pane import foot_button, put_over_foot
from even_palette.app.stand.renderer import Renderer
from even_palette.app.stand.scene_canvas import SceneCanvas
from even_palette.app.stand.scene_shots import SceneShots
from even_palette.core.errors import NotReady, UserError
from even_palette.core.kit import commands
from even_palette.core.kit.instances import Pick
from even_palette.core.kit.scene import Scene
from even_palette.core.results.crowd import crowds_of
from even_palette.core.results.scene_light import lighting_of
from even_palette.core.results.scene_view import camera_of, through

EMPTY = "Nothing stands here yet. Place instances of a mesh with the plus in the tray."
NO_MESH = "There is no mesh in this kit yet; open one in Source, then place it here."


class ScenePane(QWidget):
    """Shows the scene that is chosen in Lineup, and does what is done to its instances by hand."""

    def __init__(self, session: Session, renderer: Renderer) -> None:
        super().__init__()
        self.session, self.renderer = session, renderer
        self.canvas = SceneCanvas(renderer, self)
        self.told = plain.Label("")
        self.told.setProperty("role", "quiet")
        lit_tip = "In the light of the scene, or flat: the sheets' exact colours (I)"
        self.lit_button = foot_button("Lit", "scene", lit_tip, True)
        self.lit_button.clicked.connect(lambda: self.canvas.set_lit(self.lit_button.isChecked()))
        frame = foot_button("Frame", "scene", "All instances in view (G)", False)
        frame.clicked.connect(self.canvas.frame)
        self.keep = foot_button(
            "Keep view", "scene", "The scene is seen from here, at this time, when it is opened", False
        )
        self.keep.clicked.connect(self._keep)
        self.kept = foot_button("Kept view", "scene", "The view that was kept, and its time", False)
        self.kept.clicked.connect(self._show_kept)
        put_over_foot(self, self.canvas, self.told, self.lit_button, frame, self.kept, self.keep)
        self.shots = SceneShots(session, renderer, self)
        self._lacks = False
        self._opened = ""
        canvas = self.canvas
        canvas.picked.connect(self._pick)
        canvas.moved.connect(self._move)
        canvas.dropped.connect(session.end_merge)
        canvas.lamp_moved.connect(self._move_lamp)
        canvas.removed.connect(self.remove)
        canvas.doubled.connect(self.double)
        canvas.view_changed.connect(lambda: canvas.show_marks(None, None))  # they come back when it is still
        session.shown_changed.connect(self.refresh)
        session.made.connect(self._follow_made)
        session.view.scene_changed.connect(self.refresh)

    @property
    def scene(self) -> str:
        """The key of the scene that is shown, "" for none."""
        key = self.session.view.state.scene
        return key if key in [scene.key for scene in self.session.kit.scenes] else ""

    @property
    def picks(self) -> tuple[Pick, ...]:
        """The instances that are picked."""
        return self.session.view.state.picks

    def refresh(self) -> None:
        """Show the scene as the kit that is ready has it."""
        at = self.session.shown
        if not self.isVisible() or at is None:
            return
        there = [scene for scene in at.whole.scenes if scene.key == self.scene]
        if not there or not there[0].placings:
            self.canvas.show_message(EMPTY if at.kit.meshes else NO_MESH)
            self.told.setText("")
            return
        if trouble := self.renderer.model_trouble():
            self.canvas.show_message(trouble)
            return
        self._lacks = False
        try:
            crowds = crowds_of(at.whole, self.session.sheets, there[0], self.session.view.state.time)
            light = lighting_of(there[0].light, self.session.sheets)
        except NotReady as missing:
            self._lacks = True
            if told := self.session.results.make(missing):
                self.canvas.show_message(told)
            return
        except UserError as error:
            self.canvas.show_message(str(error))
            return
        if not crowds:
            self.canvas.show_message(EMPTY)
            return
        self.canvas.time = self.session.view.state.time
        if light is not None and self.canvas.outdoors is None and not self.canvas.lit:
            self.lit_button.click()  # light that was just chosen is seen
        self.canvas.outdoors = light
        self.canvas.show_lamps(there[0].light.lamps if light is not None else ())
        placings = [(placing.key, placing.count, len(placing.spots)) for placing in there[0].placings]
        self.canvas.show_crowds(crowds, there[0].name, repr((self.scene, placings)))
        self.kept.setEnabled(there[0].camera is not None)
        if self._opened != self.scene:
            self._opened = self.scene
            self._show_kept()
        self.canvas.mark(self.picks)
        count = sum(len(crowd.picks) for crowd in crowds)
        chosen = f" · {len(self.picks)} picked" if self.picks else ""
        self.told.setText(f"{count:,} instances of {len(crowds)} meshes{chosen}")

    def _follow_made(self) -> None:
        if self._lacks:
            self.refresh()

    def _there(self) -> Scene | None:
        return next((scene for scene in self.session.kit.scenes if scene.key == self.scene), None)

    def _keep(self) -> None:
        camera, time = camera_of(self.canvas.orbit), self.session.view.state.time
        if self.scene and self.session.do(commands.keep_view(self.scene, camera, time)):
            self.session.notice.emit("The scene is seen from here when it is opened.")

    def _show_kept(self) -> None:
        scene = self._there()
        if scene is not None and scene.camera is not None and self.canvas.tiles:
            self.canvas.show_from(through(scene.camera, self.canvas.orbit))
            if scene.time != self.session.view.state.time:
                self.session.moment.go_to(scene.time)

    def write_pictures(self, path: Path, fields: dict[str, Any]) -> None:
        """Write pictures of the scene from where it is seen now, from this time on."""
        from even_palette.gl.reviews import Shots

        if (scene := self._there()) is not None and self.canvas.tiles:
            shots = Shots(lit=self.canvas.lit, orbit=self.canvas.orbit, **fields)
            self.shots.write(path, scene, shots, self.session.view.state.time)

    def _pick(self, pick: Pick | None, add: bool) -> None:
        picks = self.picks if add else ()
        if pick is not None:
            picks = tuple(each for each in picks if each != pick) if pick in picks else (*picks, pick)
        self.session.view.change(picks=picks)

    def _move(self, across: float, ahead: float) -> None:
        if self.picks:
            self.session.do(commands.move_instances(self.scene, self.picks, (across, 0.0, ahead)))

    def _move_lamp(self, number: int, place: tuple[float, float, float]) -> None:
        scene = self._there()
        if scene is not None and number < len(scene.light.lamps):
            lamps = list(scene.light.lamps)
            lamps[number] = replace(lamps[number], place=place)
            self.session.do(commands.set_light(scene.key, replace(scene.light, lamps=tuple(lamps))))

    def remove(self) -> None:
        """Take what is picked away."""
        if self.picks and self.session.do(commands.remove_instances(self.scene, self.picks)):
            self.session.view.change(picks=())

    def double(self) -> None:
        """Put copies of what is picked beside it."""
        if self.picks:
            self.session.do(commands.duplicate_instances(self.scene, self.picks, (1.0, 0.0, 1.0)))
