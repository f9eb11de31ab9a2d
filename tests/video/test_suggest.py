"""Markers without a click: every sticker under its name, nothing guessed, left and right never exchanged."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from click.testing import CliRunner
from PIL import Image

import tuning.demo
from tuning.cli import main
from tuning.core.errors import BadInput, EnvironmentFault
from tuning.demo import render
from tuning.demo.camera import PinholeCamera
from tuning.demo.clips import CLIPS, POTTER
from tuning.demo.mannequin import build
from tuning.demo.motions import Walker, squatting, walking
from tuning.exchange.csv.tracks import read_points
from tuning.video.media.source import open_source
from tuning.video.suggest import body_model
from tuning.video.suggest.api import suggest

MEDIA = Path(tuning.demo.__file__).parent / "media"
NEAR_PX = 3.0


@pytest.mark.parametrize("clip", CLIPS.values(), ids=CLIPS)
def test_the_stickers_of_a_clip_are_named_where_they_are(clip):
    found = suggest(MEDIA / f"{clip.name}.mp4")
    assert found.view == clip.camera.view
    named = 0
    for frame, points in ((found.frame, found.points), *found.extra.items()):
        worn = clip.body_at(frame / clip.fps).projected(clip.camera)
        for name, at in points.items():
            assert np.hypot(*(at - worn[name])) < NEAR_PX, (name, frame)
            named += 1
    seen = render.shown(clip.body_at(found.frame / clip.fps), clip.camera, render.STICKER_RADIUS)
    assert named >= sum(part > 0.9 for part in seen.values()) and not set(found.unsure) & set(found.points)


def picture(path: Path, view: str, time: float = 0.4, **look: object) -> tuple[np.ndarray, dict[str, np.ndarray]]:
    """A photograph of a person with stickers, and where they are."""
    who = Walker(toe_out_left=12, knee_in_left=8)
    body = build(walking(who, time)) if view == "rear" else build(squatting(POTTER, time))
    camera, rng = PinholeCamera(view), np.random.default_rng(5)
    room = render.room(camera, rng, belt=view == "rear")
    pixels = render.photograph(lambda _: body, 0.0, camera, room, rng, render.CameraSettings(exposures=1, **look))
    Image.fromarray(pixels).save(path)
    return pixels, body.projected(camera)


@pytest.mark.parametrize("view", ["rear", "front"])
def test_a_mirrored_picture_exchanges_every_name_and_moves_none(tmp_path, view):
    pixels, _ = picture(tmp_path / "a.png", view)
    Image.fromarray(pixels[:, ::-1]).save(tmp_path / "b.png")
    straight, mirrored = (suggest(tmp_path / name, view).points for name in ("a.png", "b.png"))
    assert len(straight) >= 8
    swap = {"left": "right", "right": "left"}
    for name, (x, y) in straight.items():
        stem, _, side = name.rpartition("_")
        assert np.hypot(*(mirrored[f"{stem}_{swap[side]}"] - (pixels.shape[1] - x, y))) < 1.0, name


def test_a_mirrored_side_is_the_other_side(tmp_path):
    source = open_source(MEDIA / "squat-side.mp4")
    pixels = source.frame(20)
    source.close()
    for name, shown in (("a.png", pixels), ("b.png", pixels[:, ::-1])):
        Image.fromarray(shown).save(tmp_path / name)
    straight, mirrored = (suggest(tmp_path / name) for name in ("a.png", "b.png"))
    assert (straight.view, mirrored.view) == ("right", "left") and len(straight.points) >= 8
    for name, (x, y) in straight.points.items():
        assert np.hypot(*(mirrored.points[name] - (pixels.shape[1] - x, y))) < 1.0, name


def test_a_view_that_the_picture_cannot_be_is_refused_and_one_that_exchanges_legs_is_told(tmp_path):
    picture(tmp_path / "a.png", "front")
    with pytest.raises(BadInput, match="shows the person from the front, not from the left"):
        suggest(tmp_path / "a.png", "left")
    words = ["suggest", str(tmp_path / "a.png"), "--out", str(tmp_path / "a.json"), "--view", "rear"]
    assert "as if seen from the front: if it is, left and right are exchanged" in CliRunner().invoke(main, words).stderr


def test_a_sticker_that_is_not_there_is_left_out_and_named(tmp_path):
    pixels, worn = picture(tmp_path / "a.png", "front")
    x, y = np.round(worn["knee_left"]).astype(int)
    pixels[y - 14 : y + 14, x - 14 : x + 14] = np.median(pixels[y - 30 : y - 16, x - 8 : x + 8], axis=(0, 1))
    Image.fromarray(pixels).save(tmp_path / "b.png")
    found = suggest(tmp_path / "b.png")
    assert "knee_left" in found.unsure and "knee_left" not in found.points and "knee_right" in found.points


def test_feet_that_the_picture_cuts_off_are_told(tmp_path):
    pixels, worn = picture(tmp_path / "a.png", "front")
    knees = int(worn["knee_left"][1]) + 60
    Image.fromarray(pixels[:knees]).save(tmp_path / "b.png")
    assert not suggest(tmp_path / "a.png").cut_off
    assert set(suggest(tmp_path / "b.png").cut_off) >= {"ankle_left", "ankle_right", "second_toe_left"}


def test_nobody_and_no_view_of_ours_are_told(tmp_path):
    camera, rng = PinholeCamera("front"), np.random.default_rng(5)
    Image.fromarray((255 * render.room(camera, rng)).clip(0, 255).astype(np.uint8)).save(tmp_path / "room.png")
    with pytest.raises(BadInput, match="nobody was found in “room.png”"):
        suggest(tmp_path / "room.png")
    with pytest.raises(BadInput, match="is no view; one of rear, front"):
        suggest(tmp_path / "room.png", "above")


def test_without_the_model_markers_are_placed_by_hand(tmp_path, monkeypatch):
    picture(tmp_path / "a.png", "front")
    monkeypatch.setattr(body_model, "model_folder", lambda: None)
    with pytest.raises(EnvironmentFault, match="mark them by hand"):
        suggest(tmp_path / "a.png")


def test_the_command_writes_what_track_reads(tmp_path):
    clip, run = MEDIA / "squat-front.mp4", CliRunner().invoke
    found = run(main, ["suggest", str(clip), "--out", str(tmp_path / "a.json")])
    assert found.exit_code == 0 and "8 markers, front view, frame 0." in found.output
    assert "Unsure, left out: left acromion, right acromion." in found.stderr
    centre = ["suggest", str(clip), "--out", str(tmp_path / "b.json"), "--pixel-origin", "centre", "--view", "front"]
    assert run(main, centre).exit_code == 0
    (frame, corner), (_, middle) = read_points(tmp_path / "a.json")[0], read_points(tmp_path / "b.json", "centre")[0]
    assert all(np.allclose(corner[name], middle[name], atol=0.02) for name in corner) and frame == 0
    assert json.loads((tmp_path / "a.json").read_text())["unsure"] == ["shoulder_left", "shoulder_right"]
    (tmp_path / "x.mp4").write_bytes(b"nothing")
    assert run(main, ["suggest", str(tmp_path / "x.mp4"), "--out", str(tmp_path / "c.json")]).exit_code == 2


def test_the_table_of_what_is_found_is_made():
    import suggest_table

    made = CliRunner().invoke(suggest_table.main, ["--clips", "1", "--seed", "9"])
    assert made.exit_code == 0 and "all  1  100.0 %" in made.output
