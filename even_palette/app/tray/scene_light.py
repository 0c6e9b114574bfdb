"""The light of a scene: the neutral studio, sun and sky by the hour, clouds, lamps."""

from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QLineEdit, QPushButton, QVBoxLayout, QWidget

from even_palette.app.controls import Fold, choice, empty, label, row, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.core.colour.hexcode import encoded_to_hex, hex_to_encoded
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.scene import Lamp, LightKind, Scene, SceneLight, Surround, ToneCurve
from even_palette.core.limits import MOST_LAMPS
from even_palette.core.raster.formats import READABLE
from even_palette.core.results.scene_light import surround_file, surround_of

KINDS: list[tuple[str, object]] = [
    ("Neutral studio", LightKind.STUDIO), ("Sun and sky", LightKind.DAYLIGHT), ("Overcast", LightKind.OVERCAST),
    ("Night, lamps alone", LightKind.NIGHT), ("Own picture all around", LightKind.PICTURE),
]  # fmt: skip
TONES: list[tuple[str, object]] = [
    ("Too bright is cut off", ToneCurve.NONE),
    ("Rolled off, PBR Neutral", ToneCurve.NEUTRAL),
]
FAR, HIGH = 50.0, 20.0


class LightPart(Fold):
    """Sets the light of the scene that is chosen."""

    def __init__(self, session: Session) -> None:
        super().__init__("Light")
        self.session = session
        self.kind = choice("Light", KINDS)
        self.kind.activated.connect(lambda at: self._change_once(kind=self.kind.itemData(at)))
        self.hour = NumberRow("Hour", 0, 24, "h", 1, "Of solar time: the sun stands in the south at twelve.")
        self.hour.changed.connect(lambda value: self._change(hour=value))
        self.picture = QPushButton("Choose picture …")
        self.picture.setToolTip("Equirectangular, twice as wide as high: its middle lies to the south; EXR or HDR best")
        self.picture.clicked.connect(self._choose)
        self.turned = NumberRow("Turned", -180, 180, "°", 1, "How far the picture is turned about the upright axis.")
        self.turned.changed.connect(lambda value: self._change(turned=value))
        self.exposure = NumberRow("Exposure", -6, 6, "stops", 1, "Powers of two, of light before it is shown.")
        self.exposure.changed.connect(lambda value: self._change(exposure=value))
        self.tone = choice("Tone curve", TONES)
        self.tone.activated.connect(lambda at: self._change_once(tone=self.tone.itemData(at)))
        self.sky = QCheckBox("The sky is seen behind")
        self.sky.setToolTip("The sky, or the picture, behind what stands there; else neutral grey")
        self.sky.clicked.connect(lambda on: self._change_once(sky=on))
        self.add = QPushButton("Add lamp")
        self.add.clicked.connect(self._add)
        for number in (self.hour, self.turned, self.exposure):
            number.finished.connect(session.end_merge)
        self.outdoors = QWidget()
        below = QVBoxLayout(self.outdoors)
        below.setContentsMargins(0, 0, 0, 0)
        below.setSpacing(6)
        for widget in (self.hour, self.picture, self.turned, self.exposure, self.tone, self.sky):
            below.addWidget(widget)
        self.lamps = QVBoxLayout()
        self.lamps.setSpacing(6)
        below.addLayout(self.lamps)
        below.addWidget(self.add)
        self.column.addWidget(self.kind)
        self.column.addWidget(self.outdoors)
        self.rows: list[dict[str, QWidget]] = []

    @property
    def _scene(self) -> str:
        return self.session.view.state.scene

    def _light(self) -> SceneLight | None:
        return next((scene.light for scene in self.session.kit.scenes if scene.key == self._scene), None)

    def refresh(self, scene: Scene | None) -> None:
        """Show the light of a scene."""
        self.setVisible(scene is not None)
        if scene is None:
            return
        light = scene.light
        show_choice(self.kind, light.kind)
        show_choice(self.tone, light.tone)
        self.outdoors.setVisible(light.kind != LightKind.STUDIO)
        self.hour.setVisible(light.kind == LightKind.DAYLIGHT)
        self.hour.show_value(light.hour)
        for widget in (self.picture, self.turned):
            widget.setVisible(light.kind == LightKind.PICTURE)
        self.picture.setText(Path(light.picture.path).name if light.picture else "Choose picture …")
        self.turned.show_value(light.turned)
        self.exposure.show_value(light.exposure)
        self.sky.setChecked(light.sky)
        what = "picture" if light.kind == LightKind.PICTURE else "sky"
        self.sky.setText(f"The {what} is seen behind")
        self.add.setEnabled(len(light.lamps) < MOST_LAMPS)
        if len(self.rows) != len(light.lamps):
            empty(self.lamps)
            self.rows = [self._lamp(number) for number in range(len(light.lamps))]
        for lamp, rows in zip(light.lamps, self.rows, strict=True):
            for axis, name in enumerate(("across", "up", "away")):
                rows[name].show_value(lamp.place[axis])  # type: ignore[attr-defined]
            rows["strength"].show_value(lamp.strength)  # type: ignore[attr-defined]
            rows["colour"].setText(encoded_to_hex(lamp.colour))  # type: ignore[attr-defined]

    def _lamp(self, number: int) -> dict[str, QWidget]:
        hexcode = QLineEdit()
        hexcode.setAccessibleName(f"Colour of lamp {number + 1}")
        hexcode.editingFinished.connect(lambda: self._set_colour(number, hexcode.text()))
        remove = tool(f"Remove lamp {number + 1}", "trash", "Take this lamp away")
        remove.clicked.connect(lambda: self._remove(number))
        self.lamps.addLayout(row(label(f"Lamp {number + 1}", "section"), hexcode, remove, stretch=1))
        rows: dict[str, QWidget] = {"colour": hexcode}
        places = (("across", "Across", -FAR, FAR), ("up", "Up", -2.0, HIGH), ("away", "Away", -FAR, FAR))
        for axis, (name, text, low, high) in enumerate(places):
            made = NumberRow(text, low, high, "m", 2, "Where the lamp hangs.")
            made.changed.connect(partial(self._move, number, axis))
            rows[name] = made
        strength = NumberRow("Strength", 0, 60, "", 1, "What it gives at a metre, as a factor on its colour.")
        strength.changed.connect(lambda value: self._set(number, strength=value))
        rows["strength"] = strength
        for name in ("across", "up", "away", "strength"):
            rows[name].finished.connect(self.session.end_merge)  # type: ignore[attr-defined]
            self.lamps.addWidget(rows[name])
        return rows

    # What is done

    def _change(self, **fields: object) -> None:
        light = self._light()
        if light is not None:
            self.session.do(commands.set_light(self._scene, replace(light, **fields)))

    def _change_once(self, **fields: object) -> None:
        self._change(**fields)
        self.session.end_merge()

    def _choose(self) -> None:
        kinds = " ".join(f"*{suffix}" for suffix in READABLE)
        name, _ = QFileDialog.getOpenFileName(self, "Picture all around", "", f"Pictures ({kinds})")
        if name:
            self.open_picture(Path(name))

    def open_picture(self, path: Path) -> None:
        """Light the scene by a picture all around it; it is looked at on a worker first."""
        scene = self._scene

        def work(progress: Progress, cancel: CancelToken) -> Surround:
            found = surround_file(path)
            surround_of(found, self.session.sheets)
            return found

        def done(found: Surround) -> None:
            light = next((each.light for each in self.session.kit.scenes if each.key == scene), None)
            if light is not None:
                changed = replace(light, kind=LightKind.PICTURE, picture=found)
                self.session.do(commands.set_light(scene, changed))
                self.session.end_merge()

        self.session.jobs.run("Picture all around", work, done, self.session.notice.emit)

    def _set(self, number: int, **fields: object) -> None:
        light = self._light()
        if light is not None and number < len(light.lamps):
            lamps = list(light.lamps)
            lamps[number] = replace(lamps[number], **fields)
            self._change(lamps=tuple(lamps))

    def _move(self, number: int, axis: int, value: float) -> None:
        light = self._light()
        if light is not None and number < len(light.lamps):
            place = list(light.lamps[number].place)
            place[axis] = value
            self._set(number, place=tuple(place))

    def _set_colour(self, number: int, text: str) -> None:
        try:
            self._set(number, colour=hex_to_encoded(text))
            self.session.end_merge()
        except ValueError as error:
            self.session.notice.emit(str(error))

    def _add(self) -> None:
        light = self._light()
        if light is not None:
            self._change_once(lamps=(*light.lamps, Lamp((0.0, 3.0, 2.0))))

    def _remove(self, number: int) -> None:
        light = self._light()
        if light is not None:
            self._change_once(lamps=tuple(lamp for at, lamp in enumerate(light.lamps) if at != number))
