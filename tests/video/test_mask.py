"""A face behind a box that goes with it: never to be seen where the copy says that it is sure, and nothing told."""

from __future__ import annotations

import av
import cv2
import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

from tuning.cli import main
from tuning.core.errors import BadInput
from tuning.video import open_source
from tuning.video.media.face_mask import masked
from tuning.video.media.recorder import Recorder

SIZE, FACE, FRAMES = (360, 640), 60, 50
RNG = np.random.default_rng(8)
LOOK = cv2.GaussianBlur(RNG.integers(60, 230, (FACE, FACE, 3), dtype=np.uint8), (0, 0), 4)
GROUND = cv2.GaussianBlur(RNG.integers(0, 255, (*SIZE, 3), dtype=np.uint8), (0, 0), 6)


def at(n: int, way: int) -> tuple[int, int]:
    """Upper left corner of the face: to one side and back, bobbing."""
    return round(290 + way * 200 * np.sin(n / 16)), round(90 + 40 * np.sin(n / 3))


def filmed(path, way=1, gone=range(0)):
    """A clip with a face, nearly plain but for its outline, and red as nothing else."""
    recorder = Recorder(path, SIZE[1], SIZE[0])
    for n in range(FRAMES):
        picture = GROUND // 2
        if n not in gone:
            x, y = at(n, way)
            picture[y : y + FACE, x : x + FACE] = LOOK
            picture[y : y + FACE, x : x + FACE, 0] = 255
        recorder.add(picture, n / 30)
    return recorder.close()


def face_seen(path, frames=range(FRAMES)) -> list[float]:
    """Share of the face, which alone is red, that shows in each of these frames."""
    source = open_source(path)
    seen = [source.frame(n).astype(int) for n in frames]
    source.close()
    return [float((one[..., 0] - one[..., 2] > 60).sum() / FACE**2) for one in seen]


@pytest.mark.parametrize(("way", "start"), [(1, 0), (-1, 0), (1, 24), (-1, FRAMES - 1)])
def test_the_face_shows_in_no_frame_whichever_way_it_goes_and_wherever_the_box_was_set(tmp_path, way, start):
    clip = filmed(tmp_path / "clip.mp4", way)
    assert min(face_seen(clip, range(0, FRAMES, 7))) > 0.3, "it is there to be seen"
    x, y = at(start, way)
    found = masked(clip, {start: (x, y, FACE, FACE)}, tmp_path / "copy.mp4")
    assert found.sure.all() and found.doubted == []
    off = [np.abs(found.boxes[n, :2] - at(n, way)).max() for n in range(FRAMES)]
    assert max(off) < 8
    assert max(face_seen(tmp_path / "copy.mp4")) < 0.01


def test_a_face_that_is_lost_is_told_and_a_second_box_finds_it_again(tmp_path):
    clip = filmed(tmp_path / "clip.mp4", gone=range(10, 20))
    first = masked(clip, {0: (*at(0, 1), FACE, FACE)}, tmp_path / "copy.mp4")
    assert first.doubted and first.doubted[0][0] == 10
    again = masked(clip, {0: (*at(0, 1), FACE, FACE), 20: (*at(20, 1), FACE, FACE)}, tmp_path / "copy.mp4")
    assert again.doubted == [(10, 19)]
    assert max(face_seen(tmp_path / "copy.mp4")) < 0.01


def test_the_copy_keeps_time_and_size_and_nothing_that_the_file_told(tmp_path):
    clip = filmed(tmp_path / "clip.mp4")
    with av.open(str(clip)) as given, av.open(str(tmp_path / "told.mp4"), "w") as out:
        stream = out.add_stream_from_template(given.streams.video[0])
        out.metadata.update(title="Nils Ostrov", location="+59.9+010.7/", comment="left knee")
        for packet in given.demux(given.streams.video[0]):
            if packet.dts is not None:
                packet.stream = stream
                out.mux(packet)
    assert b"Nils Ostrov" in (tmp_path / "told.mp4").read_bytes()
    masked(tmp_path / "told.mp4", {0: (*at(0, 1), FACE, FACE)}, tmp_path / "copy.mp4")
    made = (tmp_path / "copy.mp4").read_bytes()
    assert b"Nils" not in made and b"left knee" not in made and b"+59.9" not in made
    source, copy = open_source(clip), open_source(tmp_path / "copy.mp4")
    assert copy.size == source.size and copy.times == pytest.approx(source.times, abs=1e-3)
    source.close()
    copy.close()


@pytest.mark.parametrize(
    "boxes", [{}, {FRAMES: (1, 1, 20, 20)}, {-1: (1, 1, 20, 20)}, {0: (9000, 1, 20, 20)}, {0: (1, 1, 2, 20)},
              {0: (float("nan"), 1, 20, 20)}],
)  # fmt: skip
def test_a_box_that_hides_nothing_is_refused(tmp_path, boxes):
    clip = filmed(tmp_path / "clip.mp4")
    with pytest.raises(BadInput):
        masked(clip, boxes, tmp_path / "copy.mp4")
    assert not (tmp_path / "copy.mp4").exists()


def test_stopped_in_the_middle_nothing_is_left(tmp_path):
    clip = filmed(tmp_path / "clip.mp4")
    (tmp_path / "copy.mp4").write_bytes(b"an earlier copy")
    for most in (0.2, 0.7):
        assert masked(clip, {0: (*at(0, 1), FACE, FACE)}, tmp_path / "copy.mp4", lambda d, m=most: d < m) is None
        assert (tmp_path / "copy.mp4").read_bytes() == b"an earlier copy" and len(list(tmp_path.iterdir())) == 2


def test_a_photograph_loses_its_face_and_what_its_camera_told(tmp_path):
    photo, out = tmp_path / "photo.jpg", tmp_path / "copy.png"
    told = Image.Exif()
    told[0x010E] = "Nils Ostrov"
    Image.fromarray(np.full((*SIZE, 3), 200, np.uint8)).save(photo, exif=told)
    masked(photo, {0: (100, 50, 40, 40)}, out)
    copy = np.asarray(Image.open(out))
    assert not Image.open(out).getexif() and b"Nils" not in out.read_bytes()
    assert (copy[50:90, 100:140] == 96).all() and (copy[:, 200:] == 200).all()


def test_the_command_says_which_frames_to_look_at(tmp_path):
    clip = filmed(tmp_path / "clip.mp4", gone=range(10, 20))
    x, y = at(0, 1)

    def run(*boxes):
        words = [w for box in boxes for w in ("--box", box)]
        done = CliRunner().invoke(main, ["mask", str(clip), *words, "--out", str(tmp_path / "copy.mp4")])
        return done.exit_code, done.output

    later = f"20,{at(20, 1)[0]},{at(20, 1)[1]},{FACE},{FACE}"
    assert run(f"0,{x},{y},{FACE},{FACE}", later) == (
        1,
        "Look at frames 10 to 19: the face was not surely found there.\n",
    )
    for wrong in ("0,1,2,3", "a,1,2,3,4", "0,1,2,3,inf"):
        assert run(wrong)[0] == 2
