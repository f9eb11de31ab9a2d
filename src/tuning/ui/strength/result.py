"""What the two sides of the current test say so far, and what more would tell."""

from __future__ import annotations

import numpy as np
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.strength.trials import what_resolves
from tuning.core.types import LEGS, NotMeasured
from tuning.core.units import sentence_case
from tuning.ui import theme
from tuning.ui.strength.state import StrengthState
from tuning.ui.symbols import VerdictSign
from tuning.ui.widgets import clear_layout, label


class ResultBox(QWidget):
    """Verdict, index, error; advice where the trials cannot tell."""

    def __init__(self, state: StrengthState) -> None:
        super().__init__()
        self.state = state
        self._result = QVBoxLayout(self)
        self._result.setContentsMargins(0, 0, 0, 0)
        self._result.setSpacing(2)

    def refresh(self) -> None:
        """Follow the state."""
        clear_layout(self._result)
        state = self.state
        if state.side not in LEGS:
            squeeze = state.squeeze()
            if squeeze is not None:
                self._result.addWidget(label(f"Squeeze {squeeze[0]:.0f} N, {squeeze[3]}.", theme.BODY, bold=True))
            return
        row = state.comparison()
        if isinstance(row.verdict, Verdict):
            self._show_verdict(row.sentence, row.verdict)
            error = f"error ±{row.verdict.e:.0f} % ({row.measure.unit}), 100 (max - min) / max"
            self._result.addWidget(label(f"{self._index_words()} · {error}", role="muted", wrap=True))
        else:
            self._result.addWidget(label(f"{sentence_case(row.sentence)}.", theme.BODY, role="muted"))
        self._show_advice(row.verdict)

    def _show_verdict(self, sentence: str, verdict: Verdict) -> None:
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(VerdictSign(verdict.word))
        words = label(f"{verdict.word.value}: {sentence}", theme.BODY, bold=True)
        words.setObjectName("strength-verdict")
        line.addWidget(words)
        line.addStretch(1)
        self._result.addLayout(line)

    def _show_advice(self, verdict: Verdict | NotMeasured) -> None:
        """What more would tell: trials, a belt, a repeat."""
        state, measure = self.state, self.state.measure
        counts = [state.trials(side).size for side in LEGS]
        unsure = isinstance(verdict, Verdict) and (verdict.word is VerdictWord.CANNOT_TELL or not verdict.resolves)
        if unsure and measure.band is not None and min(counts):
            belt = measure.sem_by.get("belt", measure.sem)
            text = what_resolves(measure.sem, belt, measure.band, int(np.min(counts)))
            self._result.addWidget(label(text, role="caution", wrap=True))
        advised = []
        for side in LEGS:
            found = state.summary(side)
            if not isinstance(found, NotMeasured) and found.repeat_advised:
                advised.append(side.value)
        if advised:
            text = f"Best two trials differ by more than 10 %: repeat {' and '.join(advised)}."
            self._result.addWidget(label(text, role="caution"))

    def _index_words(self) -> str:
        index = self.state.symmetry_index()
        if isinstance(index, NotMeasured):
            return f"Limb symmetry index: {index.detail}"
        return f"Limb symmetry index {index:.0f} % (involved / uninvolved)"
