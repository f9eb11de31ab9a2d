"""The page for the phone, filled in by a real browser without a network, and read back."""

from __future__ import annotations

import json
import shutil
from collections.abc import Iterator
from datetime import date, timedelta
from pathlib import Path

import pytest
from playwright.sync_api import Page, sync_playwright

from tuning.exchange.html.log_page import LogExercise, log_page
from tuning.exchange.json.home_log import only_new, owner_mark, read_home_log
from tuning.exchange.json.log_code import read_code

ANNA = owner_mark("0198-anna")
RUNG, BOTH = "sd-1-hold-taps", "hb-1-calf"
HOSTILE = "</script><script>document.title='taken'</script><!-- <img src=x onerror=alert(1)>"
EXERCISES = (
    LogExercise(
        RUNG, f"Hold {HOSTILE}", "3 holds of 20 s", ("Stand.", HOSTILE), ("left", "right"), "buttock", "PHN2Zy8+"
    ),
    LogExercise(BOTH, "Calf raise", "3 sets of 12", ("Rise.",), ("none",), "calf"),
)


@pytest.fixture
def phone(tmp_path: Path) -> Iterator[Page]:
    chromium = shutil.which("chromium") or shutil.which("chromium-browser")
    assert chromium, "./check sets a browser up"
    (tmp_path / "log.html").write_text(log_page(ANNA, EXERCISES, "Stop when it is sharp <b>.", 2), encoding="utf-8")
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=chromium, args=["--no-sandbox"])
        context = browser.new_context(viewport={"width": 390, "height": 844}, offline=True, accept_downloads=True)
        page = context.new_page()
        asked: list[str] = []
        page.on("request", lambda request: asked.append(request.url))
        page.goto((tmp_path / "log.html").as_uri())
        yield page
        outside = [url for url in asked if not url.startswith(("file:", "data:", "blob:"))]
        browser.close()
    assert not outside, "the page asks nobody for anything"


def choose(page: Page, rung: str, side: str, field: str, value: str) -> None:
    place = f'[data-rung="{rung}"][data-side="{side}"] [data-field="{field}"] [data-value="{value}"]'
    page.locator(place).click()


def saved(page: Page, target: Path) -> Path:
    with page.expect_download() as waiting:
        page.locator("#save").click()
    waiting.value.save_as(target)
    return target


def test_a_day_is_filled_in_and_read_back(phone: Page, tmp_path: Path):
    assert phone.title() == "My exercises" and "Hold </script>" in phone.locator("h2").first.inner_text()
    today = date.today()
    day = (today - timedelta(days=1)).isoformat()
    phone.locator("#day").fill(day)
    phone.locator("#keep").click()
    assert "Press Done" in phone.locator("#told").inner_text()
    choose(phone, RUNG, "left", "done", "true")
    for field, value in (("pain", "6"), ("felt", "wrong"), ("many", "30"), ("alarms", "giving_way")):
        if field != "alarms":
            phone.locator("#keep").click()
            assert "choose the worst pain" in phone.locator("#told").inner_text(), "what is not told is not well"
        choose(phone, RUNG, "left", field, value)
    for field, value in (("done", "true"), ("pain", "0"), ("felt", "there"), ("many", "0")):
        choose(phone, BOTH, "none", field, value)
    phone.locator("#keep").click()
    assert "call the clinic" in phone.locator("#told").inner_text()
    phone.locator("#day").fill(today.isoformat())
    phone.locator('#morning [data-value="not settled"]').click()
    phone.locator("#keep").click()
    done = read_home_log(saved(phone, tmp_path / "home.json"), ANNA, {RUNG, BOTH}, today)
    left, calf = sorted(done, key=lambda d: d.rung, reverse=True)
    assert (left.rung, left.side, left.day.isoformat(), left.pain, left.faulty) == (RUNG, "left", day, 6, 30)
    assert left.wrong and not left.felt and left.alarms == ("giving way",) and left.morning == "not settled"
    assert (calf.rung, calf.side, calf.pain, calf.felt, calf.morning) == (BOTH, "none", 0, True, "not settled")
    assert only_new(done, done) == ([], [])


def test_the_log_outlives_closing_the_page_and_buttons_are_large(phone: Page, tmp_path: Path):
    choose(phone, BOTH, "none", "done", "true")
    for field, value in (("pain", "10"), ("felt", "there"), ("many", "0")):
        choose(phone, BOTH, "none", field, value)
    phone.locator("#keep").click()
    phone.reload()
    assert "1 lines" in phone.locator("#kept").inner_text()
    assert [line["pain"] for line in json.loads(saved(phone, tmp_path / "home.json").read_text())["log"]] == [10]
    sizes = phone.eval_on_selector_all("button", "all => all.map(b => b.getBoundingClientRect().height)")
    assert min(sizes) >= 48 and len(sizes) > 30
    bea = tmp_path / "bea.html"
    bea.write_text(log_page(owner_mark("0198-bea"), EXERCISES, "Stop.", 2), encoding="utf-8")
    phone.goto(bea.as_uri())
    assert not phone.locator("#kept").inner_text(), "two people on one phone keep two logs"
    assert phone.evaluate("document.documentElement.scrollWidth <= window.innerWidth"), "nothing runs off the side"


def test_the_code_that_the_page_shows_is_what_the_program_reads(phone: Page, tmp_path: Path):
    """Whatever was kept, of both legs and of both together, day by day, comes back by code as by file."""
    phone.locator("#code").click()
    assert "Nothing is kept" in phone.locator("#told").inner_text() and not phone.locator("#shown").is_visible()
    today = date.today()
    marks = ((RUNG, "left", "3", "there", "10", "swelling"), (RUNG, "right", "0", "not", "60", "numb"),
             (BOTH, "none", "10", "wrong", "0", "painkiller"))  # fmt: skip
    for ago in (3, 1):
        phone.locator("#day").fill((today - timedelta(days=ago)).isoformat())
        for rung, side, pain, felt, many, alarm in marks:
            for field, value in (("done", "true"), ("pain", pain), ("felt", felt), ("many", many), ("alarms", alarm)):
                choose(phone, rung, side, field, value)
        phone.locator('#morning [data-value="settled"]').click()
        phone.locator("#keep").click()
    phone.locator("#code").click()
    told = read_code(phone.locator("#shown").input_value(), ANNA, {RUNG, BOTH}, today)
    from_file = read_home_log(saved(phone, tmp_path / "home.json"), ANNA, {RUNG, BOTH}, today)
    assert len(told) == 6 and sorted(told, key=repr) == sorted(from_file, key=repr)
