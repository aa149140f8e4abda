"""The report for other programs: all its values as JSON."""

from __future__ import annotations

import json
from dataclasses import asdict

from skiagraph.review.report.facts import Report
from skiagraph.review.report.form import report_form

VERSION = 1


@report_form(".json", "JSON")
def as_json(report: Report) -> bytes:
    """UTF-8, with `format` and `version` beside the fields of Report."""
    return (
        json.dumps({"format": "skiagraph-report", "version": VERSION, **asdict(report)}, indent=2, ensure_ascii=False)
        + "\n"
    ).encode()
