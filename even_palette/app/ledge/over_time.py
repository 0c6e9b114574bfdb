"""Over time: play, and the keys of parameters in the variant that is selected, or of the instances that are picked."""

from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QPushButton, QScrollArea, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import choice, label, offer, row, show_choice, tool
from even_palette.app.ledge.time_rows import Line, TimeRows
from even_palette.app.number import NumberRow
from even_palette.app.page import Page
from even_palette.app.session import Session
from even_palette.core.kit import commands
from even_palette.core.kit.instances import Instance, found_instances, settings_at
from even_palette.core.material.model import Easing, Parameter, Repeat, Setting, Track, TrackKey, ValueKind
from even_palette.core.material.tracks import key_at, with_key
from even_palette.core.material.variants import resolve

EASINGS: list[tuple[str, object]] = [
    ("Straight on", Easing.LINEAR), ("Ease", Easing.EASE), ("Ease in", Easing.EASE_IN), ("Ease out", Easing.EASE_OUT),
    ("Ease in and out", Easing.EASE_IN_OUT), ("Hold, then jump", Easing.HOLD),
]  # fmt: skip
REPEATS: list[tuple[str, object]] = [
    ("Once, then it stays", Repeat.ONCE), ("Again and again", Repeat.LOOP), ("To and fro", Repeat.TO_AND_FRO),
]  # fmt: skip
LENGTH_S = 4.0


class LineupPage(Page):
    """The board, and time."""

    tabs = ("Board", "Time")
    begins_with_board = True

    def __init__(self, session: Session, panel: Any) -> None:
        super().__init__(session)
        self.over_time = OverTime(session)
        self.addWidget(self.over_time)
        table = panel.parameters.table
        table.currentItemChanged.connect(lambda *_: self.over_time.choose(panel.parameters.key))


