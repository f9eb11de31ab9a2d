"""Whether a clip's file ends before it should: its own boxes say how long they are."""

from __future__ import annotations

from pathlib import Path
from typing import BinaryIO

_MATROSKA, _SEGMENT = b"\x1a\x45\xdf\xa3", b"\x18\x53\x80\x67"
_BOXES = {b"ftyp", b"moov", b"mdat", b"moof", b"free", b"skip", b"wide", b"styp", b"sidx", b"mfra", b"uuid", b"pnot"}
_UNKNOWN = -1


def bytes_missing(path: Path) -> int:
    """How many bytes the outermost boxes of an MP4, MOV, AVI, MKV or WebM file announce beyond its end.

    Zero for other kinds and for files that announce no length. Raises OSError.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        head = file.read(12)
        if head[4:8] in _BOXES:
            return max(0, _end_of_boxes(file, size) - size)
        if head[:4] == b"RIFF" and head[8:12] == b"AVI ":
            return max(0, 8 + int.from_bytes(head[4:8], "little") - size)
        if head[:4] == _MATROSKA:
            return max(0, _end_of_segment(file) - size)
    return 0


def _end_of_boxes(file: BinaryIO, size: int) -> int:
    """Where the last box of an MP4 or MOV file ends (ISO 14496-12)."""
    at = 0
    while at + 8 <= size:
        file.seek(at)
        length, kind = int.from_bytes(file.read(4), "big"), file.read(4)
        if not kind.isalnum():  # zeros after the last box, or something that is none
            return at
        if length == 0:  # up to the end of the file
            return size
        if length == 1:
            length = int.from_bytes(file.read(8), "big")
        if length < 8:
            return at
        at += length
    return at


def _end_of_segment(file: BinaryIO) -> int:
    """Where the segment of a Matroska file ends (RFC 9559); 0 where it does not say."""
    file.seek(4)
    length = _vint(file)
    file.seek(max(0, length), 1)
    if file.read(4) != _SEGMENT:
        return 0
    length = _vint(file)
    return 0 if length == _UNKNOWN else file.tell() + length


def _vint(file: BinaryIO) -> int:
    """A number of Matroska: leading zeros of the first byte tell how many bytes it has; all ones is unknown."""
    first = file.read(1)
    if not first or not first[0]:
        return _UNKNOWN
    more = 8 - first[0].bit_length()
    value = int.from_bytes(bytes([first[0] & (0x7F >> more)]) + file.read(more), "big")
    return _UNKNOWN if value == (1 << (7 * (more + 1))) - 1 else value
