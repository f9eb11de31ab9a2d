"""Finding by words: names and what else people call a thing, in any order, with one slip of the keys forgiven."""

from __future__ import annotations

import difflib
import re
from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from tuning.core.text_search import plain

EACH = 5
"""So many of one kind are shown before the others have had their turn."""
SLIP_FROM = 5
"""Letters from which on one slip is forgiven (practice judgement, editable)."""
EXACT, PREFIX, INSIDE, SLIP = 0, 1, 3, 4
ALSO, OF_OTHERS = 0.5, 0.9
"""What a word costs that is no word of the name, and one of what it belongs to."""
NAMED = 0.1
"""What it costs where the words that were typed are, all of them, another name of it."""
OF_KIND = {"test": 0.05, "measure": 0.15, "page": 0.2, "exercise": 0.2, "factor": 0.25, "preference": 0.4}
"""Among equals what is done comes before what is read of it."""
AT_FIRST, EACH_AT_FIRST = 5, 2
"""Of the first so many lines no kind has more than the next, while another kind fits, too."""


Also = Mapping[str, tuple[str, ...]]


@dataclass(frozen=True)
class SearchWords:
    """What things are also called, by id; actions by their name. The words of a line in `same` stand for each other."""

    same: tuple[tuple[str, ...], ...] = ()
    pages: Also = field(default_factory=dict)
    actions: Also = field(default_factory=dict)
    tests: Also = field(default_factory=dict)
    measures: Also = field(default_factory=dict)
    factors: Also = field(default_factory=dict)
    ladders: Also = field(default_factory=dict)
    rungs: Also = field(default_factory=dict)


@dataclass(frozen=True)
class Findable:
    """A thing that can be opened or done. `also` are other words for it, `blocked` says why it cannot be done now."""

    kind: str
    name: str
    run: Callable[[], object]
    also: tuple[str, ...] = ()
    key: str = ""
    blocked: Callable[[], str] = lambda: ""
    around: tuple[str, ...] = ()
    """Words of what it belongs to, such as the ladder of an exercise."""

    @property
    def names(self) -> frozenset[str]:
        """Its other names, as they are typed."""
        return _names(self.also)

    @property
    def words(self) -> tuple[tuple[str, float], ...]:
        """Every word to find it by, with what it costs."""
        return _words(self.name, self.also, self.around)


@lru_cache(maxsize=1 << 13)
def _names(also: tuple[str, ...]) -> frozenset[str]:
    return frozenset(" ".join(split_typed(phrase)) for phrase in also)


@lru_cache(maxsize=1 << 13)
def _words(name: str, also: tuple[str, ...], around: tuple[str, ...]) -> tuple[tuple[str, float], ...]:
    told = ((0.0, (name,)), (ALSO, also), (OF_OTHERS, around))
    return tuple((word, cost) for cost, phrases in told for phrase in phrases for word in split(phrase))


def split(text: str) -> list[str]:
    """Words without case, accents and hyphens: `Step-down` is found as `step down` and as `stepdown`."""
    folded = plain(text)
    words = re.findall(r"[\w%°]+", folded)
    joined = [one.replace("-", "") for one in re.findall(r"\w+(?:-\w+)+", folded)]
    return [*words, *joined]


@dataclass(frozen=True)
class SearchResult:
    """What fits, best first, `each` of a kind; `more` counts those of a kind that were left out; `near` where nothing
    fits and the nearest is offered."""

    items: Sequence[Findable]
    more: Mapping[str, int] = field(default_factory=dict)
    near: bool = False


def search(items: Sequence[Findable], text: str, same: Iterable[Sequence[str]] = (), each: int = EACH) -> SearchResult:
    """What fits all the words that were typed; with nothing typed everything, as it stands."""
    typed = split_typed(text)
    if not typed:
        return SearchResult(list(items))
    wanted = _spelled(typed, same)
    ranked = _ranked(items, wanted, " ".join(typed))
    if ranked:
        return _in_turn(ranked, each)
    nearest = _nearest(items, typed)
    if not nearest:
        return SearchResult([])
    return SearchResult(_in_turn(_ranked(items, [[word] for word in nearest], ""), each).items, near=True)


def split_typed(text: str) -> list[str]:
    """The words that were typed."""
    return re.findall(r"[\w%°]+", plain(text))


