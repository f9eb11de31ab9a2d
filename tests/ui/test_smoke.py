"""The program starts on a real X server and paints its window."""

import os
import shutil
import subprocess
import sys
from pathlib import Path

PROGRAM = """
import sys
from pathlib import Path
from PyQt6.QtWidgets import QApplication
from tuning.ui import theme
from tuning.ui.app import TopWindow
app = QApplication([])
theme.apply(app)
frame = TopWindow(Path(sys.argv[1]))
frame.show()
app.processEvents()
frame.open()
for _ in range(30):
    app.processEvents()
image = frame.grab().toImage()
colours = {image.pixel(x, y) for x in range(0, image.width(), 7) for y in range(0, image.height(), 7)}
print(app.platformName(), image.width(), image.height(), len(colours), len(frame.window_in.day_list.lines()))
frame.close()
"""


def test_the_window_opens_under_x(demo_folder: Path, tmp_path: Path):
    folder = Path(shutil.copytree(demo_folder, tmp_path / "clinic"))
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1400x900x24"],
        pass_fds=[write],
        stderr=subprocess.DEVNULL,
    )
    os.close(write)
    try:
        with os.fdopen(read) as told:
            display = told.readline().strip()
        environment = {**os.environ, "QT_QPA_PLATFORM": "xcb", "DISPLAY": f":{display}"}
        run = subprocess.run(
            [sys.executable, "-c", PROGRAM, str(folder)],
            env=environment,
            capture_output=True,
            text=True,
            check=False,
            timeout=300,
        )
    finally:
        server.terminate()
        server.wait()
    assert run.returncode == 0, run.stderr
    platform, width, height, colours, people = run.stdout.split()
    assert (platform, width, height) == ("xcb", "1280", "800") and int(colours) > 20 and people == "5"


def test_simulated_weeks_through_the_workspace_break_no_rule():
    """The long run is scripts/programme_weeks.py; docs/programme-weeks.md holds its counts."""
    script = Path(__file__).parents[2] / "scripts" / "programme_weeks.py"
    run = subprocess.run(
        [sys.executable, str(script), "--weeks", "39", "--no-write"],
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
        capture_output=True,
        text=True,
        check=False,
        timeout=300,
    )
    assert run.returncode == 0, run.stderr
    table = run.stdout.partition("times |")[2].partition("\n\n")[0]
    rows = [line.strip("| ").split(" | ") for line in table.splitlines()]
    counts = [int(row[1]) for row in rows if len(row) == 2 and row[1].isdigit()]
    assert len(counts) == 6 and not any(counts), run.stdout
    assert "| confirm " in run.stdout and "| session |" in run.stdout
