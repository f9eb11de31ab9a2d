"""Pictures: exact frames, true times, rotation, bounded memory, and files that are none."""

import io
from pathlib import Path

import av
import numpy as np
import pytest
from conftest import numbered, write_clip
from PIL import Image

from tuning.core.errors import BadInput
from tuning.core.movement.tracks import TRUSTED
from tuning.video import open_source
from tuning.video.media.clip import Clip
from tuning.video.track.api import follow_clip

VARIABLE = [0.0, 0.04, 0.05, 0.15, 0.16, 0.40, 0.41, 0.50, 0.90, 1.0]


def number_in(picture: np.ndarray, step: float = 3) -> float:
    """The frame number told by the brightness of the middle."""
    h, w = picture.shape[:2]
    return (float(np.median(picture[h // 3 : -h // 3, w // 3 : -w // 3])) - 40) / step


@pytest.fixture(scope="module")
def clip_file(tmp_path_factory) -> Path:
    times = [n / 30 for n in range(60)]
    folder = tmp_path_factory.mktemp("clips")
    return write_clip(folder / "sixty.mp4", numbered(60), times, g="12", preset="medium", bf="2")


def test_any_frame_in_any_order_is_the_right_one(clip_file: Path):
    source = open_source(clip_file)
    assert len(source.times) == 60
    order = [0, 1, 2, 31, 30, 29, 59, 58, 0, 45, 13, 12, 11]
    assert [round(number_in(source.frame(n))) for n in order] == order
    for wrong in (-1, 60):
        with pytest.raises(IndexError):
            source.frame(wrong)
    source.close()


@pytest.fixture(scope="module")
def long_group(tmp_path_factory) -> Path:
    """Two groups of pictures of 50 frames."""
    times = [n / 30 for n in range(100)]
    return write_clip(tmp_path_factory.mktemp("long") / "long.mp4", numbered(100, step=2), times, g="50", bf="2")


def test_on_the_way_to_a_far_frame_the_nearest_at_hand_is_given_and_other_wishes_come_first(long_group: Path):
    clip = Clip(long_group, "long")
    number, picture = clip.nearest(95, 999)  # the key frame before it takes one decoding
    assert number == 50 and number_in(picture, 2) == pytest.approx(50, abs=0.7), (
        "the key frame before it takes one decoding"
    )
    left = iter([True] * 20)
    assert clip.reach(95, lambda: next(left, False)) is None
    number, picture = clip.nearest(90, 999)  # what was decoded on the way counts
    assert 65 <= number <= 75 and number_in(picture, 2) == pytest.approx(number, abs=0.7), (
        "what was decoded on the way counts"
    )
    assert clip.nearest(number, 999) is None, "it is there: nothing else need be shown"
    assert number_in(clip.frame(95), 2) == pytest.approx(95, abs=0.7)
    assert clip.nearest(94, 999) is None and number_in(clip.frame(94), 2) == pytest.approx(94, abs=0.7)
    assert clip.nearest(40, 999)[0] == 50 and clip.nearest(40, 10) is None, (
        "what is no nearer than the picture on screen"
    )
    assert clip.nearest(2, 999)[0] == 0 and clip.nearest(0, 999) is None
    clip.close()


def test_a_frame_of_the_same_group_is_reached_from_where_decoding_stopped(long_group: Path):
    """A hand that drags on to the right must not begin again at the key frame each time."""
    clip, wishes = Clip(long_group, "long"), 0

    def few() -> bool:
        nonlocal wishes
        wishes += 1
        return wishes % 5 != 0

    assert any(clip.reach(49, few) is not None for _ in range(11))
    clip.close()


def test_times_are_those_of_the_file_even_when_uneven(tmp_path: Path):
    source = open_source(write_clip(tmp_path / "vfr.mp4", numbered(10), VARIABLE))
    assert source.times == pytest.approx(VARIABLE, abs=1e-4)
    assert round(number_in(source.frame(5))) == 5
    source.close()


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
def test_rotation_in_the_metadata_is_honoured(tmp_path: Path, turns: int):
    source = open_source(write_clip(tmp_path / "turned.mp4", numbered(4), [0, 0.1, 0.2, 0.3], turns))
    picture = source.frame(1)
    assert picture.shape[:2] == ((160, 96) if turns % 2 else (96, 160))
    assert source.size == (picture.shape[1], picture.shape[0])
    upright = np.rot90(picture, -turns)
    assert upright[:16, :16].mean() < 15 < upright[-16:, -16:].mean(), "the dark corner is where it was filmed"
    source.close()


def test_memory_stays_bounded_however_long_the_clip(clip_file: Path):
    budget = 10 * 160 * 96 * 2
    clip = Clip(clip_file, "sixty", cache_bytes=budget)
    for n in range(60):
        clip.frame(n)
        assert clip.cached_bytes <= budget
    assert [round(number_in(clip.frame(n))) for n in range(59, 0, -1)] == list(range(59, 0, -1))
    assert clip.cached_bytes <= budget
    clip.close()


def test_exif_orientation_turns_the_photograph_upright(tmp_path: Path):
    upright = np.full((80, 60, 3), 200, dtype=np.uint8)
    upright[:20, :20] = 0
    for orientation, stored in ((1, upright), (6, np.rot90(upright, 1)), (3, np.rot90(upright, 2))):
        exif = Image.Exif()
        exif[0x0112] = orientation
        Image.fromarray(np.ascontiguousarray(stored)).save(tmp_path / "photo.jpg", exif=exif, quality=95)
        source = open_source(tmp_path / "photo.jpg")
        assert source.size == (60, 80) and len(source.times) == 1
        assert np.abs(source.frame(0).astype(int) - upright).mean() < 3


def jpeg() -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(np.random.default_rng(0).integers(0, 255, (64, 64, 3), dtype=np.uint8)).save(buffer, "JPEG")
    return buffer.getvalue()


@pytest.mark.parametrize(
    ("name", "content"),
    [
        ("text.mp4", b"dear diary, today the ferry was late " * 50),
        ("empty.jpg", b""),
        ("empty.mp4", b""),
        ("half.jpg", jpeg()[: len(jpeg()) // 2]),
        ("lie.png", jpeg()[:100]),
        ("notes.docx", b"PK"),
    ],
)
def test_files_that_are_no_pictures_are_refused_by_name(tmp_path: Path, name, content):
    (tmp_path / name).write_bytes(content)
    with pytest.raises(BadInput, match=name):
        open_source(tmp_path / name)


def test_a_clip_cut_at_its_end_is_readable_and_says_so(clip_file: Path, tmp_path: Path):
    whole = clip_file.read_bytes()
    (tmp_path / "cut.mp4").write_bytes(whole[: len(whole) * 2 // 3])
    source = open_source(tmp_path / "cut.mp4")
    assert "breaks off" in source.warning and 0 < len(source.times) < 60
    last = len(source.times) - 1
    assert round(number_in(source.frame(last))) == last
    source.close()


def test_a_clip_cut_in_its_header_is_refused(clip_file: Path, tmp_path: Path):
    (tmp_path / "stub.mp4").write_bytes(clip_file.read_bytes()[:200])
    with pytest.raises(BadInput, match="stub.mp4"):
        open_source(tmp_path / "stub.mp4")


@pytest.mark.parametrize(
    ("suffix", "codec"),
    [(".mov", "libx264"), (".mkv", "libx265"), (".avi", "mpeg4"), (".webm", "libvpx"), (".webm", "libvpx-vp9")],
)
def test_other_kinds_of_clips_open_with_true_frames(tmp_path: Path, suffix, codec):
    path = tmp_path / f"walk{suffix}"
    with av.open(str(path), "w") as container:
        stream = container.add_stream(codec, rate=25)
        stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
        stream.bit_rate = 2_000_000
        for pixels in numbered(12):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgb24")))
        container.mux(stream.encode())
    source = open_source(path)
    assert len(source.times) == 12 and source.times == pytest.approx(np.arange(12) / 25, abs=2e-3)
    for n in (0, 7, 3, 11):
        assert source.frame(n)[60, 100].mean() == pytest.approx(40 + 3 * n, abs=4)
    source.close()


@pytest.mark.parametrize("kind", ["tiff", "webp"])
def test_other_kinds_of_photographs_open(tmp_path: Path, kind):
    Image.fromarray(numbered(1)[0]).save(tmp_path / f"stand.{kind}")
    assert open_source(tmp_path / f"stand.{kind}").size == (160, 96)


def test_a_slow_motion_clip_tells_its_capture_rate(tmp_path: Path):
    path = tmp_path / "slow.mp4"
    with av.open(str(path), "w", options={"movflags": "use_metadata_tags"}) as container:
        container.metadata["com.android.capture.fps"] = "240.000000"
        stream = container.add_stream("libx264", rate=30)
        stream.width, stream.height, stream.pix_fmt = 160, 96, "yuv420p"
        for pixels in numbered(6):
            container.mux(stream.encode(av.VideoFrame.from_ndarray(pixels, format="rgb24")))
        container.mux(stream.encode())
    source = open_source(path)
    assert source.capture_rate == 240
    source.close()


def moving_dot(path: Path, codec: str = "libx264", frames: int = 150, **options: str) -> Path:
    """A light dot that moves 0.7 px a frame over still noise, a key frame every 30."""
    random = np.random.default_rng(0)
    ground = random.integers(60, 90, (120, 320, 3)).astype(np.uint8)
    rows, columns = np.mgrid[:120, :320]
    with av.open(str(path), "w", options=options) as container:
        stream = container.add_stream(codec, rate=30, options={"g": "30"})
        stream.width, stream.height, stream.pix_fmt, stream.bit_rate = 320, 120, "yuv420p", 2_000_000
        for n in range(frames):
            picture = ground.copy()
            picture[(columns - 60 - 0.7 * n) ** 2 + (rows - 60) ** 2 < 36] = 250
            container.mux(stream.encode(av.VideoFrame.from_ndarray(picture, format="rgb24")))
        container.mux(stream.encode())
    return path


FAST, TORN = {"movflags": "faststart"}, {"movflags": "frag_keyframe+empty_moov"}


@pytest.mark.parametrize(
    ("suffix", "codec", "options"),
    [(".mp4", "libx264", FAST), (".mov", "libx264", FAST), (".mp4", "libx264", TORN), (".mkv", "libx264", {}),
     (".webm", "libvpx", {}), (".avi", "mpeg4", {})],
)  # fmt: skip
def test_a_file_that_ends_too_early_says_so_whatever_its_kind(tmp_path: Path, suffix, codec, options):
    whole = moving_dot(tmp_path / f"whole{suffix}", codec, **options)
    source = open_source(whole)
    assert len(source.times) == 150 and not source.warning
    source.close()
    for share in (0.4, 0.7, 0.95):
        cut = tmp_path / f"cut{share}{suffix}"
        cut.write_bytes(whole.read_bytes()[: int(share * whole.stat().st_size)])
        source = open_source(cut)
        assert "breaks off" in source.warning and 0 < len(source.times) < 150, share
        source.frame(len(source.times) - 1)
        source.close()


@pytest.mark.parametrize(("suffix", "codec"), [(".mp4", "libx264"), (".mkv", "libx264"), (".webm", "libvpx-vp9")])
def test_what_was_followed_before_damage_is_kept_and_nothing_is_read_off_damaged_pictures(tmp_path, suffix, codec):
    clip = moving_dot(tmp_path / f"dot{suffix}", codec)
    bytes_ = bytearray(clip.read_bytes())
    first, last = int(0.6 * len(bytes_)), int(0.68 * len(bytes_))
    bytes_[first:last] = np.random.default_rng(3).integers(0, 256, last - first, dtype=np.uint8).tobytes()
    clip.write_bytes(bytes_)
    tracks = follow_clip(clip, 0, {"dot": np.array([60.5, 60.5])})
    trusted = tracks.quality[:, 0] >= TRUSTED
    off = tracks.xy[trusted, 0] - np.stack([60.5 + 21 * tracks.times[trusted], np.full(trusted.sum(), 60.5)], axis=1)
    assert np.abs(off).max() < 1.5 and trusted[:60].mean() > 0.9
    source = open_source(clip)
    if suffix == ".webm":  # its reader leaves the damaged packets out: what is missing is a hole in time
        assert "no pictures between" in source.warning
    else:
        assert 0 < tracks.unread < 100 and "cannot be read" in tracks.problems
    source.close()


def test_a_small_file_that_unpacks_to_gigabytes_is_refused(tmp_path: Path):
    from PIL import Image

    from tuning.core.errors import BadInput

    Image.new("1", (13_000, 13_000)).save(tmp_path / "bomb.png")
    assert (tmp_path / "bomb.png").stat().st_size < 1_000_000
    with pytest.raises(BadInput, match="13000 x 13000 pixels"):
        open_source(tmp_path / "bomb.png")


def test_a_clip_with_few_bits_says_so(tmp_path: Path):
    rng = np.random.default_rng(1)
    frames = [
        np.kron(rng.integers(0, 255, (20, 12, 3), dtype=np.uint8), np.ones((8, 8, 1), np.uint8)) for _ in range(12)
    ]
    times = [n / 30 for n in range(12)]
    starved = open_source(write_clip(tmp_path / "few.mp4", frames, times, crf="51"))
    rich = open_source(write_clip(tmp_path / "many.mp4", frames, times, crf="20"))
    print(starved.bits, rich.bits)
    assert (starved.bits < 0.007) == ("bits for a pixel" in starved.warning) and "bits" not in rich.warning
    assert rich.bits > starved.bits > 0
    starved.close()
    rich.close()
