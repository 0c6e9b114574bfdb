"""Stage 4, Tones: the planes that are made of the paint, and the values of the chosen one."""

from functools import partial

from msgspec.structs import replace
from PyQt6.QtCore import pyqtBoundSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QMenu, QPushButton, QSpinBox, QVBoxLayout, QWidget

from even_palette.app import plain
from even_palette.app.controls import Fold, choice, empty, label, row, show_choice, tool
from even_palette.app.number import NumberRow
from even_palette.app.panel import Panel
from even_palette.app.session import Session
from even_palette.app.tray.brush import BrushEditor
from even_palette.app.tray.plane_use import CHANNELS, pictures_of
from even_palette.app.tray.tone_histogram import ToneHistogram
from even_palette.core.jobs import CancelToken, Progress
from even_palette.core.kit import commands
from even_palette.core.kit.commands import Command
from even_palette.core.kit.model import Focus
from even_palette.core.kit.sheet import Tone
from even_palette.core.material.model import PlaneKind, PlaneRef, PlaneUse
from even_palette.core.raster.guess import Role
from even_palette.core.regions.paint import Paint
from even_palette.core.results.id_map import mask_size_of
from even_palette.core.results.looks import Look
from even_palette.core.results.maps import paint_of
from even_palette.core.results.picture_analysis import extract_palette, refit_palette, tone_facts
from even_palette.core.settings import SettingSpec
from even_palette.core.tones.kinds import TONES
from even_palette.core.tones.kinds._declare import MadeOf, ToneKind

METHODS: list[tuple[str, object]] = [
    ("Chain: neighbours alike", "chain"),
    ("Means: nearest colours", "means"),
    ("Cut: boxes halved", "cut"),
]
WHOLE, SHEETS = "", "*"


