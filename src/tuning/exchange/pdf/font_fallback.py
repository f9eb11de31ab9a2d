"""Names of every script in a PDF: each run of letters in a typeface that has them, shaped, emoji as small pictures.

ReportLab draws a run in one typeface and shapes it with HarfBuzz; which typeface has a letter is decided here. The
typefaces other than the shipped one are packages of the system (`./run` and `./check` install them).
"""

from __future__ import annotations

import atexit
import tempfile
import unicodedata
from collections.abc import Iterator
from functools import cache, lru_cache
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from PIL import Image, ImageDraw, ImageFont
from reportlab.pdfbase import pdfmetrics
from reportlab.pdfbase.ttfonts import ShapedFragWord, ShapedStr, TTFError, TTFont, makeShapedFragWord, shapeFragWord
from reportlab.platypus import paragraph

from tuning.scratch import scratch

SYSTEM = Path("/usr/share/fonts/truetype")
NOTO, CJK, EMOJI = SYSTEM / "noto", SYSTEM / "wqy/wqy-microhei.ttc", SYSTEM / "noto/NotoColorEmoji.ttf"
USUAL = ("NotoSans", "NotoSansArabic", "NotoSansHebrew", "NotoSansDevanagari", "NotoSansThai", "NotoSansSymbols2")
"""Tried first, as most names that Lato cannot write are in one of them."""
PICTURE_SIZE = 109
"""The one size that the emoji typeface holds, px."""
JOINERS = {0x200D, 0xFE0F, 0x20E3}
NBSP = "\u00a0"
AS_TYPED = {"kern": True, "liga": True, "dlig": False}
"""No ligatures beyond those that a script needs."""


def marked_up(text: str, size: float = 11.0) -> str:
    """Typed text as ReportLab markup: escaped, with each run in a typeface that can write it; `size` in points.

    Letters that no typeface of this machine has come out as their Unicode name in brackets, never as empty boxes.
    """
    if text.isascii():
        return escape(text)
    return "".join(_run(name, part, size) for name, part in _runs(unicodedata.normalize("NFC", text)))


def _run(name: str, part: str, size: float) -> str:
    if name == "":
        return escape(part)
    if name == "emoji":
        return _picture(part, size)
    if name == "none":
        return escape("".join(f"[{unicodedata.name(c, f'U+{ord(c):04X}').lower()}]" for c in part))
    kept = part.replace(" ", NBSP) if _is_rtl(part) else part  # words of a right-to-left run stay in its order
    return f'<font name="{name}">{escape(kept)}</font>'


def _is_rtl(text: str) -> bool:
    return any(unicodedata.bidirectional(c) in ("R", "AL") for c in text)


def _runs(text: str) -> Iterator[tuple[str, str]]:
    """Runs of one typeface each; blanks and marks within a run stay with it."""
    now, held, blank = "", "", ""
    for c in text:
        code = ord(c)
        if unicodedata.category(c) == "Cc" and c not in "\t\n":
            continue
        if c == " " and now:
            blank += c
            continue
        joins = now == "emoji" and not blank and (code in JOINERS or _modifies(code))
        name = now if joins else _font_of(code)
        if name != now:
            yield from _ended(now, held, blank)
            now, held, blank = name, "", ""
        held, blank = held + blank + c, ""
    yield from _ended(now, held, blank)


def _ended(now: str, held: str, blank: str) -> Iterator[tuple[str, str]]:
    if held:
        yield now, held
    if blank:
        yield "", blank


def _modifies(code: int) -> bool:
    """Skin tones and second halves of flags belong to the sign before them."""
    return 0x1F3FB <= code <= 0x1F3FF or 0x1F1E6 <= code <= 0x1F1FF


@lru_cache(maxsize=1 << 14)
def _font_of(code: int) -> str:
    """The typeface for a letter: empty for the shipped one, `emoji`, `none`, or a registered name."""
    if code < 0x2190 and code in pdfmetrics.getFont("Body").face.charToGlyph:
        return ""
    signs = code >= 0x1F000 or 0x2600 <= code < 0x27C0
    if EMOJI.is_file() and (code in JOINERS or (signs and _in_emoji(code))):
        return "emoji"
    if code in pdfmetrics.getFont("Body").face.charToGlyph:
        return ""
    for name, file in _others():
        if _registered(name, file) and code in pdfmetrics.getFont(name).face.charToGlyph:
            return name
    return "none"


@cache
def _others() -> tuple[tuple[str, Path], ...]:
    usual = [(name, NOTO / f"{name}-Regular.ttf") for name in USUAL]
    rest = sorted(NOTO.glob("NotoSans*-Regular.ttf")) if NOTO.is_dir() else []
    more = [(f.stem.removesuffix("-Regular"), f) for f in rest if f.stem.removesuffix("-Regular") not in USUAL]
    return tuple((name, file) for name, file in (*usual, ("MicroHei", CJK), *more) if file.is_file())


@cache
def _registered(name: str, file: Path) -> bool:
    try:
        pdfmetrics.registerFont(TTFont(name, str(file)))
    except (TTFError, OSError):  # one that cannot be read is as good as not there
        return False
    return True


@cache
def _emoji() -> ImageFont.FreeTypeFont:
    return ImageFont.truetype(str(EMOJI), PICTURE_SIZE)


@lru_cache(maxsize=1 << 10)
def _in_emoji(code: int) -> bool:
    box = _emoji().getmask(chr(code)).getbbox()
    empty = _emoji().getmask("\U0010fffd").getbbox()
    return box is not None and box != empty


@lru_cache(maxsize=256)
def _picture(signs: str, size: float) -> str:
    """Emoji in colour as a small picture within the line."""
    font = _emoji()
    width = max(1, round(font.getlength(signs)))
    image = Image.new("RGBA", (width, 128), (255, 255, 255, 0))
    ImageDraw.Draw(image).text((0, 8), signs, font=font, embedded_color=True)
    file = _pictures() / f"{'-'.join(f'{ord(c):x}' for c in signs[:24])}.png"
    image.save(file)
    wide, low = size * width / 128, -0.15 * size
    return f'<img src="{file}" width="{wide:.1f}" height="{size:.1f}" valign="{low:.1f}"/>'


@cache
def _pictures() -> Path:
    """A folder of this program alone, gone when it ends; ReportLab reads pictures within a line from files."""
    folder = tempfile.TemporaryDirectory(prefix=scratch("signs"))
    atexit.register(folder.cleanup)
    return Path(folder.name)


def _shaped(word: Any) -> Any:
    """A word shaped typeface by typeface: ReportLab itself shapes all of it in that of its first letter."""
    if any(isinstance(part[1], ShapedStr) for part in word[1:]):  # laid out before, on another page or in another box
        return word
    parts = [shapeFragWord([0, part], AS_TYPED) for part in word[1:] if not hasattr(part[0], "cbDefn")]
    if len(parts) != len(word) - 1 or not any(isinstance(part, ShapedFragWord) for part in parts):
        return word if len(parts) == len(word) - 1 else shapeFragWord(word, AS_TYPED)
    width = sum(_width(part, given) for part, given in zip(parts, word[1:], strict=True))
    return makeShapedFragWord(word)([width, *(piece for part in parts for piece in part[1:])])


def _width(part: Any, given: Any) -> float:
    """Width of a part of a word: as shaped, else as its typeface says."""
    if isinstance(part, ShapedFragWord):
        return float(part[0])
    return float(pdfmetrics.stringWidth(given[1], given[0].fontName, given[0].fontSize))


paragraph.shapeFragWord = _shaped  # the one place where ReportLab takes it from

__all__ = ["marked_up"]