def _spelled(typed: Sequence[str], same: Iterable[Sequence[str]]) -> list[list[str]]:
    """For each word that was typed (or several that say one thing) what else it may be called."""
    groups = [[" ".join(split_typed(word)) for word in group] for group in same]
    phrase = " ".join(typed)
    whole = next((group for group in groups if phrase in group), None)
    if whole is not None:
        return [[phrase, *(other for other in whole if other != phrase)]]
    return [[word, *(other for group in groups if word in group for other in group if other != word)] for word in typed]


def _ranked(items: Sequence[Findable], wanted: Sequence[Sequence[str]], phrase: str) -> list[Findable]:
    scored = []
    for place, item in enumerate(items):
        scores = [_best(item, options) for options in wanted]
        if all(score is not None for score in scores):
            total = sum(score for score in scores if score is not None)
            total = min(total, NAMED) if phrase in item.names else total
            total += OF_KIND.get(item.kind, 0.0)
            scored.append((total, place, item))
    scored.sort(key=lambda one: (one[0], one[1]))
    able = [(score + (0.25 if item.blocked() else 0.0), place, item) for score, place, item in scored[:60]]
    return [item for *_, item in sorted(able, key=lambda one: (one[0], one[1]))] + [i for *_, i in scored[60:]]


def _best(item: Findable, options: Sequence[str]) -> float | None:
    """How well one of the spellings is among the words of a thing; None where none is."""
    found = []
    for n, phrase in enumerate(options):
        parts = [_cost(item, word) for word in phrase.split()]
        if all(part is not None for part in parts):
            found.append(sum(p for p in parts if p is not None) / len(parts) + 0.5 * (n > 0))
    return min(found, default=None)


def _cost(item: Findable, word: str) -> float | None:
    best: float | None = None
    for known, extra in item.words:
        cost = _word_cost(word, known)
        if cost is not None and (best is None or cost + extra < best):
            best = cost + extra
    return best


def _word_cost(word: str, known: str) -> float | None:
    if word == known:
        return EXACT
    if known.startswith(word):
        return PREFIX + 0.01 * (len(known) - len(word))
    if len(word) >= 3 and word in known:
        return INSIDE
    if len(word) >= SLIP_FROM and _one_slip(word, known):
        return SLIP
    return None


@lru_cache(maxsize=1 << 16)
def _one_slip(word: str, known: str) -> bool:
    """Whether one letter more, less, other, or two exchanged, makes one of the other, or of its beginning."""
    for end in {len(known), len(word) - 1, len(word), len(word) + 1}:
        if 0 < end <= len(known) and _apart(word, known[:end]) <= 1:
            return True
    return False


def _apart(one: str, other: str) -> int:
    """0 the same, 1 one slip apart, 2 more."""
    if one == other:
        return 0
    if abs(len(one) - len(other)) > 1:
        return 2
    start = next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), min(len(one), len(other)))
    a, b = one[start:], other[start:]
    if len(a) == len(b):
        same = a[1:] == b[1:] or (len(a) > 1 and a[0] == b[1] and a[1] == b[0] and a[2:] == b[2:])
        return 1 if same else 2
    return 1 if (a[1:] == b if len(a) > len(b) else a == b[1:]) else 2


def _in_turn(ranked: Sequence[Findable], each: int) -> SearchResult:
    """The best first, several kinds among the first lines, and no kind more than `each` times."""
    first = _at_most(ranked, EACH_AT_FIRST)[:AT_FIRST]
    rest = [item for item in ranked if item not in first]
    shown = _at_most([*first, *rest], each)
    count = Counter(item.kind for item in ranked)
    return SearchResult(shown, {kind: n - each for kind, n in count.items() if n > each})


def _at_most(ranked: Sequence[Findable], each: int) -> list[Findable]:
    count: Counter[str] = Counter()
    shown = []
    for item in ranked:
        count[item.kind] += 1
        if count[item.kind] <= each:
            shown.append(item)
    return shown


def _nearest(items: Sequence[Findable], typed: Sequence[str]) -> list[str]:
    """The known word nearest to the longest one that was typed."""
    known = {word for item in items for word, _ in item.words}
    for word in sorted(typed, key=len, reverse=True):
        close = difflib.get_close_matches(word, known, 1, 0.6)
        if close:
            return close
    return []
