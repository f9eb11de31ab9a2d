"""Shoe wear: brush the zones of both soles, read what they say and cannot say."""

from __future__ import annotations

from collections.abc import Mapping
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPixmap, QPolygonF
from PyQt6.QtWidgets import QCheckBox, QFileDialog, QGridLayout, QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from tuning.core.entries import Capture, Purpose
from tuning.core.errors import BadInput
from tuning.core.intake.forms import Field, FieldKind
from tuning.core.intake.soles_and_regions import ZONES, Shoes, most_uneven, read_shoes, total_wear
from tuning.core.test_definitions import observed
from tuning.core.types import LEGS, Observation, Setup, Side
from tuning.drawings.positions import sole
from tuning.ui import theme
from tuning.ui.intake.fields import FieldEdit
from tuning.ui.intake.history_panels import keep_form
from tuning.ui.symbols import paint_side
from tuning.ui.widgets import button, label, set_role
from tuning.ui.workspace import Workspace
from tuning.video.media.safe_open import look_at

SHOES = "shoe-wear-map"
BRUSHES = ("none", "slight", "clear", "worn through")
AGE = Field("age", "Age of the shoes", FieldKind.NUMBER, "months", (0, 240))
ZONE_EDGES = (-0.09, -0.03, 0.035, 0.12)
"""Heel, middle and front of the drawn sole, from the back."""


