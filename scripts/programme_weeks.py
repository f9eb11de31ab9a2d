"""Simulated weeks through the real workspace: `python scripts/programme_weeks.py [--weeks 10000]`.

Simulated patients (programme_world.py) train at home and in the clinic; home logs come in as files, alarms are left
unanswered, cautions come and go, trainers and students try to climb and to overrule. What the record holds afterwards
is looked through by rules that are written down here once more, and not asked of the program. Beside it a rival that
decides by the last three sessions and the calendar. Writes docs/programme-weeks.md.
"""

from __future__ import annotations

import json
import os
import tempfile
from collections import Counter
from dataclasses import dataclass, field
from datetime import UTC, date, datetime, timedelta
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import click
import numpy as np
from programme_world import GROUPS, Patient, Told
from PyQt6.QtWidgets import QApplication

from tuning.core.entries import Decision, Done, NextDayResponse, PlanItem, Screen
from tuning.core.errors import TuningError
from tuning.core.programme.ladders import SideTrial
from tuning.core.programme.progression_state import ProgressionMove
from tuning.core.types import LEGS, Role, Side, Triage
from tuning.exchange.json.home_log import owner_mark
from tuning.knowledge import load
from tuning.records import Record, store
from tuning.ui import change_set
from tuning.ui.programme.exports import Exports
from tuning.ui.programme.state import ProgrammeState
from tuning.ui.workspace import Workspace

WEEKS_EACH = 26
START = datetime(2026, 1, 5, 9, tzinfo=UTC)
LADDER, FIRST = "stepdown", "sd-1-hold-taps"
TARGET = Path(__file__).parent.parent / "docs" / "programme-weeks.md"
STOPS = ("giving way", "catch", "swelling")
NERVES = ("numb", "dizzy")


class Clock:
    """The time of the simulation, where the record asks for it."""

    now = START

    def __call__(self) -> datetime:
        """A second later each time it is asked."""
        self.now += timedelta(seconds=1)
        return self.now


@dataclass
class Counts:
    """What went wrong, and what was done."""

    wrong: Counter[str] = field(default_factory=Counter)
    done: Counter[str] = field(default_factory=Counter)
    above: list[int] = field(default_factory=list)
    rungs: list[int] = field(default_factory=list)


def alarms_of(done: Done) -> bool:
    """By the table of the ladders: over 5, giving way, catch, swelling, numb, dizzy."""
    return done.pain > 5 or bool(set(done.alarms) & {*STOPS, *NERVES})


