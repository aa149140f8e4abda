"""The report as one HTML page that needs nothing else: no script, no font, no picture from elsewhere."""

from __future__ import annotations

from importlib.resources import files

from skiagraph.review.report.facts import Report
from skiagraph.review.report.form import report_form
from skiagraph.review.report.told import bars, bytes_told, seconds_told


@report_form(".html", "HTML")
def as_html(report: Report) -> bytes:
    """UTF-8. Whatever people typed is escaped."""
    from jinja2 import Environment

    environment = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True)
    environment.filters.update(bytes=bytes_told, seconds=seconds_told)
    page = environment.from_string(
        files("skiagraph.assets").joinpath("report", "report.html").read_text(encoding="utf-8")
    )
    return page.render(report=report, bars=bars).encode()
