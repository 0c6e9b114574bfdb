"""How strokes are made: the hand, the brush, and where a stroke may go. It stands where a step of paint is chosen."""

from pathlib import Path

from PyQt6.QtCore import QSize
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QFileDialog, QSizePolicy, QToolButton, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import Fold, choice, row, show_choice
from even_palette.app.files import FILTER
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.view_state import Hand
from even_palette.core.regions.brush import LEAST_RADIUS
from even_palette.core.results.fill import Limit

HANDS = (
    (Hand.PAINT, "Paint", "Paint a value (P)"),
    (Hand.SOFTEN, "Soften", "Soften what is under the brush"),
    (Hand.SMEAR, "Smear", "Drag the mask along with the brush"),
    (Hand.FILL, "Fill", "Fill all texels that hang together and are alike, or what “Within” says, with a click"),
)
LIMITS: list[tuple[str, object]] = [
    ("Anywhere", Limit.NONE),
    ("UV island under the cursor", Limit.ISLAND),
    ("Shell under the cursor", Limit.SHELL),
    ("Face under the cursor", Limit.FACE),
    ("Region under the cursor", Limit.REGION),
]
MIRRORS: list[tuple[str, object]] = [("Not mirrored", ""), ("Mirrored in x", "x"), ("Mirrored in y", "y"),
                                     ("Mirrored in z", "z")]  # fmt: skip
OWN = "own"
STAMP_PX = 20
STAMP_SPACING = 0.5
"""Prints of a stamp lie at least so many widths apart when it is chosen; nearer they run into each other."""
MOST_SLIDER = 256


