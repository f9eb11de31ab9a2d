"""Commands that measure files: suggest, track, measure, force."""

from __future__ import annotations

import math
import sys
from pathlib import Path
from typing import Any

import click

from tuning.cli.errors import run_or_exit


class Between(click.ParamType[float]):
    """A number between two ends, neither endless nor none."""

    name = "number"

    def __init__(self, low: float, high: float) -> None:
        self.low, self.high = low, high

    def convert(self, value: object, param: click.Parameter | None, ctx: click.Context | None) -> float:
        """The number; fails with the ends for anything else."""
        try:
            number = float(str(value))
        except ValueError:
            number = math.nan
        if not self.low <= number <= self.high:
            self.fail(f"“{value}” must be a number between {self.low:g} and {self.high:g}.", param, ctx)
        return number


ORIGIN = click.option(
    "--pixel-origin",
    type=click.Choice(["corner", "centre"]),
    default="corner",
    help="Where (0, 0) lies in files: the corner of the top-left pixel (usual), or its middle.",
)


@click.command()
@click.argument("clip", type=click.Path(path_type=Path))
@click.option("--points", type=click.Path(path_type=Path), required=True, help="Marks of one frame, JSON.")
@click.option("--out", type=click.Path(path_type=Path), required=True, help="Where the tracks go, CSV.")
@ORIGIN
def track(clip: Path, points: Path, out: Path, pixel_origin: str) -> None:
    """Follow the marks of POINTS through CLIP, both ways."""

    def run() -> None:
        from tuning.exchange.csv.tracks import read_points, write_tracks
        from tuning.video import open_source
        from tuning.video.media.safe_open import look_at
        from tuning.video.track.api import follow_clip, follow_more

        look_at(clip)
        source = open_source(clip)
        source.close()
        (frame, marks), *more = read_points(points, pixel_origin)
        found = follow_clip(clip, frame, marks)
        for frame, hidden in more:
            found = follow_more(clip, found, frame, hidden)
        write_tracks(found, out, pixel_origin)
        for k, name in enumerate(found.names):
            seen = 100 * float((found.quality[:, k] >= 0.5).mean())
            how = "no sticker, followed by its look" if name in found.click_sd else "seen"
            click.echo(f"{name}: {how} in {seen:.0f} % of {len(found.times)} frames")
        for told in filter(None, (source.warning, found.problems)):
            click.echo(told, err=True)

    run_or_exit(run)


@click.command()
@click.argument("clip", type=click.Path(path_type=Path))
@click.option("--out", type=click.Path(path_type=Path), required=True, help="Where the markers go, JSON.")
@click.option("--view", type=click.Choice(["rear", "front", "left", "right"]), help="Found where it is not named.")
@ORIGIN
def suggest(clip: Path, out: Path, view: str | None, pixel_origin: str) -> None:
    """Find the person in CLIP (or a photograph) and name the stickers; what is unsure is left out and named."""

    def run() -> None:
        from tuning.core.errors import BadInput
        from tuning.core.pictures.landmarks import landmark_label
        from tuning.exchange.csv.tracks import write_points
        from tuning.video.media.safe_open import look_at
        from tuning.video.suggest.api import suggest as found_in
        from tuning.video.suggest.body_places import SEEN_FROM

        look_at(clip)
        found = found_in(clip, view or "")
        if not found.points:
            raise BadInput(f"No sticker of “{clip.name}” could be named: mark the landmarks by hand.")
        frames = {found.frame: found.points, **found.extra}
        write_points(frames, out, pixel_origin, view=found.view, unsure=list(found.unsure))
        click.echo(f"{sum(map(len, frames.values()))} markers, {found.view} view, frame {found.frame}.")
        if found.shown != found.view:
            text = f"It looks as if seen {SEEN_FROM[found.shown]}: if it is, left and right are exchanged."
            click.echo(text, err=True)
        if found.cut_off:
            click.echo(f"Outside the picture: {', '.join(map(landmark_label, found.cut_off))}.", err=True)
        if found.unsure:
            click.echo(f"Unsure, left out: {', '.join(landmark_label(name) for name in found.unsure)}.", err=True)

    run_or_exit(run)