class ShoeMap(QWidget):
    """Two soles with six zones each; the wear is dotted thicker the further it is worn."""

    brushed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.wear: dict[Side, dict[str, int]] = {side: {} for side in LEGS}
        self.sore: set[tuple[Side, str]] = set()
        self.brush: int | None = 1
        self.at = (Side.LEFT, ZONES[0])
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setAccessibleName("Shoe soles: arrows choose a zone, 0 to 3 set its wear, S marks it sore")

    def sizeHint(self) -> QSize:
        """Two soles side by side."""
        return QSize(430, 400)

    def _origin(self, side: Side) -> tuple[QPointF, float]:
        scale = min(self.height() / 0.25, self.width() / 0.3)
        sign = -1 if side is Side.RIGHT else 1
        return QPointF(self.width() / 2 + sign * self.width() * 0.205, self.height() * 0.54), scale

    def zone_box(self, side: Side, zone: str) -> QRectF:
        """The part of the widget that a zone covers: soles toward you, toes up, inner edges in the middle."""
        origin, scale = self._origin(side)
        row = ("heel", "middle", "front").index(zone.split()[0])
        outer = zone.endswith("outer")
        to_left = outer == (side is Side.RIGHT)
        low, high = ZONE_EDGES[row], ZONE_EDGES[row + 1]
        left = origin.x() - (0.046 * scale if to_left else 0)
        return QRectF(left, origin.y() - high * scale, 0.046 * scale, (high - low) * scale)

    def zone_at(self, at: QPointF) -> tuple[Side, str] | None:
        """The zone under a point."""
        return next(((s, z) for s in LEGS for z in ZONES if self.zone_box(s, z).contains(at)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Brush from the press on."""
        if event is not None:
            self._brush(event.position())

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Dragging brushes on; soreness is only tapped."""
        if event is not None and self.brush is not None:
            self._brush(event.position())

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        """A stroke is one action."""
        self.brushed.emit()

    def _brush(self, at: QPointF) -> None:
        found = self.zone_at(at)
        if found is None:
            return
        self.at = found
        if self.brush is None:
            self.sore ^= {found}
        else:
            self.wear[found[0]][found[1]] = self.brush
        self.update()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrows choose, digits set, S marks sore."""
        if event is None:
            return
        side, zone = self.at
        index = ZONES.index(zone)
        if event.text() in ("0", "1", "2", "3"):
            self.wear[side][zone] = int(event.text())
            self.brushed.emit()
        elif event.text().lower() == "s":
            self.sore ^= {self.at}
            self.brushed.emit()
        elif event.key() == Qt.Key.Key_Up:
            self.at = (side, ZONES[min(index + 2, len(ZONES) - 2 + index % 2)])
        elif event.key() == Qt.Key.Key_Down:
            self.at = (side, ZONES[max(index - 2, index % 2)])
        elif event.key() in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            self._sideways(1 if event.key() == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)
            return
        self.update()

    def _sideways(self, by: int) -> None:
        part = self.at[1].split()[0]
        order = [(Side.RIGHT, "outer"), (Side.RIGHT, "inner"), (Side.LEFT, "inner"), (Side.LEFT, "outer")]
        now = order.index((self.at[0], self.at[1].split()[1]))
        side, edge = order[min(max(now + by, 0), 3)]
        self.at = (side, f"{part} {edge}")

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Soles, wear, soreness, the zone under the keys."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for side in LEGS:
            origin, scale = self._origin(side)
            shape = sole((0.0, 0.0), 0, 1.0, mirror=side is Side.RIGHT)
            edge = QPainterPath()
            edge.addPolygon(
                QPolygonF([QPointF(origin.x() + x * scale, origin.y() - y * scale) for x, y in shape.points])
            )
            edge.closeSubpath()
            painter.fillPath(edge, theme.colour("panel"))
            painter.save()
            painter.setClipPath(edge)
            for zone in ZONES:
                self._paint_wear(painter, self.zone_box(side, zone), self.wear[side].get(zone, 0))
            painter.restore()
            painter.setPen(QPen(theme.colour("ink"), 1.6))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawPath(edge)
            self._paint_names(painter, side, origin, scale)

    @staticmethod
    def _paint_wear(painter: QPainter, box: QRectF, grade: int) -> None:
        """Hatching gets denser with the grade, so that it reads without colour."""
        if grade == 0:
            return
        painter.save()
        painter.setClipRect(box, Qt.ClipOperation.IntersectClip)
        painter.fillRect(box, theme.colour("skin"))
        painter.setPen(QPen(theme.colour("ink"), (0, 1, 1.6, 2.6)[grade]))
        gap = (0, 14, 9, 6)[grade]
        x = box.left() - box.height()
        while x < box.right():
            painter.drawLine(QPointF(x, box.bottom()), QPointF(x + box.height(), box.top()))
            x += gap
        painter.restore()

    def _paint_zone_name(self, painter: QPainter, side: Side, zone: str, box: QRectF) -> None:
        """Beside the sole: outer zones outside, inner ones once between the soles."""
        if zone.endswith("inner"):
            room = QRectF(self.width() / 2 - 28, box.top(), 56, box.height())
        elif side is Side.RIGHT:
            room = QRectF(box.left() - 56, box.top(), 52, box.height())
        else:
            room = QRectF(box.right() + 4, box.top(), 52, box.height())
        painter.setFont(theme.font())
        painter.setPen(theme.colour("muted"))
        painter.drawText(room, Qt.AlignmentFlag.AlignCenter, zone.replace(" ", "\n"))

    def _paint_names(self, painter: QPainter, side: Side, origin: QPointF, scale: float) -> None:
        for zone in ZONES:
            box = self.zone_box(side, zone)
            grade = self.wear[side].get(zone, 0)
            self._paint_zone_name(painter, side, zone, box)
            painter.setFont(theme.font(theme.LARGE, bold=True))
            if grade:
                plate = QRectF(box.center().x() - 13, box.center().y() - 15, 26, 30)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(theme.colour("panel"))
                painter.drawRoundedRect(plate, 4, 4)
                painter.setPen(theme.colour("ink"))
                painter.drawText(plate, Qt.AlignmentFlag.AlignCenter, str(grade))
            if (side, zone) in self.sore:
                painter.setPen(QPen(theme.colour("caution"), 2.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(box.center(), 19, 19)
            if self.hasFocus() and self.at == (side, zone):
                painter.setPen(QPen(theme.colour("accent"), 2))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRoundedRect(box.adjusted(2, 2, -2, -2), 4, 4)
        painter.setFont(theme.font(theme.SMALL, bold=True))
        top = origin.y() - 0.135 * scale
        paint_side(painter, QPointF(origin.x() - 18, top), 6, side)
        painter.setPen(theme.colour(side.value))
        painter.drawText(QPointF(origin.x() - 4, top + 5), side.value)


class ShoesPanel(QWidget):
    """Map, brushes, material, and the reading."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        self.map = ShoeMap()
        self.brushes = {n: button(f"{n}  {words}", partial(self._choose, n)) for n, words in enumerate(BRUSHES)}
        self.sore = button("S  sore next day", partial(self._choose, None))
        self.age = FieldEdit(AGE)
        self.firm = QCheckBox("Firm foam midsole")
        self.crushed = {side: QCheckBox(f"Midsole crushed, {side.value}") for side in LEGS}
        self.told = label("", theme.BODY, wrap=True)
        self.photo = label(role="muted", wrap=True)
        self._build()
        self.map.brushed.connect(self._keep)
        self.age.changed.connect(self._keep)
        for box in (self.firm, *self.crushed.values()):
            box.setFont(theme.font(theme.BODY))
            box.clicked.connect(lambda _: self._keep())
        workspace.case_changed.connect(self.load)
        workspace.reloaded.connect(self.load)
        self.load()

    def _build(self) -> None:
        grid = QGridLayout()
        grid.setSpacing(6)
        for n, made in self.brushes.items():
            grid.addWidget(made, n // 2, n % 2)
        grid.addWidget(self.sore, 2, 0, 1, 2)
        for made in (*self.brushes.values(), self.sore):
            made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        side = QVBoxLayout()
        side.setSpacing(8)
        about = "Soles turned toward you, toes up: the right one lies left. Choose a brush, stroke the zones."
        side.addWidget(label(about, theme.BODY, wrap=True))
        side.addLayout(grid)
        for part in (self.age, self.firm, *self.crushed.values()):
            side.addWidget(part)
        side.addWidget(button("Add a photo of the soles…", self.ask_photo, "link"))
        side.addWidget(self.photo)
        side.addSpacing(8)
        side.addWidget(label("What the soles say", theme.BODY, bold=True))
        side.addWidget(self.told)
        side.addStretch(1)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(24)
        row.addWidget(self.map, 3)
        row.addLayout(side, 2)
        self._choose(1)

    def _choose(self, brush: int | None) -> None:
        self.map.brush = brush
        for n, made in self.brushes.items():
            set_role(made, chosen=n == brush)
        set_role(self.sore, chosen=brush is None)

    def load(self) -> None:
        """Show what stands over all visits."""
        found = self._space.form(SHOES) if self._space.patient is not None else None
        data: Mapping[str, Any] = found.data if found is not None else {}
        self.map.wear = {side: dict(data.get("wear", {}).get(side.value, {})) for side in LEGS}
        self.map.sore = {(Side(side), zone) for side, zone in data.get("sore", [])}
        self.age.show_value(data.get("age"))
        self.firm.setChecked(bool(data.get("firm")))
        for side, box in self.crushed.items():
            box.setChecked(side.value in data.get("crushed", []))
        self.map.update()
        self._tell(bool(data))

    def shoes(self) -> Shoes:
        """What the panel shows."""
        age = self.age.value
        crushed = {side: box.isChecked() for side, box in self.crushed.items()}
        sore = tuple(sorted(self.map.sore, key=lambda s: (s[0].value, ZONES.index(s[1]))))
        months = float(age) if isinstance(age, float | int) else None
        return Shoes(self.map.wear, self.firm.isChecked(), crushed, months, sore)

    def _keep(self) -> None:
        space, shoes = self._space, self.shoes()
        measures = space.knowledge.measures
        data = {
            "wear": {side.value: dict(shoes.wear[side]) for side in LEGS},
            "sore": [[side.value, zone] for side, zone in shoes.sore],
            "age": shoes.age_months,
            "firm": shoes.firm_foam,
            "crushed": [side.value for side, box in self.crushed.items() if box.isChecked()],
        }
        zone, left, right = most_uneven(shoes)
        new: list[Observation] = []
        for side, grade in zip(LEGS, (left, right), strict=True):
            new.append(observed(measures["shoe-wear"], side, [total_wear(shoes, side)], "by eye"))
            new.append(observed(measures["shoe-wear-zone"], side, [grade], "by eye", Setup(region=zone)))
        keep_form(space, SHOES, data, new, ("shoe-wear", "shoe-wear-zone"))
        self._tell(True)

    def _tell(self, any_data: bool) -> None:
        lines = read_shoes(self._space.knowledge.soles, self.shoes()) if any_data else ["Nothing brushed yet."]
        self.told.setText("\n".join(lines))
        photos = [c for c in self._space.entries(Capture) if c.purpose is Purpose.SHOES]
        self.photo.setPixmap(QPixmap())
        self.photo.setText("")
        if photos:
            picture = QPixmap(str(self._space.record.media.lent(photos[-1].medium)))
            self.photo.setPixmap(picture.scaledToHeight(96, Qt.TransformationMode.SmoothTransformation))

    def ask_photo(self) -> None:
        """Let the user choose a photograph of the soles."""
        found, _ = QFileDialog.getOpenFileName(self, "Photograph of the soles", "", "Photographs (*.jpg *.jpeg *.png)")
        if found:
            self.add_photo(Path(found))

    def add_photo(self, path: Path) -> None:
        """Keep a photograph of the soles with the visit."""
        space = self._space
        with space.trying(), space.action("photo of the soles") as act:
            look_at(path)
            if QPixmap(str(path)).isNull():
                raise BadInput(f"{path.name} is not a photograph that can be opened (JPEG, PNG). Nothing was added.")
            assert space.person is not None
            act.add(Capture(space.record.medium(space.record.media.keep(path), space.person), Purpose.SHOES))
        self._tell(True)
