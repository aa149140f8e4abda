"""The report as a PDF, A4, laid out with ReportLab.

Letters of all scripts come from a font that ships with the application, embedded.
"""

from __future__ import annotations

import io
from functools import lru_cache
from importlib.resources import files

from skiagraph.cover.lettering import visible
from skiagraph.review.report.facts import ClipFacts, FileFacts, PersonFacts, Report
from skiagraph.review.report.form import report_form
from skiagraph.review.report.told import bars, bytes_told, seconds_told, strength_told

FONT = "DejaVuSans"
INK, SOFT, HAIR, VERDIGRIS, OCHRE, MADDER, LILAC = (
    "#191716",
    "#6A635B",
    "#D9D2C6",
    "#2F7A63",
    "#946300",
    "#A8341F",
    "#5D4F8A",
)
# mm.
MARGIN, PAGE_WIDTH = 18, 210 - 36
# Points that ReportLab leaves free within a page's frame.
PADDING = 6


@report_form(".pdf", "PDF")
def as_pdf(report: Report) -> bytes:
    """A PDF with its fonts in it. It says when the report was made, and nothing of who made it."""
    from reportlab.lib.pagesizes import A4
    from reportlab.lib.units import mm
    from reportlab.platypus import SimpleDocTemplate

    _register_font()
    out = io.BytesIO()
    pages = SimpleDocTemplate(
        out,
        pagesize=A4,
        leftMargin=MARGIN * mm - PADDING,
        rightMargin=MARGIN * mm - PADDING,
        topMargin=16 * mm,
        bottomMargin=18 * mm,
        title=f"Report on covered footage: {report.project}",
        author="",
        creator="Skiagraph",
        lang="en",
        invariant=True,
    )
    parts = _head(report)
    for clip in report.clips:
        parts += _clip(clip)
    parts += _foot(report)

    def numbered(canvas, document) -> None:
        canvas.setFont(FONT, 7)
        canvas.setFillColor(SOFT)
        canvas.drawString(MARGIN * mm, 10 * mm, f"{report.project[:80]} · {report.made}")
        canvas.drawRightString((210 - MARGIN) * mm, 10 * mm, f"page {document.page}")

    pages.build(parts, onFirstPage=numbered, onLaterPages=numbered)
    return out.getvalue()


@lru_cache(maxsize=1)
def _register_font() -> None:
    from reportlab.pdfbase.pdfmetrics import registerFont
    from reportlab.pdfbase.ttfonts import TTFont

    with files("skiagraph.assets").joinpath("fonts", "DejaVuSans.ttf").open("rb") as file:
        registerFont(TTFont(FONT, io.BytesIO(file.read())))


def _text(words: str, size: float = 8.5, colour: str = INK, *, after: float = 0, heads: bool = False):
    """Words of a paragraph; whatever stands in them stands for itself. heads: it stays on one page with what
    follows."""
    from xml.sax.saxutils import escape

    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import Paragraph

    style = ParagraphStyle(
        f"{size}{colour}{after}{heads}",
        fontName=FONT,
        fontSize=size,
        leading=size * 1.38,
        textColor=colour,
        spaceAfter=after,
        keepWithNext=int(heads),
        splitLongWords=True,
    )
    shown = "\n".join(visible(line) for line in words.split("\n"))
    return Paragraph(escape(shown).replace("\n", "<br/>"), style)


def _stack(*parts) -> list:
    return [part for part in parts if part is not None]


def _table(rows: list[list], widths: list[float], *, headed: bool = False, ground: str = "#FFFFFF"):
    from reportlab.lib.units import mm
    from reportlab.platypus import Table

    style = [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, HAIR),
        ("LEFTPADDING", (0, 0), (-1, -1), 4),
        ("RIGHTPADDING", (0, 0), (-1, -1), 4),
        ("TOPPADDING", (0, 0), (-1, -1), 3),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 4),
        ("BACKGROUND", (0, 0), (-1, -1), ground),
    ]
    return Table(rows, colWidths=[w * mm for w in widths], style=style, repeatRows=int(headed), splitInRow=1)


def _head(report: Report) -> list:
    from reportlab.platypus import HRFlowable, Spacer

    version = f" · version “{report.version}”" if report.version else ""
    colour = VERDIGRIS if report.good else OCHRE
    verdict = _table([[_text(report.verdict, 11, colour)]], [PAGE_WIDTH], ground="#FBF9F5")
    return [
        _text("Report on covered footage", 20, after=4),
        _text(f"{report.project}{version} · {report.made}", 9, SOFT),
        _text(f"Covers: {report.house}", 9, SOFT, after=6),
        HRFlowable(width="100%", thickness=1.2, color=INK, spaceAfter=8),
        verdict,
        Spacer(1, 8),
    ]


def _section(words: str):
    return _text(words, 9.5, SOFT, after=3, heads=True)