@click.command()
@click.argument("clip", type=click.Path(path_type=Path))
@click.option("--box", "boxes", multiple=True, required=True, help="FRAME,LEFT,TOP,WIDTH,HEIGHT; from frame 0, px.")
@click.option("--out", type=click.Path(path_type=Path), required=True, help="Where the copy goes, MP4 or PNG.")
def mask(clip: Path, boxes: tuple[str, ...], out: Path) -> None:
    """Copy CLIP (a clip or photograph) with a face behind a box that is followed; exit code 1 where it was lost."""

    def run() -> None:
        from tuning.core.errors import BadInput
        from tuning.video.media.face_mask import Box, masked
        from tuning.video.media.safe_open import look_at

        known: dict[int, Box] = {}
        for text in boxes:
            try:
                frame, left, top, wide, tall = text.split(",")
                known[int(frame)] = (float(left), float(top), float(wide), float(tall))
            except ValueError as err:
                raise BadInput(f"“{text}” is no box; it is FRAME,LEFT,TOP,WIDTH,HEIGHT.") from err
        if out.resolve() == clip.resolve():
            raise BadInput("The copy needs a name of its own.")
        look_at(clip)
        way = masked(clip, known, out)
        for first, last in way.doubted if way is not None else ():
            click.echo(f"Look at frames {first} to {last}: the face was not surely found there.", err=True)
        if way is None or way.doubted:
            sys.exit(1)

    run_or_exit(run)


@click.command()
@click.argument("tracks", type=click.Path(path_type=Path))
@click.option("--task", required=True, help="rear-gait, side-gait, front-squat, single-leg-squat, side-squat, …")
@click.option("--side", type=click.Choice(["left", "right"]), help="The leg that stands, or that faces the camera.")
@click.option("--standing-tilt-deg", type=Between(-30, 30), help="Pelvic tilt in quiet stance, right side higher +.")
@click.option("--mass-kg", type=Between(15, 350), help="Body mass.")
@click.option("--load-kg", type=Between(0, 500), default=0.0, help="Bar load.")
@click.option("--scale-mm-per-px", type=Between(0.01, 50), help="Length scale in the plane of movement.")
@click.option("--roll-deg", type=Between(-20, 20), default=0.0, help="Camera roll: turn of the picture's uprights.")
@click.option("--turn-out-deg", type=Between(-60, 90), help="Foot turn-out, for knee over toe in a side view.")
@click.option("--plates", type=click.Path(path_type=Path), help="Plates that ran with a side squat (CSV or C3D).")
@click.option(
    "--heel-mm", type=Between(-2000, 2000), default=0, help="How far the heels stand ahead of the plates' origin."
)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of a table.")
@ORIGIN
def measure(
    tracks: Path,
    task: str,
    side: str | None,
    standing_tilt_deg: float | None,
    mass_kg: float | None,
    load_kg: float,
    scale_mm_per_px: float | None,
    roll_deg: float,
    turn_out_deg: float | None,
    plates: Path | None,
    heel_mm: float,
    as_json: bool,
    pixel_origin: str,
) -> None:
    """Measure TRACKS (CSV) step by step or repetition by repetition."""

    def run() -> None:
        import json

        from tuning.core.errors import BadInput
        from tuning.core.force.clip_sync import Plates
        from tuning.core.movement.tasks import TASKS, Options
        from tuning.core.movement.tasks import measure as measure_task
        from tuning.core.types import Side
        from tuning.exchange.csv.tracks import read_tracks, result_json
        from tuning.exchange.plates import read_plates
        from tuning.knowledge import load

        if task not in TASKS:
            raise BadInput(f"“{task}” is no task; one of {', '.join(TASKS)}.")
        options = Options(
            side=Side(side) if side else Side.NONE,
            roll_deg=roll_deg,
            standing_tilt_deg=standing_tilt_deg,
            mass_kg=mass_kg,
            load_kg=load_kg,
            metres_per_px=scale_mm_per_px / 1000 if scale_mm_per_px else None,
            turn_out_deg=turn_out_deg,
            plates=Plates(read_plates(plates), heel_mm) if plates is not None else None,
        )
        measures, result = load().measures, measure_task(read_tracks(tracks, pixel_origin), task, options)
        told = result_json(result, measures)
        nothing = 0 if told["summaries"] else 2
        if as_json:
            click.echo(json.dumps(told, indent=1))
            sys.exit(nothing)
        for s in told["summaries"]:
            error = f"± {s['predicted_error']:.2f}"
            click.echo(f"{s['measure']:26s} {s['side']:6s} {s['mean']:8.2f} {error:8s} {_spread(s)}")
        for warning in (*told["warnings"], *result.missing_texts({key: m.name for key, m in measures.items()})):
            click.echo(warning, err=True)
        if nothing:
            click.echo("Nothing could be measured.", err=True)
            sys.exit(nothing)

    run_or_exit(run)


