"""On and off the plate: contacts of one foot."""

from __future__ import annotations

import numpy as np

from tuning.core.force.plate_tests import CONTACT_N, Analysis, Rep
from tuning.core.force.recording import Recording
from tuning.core.signals import stretches
from tuning.core.types import Floats, Side


def steps(recording: Recording, found: Analysis) -> None:
    """Contacts of one foot above 20 N: landing, valley, push-off."""
    leg, rate = found.side, recording.rate
    force = recording.smooth(leg)
    for on, off in stretches(force > CONTACT_N):
        if off - on < 0.15 * rate or on == 0 or off >= force.size - 1:
            continue
        rep = Rep(len(found.reps) + 1)
        part = force[on:off]
        peak = int(np.argmax(part))
        rep.events = {"start": float(on / rate), "peak": float((on + peak) / rate), "end": float(off / rate)}
        rep.add_value("contact", leg, (off - on) / rate)
        rep.add_value("peak", leg, recording.peak(leg, int(on), int(off) - 1)[1])
        low = int(np.argmin(part[: peak + 1]))
        if peak > low:
            rep.add_value("rise-rate", leg, float(part[peak] - part[low]) / ((peak - low) / rate))
        width = max(1, round(0.02 * rate))
        early = part[: max(width + 1, min(part.size, round(0.15 * rate)))]
        rep.add_value("loading-rate", leg, float((early[width:] - early[:-width]).max()) / (width / rate))
        _valley(part, rate, leg, rep, found)
        found.reps.append(rep)
    found.not_measured["velocity"] = "the other foot carries force that the plate does not see"


def _valley(part: Floats, rate: float, leg: Side, rep: Rep, found: Analysis) -> None:
    """Braking and push-off are told apart at the valley between two peaks, where there is one."""
    from scipy.signal import find_peaks

    peaks, _ = find_peaks(part, prominence=0.08 * float(part.max()))
    if len(peaks) < 2:
        found.not_measured["braking and push-off impulse"] = "no valley between landing and push-off"
        return
    valley = int(peaks[0]) + int(np.argmin(part[peaks[0] : peaks[-1] + 1]))
    rep.add_value("impulse-braking", leg, float(np.trapezoid(part[: valley + 1], dx=1 / rate)))
    rep.add_value("impulse-push", leg, float(np.trapezoid(part[valley:], dx=1 / rate)))
    rep.add_value("push-off", leg, (part.size - valley) / rate)
