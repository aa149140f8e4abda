"""The window: four steps along the top, one project under them."""

from __future__ import annotations

import os
from pathlib import Path

import platformdirs
from PySide6.QtCore import QEvent, Qt, QUrl
from PySide6.QtGui import QDesktopServices, QIcon
from PySide6.QtWidgets import QApplication, QFileDialog, QLabel, QLineEdit, QMainWindow, QMessageBox, QStackedWidget, QWidget

from skiagraph import __version__
from skiagraph.apart import run_apart
from skiagraph.demo.ship import write_demo
from skiagraph.desktop import theme
from skiagraph.desktop.actions import Actions
from skiagraph.desktop.controls import Notice, column, line, push_button, quiet
from skiagraph.desktop.cover_page import CoverPage
from skiagraph.desktop.document import Document
from skiagraph.desktop.footage_page import FootagePage
from skiagraph.desktop.handover_page import HandoverPage
from skiagraph.desktop.help_sheet import HelpSheet
from skiagraph.desktop.job_runner import JobRunner, stop_all
from skiagraph.desktop.job_strip import JobStrip
from skiagraph.desktop.portraits import Portraits
from skiagraph.desktop.review_page import ReviewPage
from skiagraph.desktop.session import Session
from skiagraph.desktop.theme import GRID
from skiagraph.errors import CannotOpenProject, SkiagraphError
from skiagraph.handover.delivery import Delivered, deliver
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.project import edits, relink
from skiagraph.project.file import SUFFIX
from skiagraph.project.model import Acceptance
from skiagraph.project.scanning import ScanNews, scan_clips, taken_in

FOOTAGE, COVER, REVIEW, HANDOVER = range(4)
STEPS = (("Footage", "Clips in, and scanning them (Ctrl+1)"), ("Cover", "Who is covered, and how (Ctrl+2)"),
         ("Review", "Where a cover may fail (Ctrl+3)"), ("Hand over", "Export and check (Ctrl+4)"))