def _spread(summary: dict[str, Any]) -> str:
    """How far trials lie apart, which one trial does not tell, and how many there are."""
    sd = f"{summary['sd']:.2f}" if summary["n"] > 1 else "–"
    return f"SD {sd}  n {summary['n']}"


def _force_line(summary: dict[str, Any]) -> str:
    """One metric with side, error and unit; a share is that of the right leg."""
    error = "± –" if summary["error"] is None else f"± {summary['error']:.2f}"
    name, side = ("right share", "both") if summary["metric"] == "share" else (summary["metric"], summary["side"])
    numbers = f"{summary['mean']:10.2f} {error:10s} {summary['unit']:9s} best {summary['best']:.2f}"
    return f"{name:18s} {side:6s} {numbers}  {_spread(summary)}"


@click.command()
@click.argument("file", type=click.Path(path_type=Path))
@click.option("--test", "test_id", required=True, help="quiet-stance, squat-fast, squat-pause, squat-iso, lunge-iso, …")
@click.option("--side", type=click.Choice(["left", "right"]), help="The leg on the plate, in one-leg tests.")
@click.option("--body-mass", type=Between(15, 350), help="Body mass in kg, where nobody stands still on the plates.")
@click.option("--map", "map_file", type=click.Path(path_type=Path), help="Which column is what, JSON.")
@click.option("--swap", is_flag=True, help="Left for right: the person faced the other way.")
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of a table.")
def force(
    file: Path,
    test_id: str,
    side: str | None,
    body_mass: float | None,
    map_file: Path | None,
    swap: bool,
    as_json: bool,
) -> None:
    """Read FILE (CSV or C3D) from one or two force plates."""

    def run() -> None:
        import json

        from tuning.core.force.analysis import analyse
        from tuning.core.types import Side
        from tuning.exchange.csv.mapping import read_mapping
        from tuning.exchange.files import read_json
        from tuning.exchange.json.force import force_json
        from tuning.exchange.plates import read_plates
        from tuning.knowledge import load

        mapping = None if map_file is None else read_mapping(read_json(map_file))
        recording = read_plates(file, mapping)
        found = analyse(
            recording.swapped() if swap else recording, test_id, Side(side) if side else Side.NONE, body_mass
        )
        told = force_json(found, load().plate_errors)
        nothing = 0 if found.reps else 2
        if as_json:
            click.echo(json.dumps(told, indent=1))
            sys.exit(nothing)
        for s in told["summaries"]:
            click.echo(_force_line(s))
        for line in (*found.warnings, *found.left_out_sentences()):
            click.echo(line, err=True)
        if nothing:
            sys.exit(nothing)

    run_or_exit(run)