class Weeks:
    """One patient for half a year in a record of its own."""

    def __init__(self, folder: Path, group: str, seed: int, clock: Clock) -> None:
        self.clock, self.draw = clock, np.random.default_rng([seed, 7])
        self.patient = Patient(group, seed)
        self.record = Record(folder)
        self.people = {role: self.record.add_person(role.value, role.value) for role in Role}
        self.somebody = self.record.add_patient(
            self.people[Role.CLINICIAN], name="Ada Berg", birth_date=date(1985, 4, 2), sex="female", body_mass_kg=68.0,
            stature_m=1.7, dominant_hand="right", dominant_leg="right", complaint="", involved="left", occupation="",
        )  # fmt: skip
        self.space = Workspace(self.record, load())
        self.state = ProgrammeState(self.space)
        self.exports = Exports(self.space, self.state)
        self.above = 0
        self.new = True

    def close(self) -> None:
        """Let go of the record."""
        self.space.close()

    # what people do

    def visit(self, day: date, role: Role = Role.CLINICIAN) -> None:
        """Somebody opens the person on a day."""
        self.clock.now = datetime.combine(day, datetime.min.time(), UTC) + timedelta(hours=10)
        self.space.choose_person(self.people[role])
        self.record.start_visit(self.somebody, self.people[role], self.clock.now)
        self.space.open_patient(self.somebody)
        self.space.reading = False

    def screen(self, level: Triage = Triage.NONE, again: bool = False) -> None:
        """Ask the safety screen."""
        rules = {Triage.AMBER: ("night",), Triage.RED: ("calf",)}.get(level, ())
        with self.space.action("screen") as act:
            act.add(Screen(level, {}, rules, again=again, reds=rules if level is Triage.RED else ()))

    def begin(self) -> None:
        """First visit: screen, try-out, plan."""
        self.visit(START.date())
        self.screen()
        self.state.choose(self.state.named(FIRST))
        for side in LEGS:
            self.state.set_trial(side, SideTrial(True, 1))
        self.state.write("")

    def item(self) -> PlanItem | None:
        """The exercise of the plan."""
        return next((i for i in self.space.plan() if i.ladder == LADDER), None)

    def demand(self) -> int:
        """How hard the exercise truly is, in rungs of the world."""
        item = self.item()
        line = [r.id for r in self.space.knowledge.ladders[LADDER].rungs]
        return 2 * line.index(item.rung) + len(item.variant) % 2 if item is not None else 0

    def told(self) -> tuple[Told, tuple[str, ...]]:
        """A session as the patient tells it."""
        told = self.patient.session(self.demand(), self.new)
        self.new = False
        self.above += told.true_pain > 2.5
        odd = [name for name in (*STOPS, *NERVES) if self.draw.random() < 0.004 * (1 + max(0, told.pain - 2))]
        more = ["swelling"] if told.swelling else []
        return told, tuple(dict.fromkeys([*odd, *more, *(["painkiller"] if told.painkiller else [])]))

    def at_home(self, day: date) -> None:
        """A session at home, kept on the phone and read in with the next file."""
        item = self.item()
        if item is None:
            return
        told, alarms = self.told()
        known = self.draw.random() < 0.93
        morning = NextDayResponse.SETTLED if told.settled else NextDayResponse.NOT
        lines = [
            {"day": day.isoformat(), "side": side.value, "rung": item.rung, "pain": told.pain, "faulty": told.faulty,
             "felt": told.felt, "morning": (morning if known else NextDayResponse.UNKNOWN).value,
             "morning_pain": told.morning_pain if known else None,
             **{name.replace(" ", "_"): True for name in alarms}}
            for side in LEGS
        ]  # fmt: skip
        file = self.record.folder / "log.json"
        owner = owner_mark(self.somebody.uid)
        file.write_text(json.dumps({"version": 2, "kind": "home-log", "owner": owner, "log": lines}))
        added, _ = self.exports.read_log(file)
        with self.space.action("home log") as act:
            for one in added:
                act.add(one)

    def in_clinic(self, day: date, counts: Counts) -> None:
        """A visit: by whoever it is, screened or not, with a session, and what comes next."""
        role = (Role.CLINICIAN, Role.TRAINER, Role.STUDENT)[int(self.draw.choice(3, p=[0.6, 0.25, 0.15]))]
        self.visit(day, role)
        level = (Triage.NONE, Triage.AMBER)[int(self.draw.random() < 0.03)]
        self.tries(
            "screen", counts, lambda: self.screen(level, again=self.draw.random() < 0.6 and level is Triage.NONE)
        )
        item = self.item()
        if item is None:
            return
        if self.draw.random() < 0.5:
            told, alarms = self.told()
            made = [
                Done(item.rung, side, day, item.variant, 3, 8, told.pain, faulty=told.faulty, felt=told.felt,
                     alarms=alarms, supervised=True)
                for side in LEGS
            ]  # fmt: skip
            self.tries("session", counts, lambda: self.state.course.log(*made))
        for _ in range(int(self.draw.integers(1, 3))):
            self.decide(counts)

    def decide(self, counts: Counts) -> None:
        """Confirm, or try another move; whoever is there, with a reason or without."""
        item = self.item()
        if item is None:
            return
        course = self.state.course
        decision = course.decision(item)
        reason = "as agreed with the patient" if self.draw.random() < 0.3 else ""
        if self.draw.random() < 0.25:
            move = (ProgressionMove.CLIMB, ProgressionMove.HOLD, ProgressionMove.BACK)[int(self.draw.integers(3))]
            self.tries(f"overrule to {move.value}", counts, lambda: course.overrule(item, move, reason))
        else:
            if decision.row == 12 and "try-out" in decision.reason and self.space.role is Role.CLINICIAN:
                self.tries("try-out", counts, lambda: self.try_out(item))
                decision = course.decision(item)
            self.tries(f"confirm {decision.move.value}", counts, lambda: course.confirm(item, decision, reason))
        if self.item() is not item:
            self.new = True

    def try_out(self, item: PlanItem) -> None:
        """A supervised try-out of the next rung."""
        step = self.state.course.status.step_up(item)
        if step is not None:
            self.state.course.log(
                *(
                    Done(step.rung.id, side, self.state.course.today, supervised=True, trial=True, pain=1)
                    for side in LEGS
                )
            )

    @staticmethod
    def tries(what: str, counts: Counts, deed) -> None:
        """Do it, or be refused."""
        try:
            deed()
            counts.done[what] += 1
        except TuningError:
            counts.done[f"{what}, refused"] += 1

    def run(self, counts: Counts) -> None:
        """Half a year."""
        self.begin()
        for day in range(1, 7 * WEEKS_EACH):
            today = START.date() + timedelta(days=day)
            self.patient.night()
            if day % 7 in (0, 2, 4) and self.patient.comes(day):
                self.at_home(today)
            elif day % 14 == 5:
                self.in_clinic(today, counts)
        counts.above.append(self.above)
        counts.rungs.append(self.demand())
        self.look_through(counts)

    # what must not be, read off the record

    def look_through(self, counts: Counts) -> None:
        """Everything in the order in which it was written, by rules that are none of the program's."""
        case = self.space.case
        assert case is not None
        role_of = {person.uid: role for role, person in self.people.items()}
        alarms: list[tuple[int, Done]] = []
        screens: list[int] = []
        open_amber: set[str] = set()
        tried: dict[tuple[str, Side], Done] = {}
        for n, entry in enumerate(case.entries):
            if isinstance(entry, Done) and alarms_of(entry):
                alarms.append((n, entry))
            if isinstance(entry, Screen) and not entry.again:
                screens.append(n)
                open_amber |= set(entry.rules)
            if isinstance(entry, Done) and entry.trial and entry.supervised:
                tried[entry.rung, entry.side] = entry
            if isinstance(entry, Decision) and entry.subject == "programme":
                open_alarms = [a for k, a in alarms if not any(s > k for s in screens)]
                self._look_at(entry, open_alarms, [a for _, a in alarms], role_of[entry.person], counts)
            if isinstance(entry, PlanItem) and not entry.withdrawn:
                self._look_at_plan(entry, bool(open_amber), tried, counts)

    def _look_at(self, made: Decision, unanswered: list[Done], alarms: list[Done], role: Role, counts: Counts) -> None:
        day = made.at.date()
        recent = [a for a in alarms if 0 <= (day - a.day).days <= 7]
        against = bool(made.inputs.get("overruled"))
        if made.outcome == "climb":
            counts.wrong["climbs in the week of an alarm"] += bool(recent)
            counts.wrong["climbs with an alarm unanswered"] += bool(unanswered)
        elif unanswered and not against:
            counts.wrong["ignored alarms"] += made.outcome not in ("stop", "refer", "out of the plan")
        counts.wrong["overruled without a clinician or a reason"] += against and (
            role is not Role.CLINICIAN or not made.reason.strip()
        )

    def _look_at_plan(self, item: PlanItem, amber: bool, tried: dict[tuple[str, Side], Done], counts: Counts) -> None:
        rung = self.space.knowledge.rung(item.rung)
        loaded = rung.loaded_as(rung.pose(item.variant), item.dose.get("depth_deg"), item.dose.get("load_kg") or 0.0)
        counts.wrong["loaded under AMBER without a typed reason"] += amber and loaded and not item.reason.strip()
        lacks = rung.transition and not all((item.rung, side) in tried for side in rung.sides)
        counts.wrong["entry rules skipped"] += lacks and not item.reason.strip() and not _down(self.space, item)


