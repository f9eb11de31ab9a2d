"""Whether a sign is there, and what it rests on."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from statistics import median

from tuning.core.judging.comparability import is_pain_limited
from tuning.core.judging.comparison import Comparison, against_reference, compare_change
from tuning.core.judging.measures import Compare, Measure, ReferenceGroup
from tuning.core.judging.verdict import Verdict, VerdictWord
from tuning.core.reasoning.findings import Findings
from tuning.core.reasoning.rules import KIND_OF_STAGE, EvidenceKind, SideMapping, Sign, SignCondition
from tuning.core.reasoning.trial_of_cause import Effect
from tuning.core.strength.trials import ratio, sem_of_both
from tuning.core.types import LEGS, NotMeasured, Observation, Side
from tuning.core.units import unit_suffix

WEAK_BOTH, WEAK_BOTH_BY_AGE, EQUAL_WITHOUT_BAND = 1.0, 2.0, 0.5
"""Weights of a two-sided deficit, the same where the band is for age and sex, and of two equal sides without a band."""
BOTH = "both sides equal; how strong is not known"
MIXED = "mixed"
"""Trials of one change that did not all go the same way."""
ADULT_Y, OLD_Y, OLD_SHARE = 18, 65, 0.8
"""Lower limits of torque are those of adults, a fifth less from 65 on."""
LEAST_MORNINGS = 3
"""Mornings after loads that must be known before anything is said of them (practice judgement, editable)."""
PAIN = ("pain-now", "pain-worst", "squeeze-pain")


@dataclass(frozen=True)
class SignResult:
    """What looking for a sign gave: `done` when it could be told at all, `there` when the sign is there.

    `most` caps the weight of its line. `source` is the test or capture that it rests on, `entry` the entry to open.
    """

    done: bool
    there: bool = False
    text: str = ""
    verdict: str = ""
    quality: float = 1.0
    source: str = ""
    entry: str = ""
    most: float | None = None
    kind: EvidenceKind | None = None
    short: str = ""
    """The number alone, with its unit."""


UNKNOWN = SignResult(False)


def worse_side(measure: Measure, d: float) -> Side:
    """The side of a pair that carries the finding, from the signed difference right minus left."""
    larger = Side.RIGHT if d > 0 else Side.LEFT
    return larger if measure.finding == "larger" else larger.other


def lower_side(d: float) -> Side:
    """The lower side of a signed level, or the leg that takes less of a share: right minus left."""
    return Side.LEFT if d > 0 else Side.RIGHT


def evaluate_sign(
    sign: Sign, found: Findings, side: Side, usual: SideMapping = SideMapping.SAME, raising: bool = False
) -> SignResult:
    """Look for a sign, for a pattern on `side`; `usual` maps the side where the sign does not say.

    `raising`: whether it raises a pattern; a force that pain limits does, though it is no deficit.
    """
    one = _look(sign, found, (sign.side or usual).of(side))
    if raising and not one.there and sign.shows is SignCondition.DEFICIT and not sign.absent:
        return _limited_by_pain(sign, found, (sign.side or usual).of(side)) or one
    return replace(one, there=one.done and not one.there) if sign.absent else one


def _look(sign: Sign, found: Findings, at: Side) -> SignResult:
    if sign.test:
        return _answer(sign, found, at)
    if sign.form:
        return _form(sign, found, at)
    if sign.changes:
        return _response(sign, found, at)
    if sign.decided:
        return _decided(sign, found, at)
    if sign.loads:
        return _after_loads(found)
    looks = [_measure(sign, found, measure_id, at) for measure_id in sign.measures]
    there = [one for one in looks if one.there]
    if len(there) >= sign.count:
        return max(there, key=lambda one: (one.most is None, one.most or 0.0, one.quality))
    return SignResult(any(one.done for one in looks))


def _limited_by_pain(sign: Sign, found: Findings, at: Side) -> SignResult | None:
    """A force of this side that pain may have set: no percentage, and still something to be explained."""
    for measure_id in sign.measures:
        measure, seen = found.measures[measure_id], found.values.get((measure_id, at))
        if measure.compare is Compare.STRONGER and seen is not None and is_pain_limited(seen):
            return _told(measure, seen, True, f"pain-limited, {seen.pain}/10 in the test", "", None, [seen])
    return None


def _answer(sign: Sign, found: Findings, at: Side) -> SignResult:
    sides = [at, Side.NONE] if at in LEGS else [Side.NONE, *LEGS]
    given = [found.answers.get((sign.test, sign.question, side)) for side in sides]
    answer = next((one for one in given if one is not None), None)
    if answer is None:
        return UNKNOWN
    return SignResult(
        True, answer.option in sign.options, answer.option, "", 1.0, answer.capture or sign.test, answer.uid
    )


def _form(sign: Sign, found: Findings, at: Side) -> SignResult:
    """A field of a form, or a column of one of its lists; with `limit` a number from there on."""
    form = found.forms.get(sign.form)
    if form is None:
        return UNKNOWN
    name, _, column = sign.field.partition(".")
    told = form.data.get(name)
    rows = told if isinstance(told, list) else [told]
    values = [row.get(column) if isinstance(row, dict) else row for row in rows]
    known = [value for value in values if value not in (None, "", "not said")]
    if not known:
        return UNKNOWN
    if sign.limit is not None:
        hits = [v for v in known if isinstance(v, int | float) and v >= sign.limit]
    else:
        wanted = {at.value if option == "side" else option for option in sign.options}
        hits = [v for v in known if v in wanted]
    return SignResult(True, bool(hits), str(hits[0] if hits else known[0]), "", 1.0, sign.form, form.uid)


def _response(sign: Sign, found: Findings, at: Side) -> SignResult:
    """A measured trial of cause on the side at issue, or on a value of both sides."""
    tried = [r for r in found.responses if r.change in sign.changes and r.side in (at, Side.NONE)]
    told = [r for r in tried if r.effect in (Effect.RESPONDS, Effect.UNCHANGED, Effect.WORSE)]
    if not told:
        return UNKNOWN
    if len({r.effect is Effect.RESPONDS for r in told}) > 1:
        newest = max(told, key=lambda r: r.changed.at)
        return SignResult(
            True, True, f"{newest.change}: trials disagree", MIXED, 1.0, f"trial {newest.change}", newest.changed.uid
        )
    newest = max(told, key=lambda r: r.changed.at)
    there = (newest.effect is Effect.RESPONDS) == sign.responds
    text = f"{newest.change}: {newest.sentence}"
    quality = min(o.quality for o in (newest.before, newest.changed))
    return SignResult(True, there, text, newest.effect.value, quality, f"trial {newest.change}", newest.changed.uid)


def _decided(sign: Sign, found: Findings, at: Side) -> SignResult:
    """What the deciding look at the standing levels gave, on the lower side."""
    told = [d for d in found.decided if d.side is at]
    if not told:
        return UNKNOWN
    text = f"{told[-1].inputs.get('suspicion', '')}: {told[-1].outcome}"
    return SignResult(True, told[-1].outcome in sign.decided, text, source=told[-1].subject, entry=told[-1].uid)


def _after_loads(found: Findings) -> SignResult:
    """Whether a morning after more than usual of a load was not settled; a few mornings must be known."""
    told = [one for one in found.loads if one.settled is not None]
    if len(told) < LEAST_MORNINGS:
        return UNKNOWN
    usual = {key: median(o.amount for o in told if (o.what, o.unit) == key) for key in {(o.what, o.unit) for o in told}}
    bad = [one for one in told if one.amount > usual[one.what, one.unit] and not one.settled]
    if not bad:
        return SignResult(True, source="loads")
    worst = max(bad, key=lambda one: one.amount / usual[one.what, one.unit])
    text = f"{worst.what} {worst.amount:g} {worst.unit} on {worst.day:%-d %b}: not settled next morning"
    return SignResult(True, True, text, source="loads", entry=worst.uid)


def _share_of(sign: Sign, found: Findings, measure: Measure, at: Side) -> SignResult:
    """One force of the leg over another of the same visit, against the usual band of the two."""
    upper, lower = found.values.get((measure.id, at)), found.values.get((sign.over, at))
    if upper is None or lower is None or sign.band is None or upper.visit != lower.visit:
        return UNKNOWN
    share = ratio(upper, lower, sem_of_both(measure, upper, lower), sign.band)
    if isinstance(share, NotMeasured) or share.place is None:
        return UNKNOWN
    there = share.place < 0 or (share.place > 0 and sign.shows is SignCondition.OUTSIDE)
    text = f"{share.band.name} {share.value:.2f} ±{share.error:.2f}, {share.words}"
    return _told(measure, upper, there, text, "", None, [upper, lower], f"{share.value:.2f}")


def _since(sign: Sign, found: Findings, measure: Measure, at: Side) -> SignResult:
    """A value against its own of an earlier visit: less beyond error, or unmoved by weeks of work."""
    side = at if measure.paired else Side.NONE
    now, earlier = found.values.get((measure.id, side)), list(found.before.get((measure.id, side), ()))
    if sign.worked:
        first, last = found.worked.get(sign.worked, (None, None))
        if first is None or last is None or (last - first).days < 7 * sign.weeks:
            return UNKNOWN
        earlier = [o for o in earlier if o.at.astimezone().date() <= first]
        if now is not None and (now.at.astimezone().date() - first).days < 7 * sign.weeks:
            return UNKNOWN
    if now is None or not earlier:
        return UNKNOWN
    change = compare_change(measure, earlier[-1], now)
    if isinstance(change.verdict, NotMeasured):
        return UNKNOWN
    unmoved = change.verdict.word is VerdictWord.IN_TUNE
    fell = change.beyond_error and change.verdict.d < 0
    there = unmoved if sign.shows is SignCondition.UNMOVED else fell
    text = f"since {earlier[-1].at.astimezone():%-d %b}: {change.sentence}"
    return _told(measure, now, there, text, change.verdict.word.value, None, [earlier[-1], now])


def _measure(sign: Sign, found: Findings, measure_id: str, at: Side) -> SignResult:
    measure = found.measures[measure_id]
    if sign.regions:
        return _pain_at(sign, found, measure_id, at)
    if sign.over:
        return _share_of(sign, found, measure, at)
    if sign.shows in (SignCondition.FELL, SignCondition.UNMOVED):
        return _since(sign, found, measure, at)
    if sign.shows in (
        SignCondition.DEFICIT,
        SignCondition.SYMMETRIC,
        SignCondition.EVEN,
        SignCondition.LOWER,
        SignCondition.LEVEL,
    ):
        row = found.rows.get(measure_id)
        return UNKNOWN if row is None else _verdict(sign, found, row, at)
    seen = found.values.get((measure_id, at)) or found.values.get((measure_id, Side.NONE))
    if seen is None or seen.measured is None:
        return UNKNOWN
    return _value(sign, found, measure, seen)


def _pain_at(sign: Sign, found: Findings, measure_id: str, at: Side) -> SignResult:
    told = [o for o in found.seen if o.measure_id == measure_id and o.measured is not None]
    if not told:
        return UNKNOWN
    newest = {(o.setup.region, o.side): o for o in told}
    here = [o for (region, side), o in newest.items() if region in sign.regions and side in (at, Side.NONE)]
    hits = [o for o in here if (o.measured or 0.0) >= (sign.limit or 1.0)]
    if not hits:
        return SignResult(True)
    worst = max(hits, key=lambda o: o.measured or 0.0)
    text = f"{worst.setup.region} {worst.measured:g}/10"
    return SignResult(
        True, True, text, "", worst.quality, f"{measure_id} {worst.setup.region}", worst.uid, kind=EvidenceKind.PAIN
    )


def _verdict(sign: Sign, found: Findings, row: Comparison, at: Side) -> SignResult:
    measure, verdict = row.measure, row.verdict
    both = [seen for seen in (row.left, row.right) if seen is not None]
    if isinstance(verdict, NotMeasured):
        return UNKNOWN
    seen = (row.left if at is Side.LEFT else row.right) or both[0]
    there, most, text = False, None, row.sentence
    if sign.shows is SignCondition.DEFICIT:
        beyond = verdict.word in (VerdictWord.NOTABLE, VerdictWord.MARKED)
        there = beyond and (at is Side.NONE or worse_side(measure, verdict.d) is at)
        if not there and at in LEGS:
            weak = _both_out(found, measure, row, beyond)
            there, most = weak is not None, weak
            text = f"both sides out of their band, {measure.text(seen.measured or 0.0)}{unit_suffix(measure.unit)}"
    elif sign.shows is SignCondition.LOWER:
        there = verdict.word in (VerdictWord.NOTABLE, VerdictWord.MARKED) and lower_side(verdict.d) is at
    elif sign.shows is SignCondition.LEVEL or sign.shows is SignCondition.EVEN:
        there = verdict.word is VerdictWord.IN_TUNE
    else:
        there, most, text = _symmetric(found, measure, verdict, seen, row)
    short = ""
    if sign.shows in (SignCondition.DEFICIT, SignCondition.LOWER) and most is None:
        unit = unit_suffix(measure.comparison_unit)
        short = f"{abs(verdict.d):.{0 if unit == ' %' else measure.decimals}f}{unit}"
    return _told(measure, seen, there, text, verdict.word.value, most, both, short)


def _both_out(found: Findings, measure: Measure, row: Comparison, beyond: bool) -> float | None:
    """The weight of two weak sides: both out of the absolute band on the side of the finding; None otherwise."""
    if beyond or row.left is None or row.right is None or measure.compare is Compare.VALUE:
        return None
    bad = "above the usual band" if measure.finding == "larger" else "below the usual band"
    if all(_is_low(measure, seen, found.who) for seen in (row.left, row.right)):
        return WEAK_BOTH
    told = [against_reference(measure, seen, found.who) for seen in (row.left, row.right)]
    bands = [one[1] for one in told if one is not None and one[0] == bad]
    if len(bands) < len(LEGS):
        return None
    return WEAK_BOTH_BY_AGE if all(band.ages is not None or band.sex for band in bands) else WEAK_BOTH


def _is_low(measure: Measure, seen: Observation, who: ReferenceGroup) -> bool | None:
    """Whether a force lies below the lower limit for its torque; None where no limit, lever or mass is known.

    Age decides first: children have no limit of adults.
    """
    lever, mass, limits = seen.setup.lever_m, seen.setup.body_mass_kg, measure.low_torque
    if limits is None or not lever or not mass or seen.measured is None or who.age is None or who.age < ADULT_Y:
        return None
    limit = limits[0] if who.sex == "male" else limits[1]
    return seen.measured * lever / mass < limit * (OLD_SHARE if who.age >= OLD_Y else 1.0)


def _symmetric(
    found: Findings, measure: Measure, verdict: Verdict, seen: Observation, row: Comparison
) -> tuple[bool, float | None, str]:
    """Two equal sides speak against only when the side at issue is inside its absolute band, or half without one."""
    if verdict.word is not VerdictWord.IN_TUNE:
        return False, None, row.sentence
    told = against_reference(measure, seen, found.who)
    if told is None or (told[1].low is None and told[1].high is None):
        low = _is_low(measure, seen, found.who)
        if low:
            return False, None, "both sides equal, and below the lower limit"
        return True, EQUAL_WITHOUT_BAND, BOTH if low is None else "both sides equal and above the lower limit"
    return told[0] == "inside the usual band", None, f"even and {told[0]}"


def _value(sign: Sign, found: Findings, measure: Measure, seen: Observation) -> SignResult:
    value = seen.measured
    assert value is not None
    if sign.shows in (SignCondition.PAINFUL, SignCondition.PAINLESS):
        return _pain_in(sign, seen)
    text = f"{measure.text(value)}{unit_suffix(measure.unit)}"
    return _at_limit(sign, found, measure, seen, value, text)


def _at_limit(sign: Sign, found: Findings, measure: Measure, seen: Observation, value: float, text: str) -> SignResult:
    """A value against a limit of the line, or against the band of the measure."""
    if sign.shows is SignCondition.AT_LEAST or sign.shows is SignCondition.UNDER:
        limit = sign.limit or 0.0
        there = value >= limit if sign.shows is SignCondition.AT_LEAST else value < limit
        return _told(measure, seen, there, text, "", None, [seen], text)
    told = against_reference(measure, seen, found.who)
    if told is None:
        return UNKNOWN
    there = {
        SignCondition.BELOW: told[0].startswith("below"),
        SignCondition.ABOVE: told[0].startswith("above"),
        SignCondition.OUTSIDE: told[0].startswith(("below", "above")),
        SignCondition.INSIDE: told[0].startswith("inside"),
    }[sign.shows]
    return _told(measure, seen, there, f"{text}, {told[0]}", told[0], None, [seen], text)


def _pain_in(sign: Sign, seen: Observation) -> SignResult:
    """Pain with the test itself; nothing where nobody asked."""
    if seen.pain is None:
        return UNKNOWN
    hurts = seen.pain >= (sign.limit or 1.0)
    there = hurts == (sign.shows is SignCondition.PAINFUL)
    return SignResult(True, there, f"{seen.pain}/10 in the test", "", seen.quality, f"pain {seen.measure_id}", seen.uid,
                kind=EvidenceKind.PAIN)  # fmt: skip


def _told(
    measure: Measure, seen: Observation, there: bool, text: str, verdict: str, most: float | None,
    both: Sequence[Observation], short: str = "",
) -> SignResult:  # fmt: skip
    kind = EvidenceKind.PAIN if measure.id in PAIN else KIND_OF_STAGE.get(measure.stage)
    quality = min(one.quality for one in both)
    source = seen.capture or measure.id
    return SignResult(True, there, text, verdict, quality, source, seen.uid, most, kind, short)
