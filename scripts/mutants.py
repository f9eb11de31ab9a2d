"""How many small defects the tests find: `python scripts/mutants.py [--each 300] [--seed 11] [--room gate]`.

Each mutant is one change of one expression in a copy of the tree; the tests nearest to it must
fail: those that run its line are asked, the quickest first.
Mutations come from mutmut; changed words are left out, sentences are read by people.
Survivors are listed in --survivors, the table goes to docs/mutants.md.
"""

from __future__ import annotations

import multiprocessing
import os
import random
import re
import resource
import shutil
import subprocess
import sys
import tempfile
from collections import Counter, defaultdict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from queue import Queue
from xml.etree import ElementTree

import click
import coverage
import libcst as cst
import pytest
from mutmut.mutation.file_mutation import Mutation, create_mutations, deep_replace

ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "tuning"
ROOMS = (
    "core/judging", "core/gate", "core/movement/tasks", "core/force", "core/programme", "core/review",
    "core/reasoning", "core/reports", "core/visit", "exchange", "records",
)  # fmt: skip
"""Rooms whose numbers and decisions carry meaning, and what goes out of the house or is kept."""
TESTED_IN = ("core", "exchange", "records")
"""Where their tests are; those of the window are too slow to be asked of every defect."""
LONGEST_S = 240
"""Of the processor, so that a busy machine makes no defect look found; four times that by the clock."""
Tests = list[str]
"""Files or single tests of pytest, in the order in which they run."""
WARM = multiprocessing.get_context("forkserver")
"""Each trial is a new process that finds the libraries imported already; they are half of a short one's time."""
LIBRARIES = ["pytest", "numpy", "scipy.signal", "scipy.stats", "scipy.optimize", "scipy.interpolate"]
WATCHED = """
import sys, coverage, pytest
seen = coverage.Coverage(data_file=".coverage", source=["src"])
class Contexts:
    @pytest.hookimpl(wrapper=True)
    def pytest_runtest_call(self, item):
        seen.switch_context(item.nodeid.partition("[")[0])
        try:
            return (yield)
        finally:
            seen.switch_context("")
seen.start()
code = pytest.main(sys.argv[1:], plugins=[Contexts()])
seen.stop()
seen.save()
sys.exit(code)
"""
"""Which test runs which line: told by pytest, since hypothesis calls a test by another name than its own."""
PAGE = """# What the tests find

Small defects put into the modules that carry meaning, one at a time, and how many of them the
nearest tests find: `python scripts/mutants.py --each {each} --seed {seed}`. Changed words are left
out. What survives is either the same program in other words (a `>` that is a `>=` between
numbers that never meet) or a test to write.

| room | mutants | found | share |
|---|---|---|---|
{rows}
"""


@dataclass(frozen=True)
class Mutant:
    """A module and the one expression of it that changes."""

    file: Path
    module: cst.Module
    mutation: Mutation

    @property
    def code(self) -> str:
        """The changed module."""
        changed = deep_replace(self.module, self.mutation.original_node, self.mutation.mutated_node)
        assert isinstance(changed, cst.Module)
        return changed.code

    @property
    def told(self) -> str:
        """Where and what, on one line."""
        nodes = (self.mutation.original_node, self.mutation.mutated_node)
        was, now = (cst.Module([]).code_for_node(n).strip() for n in nodes)
        return re.sub(r"\s+", " ", f"{self.file.relative_to(ROOT)}:{self.line}: {was}  ->  {now}")[:160]

    @property
    def line(self) -> int:
        """The first line that changes."""
        lines = zip(self.module.code.splitlines(), self.code.splitlines(), strict=False)
        return next((n for n, (a, b) in enumerate(lines, 1) if a != b), 0)


def _is_words(mutation: Mutation) -> bool:
    """A changed text, or a sentence that is no longer passed on."""
    node = mutation.original_node
    if isinstance(node, cst.SimpleString | cst.ConcatenatedString | cst.FormattedString):
        return True
    code = cst.Module([]).code_for_node(node)
    return re.match(r"(\w*Error|NotMeasured|BadInput|Refused)\(", code) is not None


def mutants_of(file: Path) -> list[Mutant]:
    """Every mutant of a module."""
    module, mutations, _, _ = create_mutations(str(file), file.read_text())
    return [Mutant(file, module, mutation) for mutation in mutations if not _is_words(mutation)]


def copy_of_tree(folder: Path) -> Path:
    """Source, tests and what they read, for one worker."""
    for name in ("src", "tests", "scripts", "docs"):
        shutil.copytree(ROOT / name, folder / name, ignore=shutil.ignore_patterns("__pycache__"))
    shutil.copy(ROOT / "pyproject.toml", folder)
    return folder


def _tests_in(tree: Path, files: list[str]) -> None:
    """Run tests in this process, on the source of one copy of the tree."""
    os.environ["PYTHONPATH"] = str(tree / "src")
    resource.setrlimit(resource.RLIMIT_CPU, (LONGEST_S, LONGEST_S))
    sys.dont_write_bytecode = True
    sys.path.insert(0, str(tree / "src"))
    os.chdir(tree)
    with Path(os.devnull).open("w") as nowhere:
        os.dup2(nowhere.fileno(), 1)
        os.dup2(nowhere.fileno(), 2)
    os._exit(pytest.main(["-x", "-q", "-n", "0", "-p", "no:cacheprovider", *files]))