def _down(space: Workspace, item: PlanItem) -> bool:
    """Whether it takes the place of a harder or the same rung."""
    before = next((e for e in space.case.entries if e.uid == item.replaces), None) if space.case else None
    line = [r.id for r in space.knowledge.ladders[LADDER].rungs]
    return isinstance(before, PlanItem) and line.index(before.rung) >= line.index(item.rung)


def rival(group: str, seed: int) -> tuple[int, int, int]:
    """Days above the limit, rungs at the end, climbs in the week of an alarm: last three sessions and two weeks."""
    patient, draw = Patient(group, seed), np.random.default_rng([seed, 7])
    place, since, log, above, climbs, alarm = 0, 0, [], 0, 0, -99
    for day in range(1, 7 * WEEKS_EACH):
        patient.night()
        if not (day % 7 in (0, 2, 4) and patient.comes(day)) and day % 14 != 5:
            continue
        told = patient.session(2 * place, False)
        above += told.true_pain > 2.5
        odd = any(draw.random() < 0.004 * (1 + max(0, told.pain - 2)) for _ in range(5))
        alarm = day if odd or told.swelling or told.pain > 5 else alarm
        log.append(told.pain)
        if told.pain > 5:
            place, since = max(0, place - 1), day
        elif len(log) > 2 and max(log[-3:]) <= 2 and day - since >= 14 and place < 4:
            climbs += day - alarm <= 7
            place, since = place + 1, day
    return above, 2 * place, climbs


