"""Complaint and history: what the patient tells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from tuning.core.entries import Form
from tuning.core.gate.person_facts import told_facts, unfinished
from tuning.core.intake.consent import CONSENT, film_refused, letters_refused
from tuning.core.intake.soles_and_regions import region_at, repeats
from tuning.core.test_definitions import observed
from tuning.core.types import Observation, Setup, Side
from tuning.ui import theme
from tuning.ui.formatting import day
from tuning.ui.intake.body_map import BodyMap
from tuning.ui.intake.fields import FormEdit
from tuning.ui.widgets import button, label
from tuning.ui.workspace import Workspace

COMPLAINT, HISTORY = "intake-complaint", "intake-history"


def keep_form(
    space: Workspace,
    kind: str,
    data: Mapping[str, Any],
    values: Sequence[Observation] = (),
    measures: Sequence[str] = (),
) -> None:
    """A form as it now stands with the `values` told in it; in one visit the newest replaces the one before.

    `measures` names all that the form can tell: what stood of them before is taken out.
    """
    with space.trying(), space.action(kind.replace("-", " ")) as act:
        act.replace(Form(kind, dict(data)), space.form_today(kind))
        before = [o for o in space.observations() if o.measure_id in measures]
        act.strike(*before)
        for seen in values:
            act.add(seen)


def site_text(site: dict[str, Any]) -> str:
    """A site in one line, for the list and the referral note."""
    side = f", {site['side']}" if site["side"] in ("left", "right") else ""
    pain = "".join(
        f", {words} {site[key]:g}/10"
        for key, words in (("now", "now"), ("worst", "worst"))
        if site.get(key) is not None
    )
    return f"{site['region']}{side}{pain}"


class ComplaintPanel(QWidget):
    """Tap where it hurts, then tell how much and with what."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        self.map = BodyMap()
        self.site_head = label("", theme.BODY, bold=True, wrap=True)
        forms = workspace.knowledge.forms
        self.site, self.form = FormEdit(forms["site"], columns=1), FormEdit(forms["complaint"], columns=1)
        self.remove = button("Remove this mark", self._remove, "link")
        side = QWidget()
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(8)
        for part in (self.site_head, self.site, self.remove, self.form):
            column.addWidget(part)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidget(side)
        area.setWidgetResizable(True)
        area.setMinimumWidth(290)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(16)
        row.addWidget(self.map, 3)
        row.addWidget(area, 2)
        self.map.tapped.connect(self._add)
        self.map.site_chosen.connect(self._choose)
        self.site.changed.connect(self._keep)
        self.form.changed.connect(self._keep)
        workspace.case_changed.connect(self.load)
        workspace.reloaded.connect(self.load)
        self.load()

    def load(self) -> None:
        """Show what stands over all visits."""
        found = self._space.form(COMPLAINT) if self._space.patient is not None else None
        data = found.data if found is not None else {}
        self.map.sites = [dict(site) for site in data.get("sites", [])]
        self.map.current = 0 if self.map.sites else -1
        self.form.show_data(data)
        self._show_site()

    def _add(self, view: str, x: float, y: float) -> None:
        region, side = region_at(view, x, y)
        self.map.sites.append({"view": view, "x": x, "y": y, "region": region, "side": side.value})
        self.map.current = len(self.map.sites) - 1
        self._show_site()
        self._keep()
        self.site.fields["now"].edit.setFocus()

    def _choose(self, index: int) -> None:
        self.map.current = index
        self._show_site()

    def _remove(self) -> None:
        if self.map.current >= 0:
            del self.map.sites[self.map.current]
            self.map.current = len(self.map.sites) - 1
            self._show_site()
            self._keep()

    def _show_site(self) -> None:
        current = self.map.current
        has = current >= 0
        self.site.setVisible(has)
        self.remove.setVisible(has)
        if has:
            site = self.map.sites[current]
            self.site_head.setText(f"{current + 1}. {site['region']}, {site['side']}".removesuffix(", none"))
            self.site.show_data(site)
        else:
            self.site_head.setText("Tap the drawing where it hurts.")
        self.map.update()

    def _keep(self) -> None:
        if self.map.current >= 0:
            site = self.map.sites[self.map.current]
            place = {key: site[key] for key in ("view", "x", "y", "region", "side")}
            self.map.sites[self.map.current] = {**place, **self.site.data()}
        data = {"sites": self.map.sites, **self.form.data()}
        keep_form(self._space, COMPLAINT, data, self._measured(data), ("pain-now", "pain-worst", "intake-goals"))

    def _measured(self, data: dict[str, Any]) -> list[Observation]:
        """Pain by site and the mean of the goals, as values that a later visit compares with."""
        measures = self._space.knowledge.measures
        found: list[Observation] = []
        for site in data["sites"]:
            for key, measure_id in (("now", "pain-now"), ("worst", "pain-worst")):
                if site.get(key) is not None:
                    where = Setup(region=site["region"])
                    found.append(observed(measures[measure_id], Side(site["side"]), [site[key]], "told", where))
        goals = [g["score"] for g in data.get("goals", []) if g.get("score") is not None]
        if goals:
            found.append(observed(measures["intake-goals"], Side.NONE, goals, "told"))
        return found


