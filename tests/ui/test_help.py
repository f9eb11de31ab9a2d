"""Help pages: made of the knowledge files, found by the profession's words, opened by F1 from what is chosen."""

from __future__ import annotations

import re
from html.parser import HTMLParser

import hands
import pytest
from click.testing import CliRunner
from PyQt6.QtCore import Qt, QTimer, QUrl
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication

from tuning.cli import main
from tuning.exchange.html.handbook import KINDS, help_pages
from tuning.knowledge import load
from tuning.ui.help_dialog import HelpDialog

KNOWLEDGE = load()
PAGES = help_pages(KNOWLEDGE)


def words(page) -> str:
    return re.sub(r"<[^>]+>", " ", page.body)


def test_everything_that_is_known_has_a_page_and_every_link_leads_to_one():
    rungs = [rung.id for ladder in KNOWLEDGE.ladders.values() for rung in ladder.rungs]
    wanted = {"measure": KNOWLEDGE.measures, "test": KNOWLEDGE.tests, "pattern": KNOWLEDGE.reasoning.patterns,
              "factor": KNOWLEDGE.reasoning.factors, "exercise": rungs}  # fmt: skip
    assert set(wanted) == set(KINDS)
    assert {f"{kind}:{key}" for kind, keys in wanted.items() for key in keys} <= set(PAGES)
    links = {link for page in PAGES.values() for link in re.findall(r'href="([^"]+)"', page.body)}
    assert links <= set(PAGES) and len(links) > 250
    assert all(page.name and words(page).strip() and "{" not in page.body for page in PAGES.values())


def test_a_measure_says_its_error_its_band_where_both_come_from_and_where_it_is_taken():
    page, m = PAGES["measure:knee-to-wall"], KNOWLEDGE.measures["knee-to-wall"]
    text = words(page)
    for told in (m.definition, f"±{m.sem:g} cm", m.sem_source, f"{m.band:g} cm", m.band_source, "Right minus left"):
        assert told in text
    assert 'href="test:knee-to-wall"' in page.body and 'href="factor:ankle-dorsiflexion"' in page.body


def test_an_exercise_shows_steps_dose_faults_with_cues_and_what_it_needs():
    rung = KNOWLEDGE.rung("sd-3-knee-forward")
    text = words(PAGES["exercise:sd-3-knee-forward"])
    assert "step of 10 cm" in text.lower() and rung.dose.text.rstrip(".") in text
    assert all(KNOWLEDGE.faults[key].cue in text for key in rung.faults)
    assert PAGES["exercise:sd-3-knee-forward"].figure


def test_the_command_writes_one_file_that_fetches_nothing_and_is_well_formed(tmp_path):
    run = CliRunner().invoke(main, ["handbook", str(tmp_path / "help.html")])
    assert run.exit_code == 0
    text = (tmp_path / "help.html").read_text()
    open_tags, ids, links = [], set(), set()

    class Reader(HTMLParser):
        def handle_starttag(self, tag, attrs):
            found = dict(attrs)
            ids.add(found.get("id"))
            links.add(found.get("href"))
            assert "src" not in found
            if tag not in ("meta", "br", "polygon"):
                open_tags.append(tag)

        def handle_endtag(self, tag):
            if tag != "polygon":
                assert open_tags.pop() == tag

    Reader().feed(text)
    assert not open_tags and {link[1:] for link in links - {None}} <= ids and text.count("<svg") > 80
    assert "http://" not in text.replace("http://www.w3.org/2000/svg", "") and "https://" not in text


@pytest.fixture
def dialog(qtbot):
    made = HelpDialog(None, PAGES, KNOWLEDGE.search.same, "test:knee-to-wall")
    qtbot.addWidget(made)
    made.show()
    return made


def test_pages_are_found_followed_gone_back_and_saved(dialog, tmp_path):
    assert dialog.key == "test:knee-to-wall" and not dialog.back.isEnabled()
    QTest.keyClicks(dialog.field, "trendelenburg")
    assert dialog.list.count() and "pelvis level" in dialog.list.item(0).text()
    QTest.keyClick(dialog.field, Qt.Key.Key_Return)
    assert "pelvis level" in dialog.title.text()
    dialog.text.anchorClicked.emit(QUrl("factor:hip-abductor-strength"))
    assert dialog.title.text() == KNOWLEDGE.reasoning.factors["hip-abductor-strength"].name
    dialog.back.click()
    dialog.back.click()
    assert dialog.key == "test:knee-to-wall"
    dialog.save(tmp_path / "all.html")
    assert (tmp_path / "all.html").stat().st_size > 100_000 and "Saved" in dialog.words.text()
    dialog.save(tmp_path / "no such folder" / "all.html")
    assert "could not" in dialog.words.text().lower() or "no such" in dialog.words.text().lower()


@pytest.mark.parametrize(
    ("stage", "prepare", "key"),
    [
        ("programme", lambda w: w.page("programme").state.choose(KNOWLEDGE.rung("cr-2-standard")), "exercise:cr-2"),
        ("mobility", lambda w: w.page("mobility").open_test(KNOWLEDGE.tests["hip-9090"]), "test:hip-9090"),
        ("strength", lambda w: w.page("strength").state.choose("hip-er:left"), "test:hip-er"),
        ("force", lambda w: w.page("force").state.choose("squat-iso", None), "test:plates-squat-iso"),
        ("reasoning", lambda w: None, "factor:"),
    ],
)  # fmt: skip
def test_f1_opens_the_page_of_what_is_chosen(window, patient, monkeypatch, stage, prepare, key):
    patient("glassblower", stage)
    prepare(window)
    hands.settle()
    seen = []

    def look():
        seen.append(getattr(QApplication.activeModalWidget(), "key", None))
        QApplication.activeModalWidget().reject()

    focus = QApplication.focusWidget()
    if focus is not None:
        focus.clearFocus()
    monkeypatch.setattr(QApplication, "focusWidget", lambda: window.page(stage))
    QTimer.singleShot(0, look)
    window.explain()
    assert seen[0] in PAGES and seen[0].startswith(key)