PAGE = """# Weeks through the real workspace

Written by `python scripts/programme_weeks.py --weeks {weeks}`: {people} simulated people, {ran} weeks, shipped
settings; home logs as files, visits by clinician, trainer and student, alarms that nobody asked about, cautions that
come and go.
Read off the record afterwards, by rules written down a second time. The rival climbs after three sessions of at most
2/10 and two weeks, and steps back above 5/10.

| what must not be | times |
|---|---|
{wrong}

| | median | 95 % | most |
|---|---|---|---|
| days above the pain limit, by the program | {above} |
| days above the pain limit, by the rival | {rival_above} |
| rungs of the world at the end, by the program | {rungs} |
| rungs of the world at the end, by the rival | {rival_rungs} |

The rival climbed {climbs} times in the week of an alarm.

| what was tried | times |
|---|---|
{done}
"""
MUST_NOT = (
    "ignored alarms", "climbs in the week of an alarm", "climbs with an alarm unanswered", "entry rules skipped",
    "loaded under AMBER without a typed reason", "overruled without a clinician or a reason",
)  # fmt: skip


def spread(values: list[int]) -> str:
    """Median, 95th percentile, most."""
    return " | ".join(f"{v:.0f}" for v in (*np.percentile(values, [50, 95]), max(values)))


@click.command()
@click.option("--weeks", default=10_000)
@click.option("--write/--no-write", default=True, help="Write docs/programme-weeks.md.")
def main(weeks: int, write: bool) -> None:
    """Run, print, write."""
    app = QApplication.instance() or QApplication([])
    clock, counts, rivals = Clock(), Counts(), []
    store.now = change_set.now = clock  # type: ignore[assignment]
    people = max(1, round(weeks / WEEKS_EACH))
    for n in range(people):
        group = GROUPS[n % len(GROUPS)]
        with tempfile.TemporaryDirectory(prefix="tuning-weeks-") as folder:
            one = Weeks(Path(folder), group, n, clock)
            one.run(counts)
            one.close()
        rivals.append(rival(group, n))
        app.processEvents()
    wrong = "\n".join(f"| {what} | {counts.wrong[what]} |" for what in MUST_NOT)
    done = "\n".join(f"| {what} | {times} |" for what, times in sorted(counts.done.items()))
    page = PAGE.format(
        weeks=weeks, people=people, ran=people * WEEKS_EACH, wrong=wrong, above=spread(counts.above),
        rival_above=spread([r[0] for r in rivals]), rungs=spread(counts.rungs),
        rival_rungs=spread([r[1] for r in rivals]), climbs=sum(r[2] for r in rivals), done=done,
    )  # fmt: skip
    click.echo(page)
    if write:
        TARGET.write_text(page)


if __name__ == "__main__":
    main()
