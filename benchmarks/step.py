"""How long a one-frame step takes after warm-up, against copying one frame: `python benchmarks/step.py`."""

from __future__ import annotations

import statistics
import time

import numpy as np

from tuning.demo.clips import CLIPS
from tuning.video import open_source


def median_ms(work, arguments) -> float:
    times = []
    for argument in arguments:
        began = time.perf_counter()
        work(argument)
        times.append(1000 * (time.perf_counter() - began))
    return statistics.median(times)


def main() -> None:
    source = open_source(CLIPS["walk-rear"].path)
    picture = source.frame(100)
    copy = median_ms(lambda _: np.array(picture), range(50))
    for name, frames in (("forward", range(101, 151)), ("backward", range(149, 100, -1))):
        step = median_ms(source.frame, frames)
        print(f"step {name}: {step:.1f} ms, {step / copy:.1f} times copying a frame")
    print(f"held in memory: {source.cached_bytes / 2**20:.0f} MiB of a {len(source.times)}-frame clip")
    source.close()


main()
