"""The click of a mark that no sticker holds stays in its error; it is kept with the tracks."""

import zlib
from dataclasses import replace

import numpy as np
import pytest

from tuning.core.errors import BadInput
from tuning.core.movement import tasks
from tuning.core.movement.kinematics import MarkSignals
from tuning.core.movement.tasks import Options
from tuning.core.movement.tracks import Tracks
from tuning.core.types import LEGS
from tuning.demo.camera import PinholeCamera
from tuning.demo.mannequin import build
from tuning.demo.motions import Walker, walking
from tuning.exchange.csv.tracks import read_tracks, write_tracks
from tuning.records.track_codec import pack, unpack

CLICK = 1.5


def walk(rng, click_sd=0.0):
    """A walk whose marks all lie off by one click each, through the whole clip."""
    t = np.arange(240) / 60
    seen = [build(walking(Walker(drop_left=6, drop_right=6), x)).projected(PinholeCamera("rear")) for x in t]
    names = tuple(seen[0])
    xy = np.array([[f[n] for n in names] for f in seen])
    return Tracks(names, t, xy + rng.normal(0, click_sd or 1e-9, (1, len(names), 2)), np.ones((t.size, len(names))))


def test_what_a_click_was_off_by_lies_inside_the_error_of_every_measure():
    rng = np.random.default_rng(8)
    true = tasks.measure(walk(rng), "rear-gait", Options(standing_tilt_deg=0.0)).summaries()
    inside, blind = [], []
    for _ in range(8):
        clicked = walk(rng, CLICK)
        loose = replace(clicked, click_sd=dict.fromkeys(clicked.names, CLICK))
        for tracks, hits in ((loose, inside), (clicked, blind)):
            told = {
                (s.measure, s.side): s
                for s in tasks.measure(tracks, "rear-gait", Options(standing_tilt_deg=0.0)).summaries()
            }
            hits += [
                abs(told[one.measure, one.side].mean - one.mean) <= told[one.measure, one.side].predicted_error
                for one in true
                if one.side in LEGS and one.measure in ("gait-pelvic-drop", "gait-bkh", "gait-foot-line")
            ]
    assert np.mean(inside) >= 0.9 > np.mean(blind) + 0.2


def test_only_the_marks_without_a_sticker_carry_it_and_it_is_kept():
    tracks = replace(walk(np.random.default_rng(1)), click_sd={"heel_left": CLICK})
    again = unpack(pack(tracks), tracks.names, tracks.times)
    assert again.click_sd == {"heel_left": CLICK}
    signals, bare = MarkSignals(again, 7.0), MarkSignals(replace(again, click_sd={}), 7.0)
    assert signals.sd_px("heel_left", 9) == pytest.approx(np.hypot(bare.sd_px("heel_left", 9), CLICK))
    assert signals.sd_px("heel_right", 9) == bare.sd_px("heel_right", 9)
    later = Tracks(
        ("toe_left",), tracks.times, tracks.xy[:, :1] + 300, tracks.quality[:, :1], click_sd={"toe_left": 2.0}
    )
    assert again.joined_by(later).click_sd == {"heel_left": CLICK, "toe_left": 2.0}
    assert again.merged(walk(np.random.default_rng(2))).click_sd == {}, "followed anew, by its sticker"


def test_a_table_carries_the_click_of_marks_without_a_sticker_and_only_of_those(tmp_path):
    tracks, table = walk(np.random.default_rng(1)), tmp_path / "tracks.csv"
    write_tracks(tracks, table)
    assert read_tracks(table).click_sd == {} and "click" not in table.read_text().splitlines()[0]
    write_tracks(replace(tracks, click_sd={"heel_left": CLICK, "knee_back_right": 2.25}), table)
    again = read_tracks(table)
    assert again.click_sd == {"heel_left": CLICK, "knee_back_right": 2.25}
    np.testing.assert_allclose(again.xy, tracks.xy, atol=1e-3)
    for bad in ("-1", "nan", "inf", "wide"):
        table.write_text(table.read_text().replace(",2.250", f",{bad}", 1))
        with pytest.raises(BadInput, match="line"):
            read_tracks(table)
        write_tracks(replace(tracks, click_sd={"knee_back_right": 2.25}), table)


def test_tracks_of_older_records_are_read_and_cut_ones_refused():
    tracks = walk(np.random.default_rng(1))
    older = np.concatenate([tracks.xy, tracks.quality[..., None]], axis=2).astype("<f4").tobytes()
    again = unpack(zlib.compress(older), tracks.names, tracks.times)
    np.testing.assert_allclose(again.xy, tracks.xy, atol=1e-3)
    assert again.click_sd == {}
    with pytest.raises(ValueError, match="do not fit"):
        unpack(zlib.compress(older[:-4]), tracks.names, tracks.times)


@pytest.mark.parametrize("origin", ["corner", "centre"])
def test_how_the_camera_moved_is_kept_in_table_and_record_and_nonsense_is_refused(tmp_path, origin):
    tracks, table = walk(np.random.default_rng(1)), tmp_path / "tracks.csv"
    n = len(tracks.times)
    turn = 0.05 * np.sin(np.arange(n))
    camera = np.stack([np.cos(turn), np.sin(turn), np.arange(n) / 10, -np.arange(n) / 20], axis=1)
    camera[5] = np.nan
    held = replace(tracks, camera=camera)
    write_tracks(held, table, origin)
    assert read_tracks(table, origin).steadied().xy == pytest.approx(held.steadied().xy, abs=2e-3)
    assert np.isnan(read_tracks(table, origin).camera[5]).all()
    assert unpack(pack(held), held.names, held.times).steadied().xy == pytest.approx(held.steadied().xy, abs=2e-3)
    assert unpack(pack(tracks), held.names, held.times).camera is None
    unknown = replace(held, camera=np.full_like(camera, np.nan))
    write_tracks(unknown, tmp_path / "unknown.csv", origin)
    again = read_tracks(tmp_path / "unknown.csv", origin), unpack(pack(unknown), held.names, held.times)
    assert all("not known" in one.camera_told for one in again)
    if origin == "centre":  # the same picture by other numbers
        again = read_tracks(table, "corner")
        assert again.steadied().xy + 0.5 == pytest.approx(held.steadied().xy, abs=2e-3)
    line = table.read_text().splitlines()[-1]
    for bad in ("0,0,0,0", "inf,0,0,0", "wide,0,0,0"):
        wrong = ",".join([*line.split(",")[:-4], bad])
        table.write_text(table.read_text().replace(line, wrong))
        with pytest.raises(BadInput, match="line"):
            read_tracks(table)
        table.write_text(table.read_text().replace(wrong, line))
