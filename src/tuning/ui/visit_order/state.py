"""The order of the open visit: what was chosen, what is done, what comes next. Needs no window."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from tuning.core.entries import Capture, Ending, Form, Track
from tuning.core.errors import BadInput, TuningError
from tuning.core.gate.permission import GateFacts
from tuning.core.next_step import NextStep
from tuning.core.preferences import UNINVOLVED_FIRST
from tuning.core.target import Target
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import Observation, Side, Triage
from tuning.core.visit.order import as_listed, plan, with_drag
from tuning.core.visit.plan import Chosen, ClipTask, Template, VisitSelection, chosen_efforts
from tuning.core.visit.visit_items import Order, OrderedItem, OrderPreferences, VisitItem
from tuning.knowledge.gate_acts import not_proposed
from tuning.ui.change_set import ChangeSet
from tuning.ui.workspace import Workspace

KEPT = "visit-order"
OWN = "order.templates"


class OrderState(QObject):
    """The choice stands in the record; the order is worked out from it whenever something changes."""

    changed = pyqtSignal()

    def __init__(self, space: Workspace) -> None:
        super().__init__()
        self._space = space
        self._key: object = None
        self._planned: tuple[Chosen, Order, Order] | None = None
        # The key of the plan holds all that it depends on: most changes of the record leave the plan as it is.
        space.content_changed.connect(self.changed)
        space.case_changed.connect(self.changed)

    # what was chosen

    @property
    def chosen_by_hand(self) -> bool:
        """Whether this visit has an order of its own; if not, the usual battery stands ready."""
        return self._space.form_today(KEPT) is not None

    def standing_choice(self) -> dict[str, Any]:
        """The standing choice."""
        found = self._space.form_today(KEPT)
        usual = next(t for t in self.templates() if t.usual)
        start: dict[str, Any] = {
            "tests": list(usual.tests),
            "skipped": [],
            "pairs": [],
            "positions": {},
            "painful": [],
            "pads": {},
        }
        return {**start, **(found.data if found is not None else {})}

    def templates(self) -> list[Template]:
        """Those of the program and the clinic's own."""
        own = self._space.settings.get(OWN, {})
        known = set(self._names())
        mine = [Template(name, tuple(t for t in tests if t in known)) for name, tests in own.items()]
        return [*self._space.knowledge.order.template, *mine]

    @property
    def hard(self) -> bool:
        """Clinic setting: the uninvolved side always first."""
        return bool(self._space.settings.get(UNINVOLVED_FIRST, False))

    def _names(self) -> list[str]:
        knowledge = self._space.knowledge
        return [*knowledge.tests, *(c.id for c in knowledge.order.clip)]

    def named(self, wanted: str) -> TestDefinition | ClipTask:
        """A test or clip by its id."""
        knowledge = self._space.knowledge
        clips = {c.id: c for c in knowledge.order.clip}
        return clips[wanted] if wanted in clips else knowledge.tests[wanted]

    def position_names(self) -> Mapping[str, str]:
        """Positions in words, by id."""
        return self._space.knowledge.order.positions

    def stage(self, effort: VisitItem) -> str:
        """The stage where an effort is done."""
        return self.named(effort.test).stage

    # the order

    def _involved(self) -> Side:
        patient = self._space.patient
        return patient.involved if patient is not None else Side.NONE

    def wishes(self, kept: dict[str, Any], hard: bool | None = None) -> OrderPreferences:
        """What binds the order besides the hard rules."""
        pairs = tuple((str(a), str(b)) for a, b in kept["pairs"])
        first = self.hard if hard is None else hard
        return OrderPreferences(self._involved(), first, pairs, minutes=self._space.knowledge.order.minutes)

    def choice(self) -> VisitSelection:
        """What stands chosen."""
        return self._choice(self.standing_choice())

    def _choice(self, kept: dict[str, Any]) -> VisitSelection:
        known = set(self._names())
        tests = tuple(t for t in kept["tests"] if t in known)
        return VisitSelection(tests, kept["positions"], frozenset(kept["painful"]), kept["pads"])

    def _work(self, kept: dict[str, Any], hard: bool | None = None) -> tuple[Chosen, Order, Order]:
        """Everything chosen, its order, and its cost as listed. Raises BadInput."""
        knowledge = self._space.knowledge
        chosen = chosen_efforts(
            self._choice(kept),
            knowledge.tests,
            knowledge.order.clip,
            self._involved(),
            self._space.limits(),
            self._not_for_person,
        )
        efforts = [e for e in chosen.efforts if e.id not in kept["skipped"]]
        wishes = self.wishes(kept, hard)
        return chosen, plan(efforts, wishes), as_listed(efforts, wishes)

    def _not_for_person(self, test_id: str, side: Side) -> str:
        """What a caution or a missing part keeps out; what a RED or a missing screen locks stays in the order."""
        status = self._space.plan_status()
        if status is None:
            return ""
        person = GateFacts(Triage.NONE, asked=True, gone=self._space.facts().gone)
        return not_proposed(self._space.knowledge, status, person, test_id, side)

    def _cautions_now(self) -> tuple[str, ...]:
        status = self._space.plan_status()
        return tuple(status.cautions) if status is not None else ()

    def _now(self) -> tuple[Chosen, Order, Order]:
        kept = self.standing_choice()
        limits = self._space.limits()
        key = (repr(kept), self.hard, self._involved(), limits, self._space.facts().gone, self._cautions_now())
        if self._planned is None or key != self._key:
            try:
                self._planned = self._work(kept)
            except BadInput:  # a changed setting or position may forbid what was dragged earlier
                self._planned = self._work({**kept, "pairs": []})
            self._key = key
        return self._planned

    @property
    def order(self) -> Order:
        """The order of the visit."""
        return self._now()[1]

    @property
    def listed(self) -> Order:
        """The same efforts as listed, test by test."""
        return self._now()[2]

    @property
    def locked(self) -> tuple[tuple[str, str], ...]:
        """What the surgeon's limits keep out."""
        return self._now()[0].locked

    def skipped(self) -> list[VisitItem]:
        """Efforts that the user left out."""
        out = self.standing_choice()["skipped"]
        return [e for e in self._now()[0].efforts if e.id in out]

    def price_of_hard_rule(self) -> int:
        """Extra turns when the uninvolved side always comes first."""
        kept = self.standing_choice()
        try:
            return self._work(kept, hard=True)[1].turns - self._work(kept, hard=False)[1].turns
        except BadInput:
            return 0

    def stops(self, stage: str = "") -> list[OrderedItem]:
        """The stops of a stage, or all, in order."""
        return [s for s in self.order.stops if not stage or self.stage(s.effort) == stage]

    # what is done

    def progress(self, effort: VisitItem) -> tuple[int, int]:
        """Trials on record and trials wanted."""
        space, named = self._space, self.named(effort.test)
        if isinstance(named, ClipTask) and named.plates:
            return int(any(c.test == named.plates for c in space.entries(Capture))), 1
        if isinstance(named, ClipTask):
            return int(any(t.task in named.tasks for t in space.entries(Track))), 1
        if any(e.test == named.id and e.side in (effort.side, Side.NONE) for e in space.entries(Ending)):
            return 1, 1
        wanted = space.trials_wanted(named)
        counted = [o.trials.size for o in self._seen(named, effort.side)]
        if not named.every_trial:
            return int(bool(counted or space.answers(named.id))), 1
        return max(counted, default=0), wanted

    def _seen(self, test: TestDefinition, side: Side) -> list[Observation]:
        measures = {test.id, *(q.measure for q in test.questions if q.measure)}
        seen = self._space.observations()
        return [o for o in seen if o.measure_id in measures and (side is Side.NONE or o.side is side)]

    def done(self, effort: VisitItem) -> bool:
        """Whether an effort has what it needs: all trials, or one for tests of other stages."""
        have, wanted = self.progress(effort)
        return have >= wanted

    def open_stops(self, stage: str = "") -> list[OrderedItem]:
        """What is left, in order."""
        return [s for s in self.stops(stage) if not self.done(s.effort)]

    def minutes_left(self, stage: str = "") -> float:
        """Time for what is left, without turns."""
        return sum(s.effort.minutes + s.rest for s in self.open_stops(stage))

    def next_step(self) -> NextStep | None:
        """The next stop of an order that was chosen by hand; None when there is none."""
        if not self.chosen_by_hand:
            return None
        left = self.open_stops()
        if not left:
            return None
        now = left[0].effort
        here = self._space.knowledge.order.positions[now.place.position]
        after = [s.effort for s in left[1:]]
        turn = next((e for e in after if e.place.position != now.place.position), None)
        then = "same position" if after and after[0].place.position == now.place.position else ""
        if turn is not None:
            name = self._space.knowledge.order.positions[turn.place.position]
            then = f"{then}; then turn: {name}" if then else f"then turn: {name}"
        return NextStep(self._where(now), f"{now.name}, {here}", then)

    def place_words(self, effort_id: str) -> str:
        """How the patient lies, where the examiner stands, and why this comes now; empty where it is in no order."""
        stop = next((s for s in self.order.stops if s.effort.id == effort_id), None)
        if stop is None:
            return ""
        names = self._space.knowledge.order
        return f"{names.positions[stop.effort.place.position]} · you {names.at[stop.effort.place.at]} · {stop.why}"

    def _where(self, effort: VisitItem) -> Target:
        return Target(self.stage(effort), effort.test, effort.side)

    def target(self, effort_id: str) -> Target | None:
        """Where an effort of the order is done."""
        return next((self._where(s.effort) for s in self.order.stops if s.effort.id == effort_id), None)

    # changing it

    def _keep(self, text: str, **changes: Any) -> None:
        """Keep a changed choice; refused in words when it cannot be ordered."""
        with self._space.action(text) as act:
            self._put(act, **changes)

    def _put(self, act: ChangeSet, **changes: Any) -> None:
        kept = {**self.standing_choice(), **changes}
        self._work(kept)
        act.replace(Form(KEPT, kept), self._space.form_today(KEPT))

    def choose(self, tests: list[str]) -> None:
        """Take other tests; wishes for tests that are gone go with them."""
        ids = {t: t for t in tests}
        kept = self.standing_choice()
        pairs = [p for p in kept["pairs"] if all(e.split(":")[0] in ids for e in p)]
        skipped = [e for e in kept["skipped"] if e.split(":")[0] in ids]
        self._keep("choose tests", tests=list(ids), pairs=pairs, skipped=skipped)

    def drag(self, effort_id: str, to: int) -> None:
        """Put an effort elsewhere. Raises BadInput when a rule forbids it."""
        kept = self.standing_choice()
        pairs = with_drag(self.order, effort_id, to, [(a, b) for a, b in kept["pairs"]])
        self._keep("drag in the order", pairs=[list(p) for p in pairs])

    def skip(self, effort_id: str) -> None:
        """Leave an effort out, or take it in again."""
        skipped = set(self.standing_choice()["skipped"]) ^ {effort_id}
        self._keep("skip" if effort_id in skipped else "put back into the order", skipped=sorted(skipped))

    def use_position(self, test_id: str, position: str) -> None:
        """Do a test in another of its positions."""
        self._keep("position", positions={**self.standing_choice()["positions"], test_id: position})

    def use_pad(self, test_id: str, pad: str) -> None:
        """Do a test with the pad in another place."""
        self._keep("pad", pads={**self.standing_choice()["pads"], test_id: pad})

    def take_over(self, act: ChangeSet, data: Mapping[str, Any]) -> None:
        """Take over the order of an earlier visit as part of an action; what hurt then does not count now."""
        known = set(self._names())
        tests = [t for t in data.get("tests", []) if t in known]
        kept = {key: data[key] for key in ("skipped", "pairs", "positions", "pads") if key in data}
        self._put(act, **{**kept, "tests": tests, "painful": []})

    def put_painful(self, act: ChangeSet, test_id: str) -> None:
        """A test that hurt goes last in its position, as part of the action that tells of it."""
        painful = set(self.standing_choice()["painful"])
        if test_id not in painful:
            self._put(act, painful=sorted(painful | {test_id}))

    def free(self) -> None:
        """Forget all drags."""
        self._keep("order as worked out", pairs=[])

    def set_hard(self, on: bool) -> None:
        """Clinic setting. Raises TuningError when it cannot be kept."""
        self._space.settings.set(UNINVOLVED_FIRST, on)
        self.changed.emit()

    def save_template(self, name: str) -> None:
        """Keep the chosen tests under a name. Raises BadInput for a name that is taken or empty."""
        name = name.strip()
        if not name or name in {t.name for t in self._space.knowledge.order.template}:
            raise BadInput("Give the template a name of its own.")
        own = self._space.settings.get(OWN, {})
        try:
            self._space.settings.set(OWN, {**own, name: self.standing_choice()["tests"]})
        except TuningError as err:
            raise BadInput(str(err)) from err
        self.changed.emit()