class BrushEditor(QWidget):
    """Shows and sets the painter of the view state."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.hands = QButtonGroup(self)
        heads = []
        for number, (_, name, tip) in enumerate(HANDS):
            button = QToolButton()
            button.setText(name)
            button.setToolTip(plain.tip(tip))
            button.setAccessibleName(name)
            button.setCheckable(True)
            button.setProperty("role", "tab")
            button.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            self.hands.addButton(button, number)
            heads.append(button)
        self.hands.idClicked.connect(lambda number: self._set(hand=HANDS[number][0]))
        self.value = NumberRow("Value", 0, 100, "%", 0, "What is painted: 100 % adds to the region, 0 % takes away (D)")
        self.value.changed.connect(lambda v: self._set(value=v / 100))
        self.radius = NumberRow("Radius", LEAST_RADIUS, MOST_SLIDER, "texels", 1, "Ctrl and the wheel change it")
        self.radius.changed.connect(lambda v: self._set(radius=v))
        self.hardness = self._percent("Hardness", "hardness", "Up to where the tip is whole")
        self.flow = self._percent("Flow", "flow", "What is laid down while the brush travels its own width")
        self.spacing = self._percent("Spacing", "spacing", "How far dabs lie apart, in widths of the brush")
        self.stamp = choice("Tip", [("Round tip", "")])
        self.stamp.setIconSize(QSize(STAMP_PX, STAMP_PX))
        self.stamp.activated.connect(lambda i: self._choose_stamp(self.stamp.itemData(i)))
        self.turn = NumberRow("Turn", 0, 360, "°", 0, "How far the stamp is turned")
        self.turn.changed.connect(lambda v: self._set(turn_deg=v))
        self.jitter = self._percent("Jitter", "jitter", "How far each dab is turned by chance")
        self.limit = choice("Within", LIMITS)
        self.limit.activated.connect(lambda i: self._set(limit=self.limit.itemData(i)))
        self.tolerance = NumberRow("Alike", 0, 255, "levels", 0, "How far colours of the paint may differ to be filled")
        self.tolerance.changed.connect(lambda v: self._set(tolerance=v / 255))
        self.mirror = choice("Mirror on the model", MIRRORS)
        self.mirror.activated.connect(lambda i: self._set(mirror=self.mirror.itemData(i)))
        self.seen = QCheckBox("On the model only what is seen")
        self.seen.clicked.connect(lambda on: self._set(seen=on))
        self.pen = choice(
            "Pressure of a pen",
            [("Pressure: radius", (True, False)), ("Pressure: flow", (False, True)),
             ("Pressure: radius and flow", (True, True)), ("Pressure: nothing", (False, False))],
        )  # fmt: skip
        self.pen.activated.connect(
            lambda i: self._set(pressure_radius=self.pen.itemData(i)[0], pressure_flow=self.pen.itemData(i)[1])
        )
        self.more = Fold("More of the brush")
        self.takes = QCheckBox("What is added is taken from others")
        self.takes.setToolTip("So that masks add up; what a locked region has is not touched")
        self.takes.clicked.connect(lambda on: self._set(takes=on))
        for widget in (self.takes, self.seen, self.spacing, self.turn, self.jitter, self.pen, self.mirror):
            self.more.column.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        tools = row(*heads)
        tools.setSpacing(0)
        column.addLayout(tools)
        for widget in (self.value, self.radius, self.hardness, self.flow):
            column.addWidget(widget)
        self.stamp.setToolTip("The tip of the brush")
        self.limit.setToolTip("Where a stroke may go")
        column.addLayout(row(self.stamp, self.limit, stretch=1))
        column.addWidget(self.tolerance)
        column.addWidget(self.more)
        session.view.painter_changed.connect(self.show_painter)
        self.show_painter()

    def _percent(self, name: str, field: str, tip: str) -> NumberRow:
        made = NumberRow(name, 0, 100, "%", 0, tip)
        made.changed.connect(lambda v: self._set(**{field: v / 100}))
        return made

    def _set(self, **fields: object) -> None:
        self.session.view.change_painter(**fields)

    def _fill_stamps(self, current: str) -> None:
        from even_palette.core.regions.stamps import STAMPS, shipped_stamp

        if self.stamp.count() == 1:
            for name in STAMPS:
                texels = 255 - (shipped_stamp(name)[::2, ::2] * 255).astype("uint8")
                image = QImage(texels.tobytes(), 64, 64, 64, QImage.Format.Format_Grayscale8).copy()
                self.stamp.addItem(QIcon(QPixmap.fromImage(image)), name.capitalize(), name)
            self.stamp.addItem("An image of your own …", OWN)
        if current and self.stamp.findData(current) < 0:
            self.stamp.insertItem(self.stamp.count() - 1, Path(current).stem, current)
        show_choice(self.stamp, current)

    def _choose_stamp(self, name: str) -> None:
        if name == OWN:
            name, _ = QFileDialog.getOpenFileName(self, "Image for the tip", "", FILTER)
        if name:
            spacing = self.session.view.state.painter.brush.spacing
            self.session.view.change_painter(stamp=name, spacing=max(spacing, STAMP_SPACING))
        elif self.stamp.currentData() == "":
            self.session.view.change_painter(stamp="")
        self.show_painter()

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self.show_painter()

    def show_painter(self) -> None:
        """Show how strokes are made now."""
        if not self.isVisible():
            return
        painter = self.session.view.state.painter
        brush = painter.brush
        self.hands.setExclusive(False)
        for number, (hand, _, _) in enumerate(HANDS):
            self.hands.button(number).setChecked(hand == painter.hand)  # type: ignore[union-attr]
        self.hands.setExclusive(True)
        for editor, value in (
            (self.value, painter.value * 100), (self.radius, brush.radius), (self.hardness, brush.hardness * 100),
            (self.flow, brush.flow * 100), (self.spacing, brush.spacing * 100), (self.turn, brush.turn_deg),
            (self.jitter, brush.jitter * 100), (self.tolerance, painter.tolerance * 255),
        ):  # fmt: skip
            editor.show_value(value)
        self._fill_stamps(brush.stamp)
        show_choice(self.limit, painter.limit)
        show_choice(self.mirror, painter.mirror)
        show_choice(self.pen, (brush.pressure_radius, brush.pressure_flow))
        self.seen.setChecked(painter.seen)
        self.takes.setChecked(painter.takes)
        fills = painter.hand == Hand.FILL
        for widget in (self.radius, self.hardness, self.flow, self.stamp, self.more):
            widget.setEnabled(not fills)
        self.value.setEnabled(painter.hand in (Hand.PAINT, Hand.FILL))
        self.tolerance.setVisible(fills and painter.limit == Limit.NONE)
