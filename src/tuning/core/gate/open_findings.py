"""What stands of the safety screens and of what was measured, finding by finding: functions of the snapshot."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime

from tuning.core.case import Case, Patient
from tuning.core.entries import Clearance, Screen, Unreadable
from tuning.core.gate.limits import (
    NO_LIMITS,
    PREFIX,
    SURGEON,
    LimitFacts,
    StandingLimits,
    limit_sets,
    limits_from_answers,
)
from tuning.core.gate.measured import Ground, grounds
from tuning.core.gate.triage import SafetyRule, SafetyTable, screen
from tuning.core.types import Entry, Side, Triage

EMERGENCY = "1"
"""How the urgency of an emergency begins."""


@dataclass(frozen=True)
class SafetyFinding:
    """One rule that fired, or one limit that was told, since which screen, and who lifted it.

    `why` are the answers it rests on; `words` says what was measured where that raised it; `number` and `until` are
    those of a surgeon's limit.
    """

    id: str
    level: Triage
    screen: Screen
    legs: frozenset[Side] = frozenset()
    ends: datetime | None = None
    """When it ends by itself; None where only a clearance lifts it."""
    clearance: Clearance | None = None
    why: frozenset[str] = frozenset()
    urgency: str = ""
    words: str = ""
    number: float | None = None
    until: date | None = None

    @property
    def is_limit(self) -> bool:
        """True for a surgeon's limit."""
        return self.id.startswith(PREFIX)

    @property
    def is_emergency(self) -> bool:
        """Whether it cannot wait."""
        return self.urgency.startswith(EMERGENCY)

    def stands(self, now: datetime) -> bool:
        """Whether it still counts."""
        return self.clearance is None and (self.ends is None or now < self.ends)


@dataclass(frozen=True)
class ScreeningStatus:
    """The newest screen, and every finding there ever was as it stands; `looks` are rules that ask for a look."""

    screen: Screen
    findings: tuple[SafetyFinding, ...]
    now: datetime
    looks: tuple[str, ...] = ()

    @property
    def open(self) -> tuple[SafetyFinding, ...]:
        """Findings and limits that nobody has lifted, the most urgent first."""
        return tuple(sorted((f for f in self.findings if f.stands(self.now)), key=lambda f: f.urgency or "9"))

    @property
    def lifted(self) -> tuple[SafetyFinding, ...]:
        """Those that were cleared."""
        return tuple(f for f in self.findings if f.clearance is not None)

    @property
    def emergencies(self) -> tuple[SafetyFinding, ...]:
        """What cannot wait."""
        return tuple(f for f in self.open if f.level is Triage.RED and f.is_emergency)

    @property
    def level(self) -> Triage:
        """The worst level that stands."""
        levels = {f.level for f in self.open}
        return next((level for level in (Triage.RED, Triage.AMBER) if level in levels), Triage.NONE)

    @property
    def ask_again(self) -> bool:
        """Whether something ended by time, or the day of a limit came, since the newest screen: it is asked again."""
        last, today = self.screen.at, self.now.astimezone().date()
        ended = any(f.clearance is None and f.ends is not None and last < f.ends <= self.now for f in self.findings)
        return ended or any(
            f.until is not None and last.astimezone().date() < f.until <= today for f in self.open if f.is_limit
        )

    def limits(self, table: SafetyTable) -> StandingLimits:
        """The surgeon's limits that stand."""
        told = {f.id: f.legs for f in self.open if f.is_limit}
        if not told:
            return NO_LIMITS
        numbers = {f.id: f.number for f in self.open if f.number is not None}
        until = {f.id: f.until for f in self.open if f.until is not None}
        return limit_sets(table.limits, told, LimitFacts(numbers, until))


