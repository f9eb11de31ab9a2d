"""A report as one self-contained HTML page: styles and pictures inside, nothing fetched, nothing run."""

from __future__ import annotations

import base64
from html import escape
from pathlib import Path

from tuning.core.reports.content import Report, Section, Sentence
from tuning.exchange.files import write_whole
from tuning.exchange.pdf.report import Images

STYLE = """
body { font: 15px/1.5 Lato, "Noto Sans", sans-serif; color: #1F2A33; background: #F5F2EA; margin: 0; }
main { max-width: 46rem; margin: 2rem auto; padding: 2rem 2.5rem; background: #fff; overflow-wrap: anywhere; }
h1 { font-size: 1.9rem; margin: 0.3rem 0; } h2 { font-size: 1.1rem; margin: 1.4rem 0 0.3rem; }
.muted { color: #5B6670; } p { margin: 0.15rem 0; } hr { border: 0; border-top: 1px solid #D8D2C4; }
table { border-collapse: collapse; width: 100%; } td, th { text-align: left; vertical-align: top; padding: 0.2rem 0.6rem
0.2rem 0; border-bottom: 1px solid #D8D2C4; } th { font-weight: normal; color: #5B6670; }
img { max-width: 100%; } a { color: inherit; text-decoration: none; border-bottom: 1px dotted #1C6A72; }
@media print { body { background: #fff; } main { margin: 0; padding: 0; } }
"""


def report_html(report: Report, images: Images, links: bool = False) -> str:
    """The page. With `links` each sentence is a link to the first entry that it rests on (`entry:UID`)."""
    head = "".join(f'<p class="muted"><bdi>{escape(line)}</bdi></p>' for line in report.letterhead)
    made_up = "<p><b>Some values come from simulated devices.</b></p>" if report.simulated else ""
    shown = [s for s in report.sections if s.sentences or s.lines or any(p.shows in images for p in s.pictures)]
    sections = "".join(_section(section, images, links) for section in shown)
    return f"""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width">
<meta http-equiv="Content-Security-Policy" content="default-src 'none'; img-src data:; style-src 'unsafe-inline'">
<title>{escape(report.title)}</title><style>{STYLE}</style></head><body><main>
{head}<h1>{escape(report.title)}</h1>
<p class="muted">{report.days[1]} · <bdi>{escape(report.author)}</bdi>, {escape(report.role)}</p><hr>
<p><b><bdi>{escape(report.patient)}</bdi></b>, born {report.days[0]}</p>{made_up}
{sections}
<hr><p class="muted">{escape(report.closing)} {escape(report.scope)}</p></main></body></html>
"""


def write_html(report: Report, images: Images, target: Path) -> None:
    """Write the page to `target`, complete or not at all. Raises EnvironmentFault."""
    write_whole(report_html(report, images).encode(), target, "The report")


def _section(section: Section, images: Images, links: bool) -> str:
    parts = [f"<h2>{escape(section.heading)}</h2>"]
    parts += [f"<p>{_linked(sentence, links)}</p>" for sentence in section.sentences]
    if section.lines:
        head = "".join(f"<th>{escape(cell)}</th>" for cell in section.head)
        rows = "".join(
            f"<tr>{''.join(f'<td>{_linked(Sentence(cell, line.rests), links)}</td>' for cell in line.cells)}</tr>"
            for line in section.lines
        )
        parts.append(f"<table><tr>{head}</tr>{rows}</table>")
    for picture in section.pictures:
        if picture.shows in images:
            data = base64.b64encode(images[picture.shows]).decode()
            words = escape(picture.caption.text)
            parts.append(f'<p><img alt="{words}" src="data:image/png;base64,{data}"></p>')
            parts.append(f'<p class="muted">{_linked(picture.caption, links)}</p>')
    return "\n".join(parts)


def _linked(sentence: Sentence, links: bool) -> str:
    words = f"<bdi>{escape(sentence.text)}</bdi>"
    return f'<a href="entry:{escape(sentence.rests[0])}">{words}</a>' if links and sentence.rests else words
