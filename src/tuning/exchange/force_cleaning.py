"""What is put right in a recording of any format, and said; what would leave a number in doubt is refused."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from tuning.core.errors import BadInput
from tuning.core.force.plausibility import doubts
from tuning.core.force.recording import LEAST_PRESSING_N, Recording
from tuning.core.signals import stretches
from tuning.core.types import LEGS, Floats, Side

LONGEST_GAP_S = 0.02
"""Lost samples up to this long are bridged by a straight line, longer ones refused (practice judgement, editable)."""
MOST_LOST, MOST_SPIKES = 0.02, 0.002
"""Greatest shares of bridged samples and single-sample spikes that are repaired (practice judgement, editable)."""


GONE, LOADED, TAKEN_OVER, LONGEST_DROPOUT_S = 0.1, 0.5, 0.3, 0.5
"""A plate drops out where it reads less than the first share of its usual load from one sample to the next, coming from
and going to more than the second, while the other changes by less than the third, for so long at most (practice
judgement, editable)."""


def finish(
    rate: float,
    force: dict[Side, Floats],
    notes: list[str],
    points: dict[Side, Floats] | None = None,
    unnamed: bool = False,
) -> Recording:
    """The last repairs and refusals, the same for every format. Raises BadInput.

    `points` are places of pressure by leg, mm, shape (n, 2): right, forward; `unnamed` as in Recording.
    """
    made = {}
    for side, samples in _without_dropouts(force, rate, notes).items():
        name = f"{side.value} plate"
        if not samples.size:
            raise BadInput(f"The {name} holds no samples.")
        samples = _bridged(samples, rate, name, notes)
        low, middle, high = np.percentile(samples, [1, 50, 99])
        if middle < -20 or (low < -100 and -low > high):  # never by a few samples: a spike is no sign
            samples = -samples
            notes.append(f"The {name} pointed down; its sign was turned.")
        samples = _without_spikes(samples, rate, name, notes)
        _refuse_flat(samples, rate, name)
        made[side] = samples
    _refuse_units(made)
    idle = [side.value for side, samples in made.items() if float(np.percentile(samples, 99)) < IDLE_N]
    notes += [
        f"The {name} plate never carried more than {IDLE_N:g} N: nobody on it, or not connected?" for name in idle
    ]
    at = {s: _on_the_plate(p, made[s], s) for s, p in (points or {}).items()}
    recording = Recording(rate, made, tuple(notes), at, unnamed)
    return replace(recording, notes=(*notes, *doubts(made, rate)))


def as_sent(rate: float, samples: Floats) -> Recording:
    """What live plates sent, shape (n, 3) or (n, 7) as `ForcePlates.read` gives it. Raises BadInput."""
    force = {side: samples[:, n] for n, side in enumerate(LEGS, 1)}
    has_points = samples.shape[1] == 7
    points = {side: samples[:, n : n + 2] for n, side in zip((3, 5), LEGS, strict=True)} if has_points else {}
    return finish(rate, force, [], points)


LONGEST_PLATE_MM = 2000.0
"""No centre of pressure lies further from the origin (practice judgement, editable)."""


def _on_the_plate(points: Floats, force: Floats, side: Side) -> Floats:
    """Points where something presses; elsewhere NaN. Raises BadInput for places beyond any plate."""
    pressed = np.where((force > LEAST_PRESSING_N)[:, None], points, np.nan)
    far = float(np.nanpercentile(np.abs(pressed), 99)) if np.isfinite(pressed).any() else 0.0
    if far > LONGEST_PLATE_MM:
        raise BadInput(f"The centre of pressure of the {side.value} plate lies {far:.0f} mm out. Check its unit.")
    return pressed


def _without_dropouts(force: dict[Side, Floats], rate: float, notes: list[str]) -> dict[Side, Floats]:
    """Stretches in which one plate reads nothing are lost samples where it got there and back within one sample each
    and the other plate, with a foot on it, took nothing over: no foot does that."""
    if len(force) < 2 or len({samples.size for samples in force.values()}) > 1:
        return force
    made = {}
    for side, samples in force.items():
        load, other = np.abs(samples), force[side.other]
        usual = float(np.nanmedian(load)) if np.isfinite(load).any() else 0.0
        lost = np.zeros(samples.size, dtype=bool)
        for first, last in stretches(load < GONE * usual) if usual > IDLE_N else ():
            inside = first > 0 and last < samples.size and last - first <= LONGEST_DROPOUT_S * rate
            if inside and min(load[first - 1], load[last]) > LOADED * usual:
                near = other[max(0, first - 2) : last + 2]
                lost[first:last] = float(near.min()) > IDLE_N and float(np.ptp(near)) < TAKEN_OVER * usual
        made[side] = np.where(lost, np.nan, samples)
        if lost.any():
            notes.append(f"The {side.value} plate fell to nothing and back from one sample to the next: taken as lost.")
    return made


def _bridged(samples: Floats, rate: float, name: str, notes: list[str]) -> Floats:
    known = np.isfinite(samples)
    if known.all():
        return samples
    lost = int((~known).sum())
    if not known.any():
        raise BadInput(f"The {name} has no readable sample: is it the right column?")
    longest = max(b - a for a, b in stretches(~known)) / rate
    if longest > LONGEST_GAP_S or lost > MOST_LOST * samples.size:
        raise BadInput(
            f"The {name} misses {lost} of {samples.size} samples, up to {1000 * longest:.0f} ms in a row; "
            f"at most {1000 * LONGEST_GAP_S:.0f} ms are bridged."
        )
    notes.append(f"{lost} lost samples of the {name} were bridged by a straight line.")
    at = np.arange(samples.size)
    return np.interp(at, at[known], samples[known])


def _without_spikes(samples: Floats, rate: float, name: str, notes: list[str]) -> Floats:
    """Single samples that stand out from both neighbours by more than any muscle could in a millisecond."""
    if samples.size < 5:
        return samples
    middle = (samples[:-2] + samples[2:]) / 2
    off = np.abs(samples[1:-1] - middle)
    typical = 1.4826 * float(np.median(off)) + 1.0
    limit = max(30 * typical, 0.3 * float(np.percentile(np.abs(samples), 99)))
    hits = np.flatnonzero((off > limit) & (np.abs(samples[2:] - samples[:-2]) < limit)) + 1
    if not hits.size:
        return samples
    if hits.size > MOST_SPIKES * samples.size:
        raise BadInput(
            f"The {name} has {hits.size} spikes; its cable or amplifier needs a look before anything is read."
        )
    repaired = samples.copy()
    repaired[hits] = middle[hits - 1]
    notes.append(f"{hits.size} single-sample spikes of the {name} were replaced by their neighbours' mean.")
    return repaired


def _refuse_flat(samples: Floats, rate: float, name: str) -> None:
    """A ceiling that force runs along is saturation; a plate that never moves is dead."""
    if float(np.ptp(samples)) == 0.0 and abs(float(samples[0])) > 20:
        raise BadInput(f"The {name} reads {samples[0]:.0f} N throughout; it is not measuring.")
    top = float(samples.max())
    if top < 100:
        return
    at_top = stretches(samples >= top - 1e-9 * max(1.0, top))
    first, last = max(at_top, key=lambda run: run[1] - run[0])
    if last - first >= max(4, round(0.004 * rate)) and (_has_noise(samples) or _was_steep(samples, first, last, rate)):
        raise BadInput(
            f"The {name} is at its ceiling of {top:.0f} N for {1000 * (last - first) / rate:.0f} ms: "
            "peaks were cut off."
        )


IDLE_N = 20.0
"""A plate that carries no more than this for all but a moment was not used (practice judgement, editable)."""
CUT_OFF_N = 20.0
"""A flat top hides more than this when force ran into it so fast (practice judgement, editable)."""


def _has_noise(samples: Floats) -> bool:
    """Whether neighbouring samples differ by noise far above the file's resolution: then no top is flat by chance."""
    steps = np.abs(np.diff(samples))
    resolution = float(steps[steps > 1e-9].min()) if (steps > 1e-9).any() else 0.0
    return resolution > 0 and float(np.median(np.abs(np.diff(samples, 2)))) >= 3 * resolution


def _was_steep(samples: Floats, first: int, last: int, rate: float) -> bool:
    """Whether force ran into its flat top so fast that it would have gone far beyond."""
    before = max(0, first - max(2, round(0.01 * rate)))
    if before == first:
        return False
    return float(samples[first] - samples[before]) / (first - before) * (last - first) / 2 > CUT_OFF_N


def _refuse_units(force: dict[Side, Floats]) -> None:
    total = np.asarray(sum(force.values()))
    high = float(np.percentile(total, 99))
    if high > 20_000:
        raise BadInput(f"The force reaches {high:.0f} N; no leg does that. Is the unit mN, or a scale factor missing?")
    if high < 100:
        raise BadInput(f"The force never passes {high:.0f} N: nobody on the plates, or kgf read as N. Check the unit.")