def _told(screen: Screen) -> list[SafetyFinding]:
    """What a screen found. A RED screen of an older record does not say which of its rules lock: all do."""
    limits = limits_from_answers(screen.answers)
    reds = set(screen.reds) or (set(screen.rules) if screen.level is Triage.RED else set())
    rules = [key for key in screen.rules if not (key == SURGEON and limits) and key not in screen.looks]
    yes = frozenset(key for key, answer in screen.answers.items() if answer)

    def level(key: str) -> Triage:
        """Whether a rule locks or cautions."""
        return Triage.RED if key in reds else Triage.AMBER

    found = [
        SafetyFinding(k, level(k), screen, ends=screen.ends.get(k), why=frozenset(screen.grounds.get(k, yes)))
        for k in rules
    ]
    if screen.level is not Triage.NONE and not screen.rules and not limits:
        found.append(SafetyFinding("level", screen.level, screen, why=yes))
    return found + [
        SafetyFinding(key, Triage.AMBER, screen, legs, why=frozenset({key}), number=screen.numbers.get(key),
                until=screen.until.get(key))
        for key, legs in limits.items()
    ]  # fmt: skip


SCREEN_KIND, UNREADABLE = "screen", "unreadable"
"""A screen that cannot be read any more: what it found is not known, so it locks until somebody clears it."""


def _unknown(entry: Unreadable) -> Screen:
    return Screen(
        Triage.RED, rules=(UNREADABLE,), reds=(UNREADABLE,), note="a safety screen on record that cannot be read",
        uid=entry.uid, visit=entry.visit, at=entry.at, person=entry.person, who=entry.who,
    )  # fmt: skip


class _ScreeningHistory:
    """What the screens told so far; a clearance holds the answers that it cleared."""

    def __init__(self, lasting: frozenset[str]) -> None:
        self._lasting = lasting
        self.newest: Screen | None = None
        self.asked: Screen | None = None
        """The newest one that asked everything."""
        self.found: dict[str, SafetyFinding] = {}
        self._cleared: dict[str, tuple[frozenset[str], str]] = {}
        """Answers that a clearance holds by finding, and its visit."""

    def add(self, screen: Screen) -> None:
        """A screen was saved: what it tells stands, except what was cleared and is the same."""
        self.newest = screen
        if screen.again:
            return
        self.asked = screen
        no = {key for key, answer in screen.answers.items() if not answer}
        self._cleared = {key: (why - no, visit) for key, (why, visit) in self._cleared.items()}
        for finding in _told(screen):
            if not self._is_cleared(finding, screen):
                self.found[finding.id] = _joined(self.found.get(finding.id), finding)

    def _is_cleared(self, finding: SafetyFinding, screen: Screen) -> bool:
        """Whether it is what was cleared: the same answers, said again today, or said to be the same, or lasting."""
        known = self._cleared.get(finding.id)
        if known is None or self.found[finding.id].clearance is None:
            return False
        why, visit = known
        older = why if screen.visit == visit else why & (self._lasting | set(screen.same))
        return bool(finding.why) and finding.why <= older

    def clear(self, clearance: Clearance) -> None:
        """A finding was cleared, or all that is open where none is named."""
        for key, finding in self.found.items():
            if finding.clearance is None and clearance.subject in ("", key):
                self.found[key] = replace(finding, clearance=clearance)
                self._cleared[key] = finding.why, clearance.visit


def _joined(before: SafetyFinding | None, now: SafetyFinding) -> SafetyFinding:
    """A finding that is told again: what stands keeps its age, nothing that stood is made less."""
    if before is None or before.clearance is not None:
        return now
    ends = None if before.ends is None or now.ends is None else max(before.ends, now.ends)
    level = Triage.RED if Triage.RED in (before.level, now.level) else now.level
    number = before.number if now.number is None else now.number
    if before.number is not None and now.number is not None:
        number = min(before.number, now.number)
    return replace(
        before, level=level, legs=before.legs | now.legs, ends=ends, why=before.why | now.why, number=number,
        until=now.until or before.until,
    )  # fmt: skip


