"""Help pages made from the knowledge files: what is measured, how it is done, where its numbers come from."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from html import escape

from tuning.core.force.plate_tests import TESTS, PlateTest
from tuning.core.force.test_instructions import Advice
from tuning.core.judging.measures import Compare, Measure
from tuning.core.programme.cautions import sentences
from tuning.core.programme.coaching import feel_words
from tuning.core.programme.ladders import Ladder, Rung
from tuning.core.programme.rules import Clock
from tuning.core.reasoning.rules import EvidenceRule, Factor, Pattern
from tuning.core.test_definitions import TestDefinition
from tuning.core.types import Side
from tuning.core.units import sentence_case, unit_suffix
from tuning.drawings.exercise import exercise_figure, scene_of
from tuning.drawings.figure import Outline
from tuning.drawings.positions import DRAWN
from tuning.exchange.html.svg import svg_of
from tuning.knowledge import Knowledge

KINDS = {"measure": "Measures", "test": "Tests", "pattern": "Patterns", "factor": "Contributing factors",
         "exercise": "Exercises"}  # fmt: skip
COMPARED = {
    Compare.DIFFERENCE: "right minus left", Compare.STRONGER: "percent of the larger side",
    Compare.VALUE: "one value against its target", Compare.ALONE: "each side by itself, never against the other",
}  # fmt: skip
FIGURE = re.compile(r'<img src="figure:([^"]+)">')


@dataclass(frozen=True)
class HelpPage:
    """One page. Its `key` is kind and id (`test:hip-9090`); links in the `body` (HTML) name other keys.

    Its `figure` stands where the body has `<img src="figure:KEY">`.
    """

    key: str
    name: str
    body: str
    also: tuple[str, ...] = ()
    figure: tuple[Outline, ...] = ()

    @property
    def kind(self) -> str:
        """Of KINDS."""
        return self.key.partition(":")[0]


def help_pages(knowledge: Knowledge) -> dict[str, HelpPage]:
    """Every page by its key, by kind and then by name."""
    writer = _Writer(knowledge)
    made = [
        *map(writer.measure, knowledge.measures.values()), *map(writer.test, knowledge.tests.values()),
        *(writer.plate_test(TESTS[key], advice) for key, advice in knowledge.plates.items()),
        *map(writer.pattern, knowledge.reasoning.patterns.values()),
        *map(writer.factor, knowledge.reasoning.factors.values()),
        *(writer.exercise(rung, ladder) for ladder in knowledge.ladders.values() for rung in ladder.rungs),
    ]  # fmt: skip
    order = list(KINDS)
    return {page.key: page for page in sorted(made, key=lambda page: (order.index(page.kind), page.name.casefold()))}


def book(pages: Mapping[str, HelpPage]) -> str:
    """All pages as one HTML file, to be searched or printed; it needs nothing else."""
    parts = []
    for kind, title in KINDS.items():
        of_kind = [page for page in pages.values() if page.kind == kind]
        contents = "".join(f'<li><a href="#{escape(page.key)}">{escape(page.name)}</a></li>' for page in of_kind)
        parts.append(f"<h1>{title}</h1><ul class='contents'>{contents}</ul>")
        parts += [_section(page) for page in of_kind]
    style = (
        "body{font:16px/1.45 sans-serif;max-width:46rem;margin:1rem auto;padding:0 1rem;color:#1F2A33;background:#fff}"
        "h1{break-before:page}section{break-inside:avoid;border-top:1px solid #D8D2C4;padding:.5rem 0}"
        "a{color:#1C6A72}svg{max-height:180px;max-width:100%}.contents{columns:2}.kind{color:#5F6B73}"
    )
    head = "<meta charset='utf-8'><meta http-equiv='Content-Security-Policy' content=\"default-src 'none';"
    head += " style-src 'unsafe-inline'\"><title>Tuning, help</title>"
    return (
        f"<!doctype html><html lang='en'><head>{head}<style>{style}</style></head><body>{''.join(parts)}</body></html>"
    )


def _section(page: HelpPage) -> str:
    body = FIGURE.sub(lambda _: svg_of(page.figure), page.body)
    body = re.sub(r'<a href="([^"#]+)">', r'<a href="#\1">', body)
    return f'<section id="{escape(page.key)}"><h2>{escape(page.name)}</h2>{body}</section>'


def _said(title: str, text: str) -> str:
    """A paragraph with its title; nothing where there is nothing to say."""
    return f"<p><b>{title}.</b> {escape(sentence_case(text.rstrip('.')))}.</p>" if text else ""


def _listed(title: str, lines: Iterable[str]) -> str:
    """A list of HTML lines under its title."""
    made = "".join(f"<li>{line}</li>" for line in lines)
    return f"<p><b>{title}</b></p><ul>{made}</ul>" if made else ""


class _Writer:
    """Knows what belongs together."""

    def __init__(self, knowledge: Knowledge) -> None:
        self._k = knowledge
        self._lines: list[EvidenceRule] = list(knowledge.reasoning.lines)

    # links

    def _factors(self, keys: Iterable[str]) -> Iterator[str]:
        factors = self._k.reasoning.factors
        return (_link(f"factor:{key}", factors[key].name) for key in dict.fromkeys(keys) if key in factors)

    def _measures(self, keys: Iterable[str]) -> Iterator[str]:
        known = self._k.measures
        return (_link(f"measure:{key}", known[key].name) for key in dict.fromkeys(keys) if key in known)

    # pages

    def measure(self, m: Measure) -> HelpPage:
        """Definition, unit, sign, error, band, where it is taken and what it is read for."""
        words = self._k.search.measures.get(m.id, ())
        unit = unit_suffix(m.comparison_unit)
        error = f"±{m.sem:g}{unit} (standard error of measurement; {m.sem_source})" if m.sem else ""
        band = f"{m.band:g}{unit} ({m.band_source})" if m.band is not None else ""
        change = f"{m.change:g}{unit_suffix(m.unit)} ({m.change_source})" if m.change is not None else ""
        usual = m.reference.words(m.unit) if m.reference is not None else ""
        test = self._k.test_of(m.id)
        read_for = [line.factor for line in self._lines if any(m.id in sign.measures for sign in line.signs)]
        raised = [p for p in self._k.reasoning.patterns.values() if m.id in p.measures]
        body = [
            _kind_line("Measure", f"in {m.unit}" if m.unit else ""), f"<p>{escape(m.definition)}</p>",
            _said("Sign", m.sign), _said("Left and right", COMPARED[m.compare]),
            _said("Error of one measurement", error), _said("Difference that matters", band),
            _said("Smallest change that counts", change), _said("Usually seen", usual),
            _listed("Measured in", [_link(f"test:{test.id}", test.name)] if test is not None else []),
            _listed("May raise", (_link(f"pattern:{p.id}", p.short) for p in raised)),
            _listed("Is read for", self._factors(read_for)), _said("A patient reads", m.plain),
        ]  # fmt: skip
        return HelpPage(f"measure:{m.id}", m.name, "".join(body), (m.short, m.plain, *words))

    def test(self, t: TestDefinition) -> HelpPage:
        """How it is done, what spoils it, what it can show."""
        asked = (
            escape(q.text) + (f" <i>({escape(' / '.join(q.options))})</i>" if q.options else "") for q in t.questions
        )
        taken = [key for q in t.questions for key in (q.measure, q.number) if key]
        cautions = self._k.cautions.present
        care = sentences(cautions[key] for key in dict.fromkeys((*t.not_with, *t.cautions)) if key in cautions)
        figure = self._test_figure(t)
        body = [
            _kind_line("Test", f"{t.view}; {', '.join(t.positions)}; {t.equipment}; about {t.minutes:g} min"),
            _figure(f"test:{t.id}", figure), _said("Look", t.look), _said("Say", t.cue), _said("Pad", t.pad),
            _listed("Asked", asked), _said("Compare", t.compare), _said("What spoils it", t.mistake),
            _said("What it suggests", t.suggests), _said("Take care", t.caution),
            _listed("With these it is not proposed, or needs care", map(escape, care)),
            _listed("Gives", self._measures(taken)), _said("A patient reads", t.plain),
        ]  # fmt: skip
        also = (t.short, t.plain, *self._k.search.tests.get(t.id, ()))
        return HelpPage(f"test:{t.id}", t.name, "".join(body), also, figure)

    def _test_figure(self, t: TestDefinition) -> tuple[Outline, ...]:
        if t.pose:
            rung_id, _, variant = t.pose.partition("/")
            rung = self._k.rung(rung_id)
            pose = rung.pose(variant)
            return tuple(exercise_figure(scene_of(rung, pose, pose.end)))
        return DRAWN[t.picture]().shapes if t.picture in DRAWN else ()

    def plate_test(self, test: PlateTest, advice: Advice) -> HelpPage:
        """A test on the plates."""
        body = [
            _kind_line("Test on the force plates", "one leg at a time" if test.legs == 1 else "both legs"),
            _said("Say", advice.cue), _said("Watch", advice.look), _said("What spoils it", advice.mistake),
            _said("What it suggests", advice.suggests),
        ]  # fmt: skip
        return HelpPage(
            f"test:plates-{test.id}", test.name, "".join(body), self._k.search.tests.get(f"plates-{test.id}", ())
        )

    def pattern(self, p: Pattern) -> HelpPage:
        """What raises it and what may contribute."""
        bears = [f.id for f in self._k.reasoning.factors.values() if p.id in f.bears_on]
        body = [
            _kind_line("Pattern", "a description of what was seen, no diagnosis"),
            _listed("Raised by", self._measures(sorted(p.measures))),
            _listed("May contribute", self._factors(bears)), _said("A patient reads", _sideless(p.plain)),
        ]  # fmt: skip
        return HelpPage(
            f"pattern:{p.id}", sentence_case(p.short), "".join(body), (_sideless(p.name), _sideless(p.plain))
        )

    def factor(self, f: Factor) -> HelpPage:
        """What speaks for and against it, and what is done about it."""
        patterns = self._k.reasoning.patterns
        seen = (_link(f"pattern:{key}", patterns[key].short) for key in f.bears_on if key in patterns)
        body = [
            _kind_line("Contributing factor", "refer" if f.refers else ""), _said("What is done about it", f.action),
            _listed("May contribute to", seen), _listed("Speaks for it", self._evidence(f, +1)),
            _listed("Speaks against it", self._evidence(f, -1)), _listed("Trained with", self._trained(f)),
            _said("A patient reads", f.plain),
        ]  # fmt: skip
        return HelpPage(f"factor:{f.id}", f.name, "".join(body), (f.plain, *self._k.search.factors.get(f.id, ())))

    def _evidence(self, f: Factor, sign: int) -> Iterator[str]:
        """The lines that speak one way, each with its source."""
        own = (line for line in self._lines if line.factor == f.id and line.sign == sign)
        return (f"{escape(sentence_case(line.words))} <i>({escape(line.source)})</i>" for line in own)

    def _trained(self, f: Factor) -> Iterator[str]:
        """The exercises that placement begins with, first choice before second."""
        choice = self._k.placement.choices.get(f.id)
        for target in (*choice.first, *choice.second) if choice is not None else ():
            rung = self._k.ladders[target].rungs[0] if target in self._k.ladders else self._k.rung(target)
            yield f"{escape(self._k.ladder_of(rung.id).name)}, from {_link(f'exercise:{rung.id}', rung.name)}"

    def exercise(self, rung: Rung, ladder: Ladder) -> HelpPage:
        """Set-up, steps, dose, faults with their cues, entry and pass."""
        k, key = self._k, f"exercise:{rung.id}"
        pose = rung.poses[0]
        figure = tuple(exercise_figure(scene_of(rung, pose, pose.still)))
        faults = (f"{escape(k.faults[one].sign)}: <i>{escape(k.faults[one].cue)}</i>" for one in rung.faults)
        care = sentences(k.cautions.present[one] for one in ladder.cautions if one in k.cautions.present)
        steps = "".join(f"<li>{escape(step)}</li>" for step in rung.steps_for(Side.NONE))
        rules = k.progression
        passed = rung.pass_words(rules.sessions.rung, rules.clock.days(rung.daily, Clock.USUAL), rules.faults.clean)
        near = [(title, one) for title, one in (("Easier", ladder.below(rung)), ("Harder", ladder.above(rung))) if one]
        body = [
            _kind_line("Exercise", f"ladder {ladder.name}; from phase {rung.phase.value}"),
            f"<p>{escape(rung.purpose)}</p>", _figure(key, figure),
            _said("Needs", ", ".join(ladder.needs(rung))), _said("Dose to begin with", rung.dose.text),
            _listed("Set-up", map(escape, ladder.set_up(rung))), f"<p><b>Steps</b></p><ol>{steps}</ol>",
            f"<p>{escape(feel_words(rung))}</p>", _listed("Faults and their cues", faults),
            _listed("Starts when", (escape(rule.text) for rule in rung.entry)), _said("Passed with", passed),
            _listed("Take care with", map(escape, care)),
            _listed("Beside it", (f"{title}: {_link(f'exercise:{one.id}', one.name)}" for title, one in near)),
            _listed("For", self._factors(ladder.factors)),
        ]  # fmt: skip
        return HelpPage(key, rung.name, "".join(body), (ladder.name, *k.search.rungs.get(rung.id, ())), figure)


def _link(key: str, name: str) -> str:
    return f'<a href="{escape(key)}">{escape(name)}</a>'


def _figure(key: str, shapes: tuple[Outline, ...]) -> str:
    return f'<p><img src="figure:{escape(key)}"></p>' if shapes else ""


def _kind_line(kind: str, more: str) -> str:
    return f'<p class="kind">{kind}{escape(f": {more}" if more else "")}</p>'


def _sideless(text: str) -> str:
    """A name that takes the side, in general words."""
    return text.replace("{side}", "one").replace("{other}", "the other")
