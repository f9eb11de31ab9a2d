"""Names as they are looked for: any case, any accent, composed or not, in every script."""

from __future__ import annotations

import unicodedata
from functools import lru_cache

_APART = str.maketrans({
    "ø": "o", "ł": "l", "đ": "d", "ð": "d", "þ": "th", "æ": "ae", "œ": "oe", "ı": "i", "ħ": "h", "ŋ": "n", "ŧ": "t",
    "’": "'", "‐": "-", "‑": "-",
})  # fmt: skip
"""Letters that Unicode does not take apart, as most people type them."""


@lru_cache(maxsize=1 << 14)
def plain(words: str) -> str:
    """Letters without case and accents, so that a search finds a name however it was typed."""
    if words.isascii():
        return words.lower()
    folded = unicodedata.normalize("NFKD", words).casefold()  # folded after, too: a squared letter hides a capital
    apart = unicodedata.normalize("NFKD", folded).translate(_APART)
    return apart if apart.isascii() else "".join(c for c in apart if not unicodedata.combining(c))