class MainWindow(QMainWindow):
    """Owns the document and the long jobs; the pages show them."""

    def __init__(self):
        super().__init__()
        self.setWindowTitle("Skiagraph")
        self.setWindowIcon(QIcon(theme.asset_folder("icons") + "/skiagraph.svg"))
        self.setAcceptDrops(True)
        self.resize(1280, 800)
        self.setMinimumSize(1024, 640)
        self.document = Document(self)
        self.session = Session(self.document, self)
        self.portraits = Portraits(self)
        self.footage, self.review, self.handover = FootagePage(), ReviewPage(), HandoverPage()
        self.cover = CoverPage(self.document, self.session, self.portraits)
        self._job: JobRunner | None = None
        self._build()
        self.actions_ = Actions(self)
        self.actions_.bar.setFixedHeight(30)
        self._menu_holder.insertWidget(1, self.actions_.bar, 0, Qt.AlignmentFlag.AlignVCenter)
        self._connect()
        self.show_step(FOOTAGE)
        self._refresh()

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
        brand = QLabel("Skiagraph")
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
                row.addWidget(self._badge)
                row.insertSpacing(row.count() - 1, -4 * GRID)
        row.addStretch(1)
        self._place = quiet("")
        row.addWidget(self._place)
        layout.addWidget(bar)
        self.notice = Notice()
        self.strip = JobStrip()
        holder = QWidget()
        inner = column(spacing=GRID, parent=holder)
        inner.setContentsMargins(3 * GRID, 0, 3 * GRID, 0)
        inner.addWidget(self.notice)
        inner.addWidget(self.strip)
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
        document.refused.connect(self.notice.say)
        self.cover.said.connect(self.notice.say)
        self.portraits.made.connect(lambda: self.footage.refresh_thumbnails(self.portraits.thumbnail))
        self.footage.addPressed.connect(self.add_dialog)
        self.footage.demoPressed.connect(self.open_demo)
        self.footage.openPressed.connect(self._open_in_cover)
        self.footage.scanPressed.connect(self.scan_clips)
        self.footage.removePressed.connect(lambda key: document.edit("remove clip", edits.remove_clip, key))
        self.review.lookWanted.connect(self._look_at)
        self.review.accepted.connect(self._accept)
        self.review.withdrawn.connect(lambda a: document.edit("take back acceptance", edits.withdraw, a))
        self.handover.exportPressed.connect(self.export_clips)
        self.handover.browsePressed.connect(self._browse_folder)
        self.handover.openFolder.connect(lambda folder: QDesktopServices.openUrl(QUrl.fromLocalFile(folder)))
        self.handover.cancelPressed.connect(self._cancel_job)
        self.strip.cancelPressed.connect(self._cancel_job)

    # Steps and refreshing

    def show_step(self, step: int) -> None:
        for n, button in enumerate(self._steps):
            button.setChecked(n == step)
        if step != COVER:
            self.cover.player.set_speed(0)
        self.pages.setCurrentIndex(step)
        self._refresh_page()
        # The keys work at once, and no step looks chosen because it has the focus.
        self.pages.currentWidget().setFocus()
        self.strip.setVisible(self._job is not None and step != HANDOVER)

    def _refresh(self) -> None:
        self.actions_.refresh(self.document.undo_name, self.document.redo_name)
        self._refresh_findings()

    def _refresh_findings(self) -> None:
        waiting = self.document.waiting
        exposing = sum(f.is_exposing for f in waiting)
        self._badge.setText(str(len(waiting)))
        self._badge.setVisible(bool(waiting))
        self._badge.setStyleSheet(f"background: {theme.MADDER if exposing else theme.OCHRE};")
        self._badge.setToolTip(f"{len(waiting)} open findings" + (f", {exposing} may show somebody" if exposing else ""))
        self._refresh_page()

    def _refresh_page(self) -> None:
        """Fill the page that is seen; the others are filled when they are opened. Cover listens to the document itself."""
        project, waiting, busy = self.document.project, self.document.waiting, self._job is not None
        page = self.pages.currentWidget()
        if page is self.footage:
            entries = []
            for clip in project.clips:
                people = [s for s in project.subjects if s.in_clip(clip.key) and not s.dismissed]
                entries.append((clip, len(people), sum(not s.is_decided for s in people), not relink.is_there(clip)))
            self.footage.set_clips(entries, self.portraits.thumbnail, busy)
        elif page is self.review:
            self.review.set_findings(project, self.document.findings)
        elif page is self.handover:
            self.handover.set_project(project, len(waiting), sum(f.is_exposing for f in waiting), busy)

    def _show_saved(self, state: str) -> None:
        path = self.document.path
        short = state if len(state) < 20 else "not saved"
        self._place.setText(f"{path.name}  ·  {short}" if path and short else path.name if path else "")
        self._place.setToolTip(str(path) if path else "")
        self.setWindowTitle(f"{path.name} – Skiagraph" if path else "Skiagraph")
        if short == "not saved":
            self.notice.say(state)

    # Opening

    def open_files(self, files: list[str]) -> None:
        """Open a project, or add clips to the present one."""
        paths = [Path(f).absolute() for f in files]
        projects = [p for p in paths if p.suffix.lower() == SUFFIX]
        clips = [p for p in paths if p not in projects]
        if projects:
            self.open_project(projects[0])
        if clips:
            self.add_clips(clips)

    def open_project(self, path: Path) -> None:
        try:
            self.document.open(path)
        except CannotOpenProject as error:
            self.notice.say(str(error))
            return
        self.notice.say("")
        project = self.document.project
        self._show_saved("saved")
        scanned = [c for c in project.clips if c.every]
        if scanned:
            self.cover.show_clip(scanned[0].key)
            self.show_step(COVER)
        else:
            self.show_step(FOOTAGE)
        lost = relink.missing(project)
        if lost:
            self.notice.say(f"{lost[0].path.name} is not where it was ({lost[0].path.parent}). Drop it on the window to link it again.")

    def open_demo(self) -> None:
        folder = Path(platformdirs.user_data_dir("skiagraph")) / "demo"
        try:
            self.open_project(write_demo(folder))
        except SkiagraphError as error:
            self.notice.say(str(error))

    def new_project(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "New project", str(Path.home() / f"untitled{SUFFIX}"), f"Skiagraph project (*{SUFFIX})")
        if name:
            self.document.begin(Path(name).with_suffix(SUFFIX))
            self.show_step(FOOTAGE)

    def open_dialog(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Open a project", str(Path.home()), f"Skiagraph project (*{SUFFIX})")
        if name:
            self.open_project(Path(name))

    def add_dialog(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Add clips", str(Path.home()), "Clips (*.mp4 *.mov *.mkv *.mxf *.avi *.webm *.m4v *.mts *.ts);;All files (*)")
        if names:
            self.add_clips([Path(n) for n in names])

    def add_clips(self, paths: list[Path]) -> None:
        """Index clips in the background and add each as it is ready; a missing clip of the same contents is linked again."""
        if self.document.path is None:
            self.document.begin(_project_beside(paths[0]))
        wanted = []
        for path in paths:
            lost = next((c for c in relink.missing(self.document.project) if path.exists() and path.stat().st_size == c.size), None)
            if lost is None or not self.document.edit("link clip again", edits.relink_clip, lost.key, path):
                wanted.append(path)

        def work(control: JobControl):
            troubles = []
            for path in wanted:
                try:
                    runner.tell(open_clip(path, control))
                except SkiagraphError as error:
                    troubles.append(str(error))
            return troubles

        if not wanted:
            return
        runner = JobRunner(work, self)
        runner.told.connect(lambda opened: self._clip_opened(*opened))
        runner.finished.connect(lambda troubles: self.notice.say("\n".join(troubles)) if troubles else None)
        runner.failed.connect(self.notice.say)
        runner.start()

    def _clip_opened(self, info, index) -> None:
        self.document.edit(f"add {info.path.name}", edits.add_clip, info, index)
        if index.damage:
            self.notice.say(index.damage)

    def _open_in_cover(self, key: str) -> None:
        self.cover.show_clip(key)
        self.show_step(COVER)

    def dragEnterEvent(self, event) -> None:
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        self.open_files([url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()])

    # Jobs

    def _begin_job(self, runner: JobRunner, what: str, strip: JobStrip, label) -> None:
        self._job = runner
        strip.begin(what)
        runner.progressed.connect(lambda p: strip.show_progress(label(p), p))
        runner.failed.connect(self.notice.say)
        runner.ended.connect(lambda: self._end_job(strip))
        self._refresh()
        runner.start()

    def _end_job(self, strip: JobStrip) -> None:
        strip.hide()
        self._job = None
        self._refresh()

    def _cancel_job(self) -> None:
        if self._job:
            self._job.cancel()

    def scan_clips(self, keys: list[str], every: int) -> None:
        """Scan clips one after another; people appear in the register while it runs, and one undo step holds each clip."""
        if self._job is not None:
            self.notice.say("Something is running already; wait for it or cancel it.")
            return
        project, gallery = self.document.project, self.document.gallery
        now = {"name": ""}

        def told(news: ScanNews) -> None:
            now["name"] = project.clip(news.clip).path.name
            runner.tell(news)

        runner = JobRunner(lambda control: run_apart(scan_clips, project, keys, every, gallery, control=control, told=told), self)
        runner.told.connect(lambda news: self._people_found(news, every))
        self._begin_job(runner, "Scanning", self.strip, lambda p: f"{p.step} in {now['name']}")
        self.strip.setVisible(True)
        self.cover.show_clip(keys[0])
        self.show_step(COVER)

    def _people_found(self, news: ScanNews, every: int) -> None:
        try:
            name = self.document.project.clip(news.clip).path.name
        except KeyError:
            return
        if news.result is None:
            self.document.edit(f"scan {name}", lambda project: project.with_clip(project.clip(news.clip)))
            return
        self.document.amend(taken_in, news.clip, news.result, every, news.gallery)
        if news.gallery is not None:
            self.document.gallery = news.gallery
            if news.result.damage:
                self.notice.say(news.result.damage)

    def export_now(self) -> None:
        self.show_step(HANDOVER)
        self.handover.press_export()

    def export_clips(self, keys: list[str], format_key: str, folder: str, with_matte: bool, check: bool) -> None:
        """Export clips and, if wanted, check each file; the value exported is the one of this moment."""
        if self._job is not None:
            self.notice.say("Something is running already; wait for it or cancel it.")
            return
        project = self.document.project
        runner = JobRunner(lambda control: run_apart(deliver, project, keys, format_key, folder, with_matte, check, control=control, told=runner.tell), self)
        runner.told.connect(self._exported)
        if check:
            runner.finished.connect(self.document.set_file_findings)
        self._begin_job(runner, "Exporting", self.handover.strip, lambda p: p.step)

    def _exported(self, done: Delivered) -> None:
        if done.findings is None:
            text, colour = "Exported, not checked", theme.OCHRE
        elif done.findings:
            count = len(done.findings)
            text, colour = f"Exported; the check found {count} {'place' if count == 1 else 'places'} to look at", theme.MADDER
        else:
            text, colour = "Exported and checked: every cover is there", theme.VERDIGRIS
        self.handover.set_result(done.clip, str(done.path), text, colour)
        self._refresh_findings()

    def _browse_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for the exported files", self.handover.folder.text())
        if name:
            self.handover.folder.setText(name)

    # Review

    def _look_at(self, finding) -> None:
        self.cover.show_clip(finding.clip, finding.at)
        self.session.select([finding.subject] if finding.subject else [])
        self.show_step(COVER)

    def _accept(self, finding, name: str, note: str) -> None:
        self.document.edit("accept finding", edits.accept,
                           Acceptance(finding.clip, finding.subject, finding.reason.value, finding.first, finding.last, name, note))

    # Window

    def show_keys(self) -> None:
        HelpSheet(self.actions_.groups, self).exec()

    def show_about(self) -> None:
        QMessageBox.about(self, "About Skiagraph", f"Skiagraph {__version__}\n\nMakes people who gave no consent unrecognisable, frame by frame, and proves it. "
                          "Everything happens on this machine.\n\nFace detectors: BlazeFace (Apache 2.0). Font: Karla (SIL OFL 1.1). The licences are in skiagraph/assets/licences.")

    def toggle_full_screen(self) -> None:
        self.showNormal() if self.isFullScreen() else self.showFullScreen()

    def showEvent(self, event) -> None:
        super().showEvent(event)
        # Keys come to the window's handle first; watching that alone leaves all other events untouched.
        self.windowHandle().installEventFilter(self)

    def eventFilter(self, watched, event) -> bool:
        """Peek works while its key is held, wherever the focus is, except in text."""
        if event.type() in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) and event.key() in (Qt.Key.Key_QuoteLeft, Qt.Key.Key_AsciiCircum, Qt.Key.Key_Dead_Circumflex):
            if not event.isAutoRepeat() and not isinstance(QApplication.focusWidget(), QLineEdit):
                self.session.set_peek(event.type() == QEvent.Type.KeyPress)
                return True
        return super().eventFilter(watched, event)

    def closeEvent(self, event) -> None:
        self.cover.close_workers()
        self.document.close()
        stop_all()
        self.portraits.close()
        super().closeEvent(event)


def _project_beside(clip: Path) -> Path:
    """A name for a new project that does not exist yet: beside the clip, or in the home folder where that is closed."""
    folder = clip.parent if os.access(clip.parent, os.W_OK) else Path.home()
    candidate, n = folder / (clip.stem + SUFFIX), 2
    while candidate.exists():
        candidate, n = folder / f"{clip.stem}-{n}{SUFFIX}", n + 1
    return candidate