def files_of(room: str) -> Tests:
    """Every test file that names the room, within a copy of the tree; a new one is counted without being listed."""
    package = re.compile(rf"\btuning\.{room.replace('/', '.')}\b")
    files = [f for folder in TESTED_IN for f in sorted((ROOT / "tests" / folder).glob("test_*.py"))]
    return [str(f.relative_to(ROOT)) for f in files if package.search(f.read_text())]


def tests_by_line(room: str, tree: Path) -> dict[tuple[str, int], Tests]:
    """The tests that run each line of a room, the quickest first; no entry where fixtures or imports run it, too."""
    command = [sys.executable, "-c", WATCHED, "-q", "-n", "0", "--junitxml=times.xml", *files_of(room)]
    run = subprocess.run(command, cwd=tree, capture_output=True, text=True,
                         env={**os.environ, "PYTHONPATH": str(tree / "src")}, check=False)  # fmt: skip
    if run.returncode != 0:
        raise click.ClickException(
            f"The tests of {room} fail without any defect; nothing can be counted.\n{run.stdout[-2000:]}"
        )
    took: dict[str, float] = defaultdict(float)
    for case in ElementTree.parse(tree / "times.xml").iter("testcase"):
        path = case.attrib["classname"].replace(".", "/")
        took[f"{path}.py::{case.attrib['name'].partition('[')[0]}"] += float(case.attrib["time"])
    seen = coverage.CoverageData(str(tree / ".coverage"))
    seen.read()
    found: dict[tuple[str, int], Tests] = {}
    for file in seen.measured_files():
        for line, contexts in seen.contexts_by_lineno(file).items():
            if "" not in contexts:
                found[str(Path(file).relative_to(tree)), line] = sorted(contexts, key=lambda test: took[test])
    return found


def passes(tests: Tests, tree: Path) -> bool:
    """Whether the tests pass in a copy of the tree; never ending is noticed like failing."""
    child = WARM.Process(target=_tests_in, args=(tree, tests))
    child.start()
    child.join(4 * LONGEST_S)
    if child.is_alive():
        child.kill()
        child.join()
    return child.exitcode == 0


def is_found(mutant: Mutant, nearest: Tests, tests: Tests, tree: Path) -> bool:
    """Whether the tests that run its line fail on it in a copy of the tree, which is put right again.

    All tests of the room are asked where fixtures or imports run the line; no other test could tell.
    """
    target = tree / mutant.file.relative_to(ROOT)
    kept = target.read_text()
    try:
        target.write_text(mutant.code)
        return not passes(nearest or tests, tree)
    finally:
        target.write_text(kept)


def row_of(room: str, each: int, seed: int, trees: Queue[Path], survivors: list[str]) -> str:
    """One line of the table."""
    every = [mutant for file in sorted((SOURCE / room).rglob("*.py")) for mutant in mutants_of(file)]
    chosen = random.Random(seed).sample(every, min(each, len(every)))
    first = trees.get()
    running = tests_by_line(room, first)
    trees.put(first)

    count = Counter[bool]()

    def tried(mutant: Mutant) -> bool:
        tree = trees.get()
        try:
            nearest = running.get((str(mutant.file.relative_to(ROOT)), mutant.line), [])
            hit = is_found(mutant, nearest, files_of(room), tree)
            if not hit:
                click.echo(mutant.told, err=True)
            count[hit] += 1
            click.echo(f"{room}: {count[True]} of {count.total()} found so far", err=True)
            return hit
        finally:
            trees.put(tree)

    with ThreadPoolExecutor(trees.qsize()) as pool:
        results = list(pool.map(tried, chosen))
    survivors += [mutant.told for mutant, hit in zip(chosen, results, strict=True) if not hit]
    share = 100 * sum(results) / len(results)
    return f"| {room} | {len(chosen)} of {len(every)} | {sum(results)} | {share:.0f} % |"


@click.command()
@click.option("--each", default=300, help="Mutants a room, at random.")
@click.option("--seed", default=11)
@click.option("--room", type=click.Choice(ROOMS), help="This one only; the page is left as it is.")
@click.option("--jobs", default=os.cpu_count() or 1)
@click.option("--survivors", type=click.Path(path_type=Path), help="Where to list those that no test found.")
def main(each: int, seed: int, room: str | None, jobs: int, survivors: Path | None) -> None:
    """Put defects in, one at a time, and count those that the tests find."""
    WARM.set_forkserver_preload(LIBRARIES)
    missed: list[str] = []
    rows = []
    with tempfile.TemporaryDirectory() as folder:
        trees: Queue[Path] = Queue()
        for n in range(jobs):
            trees.put(copy_of_tree(Path(folder) / str(n)))
        for name in (room,) if room else ROOMS:
            rows.append(row_of(name, each, seed, trees, missed))
            click.echo(rows[-1])
            if survivors is not None:
                survivors.write_text("\n".join(missed) + "\n")
    if room is None:
        (ROOT / "docs" / "mutants.md").write_text(PAGE.format(each=each, seed=seed, rows="\n".join(rows)))


if __name__ == "__main__":
    main()
