"""What light does on the sheet in front: on a surface, on strands with two highlights, or through leaves."""

from functools import partial
from typing import Any

from msgspec.structs import replace
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QVBoxLayout, QWidget

from even_palette.app.controls import choice, label, offer, row, show_choice
from even_palette.app.number import NumberRow
from even_palette.app.session import Session
from even_palette.app.tray.plane_use import CHANNELS, planes_of
from even_palette.core.colour.hexcode import encoded_to_hex, hex_to_encoded
from even_palette.core.kit import commands
from even_palette.core.material.model import PlaneRef, PlaneUse
from even_palette.core.material.shading import Highlight, Shaded, Shading

KINDS: list[tuple[str, object]] = [
    ("as a surface", Shading.SURFACE), ("as strands", Shading.STRANDS), ("as leaves", Shading.LEAVES),
]  # fmt: skip
LABEL_PX = 80
HIGHLIGHTS = {"first": "First highlight", "second": "Second highlight"}
TIPS = {
    "first": "Of light that strands mirror; towards the root, and of the light's own colour, in hair",
    "second": "Of light that went through strands, in their colour; towards the tip in hair",
}


class ShadedCard(QWidget):
    """Lines come and go with the kind. The model shows what is chosen once it is lit."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        name = label("Lit")
        name.setMinimumWidth(LABEL_PX)
        self.kind = choice("How it is lit", KINDS)
        self.kind.setToolTip(
            "Strands (hair, fur, rope, reeds) have two highlights across them; light comes through leaves. "
            "Seen on the model and in scenes that are lit; packages tell it"
        )
        self.kind.activated.connect(lambda i: self._set_once(kind=self.kind.itemData(i)))
        self.through = NumberRow("Through", 0, 1, "", 2, "How much light comes out on the other side.")
        self.through.changed.connect(lambda value: self._set(through=value))
        self.across = QCheckBox("Strands run across")
        self.across.setToolTip("From left to right on the sheet; else from the roots above down to the tips")
        self.across.clicked.connect(lambda on: self._set_once(across=on))
        self.broken = NumberRow("Broken", 0, 45, "°", 1, "How far a plane shifts highlights, so that they fray.")
        self.broken.changed.connect(lambda value: self._set(broken=value))
        self.plane = choice("Plane that breaks highlights", [])
        self.plane.activated.connect(lambda _: self._set_plane())
        self.channel = choice("Channel of the plane that breaks highlights", CHANNELS)
        self.channel.setFixedWidth(52)
        self.channel.activated.connect(lambda _: self._set_plane())
        self.strands = QWidget()
        lines = QVBoxLayout(self.strands)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(6)
        lines.addWidget(self.across)
        self.rows: dict[tuple[str, str], NumberRow] = {}
        self.tints: dict[str, QLineEdit] = {}
        for which, title in HIGHLIGHTS.items():
            self._add_highlight(lines, which, title)
        lines.addWidget(self.broken)
        lines.addLayout(row(self.plane, self.channel, stretch=0))
        for number in (self.through, self.broken, *self.rows.values()):
            number.finished.connect(session.end_merge)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(row(name, self.kind, stretch=1))
        column.addWidget(self.through)
        column.addWidget(self.strands)
        self.show_sheet()

    def _add_highlight(self, lines: QVBoxLayout, which: str, title: str) -> None:
        tint = self.tints[which] = QLineEdit()
        tint.setAccessibleName(f"Colour of the {title.lower()}")
        tint.setToolTip(TIPS[which])
        tint.editingFinished.connect(lambda: self._set_tint(which, tint.text()))
        lines.addLayout(row(label(title, "section"), tint, stretch=1))
        for field, name, low, high, unit, tip in (
            ("shift", "Shift", -45, 45, "°", "Where it lies: towards the root (-) or the tip (+)."),
            ("width", "Width", 0.5, 60, "°", "How wide it is, from its middle to where six tenths are left."),
            ("strength", "Strength", 0, 4, "", "How strong it is."),
        ):
            made = self.rows[which, field] = NumberRow(name, low, high, unit, 2 if field == "strength" else 1, tip)
            made.slider.setAccessibleName(f"{name} of the {title.lower()}")
            made.changed.connect(partial(self._set_highlight, which, field))
            lines.addWidget(made)

    def show_sheet(self) -> None:
        """Show what the sheet in front says now."""
        shaded = self.session.at.sheet.shaded
        show_choice(self.kind, shaded.kind)
        self.through.setVisible(shaded.kind != Shading.SURFACE)
        self.strands.setVisible(shaded.kind == Shading.STRANDS)
        self.through.show_value(shaded.through)
        if shaded.kind != Shading.STRANDS:
            return
        self.across.setChecked(shaded.across)
        self.broken.show_value(shaded.broken)
        use = shaded.broken_by
        planes: list[tuple[str, object]] = [("Nothing breaks them", None), *planes_of(self.session.at)]
        offer(self.plane, planes, use.plane if use else None)
        self.channel.setEnabled(use is not None)
        show_choice(self.channel, use.channel if use else 0)
        for which in HIGHLIGHTS:
            highlight: Highlight = getattr(shaded, which)
            if not self.tints[which].hasFocus():
                self.tints[which].setText(encoded_to_hex(highlight.tint))
            for field in ("shift", "width", "strength"):
                self.rows[which, field].show_value(getattr(highlight, field))

    # What is done

    @property
    def _shaded(self) -> Shaded:
        return self.session.at.sheet.shaded

    def _set(self, **fields: Any) -> None:
        self.session.do(commands.set_shaded(self.session.at.key, replace(self._shaded, **fields)))

    def _set_once(self, **fields: Any) -> None:
        self._set(**fields)
        self.session.end_merge()

    def _set_highlight(self, which: str, field: str, value: object) -> None:
        self._set(**{which: replace(getattr(self._shaded, which), **{field: value})})

    def _set_tint(self, which: str, text: str) -> None:
        try:
            self._set_highlight(which, "tint", hex_to_encoded(text))
            self.session.end_merge()
        except ValueError as error:
            self.session.notice.emit(str(error))

    def _set_plane(self) -> None:
        ref: PlaneRef | None = self.plane.currentData()
        self._set_once(broken_by=None if ref is None else PlaneUse(ref, channel=self.channel.currentData()))
