"""The report of a project: what was decided and by whom, what covers it, what was found and answered, and what was
proved of the files that leave. A form of it is a file of its own here."""

from skiagraph.review.report.facts import Report, report_of
from skiagraph.review.report.form import FORMS, form_for, write_report
from skiagraph.values import load_kinds

load_kinds(__name__, list(__path__))

__all__ = ["FORMS", "Report", "form_for", "report_of", "write_report"]