class TonesPanel(Panel):
    """The tones of the sheet, and the values of the chosen one."""

    def __init__(self, session: Session) -> None:
        super().__init__(session, "Tones", "")
        self.list = choice("Tones of the sheet", [])
        self.list.activated.connect(lambda i: self.choose(str(self.list.itemData(i))))
        self.add_button = tool("Add tone", "plus", "Make a plane of the paint")
        self.menu = QMenu(self.add_button)
        self.add_button.clicked.connect(
            lambda: self.menu.popup(self.add_button.mapToGlobal(self.add_button.rect().bottomLeft()))
        )
        self.remove = tool("Remove tone", "trash", "Take this tone away")
        self.remove.clicked.connect(lambda: session.do(commands.remove_tone(session.at.key, self.key)))
        self.told = label("", "quiet")
        self.source = choice("Picture", [])
        self.source.setToolTip("The picture that this is made of")
        self.source.activated.connect(self._choose_source)
        self.region_box = choice("Region of the mask", [])
        self.region_box.activated.connect(self._choose_region)
        self.brush = BrushEditor(session)
        self.palette_box = choice("Palette of the index map", [])
        self.palette_box.activated.connect(self._choose_palette)
        self.under = QCheckBox("Lies under all coats")
        self.under.setToolTip("Takes the place of the base colour, here and in the package")
        self.under.clicked.connect(
            lambda on: session.do(commands.set_base_tone(session.at.key, self.key if on else ""))
        )
        self.whom = choice("Values of", [])
        self.whom.setToolTip("Whether the values are those of the whole sheet, or of one region")
        self.whom.activated.connect(lambda _: self.follow())
        self.histogram = ToneHistogram()
        self.advice = label("", "quiet")
        self.even = QPushButton("Even all regions")
        self.even.setToolTip("All regions get the same mean and spread, so that they take one colour alike")
        self.even.clicked.connect(self._even)
        self.own = QPushButton("Same as the sheet")
        self.own.clicked.connect(
            lambda: session.do(commands.clear_tone_regions(session.at.key, self.key, [str(self.whom.currentData())]))
        )
        self.values = QVBoxLayout()
        self.values.setSpacing(6)
        self.entries = QSpinBox()
        self.entries.setRange(2, 256)
        self.entries.setValue(256)
        self.entries.setSuffix(" entries")
        self.entries.setAccessibleName("Entries")
        self.entries.setButtonSymbols(QSpinBox.ButtonSymbols.NoButtons)
        self.method = choice("Method", METHODS)
        self.of = choice("Colours of", [])
        self.extract = QPushButton("Extract")
        self.extract.setToolTip("Make a palette of these colours, and the index map of the picture by it")
        self.extract.clicked.connect(self._extract)
        self.refit = QPushButton("Fit anew")
        self.refit.setToolTip("Fit the palette of this index map again, with these entries and this method")
        self.refit.clicked.connect(self._refit)
        self.column.addLayout(row(self.list, self.add_button, self.remove, stretch=0))
        self.column.addWidget(self.told)
        for widget in (
            self.source,
            self.region_box,
            self.palette_box,
            self.under,
            self.whom,
            self.histogram,
            self.advice,
        ):
            self.column.addWidget(widget)
        self.column.addLayout(self.values)
        self.column.addWidget(self.brush)
        self.column.addLayout(row(self.even, self.own, stretch=0))
        self.column.addStretch(1)
        self.fold = Fold("Extract a palette", True)
        self.fold.column.addLayout(row(self.entries, self.of, stretch=1))
        self.fold.column.addWidget(self.method)
        self.fold.column.addLayout(row(self.extract, self.refit, stretch=0))
        self.column.addWidget(self.fold)
        self._shape: object = None
        self.editors: dict[str, QWidget] = {}
        session.view.toning_changed.connect(self.follow)

    # What is chosen

    @property
    def key(self) -> str:
        """The key of the chosen tone, the first one if none is chosen; "" where there is none."""
        return self.session.tone

    @property
    def tone(self) -> Tone | None:
        """The chosen tone."""
        return self.session.at.sheet.tone(self.key) if self.key else None

    def _add(self, name: str, _: bool) -> None:
        self.add(name)

    def choose(self, key: str) -> None:
        """Show the values of a tone, and look at it."""
        tone = self.session.at.sheet.tone(key)
        fields = {"palette": tone.palette} if tone.palette else {}
        self.fold.open(tone.kind == "index")
        self.session.view.change_toning(tone=key, **fields)
        self.look_wanted.emit(Look("tone", map=key))

    def add(self, name: str) -> None:
        """Add a tone of a kind; an index map with the chosen palette, packed planes with what fits."""
        at, kind = self.session.at, TONES[name]
        palette = self.session.view.state.toning.palette if kind.matches else ""
        palettes = [each.key for each in at.kit.palettes]
        palette = palette if palette in palettes or not kind.matches else next(iter(palettes), "")
        if kind.matches and not palette:
            self._extract()
            return
        flat = [tone for tone in at.sheet.tones if tone.kind in ("neutral", "index")]
        packs = kind.made_of == MadeOf.PLANES
        parts = tuple(PlaneUse(PlaneRef(PlaneKind.TONE, tone.key)) for tone in flat[:4]) if packs else ()
        if packs and not parts:
            self.session.notice.emit("Packed planes hold index and neutral maps; add those first.")
            return
        tone = Tone(name, kind.label, name, palette=palette, parts=parts)
        if kind.made_of == MadeOf.PAINT:
            tone = replace(tone, paint=Paint(*mask_size_of(at, self.session.sheets)))
        elif kind.made_of == MadeOf.MASK:
            keys = [region.key for region in at.sheet.regions]
            if not keys:
                self.session.notice.emit("There is no region yet; make one in Regions.")
                return
            region = self.session.region if self.session.region in keys else keys[0]
            tone = replace(tone, name=f"Mask of {at.kit.region(region).name}", region=region)
        if self.session.do(commands.add_tone(at.key, tone)):
            self.choose(self.session.at.sheet.tones[-1].key)

    def _choose_source(self, index: int) -> None:
        self.session.do(commands.set_tone_source(self.session.at.key, self.key, self.source.itemData(index)))

    def _choose_region(self, index: int) -> None:
        self.session.do(commands.set_tone_region(self.session.at.key, self.key, str(self.region_box.itemData(index))))

    def _choose_palette(self, index: int) -> None:
        self.session.do(commands.set_tone_palette(self.session.at.key, self.key, str(self.palette_box.itemData(index))))

    # What is shown

    @property
    def followed(self) -> tuple[pyqtBoundSignal, ...]:
        session = self.session
        return session.shown_changed, session.selection_changed, session.results.colours_listed

    def refresh(self) -> None:
        at, tone = self.session.at, self.tone
        if self.menu.isEmpty():
            for each in TONES.values():
                action = self.menu.addAction(each.label)
                assert action is not None
                action.setToolTip(plain.tip(each.help))
                action.triggered.connect(partial(self._add, each.name))
        _fill(self.list, [(each.name, each.key) for each in at.sheet.tones], self.key)
        every = [("All sheets, one palette", SHEETS)] if len(_painted(at)) > 1 else []
        regions = [(region.name, region.key) for region in at.sheet.regions]
        _fill(self.of, [("Whole sheet", WHOLE), *every, *regions], None)
        kind = TONES[tone.kind] if tone else None
        flat = tone is not None and tone.kind == "neutral"
        self.list.setEnabled(tone is not None)
        self.remove.setEnabled(tone is not None)
        self.told.setText("No tones yet. Add one with the plus; it follows the paint and the regions.")
        self.told.setVisible(kind is None)
        self.list.setToolTip(plain.tip(kind.help if kind else ""))
        self.source.setVisible(kind is not None and kind.made_of == MadeOf.PICTURE)
        self.under.setVisible(kind is not None and kind.replaces)
        self.palette_box.setVisible(kind is not None and kind.matches)
        self.region_box.setVisible(kind is not None and kind.made_of == MadeOf.MASK)
        self.brush.setVisible(kind is not None and kind.made_of == MadeOf.PAINT)
        for widget in (self.whom, self.histogram, self.advice, self.even):
            widget.setVisible(flat)
        self.refit.setEnabled(tone is not None and bool(tone.palette))
        if tone is None or kind is None:
            empty(self.values)
            self._shape = None
            self.own.hide()
            return
        before = at.sheet.tones[: at.sheet.tones.index(tone)]
        pictures = pictures_of(at, [each.key for each in before])
        _fill(self.source, [("Base colour, as painted", None), *pictures], tone.source)
        _fill(self.region_box, [(each.name, each.key) for each in at.sheet.regions], tone.region)
        _fill(self.palette_box, [(each.name, each.key) for each in at.kit.palettes], tone.palette)
        _fill(self.whom, [("Whole sheet", WHOLE), *((region.name, region.key) for region in at.sheet.regions)], None)
        self.under.setChecked(at.sheet.base_tone == tone.key)
        self.under.setText("Lies under all coats")
        region = str(self.whom.currentData() or "") if flat else ""
        self.own.setVisible(flat and region in tone.own)
        settings = kind.settings({**tone.values, **tone.own.get(region, {})})
        counting = tuple(value.name for value in kind.values if value.counts(settings))
        shape = (tone.key, tone.kind, region, counting, tuple(use.plane for use in tone.parts))
        if shape != self._shape:
            self._shape = shape
            self._build(tone, kind, region, settings)
        for name, editor in self.editors.items():
            if isinstance(editor, NumberRow):
                editor.show_value(float(settings[name]))
            elif isinstance(editor, QComboBox) and name in settings:
                show_choice(editor, settings[name])
        if flat:
            self._show_facts(tone, region)

    def _show_facts(self, tone: Tone, region: str) -> None:
        at = self.session.at
        size = paint_of(at, self.session.sheets)
        saved = 2 * size.width * size.height * 4 / 3 / 2**20
        told = f"One channel instead of three: {saved:.1f} MiB of video memory less, with mips."
        self.under.setToolTip(plain.tip(f"Takes the place of the base colour, here and in the package. {told}"))
        self.under.setText(f"Lies under all coats (saves {saved:.1f} MiB)")
        facts = tone_facts(at, self.session.sheets, tone, region)
        self.histogram.show_facts(facts.before, facts.after)
        self.advice.setText(facts.told)

    def _build(self, tone: Tone, kind: ToneKind, region: str, settings: dict[str, float | str]) -> None:
        empty(self.values)
        self.editors = {}
        for value in kind.values:
            if not value.counts(settings):
                continue
            editor = self._editor(value, [region] if region else [])
            self.editors[value.name] = editor
            if isinstance(editor, QComboBox):
                name = label(value.label)
                name.setFixedWidth(80)
                self.values.addLayout(row(name, editor, stretch=1))
            else:
                self.values.addWidget(editor)
        if kind.made_of == MadeOf.PLANES:
            self._build_parts(tone)

    def _editor(self, value: SettingSpec, regions: list[str]) -> QWidget:
        session = self.session

        def change(setting: float | str) -> None:
            session.do(commands.set_tone_value(session.at.key, self.key, value.name, setting, regions))

        if value.choices:
            box = choice(value.label, [(text, str(name)) for name, text in value.choices])
            box.setToolTip(plain.tip(value.help))
            box.activated.connect(lambda i: change(str(box.itemData(i))))
            return box
        decimals = 0 if value.whole or value.high > 20 else 2
        number = NumberRow(value.label, value.low, value.high, value.unit, decimals, value.help)
        number.changed.connect(change)
        number.finished.connect(session.end_merge)
        return number

    def _build_parts(self, tone: Tone) -> None:
        """A choice of plane and channel for each of the four channels."""
        at = self.session.at
        before = at.sheet.tones[: at.sheet.tones.index(tone)]
        offered = pictures_of(at, [each.key for each in before])
        for number, channel in enumerate("RGBA"):
            use = tone.parts[number] if number < len(tone.parts) else None
            name = label(channel)
            name.setFixedWidth(20)
            plane = choice(f"Plane in {channel}", [("Nothing", None), *offered])
            show_choice(plane, use.plane if use else None)
            own = choice(f"Its channel in {channel}", CHANNELS)
            own.setFixedWidth(52)
            show_choice(own, use.channel if use else 0)
            plane.activated.connect(partial(self._set_part, number, plane, own))
            own.activated.connect(partial(self._set_part, number, plane, own))
            self.values.addLayout(row(name, plane, own, stretch=1))

    def _set_part(self, number: int, plane: QComboBox, channel: QComboBox, _: int) -> None:
        tone = self.tone
        assert tone is not None
        parts = list(tone.parts)
        ref = plane.currentData()
        if ref is None:
            parts[number : number + 1] = []
        else:
            parts[number : number + 1] = [PlaneUse(ref, channel=channel.currentData())]
        self.session.do(commands.set_tone_parts(self.session.at.key, tone.key, tuple(parts)))

    # What is done

    def _even(self) -> None:
        """Bring all regions to the mean and spread of the whole sheet's neutral, or those that are set."""
        at, tone = self.session.at, self.tone
        assert tone is not None
        settings = TONES[tone.kind].settings(tone.values)
        regions = [region.key for region in at.sheet.regions]
        self.session.do(
            commands.even_tone(at.key, tone.key, regions, float(settings["mean"]), float(settings["spread"]))
        )

    def _extract(self) -> None:
        at, size, method = self.session.at, self.entries.value(), str(self.method.currentData())
        region, tone = str(self.of.currentData() or ""), self.tone
        source = Tone("", "", "index", tone.source if tone and region != SHEETS else None)
        shared = _painted(at) if region == SHEETS else []
        region = "" if region == SHEETS else region

        def work(progress: Progress, cancel: CancelToken) -> Command:
            return extract_palette(
                at,
                self.session.sheets,
                size,
                method,
                region,
                source,
                shared_by=shared,
                progress=progress,
                cancel=cancel,
            )

        def done(command: Command) -> None:
            if self.session.do(command):
                self.session.view.change_toning(palette=self.session.kit.palettes[-1].key, entry=0, row=0)
                self.choose(self.session.at.sheet.tones[-1].key)

        self.session.jobs.run("Extracting the palette", work, done, self.session.notice.emit, place="palette")

    def _refit(self) -> None:
        at, tone = self.session.at, self.tone
        assert tone is not None
        size, method = self.entries.value(), str(self.method.currentData())

        def work(progress: Progress, cancel: CancelToken) -> Command:
            return refit_palette(at, self.session.sheets, tone, size, method, progress, cancel)

        self.session.jobs.run(
            "Fitting the palette", work, self._apply, self.session.notice.emit,
            place="palette",
        )  # fmt: skip

    def _apply(self, command: Command) -> None:
        self.session.do(command)


def _painted(at: Focus) -> list[str]:
    """The sheets that have a base colour."""
    return [sheet.key for sheet in at.kit.sheets if sheet.source(Role.BASE_COLOUR)]


def _fill(box: QComboBox, items: list[tuple[str, object]], chosen: object) -> None:
    """Offer items; the one that is chosen is shown, or of None what was shown before."""
    before = box.currentData()
    box.blockSignals(True)
    if [(box.itemText(i), box.itemData(i)) for i in range(box.count())] != items:
        box.clear()
        for text, data in items:
            box.addItem(text, data)
    box.blockSignals(False)
    show_choice(box, before if chosen is None and before is not None else chosen)
