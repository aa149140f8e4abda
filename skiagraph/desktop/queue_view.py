"""The queue on Hand over: what is written now and how far it is, what comes next, what became of the rest."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QProgressBar, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import column, icon_button, line, push_button, quiet, scrolled, section
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import counted, tr
from skiagraph.handover.queue import Job, State
from skiagraph.handover.worker import News
from skiagraph.jobs import format_left
from skiagraph.review.proof import Fact

# Px for what is written and where to, beside the name.
ROOM = 420


def colour_of(job: Job) -> str:
    """Of what became of a job."""
    if job.state == State.FAILED or job.findings > 0:
        return theme.MADDER
    if job.state == State.DONE:
        return theme.VERDIGRIS if job.findings == 0 or not job.clip else theme.OCHRE
    return theme.PAPER if job.state == State.RUNNING else theme.QUIET


class JobRow(QFrame):
    """One job. wished: (what, key) of cancel, retry, earlier, later, open."""

    wished = Signal(str, str)

    def __init__(self, job: Job, first: bool, last: bool, unfolded: bool, parent: QWidget | None = None):
        """first, last: among those that wait; unfolded: what was checked is shown."""
        super().__init__(parent)
        self.setObjectName("panel")
        self.job, self.how = job, (job, first, last, unfolded)
        rows = column(margin=2 * GRID, spacing=GRID, parent=self)
        rows.setContentsMargins(3 * GRID, 2 * GRID, 3 * GRID, 2 * GRID)
        row = line(spacing=3 * GRID)
        rows.addLayout(row)
        name = QLabel(job.title)
        name.setToolTip(str(job.folder))
        name.setStyleSheet("font-weight: 700;")
        row.addWidget(name)
        place = quiet("")
        what, metrics = f"{job.told} · " if job.told else "", place.fontMetrics()
        place.setText(
            what
            + metrics.elidedText(
                str(job.folder), Qt.TextElideMode.ElideMiddle, max(80, ROOM - metrics.horizontalAdvance(what))
            )
        )
        place.setToolTip(str(job.folder))
        row.addWidget(place)
        row.addStretch(1)
        if job.state == State.WAITING:
            row.addWidget(quiet("next" if first else "waits"))
        self._buttons(row, first, last)
        self._bar = QProgressBar()
        self._bar.setTextVisible(False)
        self._bar.setRange(0, 1000)
        self._said = QLabel(job.said or (tr("begins") if job.state == State.RUNNING else ""))
        self._said.setWordWrap(True)
        self._said.setStyleSheet(f"color: {colour_of(job)};")
        self._far = quiet("")
        self._far.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if job.state == State.RUNNING:
            self._far.setMinimumWidth(220)
            progress = line(spacing=3 * GRID)
            progress.addWidget(self._said)
            progress.addWidget(self._bar, 1)
            progress.addWidget(self._far)
            self._said.setWordWrap(False)
            rows.addLayout(progress)
        elif job.state != State.WAITING:
            below = line(spacing=3 * GRID)
            below.addWidget(self._said, 1)
            if job.facts or job.notes:
                fold = push_button(
                    "▾  What was checked" if unfolded else "▸  What was checked",
                    "link",
                    "What was compared with the source and your decisions, line by line",
                )
                fold.clicked.connect(lambda: self.wished.emit("unfold", job.key))
                below.addWidget(fold)
            rows.addLayout(below)
            if unfolded:
                for note in job.notes:
                    rows.addWidget(quiet(note, wrap=True))
                rows.addLayout(told(job.facts))

    def _buttons(self, row, first: bool, last: bool) -> None:
        job = self.job

        def add(widget, what: str) -> None:
            widget.clicked.connect(lambda: self.wished.emit(what, job.key))
            row.addWidget(widget)

        if job.state == State.WAITING:
            for name, tip, what, off in (
                ("up", "Do this earlier", "earlier", first),
                ("down", "Do this later", "later", last),
            ):
                button = icon_button(name, tip)
                button.setEnabled(not off)
                add(button, what)
        if job.is_open:
            add(
                push_button(
                    "Cancel",
                    "small",
                    (
                        "Take it out of the queue"
                        if job.state == State.WAITING
                        else "Stop it; nothing of it is left, and files that were whole stay"
                    ),
                ),
                "cancel",
            )
        if job.state in (State.FAILED, State.CANCELLED):
            add(push_button("Try again", "small", "Let it wait again, at the end"), "retry")
        if job.state == State.DONE:
            add(push_button("Open folder", "small", str(job.folder)), "open")

    def show_held(self) -> None:
        """It waits where it is."""
        self._said.setText(tr("Held"))

    def show_news(self, news: News) -> None:
        progress = news.progress
        self._said.setText(tr(progress.step))
        self._bar.setValue(round(1000 * (progress.share or 0)))
        speed = progress.rate or (progress.done / progress.elapsed_s if progress.elapsed_s > 1 else 0.0)
        rate = (
            tr(", {rate} frames/s", rate=f"{speed:.3g}")
            if speed and progress.step != "Reading the file for its SHA-256"
            else ""
        )
        self._far.setText(
            f"{progress.done} / {progress.total or '?'}{rate}"
            + (f" · {format_left(news.left_s)}" if news.left_s is not None else "")
        )

    @property
    def text(self) -> str:
        return self._said.text()


class QueueView(QWidget):
    """wished: (what, key) of a job; paused: somebody wants the queue to be held, or to go on; clearPressed."""

    wished = Signal(str, str)
    paused = Signal(bool)
    clearPressed = Signal()

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        layout = column(spacing=2 * GRID, parent=self)
        head = line(spacing=2 * GRID)
        head.addWidget(section("Queue"), 1)
        self._all = quiet("")
        self.pause = push_button("Pause", "small", "Hold what is written now, and begin nothing new")
        self.pause.setCheckable(True)
        self.pause.clicked.connect(self.paused)
        self.clear = push_button(
            "Clear what ended", "small", "Take what ended off this list; files that were written stay"
        )
        self.clear.clicked.connect(self.clearPressed)
        for widget in (self._all, self.pause, self.clear):
            head.addWidget(widget)
        layout.addLayout(head)
        self._scroll, self._list = scrolled()
        layout.addWidget(self._scroll, 1)
        self._empty = quiet(
            "What is handed over is listed here, with how far it is. It goes on in this order while you work, also when"
            " the window was closed in between, and one that fails leaves the others.",
            wrap=True,
        )
        self._empty.setAlignment(Qt.AlignmentFlag.AlignTop)
        layout.addWidget(self._empty, 1)
        self.rows: dict[str, JobRow] = {}
        self._jobs: tuple[Job, ...] = ()
        self._unfolded: set[str] = set()

    def show_jobs(self, jobs: Sequence[Job], paused: bool) -> None:
        """Every job, what runs and waits first."""
        self._jobs = tuple(jobs)
        self.pause.setChecked(paused)
        self.pause.setText(tr("Go on" if paused else "Pause"))
        order = {State.RUNNING: 0, State.WAITING: 1}
        waiting = [job.key for job in jobs if job.state == State.WAITING]
        # Rows that say the same stay: a list of hundreds is not made anew for each job that ends.
        former, self.rows = self.rows, {}
        for n, job in enumerate(sorted(jobs, key=lambda job: order.get(job.state, 2))):
            how = job, job.key in waiting[:1], job.key in waiting[-1:], job.key in self._unfolded
            row = former.pop(job.key) if job.key in former and former[job.key].how == how else None
            if row is None:
                row = JobRow(*how)
                row.wished.connect(self._wish)
            at = self._list.itemAt(n)
            if at is None or at.widget() is not row:
                self._list.insertWidget(n, row)
            self.rows[job.key] = row
            if paused and job.state == State.RUNNING:
                row.show_held()
        for row in former.values():
            self._list.removeWidget(row)
            row.hide()
            row.deleteLater()
        self._scroll.setVisible(bool(jobs))
        self._empty.setVisible(not jobs)
        self.pause.setVisible(bool(waiting) or any(job.state == State.RUNNING for job in jobs))
        self.clear.setVisible(any(not job.is_open for job in jobs))
        self._show_all(None)

    def show_news(self, news: News) -> None:
        row = self.rows.get(news.job.key)
        if row is not None and news.progress is not None:
            row.show_news(news)
            if self.pause.isChecked():
                row.show_held()
            self._show_all(news.all_left_s)

    def _show_all(self, left: float | None) -> None:
        """How many are left, and for how long."""
        still = sum(job.is_open for job in self._jobs)
        text = counted(still, "1 left", "{n} left") if still else tr("all done") if self._jobs else ""
        if still and self.pause.isChecked():
            text += tr(" · paused")
        elif still and left is not None:
            text += f" · {format_left(left).removesuffix(' left')}"
        self._all.setText(text)

    def _wish(self, what: str, key: str) -> None:
        if what == "unfold":
            self._unfolded ^= {key}
            self.show_jobs(self._jobs, self.pause.isChecked())
            return
        self.wished.emit(what, key)

    @property
    def summary(self) -> str:
        return self._all.text()


def told(facts: Sequence[Fact]) -> QGridLayout:
    """What a check compared, a line each."""
    grid = QGridLayout()
    grid.setContentsMargins(2 * GRID, GRID, 0, 0)
    grid.setHorizontalSpacing(4 * GRID)
    grid.setVerticalSpacing(GRID // 2)
    grid.setColumnStretch(1, 1)
    for n, fact in enumerate(facts):
        what, result = quiet(fact.what), QLabel(fact.result)
        result.setWordWrap(True)
        for label in (what, result):
            label.setStyleSheet(
                "font-size: 12px; color:"
                f" {theme.MADDER if fact.good is False else theme.QUIET if label is what else theme.PAPER};"
            )
        what.setAlignment(Qt.AlignmentFlag.AlignTop)
        grid.addWidget(what, n, 0)
        grid.addWidget(result, n, 1)
    return grid