def screening_status(
    entries: Iterable[Entry],
    table: SafetyTable | None = None,
    person: Patient | None = None,
    now: datetime | None = None,
) -> ScreeningStatus | None:
    """What stands after all screens, clearances and values, oldest entry first; None before the first of them.

    A finding stands from what found it until a clearance of its own, or until it ends by time; no later screen lifts
    it, and "nothing new" neither lifts nor revives anything. A clearance holds what it cleared: the same never comes
    back, something new or worse does. With the table, what was measured counts, too.
    """
    told = _ScreeningHistory(table.lasting if table is not None else frozenset())
    every = list(entries)
    for entry in every:
        if isinstance(entry, Unreadable) and entry.kind == SCREEN_KIND:
            told.newest = told.newest or _unknown(entry)
            told.found[UNREADABLE] = SafetyFinding(UNREADABLE, Triage.RED, _unknown(entry), why=frozenset({entry.uid}))
        elif isinstance(entry, Screen):
            told.add(entry)
        elif isinstance(entry, Clearance):
            told.clear(entry)
    looks = told.asked.looks if told.asked is not None else ()
    if table is not None and person is not None:
        moment = now or datetime.now(UTC)
        for finding in _measured(every, table, person, told.asked, moment.astimezone().date()):
            if finding.level is Triage.NONE:
                looks = (*looks, finding.id) if finding.clearance is None and finding.id not in looks else looks
            elif finding.id not in told.found or told.found[finding.id].clearance is not None:
                told.found[finding.id] = finding
    newest = told.newest or next((f.screen for f in told.found.values()), None)
    if newest is None:
        return None
    rules = table.by_id if table is not None else {}
    known = tuple(replace(f, urgency=_urgency(f, rules)) for f in told.found.values())
    return ScreeningStatus(newest, known, now or datetime.now(UTC), looks)


def _urgency(finding: SafetyFinding, rules: Mapping[str, SafetyRule]) -> str:
    rule = rules.get(SURGEON if finding.is_limit else finding.id)
    return rule.urgency if rule is not None else ""


def _measured(
    entries: Sequence[Entry], table: SafetyTable, person: Patient, asked: Screen | None, today: date
) -> list[SafetyFinding]:
    """Rules that only fire with what was measured, each with the clearance that still covers it."""
    now = grounds(table.measured, entries, person.involved, today)
    if not now:
        return []
    answers = asked.answers if asked is not None else {}
    latest = max(ground.entry.at for ground in now.values())
    age = person.age_on(latest.astimezone().date())
    alone = {rule.id for rule in screen(table, answers, age).hits}
    found = screen(table, answers, age, now)
    made = []
    for rule in found.hits:
        because = [now[key] for key in found.why[rule.id] if key in now]
        if rule.id in alone or not because:
            continue
        entry = max((ground.entry for ground in because), key=lambda e: e.at)
        words = "; ".join(ground.words for ground in because)
        raised = Screen(
            rule.level, answers, (rule.id,), words, reds=(rule.id,) if rule.level is Triage.RED else (),
            uid=entry.uid, visit=entry.visit, at=entry.at, person=entry.person, who=entry.who,
        )  # fmt: skip
        covers = _covers(entries, rule.id, because, table, person)
        made.append(
            SafetyFinding(rule.id, rule.level, raised, clearance=covers, why=frozenset(found.why[rule.id]), words=words)
        )
    return made


def _covers(
    entries: Sequence[Entry], rule: str, because: Sequence[Ground], table: SafetyTable, person: Patient
) -> Clearance | None:
    """The newest clearance of a rule, where nothing that it rests on is new or worse since."""
    places = [(n, e) for n, e in enumerate(entries) if isinstance(e, Clearance) and e.subject == rule]
    if not places:
        return None
    place, found = places[-1]
    then = grounds(table.measured, entries[:place], person.involved, found.at.astimezone().date())
    slack = {fact.id: fact.worse_by for fact in table.measured}
    same = all(one.fact in then and one.size <= then[one.fact].size + slack[one.fact] for one in because)
    return found if same else None


def standing_of(case: Case, table: SafetyTable, now: datetime | None = None) -> ScreeningStatus | None:
    """What stands over all visits of a case, at this moment unless another is named."""
    moment = now or datetime.now(UTC)
    name = f"standing screen, {moment.astimezone().date()}"
    kept = case.memoised(name, lambda: screening_status(case.entries, table, case.patient, moment), table)
    return None if kept is None else replace(kept, now=moment)


def screened_today(case: Case) -> bool:
    """Whether the safety screen was asked in the open visit."""
    return bool(case.today(Screen))


def limits_of(case: Case, table: SafetyTable) -> StandingLimits:
    """The surgeon's limits that stand."""
    found = standing_of(case, table)
    return found.limits(table) if found is not None else NO_LIMITS
