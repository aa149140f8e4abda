"""The window: four steps along the top, one project under them."""

from __future__ import annotations

import os
from fractions import Fraction
from pathlib import Path

import platformdirs
from PySide6.QtCore import QEvent, QSettings, Qt, QTimer, QUrl
from PySide6.QtGui import QDesktopServices, QIcon
from PySide6.QtWidgets import (
    QApplication,
    QFileDialog,
    QInputDialog,
    QLabel,
    QLineEdit,
    QMainWindow,
    QMessageBox,
    QStackedWidget,
    QWidget,
)

from skiagraph import __version__
from skiagraph.demo.ship import write_demo
from skiagraph.desktop import theme
from skiagraph.desktop.actions import Actions
from skiagraph.desktop.controls import Notice, column, line, push_button, quiet
from skiagraph.desktop.cover_page import CoverPage
from skiagraph.desktop.document import Document
from skiagraph.desktop.footage_page import FootagePage
from skiagraph.desktop.handover_page import HandoverPage
from skiagraph.desktop.handover_work import HandoverWork
from skiagraph.desktop.help_sheet import HelpSheet
from skiagraph.desktop.job_runner import stop_all
from skiagraph.desktop.job_strip import JobStrip
from skiagraph.desktop.long_jobs import LongJobs
from skiagraph.desktop.portraits import Portraits
from skiagraph.desktop.review_page import ReviewPage
from skiagraph.desktop.review_work import ReviewWork
from skiagraph.desktop.session import Session
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.errors import SkiagraphError
from skiagraph.footage import relink
from skiagraph.footage.source import SourceState, state_of
from skiagraph.media.clip import FILM_SUFFIXES
from skiagraph.media.pictures import PICTURE_SUFFIXES, RATE, pictures_at
from skiagraph.project import edits, housing
from skiagraph.project.edit_list import SUFFIXES as LIST_SUFFIXES
from skiagraph.project.edit_list import read_programme
from skiagraph.project.file import SUFFIX
from skiagraph.project.model import Reach
from skiagraph.review.overview import clip_rows
from skiagraph.timecode import USUAL_RATES, rate_of

FOOTAGE, COVER, REVIEW, HANDOVER = range(4)
STEPS = (
    ("Footage", "Add clips and scan them (Ctrl+1)"),
    ("Cover", "Decide who is covered, and how (Ctrl+2)"),
    ("Review", "See where a cover may fail (Ctrl+3)"),
    ("Hand over", "Export the clips and check the files (Ctrl+4)"),
)
CREDITS = (
    "Face detector: YuNet (BSD 3-clause). Face landmarks and silhouettes: MediaPipe (Apache 2.0). Face descriptor:"
    " dlib's (CC0 1.0). Speech: Silero VAD (MIT). Voices: Resemblyzer (Apache 2.0). Font: Karla (SIL OFL 1.1). Origins"
    " and licences are in skiagraph/assets/licences, and in NOTICE."
)
# What the file dialog offers as clips.
CLIP_KINDS = " ".join(f"*{suffix}" for suffix in (*FILM_SUFFIXES, *PICTURE_SUFFIXES))
# px of the project's name in the bar at most.
PLACE = 150
# Recent projects that are remembered.
RECENT = 8


