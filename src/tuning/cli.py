"""The `tuning` command."""

from __future__ import annotations

import math
import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click
from platformdirs import user_data_path, user_log_path

from tuning.core.errors import TuningError

if TYPE_CHECKING:
    from tuning.devices import Devices

DEMO, OWN = "demo-clinic", "record"


def folder_of(name: str) -> Path:
    """The folder of a record in the user's data folder."""
    return user_data_path("tuning") / name


@click.group(invoke_without_command=True)
@click.option("--own", is_flag=True, help="Open your own record instead of the demo clinic.")
@click.option("--record", type=click.Path(path_type=Path), help="Open the record in this folder.")
@click.option("--practice", is_flag=True, help="Make it a practice record, with made-up devices; marked for good.")
@click.pass_context
def main(context: click.Context, own: bool, record: Path | None, practice: bool) -> None:
    """Measure alignment, judge differences, plan exercises. Opens the window."""
    if context.invoked_subcommand is not None:
        return
    folder = record or folder_of(OWN if own else DEMO)
    demo = record is None and not own
    if demo:
        _told(lambda: _build_demo(folder))
    from tuning.ui.app import run

    kind = "practice" if practice else "demo" if demo else ""
    sys.exit(run(folder, user_log_path("tuning") / "tuning.log", kind, _devices))


def _devices(kind: str) -> Devices:
    """Made-up devices for a demo or practice record; none for an own one."""
    from tuning.devices import NO_DEVICES

    if kind not in ("demo", "practice"):
        return NO_DEVICES
    from tuning.demo.devices import simulated

    return simulated()


def _build_demo(folder: Path) -> None:
    if not (folder / "record.sqlite").exists():
        from tuning.demo.clinic import build_clinic

        click.echo("Building the demo clinic, once …")
        build_clinic(folder)


@main.command()
@click.argument("folder", type=click.Path(path_type=Path))
def demo(folder: Path) -> None:
    """Build the demo clinic in FOLDER."""
    _told(lambda: _build_demo(folder))


@main.command("check-record")
@click.argument("folder", type=click.Path(path_type=Path, exists=True))
def check_record(folder: Path) -> None:
    """Check database and media of the record in FOLDER."""

    def run() -> None:
        from tuning.records import Record

        record = Record(folder)
        problems = record.check()
        record.close()
        for problem in problems:
            click.echo(problem)
        if problems:
            sys.exit(1)
        click.echo("The record is sound.")

    _told(run)


@main.command()
@click.argument("record", type=click.Path(path_type=Path))
@click.argument("into", type=click.Path(path_type=Path))
@click.option("--thin", is_flag=True, help="Then keep seven days, four weeks and twelve months, and remove the rest.")
def backup(record: Path, into: Path, thin: bool) -> None:
    """Back the record in folder RECORD up into folder INTO, verified; the record may be in use."""

    def run() -> None:
        from tuning.records.backup import backup as take
        from tuning.records.backup import thin_out

        made = take(record, into)
        click.echo(f"Backed up to {made.folder}, {made.media} files of media, verified.")
        for name in made.lost:
            click.echo(f"Missing or damaged in the record itself: {name}.", err=True)
        for gone in thin_out(into) if thin else ():
            click.echo(f"Removed {gone.folder.name}.")

    _told(run)


@main.command()
@click.argument("source", type=click.Path(path_type=Path))
@click.argument("record", type=click.Path(path_type=Path))
@click.option("--yes", is_flag=True, help="Do it; without, only tell what would be done.")
def restore(source: Path, record: Path, yes: bool) -> None:
    """Put the backup in folder SOURCE in the place of the record in folder RECORD."""

    def run() -> None:
        from tuning.core.errors import BadInput
        from tuning.records.backup import contents
        from tuning.records.backup import restore as put

        click.echo(f"{source} holds {contents(source)}.")
        if record.exists() and any(record.iterdir()):
            try:
                click.echo(f"{record} holds {contents(record)}; it would be moved beside.")
            except BadInput as err:
                click.echo(f"{record} cannot be read ({err}); it would be moved beside.")
        if not yes:
            click.echo("Nothing was changed; add --yes to restore.")
            return
        aside = put(source, record)
        click.echo(f"Restored to {record}." + (f" What was there lies in {aside}." if aside is not None else ""))

    _told(run)


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


@main.command()
@click.argument("clip", type=click.Path(path_type=Path))
@click.option("--points", type=click.Path(path_type=Path), required=True, help="Marks of one frame, JSON.")
@click.option("--out", type=click.Path(path_type=Path), required=True, help="Where the tracks go, CSV.")
@ORIGIN
def track(clip: Path, points: Path, out: Path, pixel_origin: str) -> None:
    """Follow the marks of POINTS through CLIP, both ways."""

    def run() -> None:
        from tuning.exchange.csv.tracks import read_points, write_tracks
        from tuning.video import open_source
        from tuning.video.follow import follow_clip, follow_more

        source = open_source(clip)
        source.close()
        (frame, marks), *more = read_points(points, pixel_origin)
        found = follow_clip(clip, frame, marks)
        for frame, hidden in more:
            found = follow_more(clip, found, frame, hidden)
        write_tracks(found, out, pixel_origin)
        for k, name in enumerate(found.names):
            seen = 100 * float((found.quality[:, k] >= 0.5).mean())
            click.echo(f"{name}: seen in {seen:.0f} % of {len(found.times)} frames")
        for told in filter(None, (source.warning, found.told)):
            click.echo(told, err=True)

    _told(run)


