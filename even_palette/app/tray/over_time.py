"""Over time: play, the strip of time, and keys of the chosen parameter in the variant that is selected."""

from collections.abc import Callable

from msgspec.structs import replace
from PyQt6.QtWidgets import QPushButton

from even_palette.app import plain
from even_palette.app.controls import Fold, choice, label, row, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.tray.time_strip import TimeStrip
from even_palette.core.kit import commands
from even_palette.core.material.model import Easing, Repeat, Track, TrackKey, ValueKind
from even_palette.core.material.tracks import SAME_S, with_key
from even_palette.core.material.variants import resolve

EASINGS: list[tuple[str, object]] = [
    ("Straight on", Easing.LINEAR), ("Ease", Easing.EASE), ("Ease in", Easing.EASE_IN), ("Ease out", Easing.EASE_OUT),
    ("Ease in and out", Easing.EASE_IN_OUT), ("Hold, then jump", Easing.HOLD),
]  # fmt: skip
REPEATS: list[tuple[str, object]] = [
    ("Once, then it stays", Repeat.ONCE), ("Again and again", Repeat.LOOP), ("To and fro", Repeat.TO_AND_FRO),
]  # fmt: skip


class OverTime(Fold):
    """`chosen` gives the key of the parameter that is chosen in the table, "" for none."""

    def __init__(self, session: Session, chosen: Callable[[], str]) -> None:
        super().__init__("Over time")
        self.session, self._chosen = session, chosen
        self.play = tool("Play", "play", "Let time go on, or stop it (M)")
        self.play.setCheckable(True)
        self.play.clicked.connect(session.moment.let_go_on)
        self.begin = tool("To the beginning", "skip-back", "The first moment again (Shift+M)")
        self.begin.clicked.connect(session.moment.begin_again)
        self.length = NumberRow("Length", 0.5, 60, "s", 1, "So long the strip is; playing begins again at its end.")
        self.length.show_value(4.0)
        self.length.changed.connect(lambda _: self.follow())
        self.speed = NumberRow("Speed", 0.1, 4, "×", 1, "How quickly time goes on.")
        self.speed.show_value(1.0)
        self.speed.changed.connect(self._set_speed)
        self.strip = TimeStrip()
        self.strip.went.connect(session.moment.go_to)
        self.told = label("", "quiet")
        self.key = QPushButton("Key here")
        self.key.setToolTip(plain.tip("Keeps the value that the parameter has now at this time"))
        self.key.clicked.connect(self._key)
        self.less = QPushButton("Remove key")
        self.less.clicked.connect(self._remove)
        self.easing = choice("How it goes on from this key", EASINGS)
        self.easing.activated.connect(lambda at: self._ease(self.easing.itemData(at)))
        self.repeat = choice("After the last key", REPEATS)
        self.repeat.activated.connect(lambda at: self._repeat(self.repeat.itemData(at)))
        self.rate = NumberRow("Rate", -180, 180, "/s", 2, "How much a number goes on in a second, within its range.")
        self.rate.changed.connect(lambda value: self._change(rate=value))
        self.rate.finished.connect(session.history.end_merge)
        self.column.addLayout(row(self.play, self.begin, self.speed, stretch=2))
        self.column.addWidget(self.strip)
        self.column.addWidget(self.length)
        self.column.addWidget(self.told)
        self.column.addLayout(row(self.key, self.less))
        self.column.addWidget(self.easing)
        self.column.addWidget(self.repeat)
        self.column.addWidget(self.rate)
        self.head.clicked.connect(self.follow)
        session.moment.changed.connect(self.follow)
        session.moment.started.connect(self.play.setChecked)

    @property
    def _time(self) -> float:
        return self.session.view.state.time

    def _track(self) -> Track | None:
        kit, variant = self.session.kit, self.session.variant
        return kit.variant(variant).tracks.get(self._chosen()) if variant else None

    def _here(self) -> TrackKey | None:
        track = self._track()
        keys = [key for key in track.keys if abs(key.time - self._time) <= SAME_S] if track else []
        return keys[0] if keys else None

    def follow(self) -> None:
        """Show the moment and the keys."""
        if self.body.isHidden() or not self.isVisible():
            return
        kit, variant, chosen = self.session.kit, self.session.variant, self._chosen()
        track, here = self._track(), self._here()
        self.session.moment.end = self.length.value()
        self.play.setChecked(self.session.moment.goes_on)
        self.strip.show_time(self._time, self.length.value(), [key.time for key in track.keys] if track else [])
        parameter = kit.parameter(chosen) if chosen in [p.key for p in kit.parameters] else None
        possible = bool(variant) and parameter is not None
        for widget in (self.key, self.repeat):
            widget.setEnabled(possible)
        self.less.setEnabled(here is not None)
        self.easing.setEnabled(here is not None)
        number = parameter is not None and parameter.kind in (ValueKind.NUMBER, ValueKind.ROW)
        self.rate.setVisible(number and track is not None)
        show_choice(self.repeat, track.repeat if track else Repeat.ONCE)
        show_choice(self.easing, here.easing if here else Easing.LINEAR)
        self.rate.show_value(track.rate if track else 0.0)
        if not variant:
            self.told.setText("Choose a variant: the master stands still.")
        elif parameter is None:
            self.told.setText("Choose a parameter in the table above.")
        else:
            count = f"{len(track.keys)} keys" if track else "no keys yet"
            self.told.setText(f"{parameter.name}, {count} · {self._time:.2f} s")

    # What is done

    def _set_speed(self, value: float) -> None:
        self.session.moment.speed = value

    def _put(self, track: Track | None) -> None:
        self.session.do(commands.set_track(self._chosen(), self.session.variant, track))
        self.session.history.end_merge()
        self.follow()

    def _key(self) -> None:
        kit, track, key = self.session.kit, self._track(), self._chosen()
        now = resolve(kit.parameters, kit.variants, self.session.variant, self._time)[key]
        here = self._here()
        self._put(with_key(track, TrackKey(self._time, now, here.easing if here else Easing.LINEAR)))

    def _remove(self) -> None:
        track, here = self._track(), self._here()
        if track is None or here is None:
            return
        keys = tuple(key for key in track.keys if key is not here)
        self._put(replace(track, keys=keys) if keys else None)

    def _ease(self, easing: Easing) -> None:
        track, here = self._track(), self._here()
        if track is not None and here is not None:
            self._put(with_key(track, replace(here, easing=easing)))

    def _repeat(self, repeat: Repeat) -> None:
        track = self._track()
        if track is not None:
            self._put(replace(track, repeat=repeat))

    def _change(self, **fields: object) -> None:
        track = self._track()
        if track is not None:
            self.session.do(commands.set_track(self._chosen(), self.session.variant, replace(track, **fields)))