def _clip(clip: ClipFacts) -> list:
    from reportlab.platypus import KeepTogether, Spacer

    by = f"; by {', '.join(clip.sheet.by)}" if clip.sheet.by else ""
    again = f", {clip.sheet.again} to be looked at again" if clip.sheet.again else ""
    facts = [
        (
            "Picture",
            (
                f"{clip.size}, {clip.rate}, {clip.frames} frames ({seconds_told(clip.seconds)}), {clip.begins} to"
                f" {clip.ends}"
            ),
        ),
        ("Search", clip.scan),
        ("Sound", "; ".join(clip.voices)),
        ("Source file", f"{bytes_told(clip.bytes)}\nSHA-256 {clip.sha256}"),
        ("Contact sheet", f"{clip.sheet.fine} of {clip.sheet.crops} pictures looked at and found fine{again}{by}"),
    ]
    parts: list = [
        Spacer(1, 10),
        KeepTogether(
            [
                _text(clip.name, 14, after=4),
                _table([[_text(k, colour=SOFT), _text(v)] for k, v in facts], [32, PAGE_WIDTH - 32]),
            ]
        ),
        Spacer(1, 7),
    ]
    parts += [_section("Who is in it")]
    if clip.people:
        heads = [
            _text(word, 7.5, SOFT)
            for word in ("Who", "Decision", "Decided by", "On screen", "When", "Cover and strength", "Findings")
        ]
        parts.append(
            _table(
                [heads, *(_person(clip, person) for person in clip.people)], [27, 24, 20, 17, 30, 36, 20], headed=True
            )
        )
    else:
        parts.append(_text("Nobody is known to be in it.", colour=SOFT))
    parts += [Spacer(1, 7), _section("Findings and answers")]
    if clip.findings:
        heads = [_text(word, 7.5, SOFT) for word in ("When", "What", "State")]
        rows = [
            [
                _text(f"{f.begin}\n{f.end}"),
                _stack(
                    _text(f.what + (f" · {f.who}" if f.who else ""), colour=MADDER if f.exposing else OCHRE),
                    _text(f.text),
                ),
                (
                    _text(f"accepted by {f.by}" + (f": {f.note}" if f.note else ""))
                    if f.state == "accepted"
                    else _text(f.state, colour=MADDER)
                ),
            ]
            for f in clip.findings
        ]
        parts.append(_table([heads, *rows], [24, 112, 38], headed=True))
    else:
        parts.append(_text("There were none.", colour=SOFT))
    parts += [Spacer(1, 7), _section("Files that were checked")]
    if not clip.delivered:
        parts.append(_text("None: no exported file of this clip was checked for this report.", colour=SOFT))
    for file in clip.delivered:
        parts += [_file(file), Spacer(1, 6)]
    return parts


def _person(clip: ClipFacts, person: PersonFacts) -> list:
    findings = [f"{person.open} open" if person.open else "", f"{person.accepted} accepted" if person.accepted else ""]
    strength = strength_told(person)
    colour = {"safe": VERDIGRIS, "weak": OCHRE}.get(person.safety, MADDER)
    kind = _text(person.kind, 7.5, SOFT) if person.kind != "person" else None
    return [
        _stack(_text(person.name), kind),
        _text(person.decision, colour=VERDIGRIS if person.covered else LILAC),
        _text(person.by or "not said"),
        _text(seconds_told(person.seconds)),
        _bar(clip, person),
        _stack(_text(person.cover), _text(strength, 7.5, colour) if strength else None),
        _text("\n".join(filter(None, findings)) or "none", colour=MADDER if person.open else INK),
    ]


def _bar(clip: ClipFacts, person: PersonFacts):
    """When somebody is in the picture, as bars along the clip."""
    from reportlab.graphics.shapes import Drawing, Rect
    from reportlab.lib.units import mm

    wide, tall = 27 * mm, 7
    drawing = Drawing(wide, tall + 3)
    drawing.add(Rect(0, 0, wide, tall, fillColor=_colour("#EFEAE1"), strokeColor=None))
    for begin, length in bars(clip, person):
        drawing.add(
            Rect(
                begin * wide,
                0,
                length * wide,
                tall,
                fillColor=_colour(VERDIGRIS if person.covered else "#A79BC8"),
                strokeColor=None,
            )
        )
    return drawing


def _colour(text: str):
    from reportlab.lib.colors import HexColor

    return HexColor(text)


def _file(file: FileFacts):
    version = f" · version “{file.version}”" if file.version else ""
    outcome = (
        _text("as decided", colour=VERDIGRIS)
        if file.is_good
        else _text(f"{len(file.findings)} to look at", colour=MADDER)
    )
    rows = [
        [outcome, _text(f"{file.name}{version} · {file.span} · checked in {seconds_told(file.seconds)}")],
        [_text("File", colour=SOFT), _text(f"{bytes_told(file.bytes)}\nSHA-256 {file.sha256}")],
    ]
    rows += [
        [_text(fact.what, colour=SOFT), _text(fact.result, colour=MADDER if fact.good is False else INK)]
        for fact in file.facts
    ]
    rows += [
        [_text(f.what, colour=MADDER), _text(f"{f.begin} to {f.end}{f' · {f.who}' if f.who else ''}: {f.text}")]
        for f in file.findings
    ]
    return _table(rows, [38, PAGE_WIDTH - 38])


def _foot(report: Report) -> list:
    from reportlab.platypus import Spacer

    how = (
        "Every exported file that is named here was decoded again, every frame of it. Covers were compared with what"
        " was decided, in the file's own pixels; its faces were searched for again; a recogniser was asked whether it"
        " still knows anybody under a cover, among the people of the clip; and what lies outside of covers was compared"
        " with the source. Nothing that a recogniser knows of a face was kept."
    )
    return [
        Spacer(1, 12),
        _text(how, 7.5, SOFT, after=4),
        _text(" · ".join(f"{name} {version}" for name, version in report.made_with), 7.5, SOFT),
    ]