class FormPanel(QWidget):
    """One form of the knowledge files that scrolls, and words about it below."""

    kind = ""
    name = ""
    """Of the form in the knowledge files."""

    def __init__(self, workspace: Workspace) -> None:
        super().__init__()
        self._space = workspace
        self.form = FormEdit(workspace.knowledge.forms[self.name])
        self.told = label("", theme.BODY, wrap=True)
        inner = QWidget()
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(12)
        column.addWidget(self.told)  # first: below a long form nobody would read it
        column.addWidget(self.form)
        column.addStretch(1)
        area = QScrollArea()
        area.setWidget(inner)
        area.setWidgetResizable(True)
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.addWidget(area)
        self.form.changed.connect(self._keep)
        workspace.case_changed.connect(self.load)
        workspace.reloaded.connect(self.load)
        self.load()

    def load(self) -> None:
        """Show what stands over all visits."""
        found = self._space.form(self.kind) if self._space.patient is not None else None
        self.form.show_data(found.data if found is not None else {})
        self._tell()

    def _keep(self) -> None:
        keep_form(self._space, self.kind, self.form.data())
        self._tell()

    def _tell(self) -> None:
        self.told.setText(self.words(self.form.data()))
        self.told.setVisible(bool(self.told.text()))

    def words(self, data: Mapping[str, Any]) -> str:
        """What the form says by itself."""
        return ""


class ConsentPanel(FormPanel):
    """What the patient agreed to, by whom and when."""

    kind, name = CONSENT, "consent"

    def words(self, data: Mapping[str, Any]) -> str:
        """What a refusal means, and since when this stands."""
        refusal = film_refused(data)
        kept = self._space.form(self.kind) if self._space.case is not None else None
        ask = "Ask before touch, undressing and filming."
        since = f"Kept {day(kept.at)} by {kept.who}." if kept is not None else ask
        if refusal:
            return f"{refusal}: camera and files stay closed.\n{since}"
        return f"Letters go without pictures.\n{since}" if letters_refused(data) else since


class HistoryPanel(FormPanel):
    """Habits, weekly load, repeats by side, injuries and operations with the surgeon's limits."""

    kind, name = HISTORY, "history"

    def words(self, data: Mapping[str, Any]) -> str:
        """Repeats, long sitting, the surgeon's limits."""
        lines = repeats(self._space.knowledge.soles, data.get("episodes", []))
        sitting = data.get("sitting")
        if sitting is not None and sitting > 6:
            lines.append("More than 6 h sitting a day: look at hip and trunk range (practice judgement, editable).")
        lines += unfinished(told_facts([Form(self.kind, dict(data))], date.today()))
        limits = [r["limits"] for r in data.get("injuries", []) if r.get("limits")]
        if limits:
            lines.append(f"Surgeon's limits: {'; '.join(limits)}. They win over every test and rung; screen as AMBER.")
        return "\n".join(lines)