class OverTime(QWidget):
    """`parameter` is the key of the one whose keys are set."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.parameter = ""
        self.play = tool("Play", "play", "Let time go on, or stop it (M)")
        self.play.setCheckable(True)
        self.play.clicked.connect(session.moment.let_go_on)
        self.begin = tool("To the beginning", "skip-back", "The first moment again (Shift+M)")
        self.begin.clicked.connect(session.moment.begin_again)
        self.length = NumberRow("Length", 0.5, 60, "s", 1, "So long the strip is; playing begins again at its end.")
        self.length.show_value(LENGTH_S)
        self.length.changed.connect(lambda _: self.follow())
        self.speed = NumberRow("Speed", 0.1, 4, "×", 1, "How quickly time goes on.")
        self.speed.show_value(1.0)
        self.speed.changed.connect(self._set_speed)
        self.target = choice("Variant that it fades to", [])
        self.target.setToolTip(plain.tip("The variant that the selected one goes to, within the length of the strip"))
        self.fade = QPushButton("Add fade")
        self.fade.setToolTip(plain.tip("A new variant that goes from the selected one to that one, to and fro"))
        self.fade.clicked.connect(self._fade)
        self.told = label("", "quiet")
        self.told.setWordWrap(False)
        self.parameters = choice("Parameter whose keys are set", [])
        self.parameters.activated.connect(lambda at: self.choose(self.parameters.itemData(at)))
        self.key = QPushButton("Key here")
        self.key.setToolTip(plain.tip("Keeps the value that the parameter has now at this time"))
        self.key.clicked.connect(self._key)
        self.less = QPushButton("Remove key")
        self.less.clicked.connect(self._remove)
        self.easing = choice("How it goes on from this key", EASINGS)
        self.easing.activated.connect(lambda at: self._ease(self.easing.itemData(at)))
        self.repeat = choice("After the last key", REPEATS)
        self.repeat.activated.connect(lambda at: self._repeat(self.repeat.itemData(at)))
        self.rate = NumberRow(
            "Rate", -180, 180, "/s", 2, "How much a number goes on in a second, within its range.", head=False
        )
        self.rate.changed.connect(self._set_rate)
        self.rate.finished.connect(session.end_merge)
        self.rows = TimeRows()
        self.rows.went.connect(session.moment.go_to)
        self.rows.chosen.connect(self.choose)
        self.rows.moved.connect(self._move)
        self.rows.finished.connect(session.end_merge)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setFrameShape(QFrame.Shape.NoFrame)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        held = QWidget()
        inside = QVBoxLayout(held)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.addWidget(self.rows)
        inside.addStretch(1)
        area.setWidget(held)
        for box in (self.parameters, self.target, self.easing, self.repeat):
            box.setMinimumContentsLength(13)
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 6)
        column.setSpacing(6)
        column.addLayout(row(self.play, self.begin, self.speed, self.length, self.target, self.fade))
        column.addLayout(row(self.parameters, self.key, self.less, self.easing, self.repeat, self.rate, stretch=5))
        column.addWidget(self.told)
        column.addWidget(area, 1)
        for signal in (session.shown_changed, session.selection_changed, session.view.scene_changed):
            signal.connect(self.follow)
        session.moment.changed.connect(self.follow)
        session.moment.started.connect(self.play.setChecked)

    # What is shown

    @property
    def _time(self) -> float:
        return self.session.view.state.time

    def _picked(self) -> Instance | None:
        state = self.session.view.state
        scene = next((scene for scene in self.session.kit.scenes if scene.key == state.scene), None)
        return next(iter(found_instances(scene, state.picks)), None) if scene and state.picks else None

    def _tracks(self) -> dict[str, Track]:
        if (picked := self._picked()) is not None:
            return dict(picked.tracks)
        variant = self.session.variant
        return dict(self.session.kit.variant(variant).tracks) if variant else {}

    def _track(self) -> Track | None:
        return self._tracks().get(self.parameter)

    def _here(self) -> TrackKey | None:
        return key_at(self._track(), self._time)

    def _now(self) -> Setting:
        """What the parameter is at this time."""
        kit, picked = self.session.kit, self._picked()
        variant = picked.variant if picked else self.session.variant
        settings = resolve(kit.parameters, kit.variants, variant, self._time)
        if picked is not None:
            settings |= settings_at(picked, kit.parameters_by_key, self._time)
        return settings[self.parameter]

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.follow()

    def choose(self, parameter: str) -> None:
        """Set the keys of another parameter."""
        if parameter:
            self.parameter = parameter
            self.follow()

    def follow(self) -> None:
        """Show the moment and the keys."""
        if not self.isVisible():
            return
        kit, variant, picked, tracks = self.session.kit, self.session.variant, self._picked(), self._tracks()
        parameters = kit.parameters_by_key
        if self.parameter not in parameters:
            self.parameter = next(iter([*tracks, *parameters]), "")
        names = [(each.name.replace("_", " "), key) for key, each in parameters.items()]
        offer(self.parameters, names, self.parameter)
        others = [(name, key) for key, name in kit.variant_names.items() if key != variant]
        offer(self.target, others, self.target.currentData())
        self.fade.setEnabled(bool(others) and bool(parameters))
        self.session.moment.end = self.length.value()
        self.play.setChecked(self.session.moment.goes_on)
        lines = [_line(parameters[key], tracks[key]) for key in parameters if key in tracks]
        self.rows.show_time(self._time, self.length.value(), lines, self.parameter)
        track, here, parameter = tracks.get(self.parameter), self._here(), parameters.get(self.parameter)
        possible = parameter is not None and (bool(variant) or picked is not None)
        for widget in (self.parameters, self.key):
            widget.setEnabled(possible)
        self.repeat.setEnabled(track is not None)
        self.less.setEnabled(here is not None)
        self.easing.setEnabled(here is not None)
        number = parameter is not None and parameter.kind in (ValueKind.NUMBER, ValueKind.ROW)
        self.rate.setVisible(number and track is not None)
        show_choice(self.repeat, track.repeat if track else Repeat.ONCE)
        show_choice(self.easing, here.easing if here else Easing.LINEAR)
        self.rate.show_value(track.rate if track else 0.0)
        self.told.setVisible(picked is not None or not possible)
        self.told.setText(
            "Of the picked instances, on top of what their variants do"
            if possible
            else "Choose a variant, or pick instances of a scene: the master stands still."
        )

    # What is done

    def _set_speed(self, value: float) -> None:
        self.session.moment.speed = value

    def _put(self, parameter: str, track: Track | None) -> None:
        state = self.session.view.state
        if self._picked() is not None:
            self.session.do(commands.set_track_in_instances(state.scene, state.picks, parameter, track))
        elif self.session.variant:
            self.session.do(commands.set_track(parameter, self.session.variant, track))
        self.follow()

    def _put_once(self, track: Track | None) -> None:
        self._put(self.parameter, track)
        self.session.end_merge()

    def _key(self) -> None:
        here = self._here()
        made = TrackKey(self._time, self._now(), here.easing if here else Easing.LINEAR)
        self._put_once(with_key(self._track(), made))

    def _remove(self) -> None:
        track, here = self._track(), self._here()
        if track is not None and here is not None:
            keys = tuple(key for key in track.keys if key is not here)
            self._put_once(replace(track, keys=keys) if keys else None)

    def _move(self, parameter: str, number: int, time: float) -> None:
        track = self._tracks().get(parameter)
        if track is not None and number < len(track.keys):
            keys = list(track.keys)
            keys[number] = replace(keys[number], time=time)
            self._put(parameter, replace(track, keys=tuple(keys)))
            self.session.moment.go_to(time)

    def _ease(self, easing: Easing) -> None:
        track, here = self._track(), self._here()
        if track is not None and here is not None:
            self._put_once(with_key(track, replace(here, easing=easing)))

    def _repeat(self, repeat: Repeat) -> None:
        if (track := self._track()) is not None:
            self._put_once(replace(track, repeat=repeat))

    def _set_rate(self, rate: float) -> None:
        if (track := self._track()) is not None:
            self._put(self.parameter, replace(track, rate=rate))

    def _fade(self) -> None:
        names, one, other = self.session.kit.variant_names, self.session.variant, self.target.currentData()
        name = f"{names[one]} to {names[other]}"
        if self.session.do(commands.add_fade(name, one, other, self.length.value())):
            self.session.select(variant=self.session.kit.variants[-1].key)


def _line(parameter: Parameter, track: Track) -> Line:
    colours = tuple(key.value if isinstance(key.value, tuple) else None for key in track.keys)
    return Line(parameter.key, parameter.name.replace("_", " "), tuple(key.time for key in track.keys), colours)