@main.command()
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
        from tuning.core.force.together import Plates
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
        told = result_json(measure_task(read_tracks(tracks, pixel_origin), task, options), load().measures)
        nothing = 0 if told["summaries"] else 2
        if as_json:
            click.echo(json.dumps(told, indent=1))
            sys.exit(nothing)
        for s in told["summaries"]:
            error = f"± {s['predicted_error']:.2f}"
            click.echo(f"{s['measure']:26s} {s['side']:6s} {s['mean']:8.2f} {error:8s} SD {s['sd']:.2f}  n {s['n']}")
        for warning in told["warnings"]:
            click.echo(warning, err=True)
        if nothing:
            click.echo("Nothing could be measured.", err=True)
            sys.exit(nothing)

    _told(run)


@main.command()
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

        from tuning.core.errors import BadInput
        from tuning.core.force.analysis import analyse
        from tuning.core.types import Side
        from tuning.exchange.csv.mapping import read_mapping
        from tuning.exchange.json.force import force_json
        from tuning.exchange.plates import read_plates
        from tuning.knowledge import load

        mapping = None
        if map_file is not None:
            try:
                mapping = read_mapping(json.loads(map_file.read_text(encoding="utf-8")))
            except (OSError, ValueError) as err:
                raise BadInput(f"The mapping {map_file.name} cannot be read: {err}.") from err
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
            numbers = f"{s['mean']:10.2f} {s['unit']:14s} SD {s['sd']:.2f}  best {s['best']:.2f}  n {s['n']}"
            click.echo(f"{s['metric']:18s} {s['side']:6s} {numbers}")
        for line in (*(f"{what}: {why}" for what, why in told["not_measured"].items()), *told["warnings"]):
            click.echo(line, err=True)
        if nothing:
            sys.exit(nothing)

    _told(run)


@main.command()
@click.argument("case", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
@click.option("--position", help="Where the patient is now: standing, sitting, supine, prone, side-left, side-right.")
def reason(case: Path, as_json: bool, position: str | None) -> None:
    """What contributes, what speaks against it, what to test next, for the CASE of a JSON file."""

    def run() -> None:
        import json

        from tuning.core.errors import BadInput
        from tuning.core.reasoning.advice import SHOWN
        from tuning.core.reasoning.conclusion import advise, conclude
        from tuning.core.visit.efforts import Place
        from tuning.exchange.json.cases import read_case, reasoned
        from tuning.knowledge import load
        from tuning.knowledge.reasoning import tests_of

        knowledge = load()
        if position is not None and position not in knowledge.order.positions:
            raise BadInput(f"“{position}” is no position; one of {', '.join(knowledge.order.positions)}.")
        read, tests = read_case(case, knowledge), tests_of(knowledge)
        found = conclude(read.case, knowledge.reasoning, knowledge.measures, tests, read.triage, read.schools)
        now = Place(position, "free", "hands") if position else None
        options = {
            n: advise(knowledge.reasoning, one, found.found, tests, now)[:SHOWN] for n, one in enumerate(found.balances)
        }
        told = reasoned(read, found, options)
        if as_json:
            click.echo(json.dumps(told, indent=1, ensure_ascii=False))
            return
        click.echo(told["refer"] or f"{len(told['patterns'])} patterns seen.")
        for pattern in told["patterns"]:
            click.echo(f"\n{pattern['name']}")
            for factor in pattern["factors"]:
                lines = "; ".join(f"{'+' if w['speaks'] == 'for' else '-'} {w['words']}" for w in factor["lines"])
                click.echo(f"  {factor['label']:10s} {factor['name']:34s} {lines}")
            for option in pattern["next"]:
                click.echo(f"  next: {option['name']}, {option['minutes']:g} min: {option['separates']}")

    _told(run)


@main.command()
@click.argument("log", type=click.Path(path_type=Path))
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
def plan(log: Path, as_json: bool) -> None:
    """Up, hold or back for every exercise of a plan, from the LOG of its sessions (JSON)."""

    def run() -> None:
        import json

        from tuning.core.programme.decide import decide
        from tuning.exchange.json.plans import decided, exercises, read_plan

        told = read_plan(log)
        made = [decided(one, decide(one, sets, told.standing)) for one, sets in exercises(told)]
        if as_json:
            click.echo(json.dumps({"version": 1, "today": str(told.today), "decisions": made}, indent=1))
            return
        for one in made:
            to = f" to {one['to']}" if one["to"] != one["rung"] else ""
            click.echo(f"{one['move'].upper()} {one['rung']}{to}. Row {one['row']}: {one['reason']}.")
            for words in one["also"]:
                click.echo(f"  {words}")
            click.echo(f"  Changes with: {one['reverses']}. May be overruled by {one['override']}.")

    _told(run)


def _told(run) -> None:  # type: ignore[no-untyped-def]
    """Errors of input and machine come as one sentence, without a traceback."""
    try:
        run()
    except TuningError as err:
        click.echo(str(err), err=True)
        sys.exit(2)
