"""Clips through PyAV: true time stamps, frame-exact access, bounded memory."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path

import av
import numpy as np
from numpy.typing import NDArray

from tuning.core.errors import BadInput
from tuning.video.media.truncation import bytes_missing

CACHE_BYTES = 192 * 2**20
"""Decoded frames kept, as the decoder gave them; about 130 frames of 720p."""

READ_ON_FRAMES = 30
"""A jump forward no longer than this decodes on instead of seeking."""

HOLE_S, HOLE_FRAMES = 0.3, 8
"""A stretch without pictures is told from so many seconds, and so many usual steps, on."""

FEW_BITS, STILL_FRAMES = 0.007, 8
"""Bits for a pixel of a frame below which places of moving marks are doubted; shorter clips are as good as pictures."""

DAMAGED = "is damaged or incomplete"


class Clip:
    """A clip as a source of frames: H.264, HEVC, MPEG-4, VP8 or VP9.

    Opening reads the packet index only. A frame is decoded from the nearest
    key frame before it; what passes on the way is cached, oldest dropped
    first, so stepping is immediate in both directions and a long clip is
    never in memory as a whole. `bits` is how many a pixel of a frame has been given.
    """

    def __init__(self, path: Path, name: str, cache_bytes: int = CACHE_BYTES) -> None:
        self._name = name
        self.warning = ""
        self.bits = 0.0
        try:
            self._torn = bytes_missing(path) > 0
            self._container = av.open(str(path))
        except (av.FFmpegError, OSError) as err:
            raise BadInput(self._sentence("is not a clip, or it " + DAMAGED)) from err
        if not self._container.streams.video:
            self._container.close()
            raise BadInput(self._sentence("holds no pictures"))
        self._stream = self._container.streams.video[0]
        self._stream.thread_type = "AUTO"
        self._cache: OrderedDict[int, av.VideoFrame] = OrderedDict()
        self._cache_bytes = cache_bytes
        self._decoder: Iterator[av.VideoFrame] = iter(())
        self._passed: int | None = None
        try:
            self._pts = self._read_index()
            first = self._decode(0)
        except (av.FFmpegError, BadInput, IndexError) as err:
            self._container.close()
            raise BadInput(self._sentence(DAMAGED)) from err
        self._quarter_turns = round(getattr(first, "rotation", 0) / 90) % 4
        self._times: NDArray[np.float64] = (self._pts - self._pts[0]) * float(self._stream.time_base or 0)
        self.warning = " ".join(filter(None, (self.warning, self._hole(), self._starved())))

    def _sentence(self, trouble: str) -> str:
        return f"“{self._name}” {trouble}. Nothing was changed; open a clip with pictures (MP4, MOV, AVI, WebM, MKV)."

    def _read_index(self) -> NDArray[np.int64]:
        stamps, keys, size = [], list[int](), 0
        for packet in self._container.demux(self._stream):
            if packet.pts is not None and packet.size and not packet.is_corrupt:
                stamps.append(packet.pts)
                size += packet.size
                if packet.is_keyframe:
                    keys.append(packet.pts)
        self._keys = np.unique(np.array(keys, dtype=np.int64))
        if not stamps:
            raise BadInput(self._sentence("holds no pictures"))
        pixels = self._stream.codec_context.width * self._stream.codec_context.height
        self.bits = 8 * size / (len(stamps) * max(pixels, 1))
        found = np.unique(np.array(stamps, dtype=np.int64))
        if len(found) < self._stream.frames or self._torn:
            found = self._readable(found)
            self.warning = f"“{self._name}” breaks off: {self._lost(found)} missing and are left out."
        return found

    def _hole(self) -> str:
        """The longest stretch without pictures, in words; empty where there is none worth telling."""
        steps = np.diff(self._times)
        longest = int(np.argmax(steps)) if steps.size else 0
        if not steps.size or steps[longest] < max(HOLE_S, HOLE_FRAMES * float(np.median(steps))):
            return ""
        a, b = self._times[longest : longest + 2]
        return f"“{self._name}” holds no pictures between {a:.2f} and {b:.2f} s: marks hidden there may be lost."

    def _starved(self) -> str:
        """Whether its pictures had too few bits for what moves, in words; empty where they had enough."""
        if self.bits >= FEW_BITS or len(self._times) < STILL_FRAMES:
            return ""
        return (
            f"“{self._name}” has {self.bits:.3f} bits for a pixel of a frame: marks that move may be off by 1 to 2 px. "
            "Film with more bits a second, or fewer frames."
        )

    def _lost(self, found: NDArray[np.int64]) -> str:
        """How much of a clip that breaks off is not there, as far as its header tells."""
        lost = self._stream.frames - len(found)
        if self._stream.frames and lost > 0:
            return f"its last {lost} frames are"
        whole = (self._container.duration or 0) / 1e6
        seconds = whole - float(found[-1] - found[0]) * float(self._stream.time_base or 0)
        return f"about {seconds:.1f} of its {whole:.1f} s are" if seconds > 0.05 else "its last frames may be"

    def _readable(self, stamps: NDArray[np.int64]) -> NDArray[np.int64]:
        """Of a clip that breaks off: the stamps up to the first frame that its last stretch lacks."""
        self._container.seek(int(stamps[-1]), stream=self._stream, backward=True)
        got: set[int] = set()
        # The torn last packet may fail to decode; what came before it counts.
        with suppress(av.FFmpegError):
            for frame in self._container.decode(self._stream):
                if frame.pts is not None:
                    got.add(frame.pts)
        start = min(got, default=int(stamps[-1]))
        missing = [i for i, stamp in enumerate(stamps) if stamp >= start and int(stamp) not in got]
        self._pts = stamps[: missing[0]] if missing else stamps
        while len(self._pts) > 1 and not self._can_decode(len(self._pts) - 1):
            self._pts = self._pts[:-1]
        return self._pts

    def _can_decode(self, index: int) -> bool:
        """Whether a frame can be read by itself: the torn packet behind it may take it along."""
        with suppress(av.FFmpegError, BadInput):
            self._decode(index)
            return True
        self._passed = None
        return False

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels, upright."""
        width, height = self._stream.codec_context.width, self._stream.codec_context.height
        return (height, width) if self._quarter_turns % 2 else (width, height)

    @property
    def times(self) -> NDArray[np.float64]:
        """Seconds of each frame from the first, as stamped in the file."""
        return self._times

    @property
    def capture_rate(self) -> float | None:
        """Frames a second at which a slow-motion clip says it was recorded; None when it says nothing."""
        for key in ("com.android.capture.fps", "com.apple.quicktime.capture.fps"):
            try:
                return float(self._container.metadata[key])
            except (KeyError, ValueError):
                continue
        return None

    @property
    def stamps(self) -> NDArray[np.int64]:
        """Presentation stamp of each frame, in the clip's own time base."""
        return self._pts

    @property
    def quarter_turns(self) -> int:
        """Quarter turns to the left that bring a decoded frame upright."""
        return self._quarter_turns

    @property
    def cached_bytes(self) -> int:
        """Memory held by decoded frames."""
        return sum(_weight(frame) for frame in self._cache.values())

    def frame(self, index: int) -> NDArray[np.uint8]:
        """RGB picture of shape (height, width, 3), turned upright."""
        picture = self.reach(index, lambda: True)
        assert picture is not None
        return picture

    def reach(self, index: int, going: Callable[[], bool]) -> NDArray[np.uint8] | None:
        """The picture as `frame` gives it; None where `going`, asked at each frame on the way, ends it."""
        if not 0 <= index < len(self._pts):
            raise IndexError(f"frame {index} is outside 0..{len(self._pts) - 1}")
        try:
            found = self._decode(index, going)
        except av.FFmpegError as err:
            raise BadInput(f"Frame {index + 1} of “{self._name}” cannot be read.") from err
        return None if found is None else self._upright(found)

    def nearest(self, index: int, within: int) -> tuple[int, NDArray[np.uint8]] | None:
        """The nearest frame that is decoded already or starts a group of pictures, with its number; None where it is
        no nearer than `within` frames, or the frame itself is at hand."""
        if int(self._pts[index]) in self._cache:
            return None
        keys, decoded = self._keys[self._keys <= self._pts[index]][-1:], np.array(list(self._cache), dtype=np.int64)
        at_hand = np.searchsorted(self._pts, np.concatenate([decoded, keys])).tolist()
        near = min(at_hand, key=lambda n: abs(n - index), default=index)
        if not 0 < abs(near - index) < within:
            return None
        with suppress(av.FFmpegError, BadInput):
            picture = self._decode(near)
            return None if picture is None else (near, self._upright(picture))
        return None

    def _upright(self, frame: av.VideoFrame) -> NDArray[np.uint8]:
        return np.ascontiguousarray(np.rot90(frame.to_ndarray(format="rgb24"), self._quarter_turns))

    def _decode(self, index: int, going: Callable[[], bool] = lambda: True) -> av.VideoFrame | None:
        target = int(self._pts[index])
        if target in self._cache:
            self._cache.move_to_end(target)
            return self._cache[target]
        if not self._comes_next(index):
            self._container.seek(target, stream=self._stream, backward=True)
            self._decoder = self._container.decode(self._stream)
        self._passed = None
        for frame in self._decoder:
            if frame.pts is None:
                continue
            self._remember(frame, frame.pts)
            if frame.pts >= target:
                self._passed = frame.pts
                break
            if not going():
                self._passed = frame.pts
                return None
        if target not in self._cache:
            raise BadInput(f"Frame {index + 1} of “{self._name}” cannot be read.")
        return self._cache[target]

    def _comes_next(self, index: int) -> bool:
        """True when decoding on from the last frame is cheaper than seeking."""
        if self._passed is None:
            return False
        last = int(np.searchsorted(self._pts, self._passed))
        between = (self._keys > self._passed) & (self._keys <= self._pts[index])
        return last < index and (index - last <= READ_ON_FRAMES or not between.any())

    def _remember(self, frame: av.VideoFrame, stamp: int) -> None:
        self._cache[stamp] = frame
        self._cache.move_to_end(stamp)
        most = max(2, self._cache_bytes // _weight(frame))
        while len(self._cache) > most:
            self._cache.popitem(last=False)

    def close(self) -> None:
        """Let go of the file."""
        self._cache.clear()
        self._container.close()


def _weight(frame: av.VideoFrame) -> int:
    return sum(plane.buffer_size for plane in frame.planes)