class MainWindow(QMainWindow):
    """Owns the document and the long jobs; the pages show them."""

    def __init__(self):
        super().__init__()
        self.setWindowTitle(tr("Skiagraph"))
        self.setWindowIcon(QIcon(theme.asset_folder("icons") + "/skiagraph.svg"))
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1024, 640)
        self.document = Document(self)
        self.session = Session(self.document, self)
        self.portraits = Portraits(self)
        self.footage, self.review, self.handover = FootagePage(), ReviewPage(), HandoverPage()
        self.cover = CoverPage(self.document, self.session, self.portraits)
        self.settings = QSettings("skiagraph", "skiagraph")
        self._build()
        self.jobs = LongJobs(self.document, self.notice, self.strip, self.intake, self)
        self.reviewing = ReviewWork(self.document, self.jobs, self.review, self.portraits, self.settings, self)
        self.handing = HandoverWork(self.document, self.handover, self.settings, self)
        self.actions_ = Actions(self)
        self.actions_.bar.setFixedHeight(30)
        self._menu_holder.insertWidget(1, self.actions_.bar, 0, Qt.AlignmentFlag.AlignVCenter)
        self._connect()
        self.show_step(FOOTAGE)
        self._refresh()
        self.actions_.refresh_recent(self.recent_projects())
        # What changes apply to stays as it was left.
        kept = str(self.settings.value("reach", ""))
        self.session.set_reach(Reach(kept) if kept in list(Reach) else self.session.reach)
        self.session.reachChanged.connect(lambda: self.settings.setValue("reach", str(self.session.reach)))
        place = self.settings.value("window")
        if place is not None:
            self.restoreGeometry(place)
        # What an earlier window left in the queue goes on.
        QTimer.singleShot(0, self.handing.start)

    def _build(self) -> None:
        body = QWidget()
        body.setObjectName("page")
        layout = column(spacing=0, parent=body)
        bar = QWidget()
        bar.setObjectName("topbar")
        bar.setFixedHeight(44)
        row = line(spacing=5 * GRID, parent=bar)
        row.setContentsMargins(4 * GRID, 0, 4 * GRID, 0)
        self._menu_holder = row
        brand = QLabel(tr("Skiagraph"))
        brand.setObjectName("brand")
        row.addWidget(brand)
        row.addSpacing(2 * GRID)
        self._steps = []
        for n, (name, tip) in enumerate(STEPS):
            button = push_button(name, "step", tip)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, n=n: self.show_step(n))
            self._steps.append(button)
            row.addWidget(button)
            if n == REVIEW:
                self._badge = QLabel()
                self._badge.setObjectName("badge")
                policy = self._badge.sizePolicy()
                policy.setRetainSizeWhenHidden(True)
                self._badge.setSizePolicy(policy)
                self._badge.setText("0")
                self._badge.setAlignment(Qt.AlignmentFlag.AlignCenter)
                # As wide for one number as for two, so that nothing beside it moves.
                self._badge.setMinimumWidth(28)
                row.addWidget(self._badge)
                row.insertSpacing(row.count() - 1, -4 * GRID)
        row.addStretch(1)
        self._place = quiet("")
        row.addWidget(self._place)
        layout.addWidget(bar)
        self.notice = Notice()
        self.strip = JobStrip("Stop the scan; it changes nothing then, and you can keep what was found")
        self.intake = JobStrip("Stop adding; clips that were added stay")
        holder = QWidget()
        inner = column(spacing=GRID, parent=holder)
        inner.setContentsMargins(3 * GRID, 0, 3 * GRID, 0)
        inner.addWidget(self.notice)
        inner.addWidget(self.strip)
        inner.addWidget(self.intake)
        layout.addWidget(holder)
        self.pages = QStackedWidget()
        for page in (self.footage, self.cover, self.review, self.handover):
            self.pages.addWidget(page)
        layout.addWidget(self.pages, 1)
        self.setCentralWidget(body)

    def _connect(self) -> None:
        document = self.document
        document.changed.connect(self._refresh)
        document.findingsChanged.connect(self._refresh_findings)
        document.saveChanged.connect(self._show_saved)
        document.refused.connect(self.notice.reply)
        self.cover.said.connect(self.notice.reply)
        self.cover.followWanted.connect(self._follow)
        self.cover.edgeWanted.connect(self._find_edge)
        self.cover.voice.listenWanted.connect(lambda key: self.jobs.listen([key]))
        self.portraits.made.connect(lambda: self.footage.refresh_thumbnails(self.portraits.thumbnail))
        self.footage.addPressed.connect(self.add_dialog)
        self.footage.demoPressed.connect(self.open_demo)
        self.footage.openPressed.connect(self._open_in_cover)
        self.footage.scanPressed.connect(self.scan_clips)
        self.footage.removePressed.connect(lambda key: document.edit("remove clip", edits.remove_clip, key))
        self.review.lookWanted.connect(self._look_at)
        self.reviewing.goWanted.connect(self._go_to)
        self.jobs.reportOpened.connect(lambda path: QDesktopServices.openUrl(QUrl.fromLocalFile(path)))
        self.handover.pictureWanted.connect(lambda crop: self._go_to(crop.clip, crop.at, ""))
        self.handing.folderWanted.connect(lambda folder: QDesktopServices.openUrl(QUrl.fromLocalFile(folder)))
        self.footage.listPressed.connect(self.list_dialog)
        self.footage.listDropped.connect(lambda: document.edit("use all of the clips", edits.use_programme, None))
        self.jobs.changed.connect(self._refresh)
        self.jobs.changed.connect(self._show_strip)
        self.jobs.followed.connect(self._back_to_start)

    # Steps and refreshing

    def show_step(self, step: int) -> None:
        for n, button in enumerate(self._steps):
            button.setChecked(n == step)
        if step != COVER:
            self.cover.player.set_speed(0)
        if step != self.pages.currentIndex():
            self.notice.leave_page()
        self.pages.setCurrentIndex(step)
        self._refresh_page()
        # The keys work at once, and no step looks chosen because it has the focus.
        self.pages.currentWidget().setFocus()
        self._show_strip()

    def _show_strip(self) -> None:
        """How far a job is, above every page."""
        self.strip.setVisible(self.jobs.running is not None)

    def _refresh(self) -> None:
        self.actions_.refresh(self.document.undo_name, self.document.redo_name)
        self._refresh_findings()

    def _refresh_findings(self) -> None:
        waiting = self.document.waiting
        exposing = sum(f.is_exposing for f in waiting)
        self._badge.setText(str(len(waiting)))
        self._badge.setVisible(bool(waiting))
        self._badge.setStyleSheet(f"background: {theme.MADDER if exposing else theme.OCHRE};")
        self._badge.setToolTip(
            tr(
                "{n} open findings, {exposing} may show somebody" if exposing else "{n} open findings",
                n=len(waiting),
                exposing=exposing,
            )
        )
        self._refresh_page()

    def _refresh_page(self) -> None:
        """Fill the page that is seen; the others are filled when they are opened.

        Cover listens to the document itself.
        """
        project, waiting, busy = self.document.project, self.document.waiting, self.jobs.running is not None
        page = self.pages.currentWidget()
        if page is self.footage:
            self.footage.set_clips(clip_rows(project), self.portraits.thumbnail, busy)
            self.footage.set_programme(project.decisions.programme)
        elif page is self.review:
            self.review.set_findings(self.document.settled, self.document.findings, waiting)
        elif page is self.handover:
            programme = project.decisions.programme
            self.handover.side.set_versions(housing.versions(project), project.decisions.version)
            self.handover.set_clips(
                clip_rows(project),
                len(waiting),
                sum(f.is_exposing for f in waiting),
                self._parts(),
                programme.name if programme else "",
            )
            self.handover.show_results(self.document.settled)
            self.handing.estimate_soon()

    def _show_saved(self, state: str) -> None:
        path = self.document.path
        short = state if len(state) < 20 else "not saved"
        if self.document.read_only:
            short = "read-only"
        # The menus keep their room, whatever the project is called.
        name = self._place.fontMetrics().elidedText(path.name, Qt.TextElideMode.ElideMiddle, PLACE) if path else ""
        self._place.setText(f"{name}  ·  {tr(short)}" if path and short else name)
        self._place.setToolTip(str(path) if path else "")
        self.setWindowTitle(f"{path.name} – Skiagraph" if path else "Skiagraph")
        if short == "not saved":
            self.notice.say(state, "Save a copy …", self.save_copy)

    # Opening

    def open_files(self, files: list[str]) -> None:
        """Open a project, or add clips to the present one."""
        paths = [Path(f).absolute() for f in files]
        projects = [p for p in paths if p.suffix.lower() == SUFFIX]
        lists = [p for p in paths if p.suffix.lower() in LIST_SUFFIXES]
        clips = [p for p in paths if p not in projects and p not in lists]
        if projects:
            self.open_project(projects[0])
        if clips:
            self.add_clips(clips)
        if lists:
            self.use_list(lists[0])

    def open_project(self, path: Path) -> None:
        stopped = self.jobs.stop()
        try:
            self.document.open(path)
        except SkiagraphError as error:
            self.notice.say(str(error))
            return
        self._project_opened(stopped)
        project = self.document.project
        scanned = [c for c in project.clips if project.scan_of(c.key)]
        if scanned:
            self.cover.show_clip(scanned[0].key)
            self.show_step(COVER)
        else:
            self.show_step(FOOTAGE)
        lost = relink.missing(project)
        if self.document.read_only:
            self.notice.say(
                tr("{why} Until then you can look at it and export, but not change it.", why=self.document.read_only),
                "Save a copy …",
                self.save_copy,
            )
        elif lost and state_of(lost[0]) == SourceState.CHANGED:
            self.notice.say(
                tr(
                    "{name} is no longer the file that was added, so it is not covered or exported. Put the original"
                    " back.",
                    name=lost[0].path.name,
                )
            )
        elif lost:
            self.notice.say(
                tr(
                    "{name} is not where it was ({folder}). Drop it on the window to link it again.",
                    name=lost[0].path.name,
                    folder=lost[0].path.parent,
                )
            )

    def _project_opened(self, stopped: str) -> None:
        """Another project is there: what belonged to the former one goes."""
        self.notice.say(stopped)
        self.handover.begin_project()
        self.handing.begin_project()
        self._show_saved("saved" if self.document.path.exists() else "")
        recent = [str(self.document.path), *(p for p in self.recent_projects() if p != str(self.document.path))]
        self.settings.setValue("recent", recent[:RECENT])
        self.actions_.refresh_recent(self.recent_projects())

    def recent_projects(self) -> list[str]:
        """Paths of projects that were open lately and are still there, the newest first."""
        kept = self.settings.value("recent", []) or []
        return [p for p in ([kept] if isinstance(kept, str) else kept) if Path(p).exists()]

    def open_demo(self) -> None:
        folder = Path(platformdirs.user_data_dir("skiagraph")) / "demo"
        try:
            self.open_project(write_demo(folder))
        except SkiagraphError as error:
            self.notice.say(str(error))

    def new_project(self) -> None:
        place = self._ask_for_place(tr("New project"), Path.home() / f"untitled{SUFFIX}")
        if place:
            stopped = self.jobs.stop()
            try:
                self.document.begin(place)
            except SkiagraphError as error:
                self.notice.say(str(error))
                return
            self._project_opened(stopped)
            self.show_step(FOOTAGE)

    def _ask_for_place(self, title: str, proposed: Path) -> Path | None:
        """Where a project is to be written, or None."""
        name, _ = QFileDialog.getSaveFileName(
            self, title, str(proposed), tr("Skiagraph project (*{suffix})", suffix=SUFFIX)
        )
        if not name:
            return None
        place = Path(name if name.endswith(SUFFIX) else name + SUFFIX)
        # The dialog has asked about the name that was typed, not about the one it becomes.
        if place != Path(name) and place.exists():
            question = tr("{name} exists in {folder} already. Replace it?", name=place.name, folder=place.parent)
            if QMessageBox.question(self, tr("The project exists already"), question) != QMessageBox.StandardButton.Yes:
                return None
        return place

    def save_copy(self) -> None:
        """Write the project under another name, and go on with that one."""
        now = self.document.path
        place = self._ask_for_place(tr("Save a copy"), now.with_stem(now.stem + "-copy") if now else Path.home())
        if place:
            try:
                self.document.save_copy(place)
            except SkiagraphError as error:
                self.notice.say(str(error))
                return
            self._project_opened("")

    def open_dialog(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("Open a project"), str(Path.home()), tr("Skiagraph project (*{suffix})", suffix=SUFFIX)
        )
        if name:
            self.open_project(Path(name))

    def add_dialog(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(
            self, tr("Add clips"), str(Path.home()), tr("Clips ({kinds});;All files (*)", kinds=CLIP_KINDS)
        )
        if names:
            self.add_clips([Path(n) for n in names])

    def add_clips(self, paths: list[Path]) -> None:
        """Index clips in the background and add each as it is ready; a missing clip of the same contents is linked
        again."""
        if self.document.path is None:
            try:
                self.document.begin(_project_beside(paths[0]))
            except SkiagraphError as error:
                self.notice.say(str(error))
                return
            self._project_opened("")
        rate = self._rate_of_pictures(paths)
        if rate is not None:
            self.jobs.add(paths, rate)

    def _rate_of_pictures(self, paths: list[Path]) -> Fraction | None:
        """How many frames a second numbered pictures among the paths are to have; None when nothing is to be added
        after all."""
        try:
            first = next((p.first for p in map(pictures_at, paths) if p), None)
        except SkiagraphError as error:
            self.notice.say(str(error))
            return None
        if first is None:
            return RATE
        question = tr(
            "{name} and the pictures that follow it carry no rate. How many frames a second do they have?",
            name=first.name,
        )
        text, chosen = QInputDialog.getItem(
            self, tr("Numbered pictures"), question, USUAL_RATES, USUAL_RATES.index(str(RATE)), editable=False
        )
        return rate_of(text) if chosen else None

    def _open_in_cover(self, key: str) -> None:
        self.cover.show_clip(key)
        self.show_step(COVER)

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        self.open_files([url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()])

    # Jobs

    def scan_clips(self, keys: list[str], every: int) -> None:
        """Scan clips and show the first of them meanwhile."""
        # What the programme uses, or from in to out where they are set; a clip that was scanned before is scanned
        # whole.
        if self.jobs.scan(keys, every, self._parts()):
            self.cover.show_clip(keys[0])
            self.show_step(COVER)

    def _parts(self) -> dict[str, list[tuple[int, int]]]:
        """What is scanned and handed over of clips of which only some is wanted: what the programme uses, or from in to
        out."""
        project = self.document.settled
        if project.decisions.programme is not None:
            return project.decisions.programme.parts(project.clips)
        return {c.key: [span] for c in project.clips if (span := self.session.span_of(c))}

    def list_dialog(self) -> None:
        """Choose an edit list that says which parts of the clips are used."""
        name, _ = QFileDialog.getOpenFileName(
            self,
            tr("Use an edit list"),
            str(Path.home()),
            tr("Edit lists ({kinds})", kinds=" ".join(f"*{suffix}" for suffix in LIST_SUFFIXES)),
        )
        if name:
            self.use_list(Path(name))

    def use_list(self, path: Path) -> None:
        """From now on only what an edit list uses is scanned, and handed over where that is ticked."""
        project = self.document.settled
        try:
            programme = read_programme(path, project, handles=self.footage.handles)
        except SkiagraphError as error:
            self.notice.say(str(error))
            return
        self.document.edit(tr("use {name}", name=path.name), edits.use_programme, programme)
        self.handover.side.marked.setChecked(True)
        self.notice.say(programme.told())

    def export_now(self) -> None:
        self.show_step(HANDOVER)
        self.handover.press_export()

    # Review

    def _back_to_start(self, clip: str, frame: int) -> None:
        """After following: the frame in which it was placed is looked at again."""
        if self.session.clip is not None and self.session.clip.key == clip:
            self.cover.seek(frame)

    def _follow(self, wanted) -> None:
        self.jobs.follow(wanted, self.cover.hand.show_followed)

    def _find_edge(self, subject: str, clip: str, frame: int) -> None:
        self.jobs.find_edge(subject, clip, frame)

    def _look_at(self, finding) -> None:
        self._go_to(finding.clip, finding.at, finding.subject)

    def _go_to(self, clip: str, frame: int, subject: str) -> None:
        """Show a frame in Cover, with who it is about."""
        self.cover.show_clip(clip, frame)
        self.session.select([subject] if subject else [])
        self.show_step(COVER)

    # Window

    def show_keys(self) -> None:
        HelpSheet(self.actions_.groups, self.actions_.summed, self).exec()

    def show_about(self) -> None:
        QMessageBox.about(
            self,
            tr("About Skiagraph"),
            f"Skiagraph {__version__}\n\n"
            + tr(
                "Makes people who gave no consent unrecognisable, frame by frame, and proves it. Everything happens on"
                " this machine."
            )
            + "\n\n"
            + tr(CREDITS),
        )

    def toggle_full_screen(self) -> None:
        self.showNormal() if self.isFullScreen() else self.showFullScreen()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        # Keys come to the window's handle first; watching that alone leaves all other events untouched.
        self.windowHandle().installEventFilter(self)

    def eventFilter(self, watched, event) -> bool:
        """Peek works while its key is held, wherever the focus is, except in text."""
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and event.key() in (
            Qt.Key.Key_QuoteLeft,
            Qt.Key.Key_AsciiCircum,
            Qt.Key.Key_Dead_Circumflex,
        ):
            if not event.isAutoRepeat() and not isinstance(QApplication.focusWidget(), QLineEdit):
                self.session.set_peek(event.type() == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    def closeEvent(self, event) -> None:
        if not self.document.flush() and not self._close_unsaved():
            event.ignore()
            return
        self.settings.setValue("window", self.saveGeometry())
        self.cover.close_workers()
        self.review.close_workers()
        self.handover.close_workers()
        self.document.close()
        stop_all()
        self.portraits.close()
        super().closeEvent(event)

    def _close_unsaved(self) -> bool:
        """Ask whether to close although the newest edits could not be written."""
        text = tr("The newest changes could not be saved. If you close now, they are lost.")
        answer = QMessageBox.warning(
            self,
            tr("Not saved"),
            text,
            QMessageBox.StandardButton.Discard | QMessageBox.StandardButton.Cancel,
            QMessageBox.StandardButton.Cancel,
        )
        return answer == QMessageBox.StandardButton.Discard


def _project_beside(clip: Path) -> Path:
    """A name for a new project that does not exist yet: beside the clip, or in the home folder where that is closed."""
    folder = clip.parent if os.access(clip.parent, os.W_OK) else Path.home()
    candidate, n = folder / (clip.stem + SUFFIX), 2
    while candidate.exists():
        candidate, n = folder / f"{clip.stem}-{n}{SUFFIX}", n + 1
    return candidate
