"""The long jobs of the window: adding clips, scanning, following, the report.

What is handed over has a queue of its own. Each belongs to the project it was begun on; what it brings after another
was opened goes nowhere.
"""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from PySide6.QtCore import QObject, QTimer, Signal

from skiagraph.child_process import run_in_child
from skiagraph.desktop.controls import Notice
from skiagraph.desktop.document import Document
from skiagraph.desktop.job_runner import JobRunner
from skiagraph.desktop.job_strip import JobStrip
from skiagraph.desktop.words import counted, tr
from skiagraph.errors import SkiagraphError
from skiagraph.footage import relink
from skiagraph.footage.adding import facts_of
from skiagraph.footage.following import Following, end_sentences, find_edges, follow_between
from skiagraph.footage.listening import listen_to
from skiagraph.footage.recognition import ask_who
from skiagraph.footage.scanning import ScanNews, scan_clips
from skiagraph.footage.source import is_same_file
from skiagraph.footage.sweeping import sweep_clip
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.media.pictures import RATE
from skiagraph.project import edits, outlines, presence
from skiagraph.project.carry import Report
from skiagraph.project.rows import outline_at
from skiagraph.review.finding import LEAST
from skiagraph.track.identity import Signature
from skiagraph.track.path import Path as HeadPath

# A job shorter than this shows no progress, which would only flicker.
SHOW_AFTER_MS = 350
BUSY = "Something is running already; wait for it or cancel it."


def _scan_parts(project, keys, every, gallery, parts, control, tell) -> None:
    """As scan_clips, with what it is given in the order in which processes are."""
    scan_clips(project, keys, every, gallery, control, tell, parts)


class LongJobs(QObject):
    """changed: a job began or ended; followed: following from a frame of a clip ended; reportOpened: somebody wants to
    see the report at a path. running: the job under way, adding: clips being read."""

    changed = Signal()
    reportOpened = Signal(str)
    followed = Signal(str, int)

    def __init__(self, document: Document, notice: Notice, scanning: JobStrip, intake: JobStrip, parent: QObject):
        super().__init__(parent)
        self._document, self._notice = document, notice
        self._scanning, self._intake = scanning, intake
        self.running: JobRunner | None = None
        self.adding: JobRunner | None = None
        scanning.cancelPressed.connect(self.cancel)
        intake.cancelPressed.connect(lambda: self.adding and self.adding.cancel())

    def cancel(self) -> None:
        if self.running:
            self.running.cancel()

    def stop(self) -> str:
        """Cancel what runs for the project that is left; returns what to say of it."""
        running = self.running is not None
        for job in (self.running, self.adding):
            if job is not None:
                job.cancel()
        return (
            "What was running for the former project was stopped. A scan goes on from there when you begin it again."
            if running
            else ""
        )

    def _begin(self, runner: JobRunner, what: str, strip: JobStrip, label) -> None:
        self.running = runner
        strip.begin(what)
        runner.progressed.connect(lambda p: strip.show_progress(label(p), p))
        runner.failed.connect(self._notice.say)
        runner.ended.connect(lambda: self._end(strip))
        self.changed.emit()
        runner.start()

    def _end(self, strip: JobStrip) -> None:
        strip.hide()
        self.running = None
        self._document.learn_damage()
        self.changed.emit()

    def _is_present(self, token: object) -> bool:
        """True while the project is open that a job was begun on."""
        return token is self._document.token

    # Adding clips

    def add(self, paths: list[Path], rate: Fraction = RATE) -> None:
        """Index clips in the background and add each as it is ready; a missing clip of the same contents is linked
        again. rate: of those that are numbered pictures."""
        if self.adding is not None:
            self._notice.reply(tr("Clips are being added already; wait for that or cancel it."))
            return
        document, wanted, token = self._document, [], self._document.token
        for path in paths:
            lost = next((c for c in relink.missing(document.project) if is_same_file(c, path)), None)
            if lost is None or not document.edit(
                "link clip again", edits.relink_clip, lost.key, path, lost.fingerprint
            ):
                wanted.append(path)

        def work(control: JobControl):
            troubles = []
            for path in wanted:
                try:
                    runner.tell(facts_of(*open_clip(path, control, rate)))
                except SkiagraphError as error:
                    troubles.append(str(error))
            return troubles

        if not wanted:
            return
        runner = self.adding = JobRunner(work, self)
        runner.told.connect(lambda facts: self._clip_opened(token, facts))
        runner.finished.connect(lambda troubles: self._notice.say("\n".join(troubles)) if troubles else None)
        runner.failed.connect(self._notice.say)
        runner.progressed.connect(lambda p: self._intake.show_progress(p.step, p))
        runner.ended.connect(self._end_adding)
        QTimer.singleShot(
            SHOW_AFTER_MS, lambda: self._intake.begin("Reading the clip") if self.adding is runner else None
        )
        runner.start()

    def _end_adding(self) -> None:
        self.adding = None
        self._intake.hide()

    def _clip_opened(self, token: object, facts) -> None:
        if self._is_present(token):
            self._document.edit(tr("add {name}", name=facts.path.name), edits.add_clip, facts)
            if facts.damage:
                self._notice.say(facts.damage)

    # Scanning

    def scan(self, keys: list[str], every: int, parts: dict[str, list[tuple[int, int]]] | None = None) -> bool:
        """Scan clips one after another; people appear in the register while it runs.

        What a scan saw is no step of undo, and a scan that is cancelled changes nothing. True when it began.
        """
        document = self._document
        if self.running is not None:
            self._notice.reply(BUSY)
            return False
        if document.read_only:
            document.refused.emit(document.only_looked_at)
            return False
        self._notice.say("")
        project, gallery, token = document.settled, document.gallery, document.token
        now = {"name": ""}

        def told(news: ScanNews) -> None:
            now["name"] = project.clip(news.clip).path.name
            runner.tell(news)

        runner = JobRunner(
            lambda control: run_in_child(
                _scan_parts, project, keys, every, gallery, parts or {}, control=control, told=told
            ),
            self,
        )
        runner.told.connect(lambda news: self._people_found(token, news, every))
        runner.ended.connect(lambda: self._scan_ended(token))
        runner.finished.connect(lambda _: QTimer.singleShot(0, lambda: self._listen_after(token, keys)))
        self._begin(
            runner, "Scanning", self._scanning, lambda p: tr("{step} in {name}", step=tr(p.step), name=now["name"])
        )
        return True

    def _people_found(self, token: object, news: ScanNews, every: int) -> None:
        document = self._document
        if not self._is_present(token) or all(c.key != news.clip for c in document.project.clips):
            return
        if news.result is None:
            document.begin_scan(news.clip, every)
        elif news.gallery is None:
            document.show_found(news.result)
        else:
            report = document.end_scan(news.result, news.gallery)
            self._notice.say(news.result.damage or self._told_of(report, news.clip))

    def _told_of(self, report: Report, clip: str) -> str:
        """What carrying the decisions over to a new scan did, where there is something to say."""
        missing = {key for key, first, last in report.not_found if last - first + 1 >= LEAST}
        names = [
            s.name for s in self._document.project.subjects if s.key in missing and s.is_covered and not s.doubtful
        ]
        if not names:
            return ""
        some = ", ".join(names[:3])
        if len(names) > 3:
            some = tr("{some} and {n} more", some=some, n=len(names) - 3)
        name = self._document.project.clip(clip).path.name
        return tr(
            "The new scan of {name} does not see {some} in some places where the former one did. The covers stay there;"
            " Review lists the places.",
            name=name,
            some=some,
        )

    def _scan_ended(self, token: object) -> None:
        """A scan that was cancelled or failed leaves the project as it was; what it had found may be kept."""
        found = self._document.drop_scan() if self._is_present(token) else None
        if found is None:
            return
        arrival, result = found
        name = self._document.project.clip(arrival.clip).path.name
        people = counted(len(result.people), "1 person", "{n} people")

        before = self._document.settled.scan_of(arrival.clip)

        def keep() -> None:
            # Only as long as nothing newer is known of the clip.
            if (
                self._is_present(token)
                and self.running is None
                and self._document.settled.scan_of(arrival.clip) is before
            ):
                self._document.keep_found(arrival, result)

        self._notice.say(
            tr(
                "The scan of {name} was stopped and changed nothing; what you decided stays. It had found {people} in"
                " the first {n} frames.",
                name=name,
                people=people,
                n=result.reached,
            ),
            "Keep what was found",
            keep,
        )

    # Following

    def follow(self, wanted: Following, watch: Callable[[Following, HeadPath], None]) -> None:
        """Follow a subject's outline. watch: hears how far it is. Stopped, it keeps what was followed."""
        document = self._document
        if self.running is not None:
            self._notice.reply(BUSY)
            return
        if document.read_only:
            document.refused.emit(document.only_looked_at)
            return
        self._notice.say("")
        project, token = document.settled, document.token
        sighting = presence.sighting_at(project.subject(wanted.subject), wanted.clip, wanted.frame)
        outline = outline_at(project, sighting, wanted.frame)
        far: list[HeadPath] = []

        def told(path: HeadPath) -> None:
            far[:] = [path]
            if self._is_present(token):
                watch(wanted, path)

        def placed(project, path: HeadPath, again: tuple[HeadPath, ...], looks: Signature):
            project = outlines.rest_on_followed(
                project, wanted.subject, wanted.clip, wanted.frame, path, str(wanted.motion or "")
            )
            project = outlines.also_seen(
                project, wanted.subject, wanted.clip, wanted.frame, again, str(wanted.motion or "")
            )
            return ask_who(project, wanted.subject, looks, document.gallery)

        def take(
            path: HeadPath | None,
            said: list[str],
            again: tuple[HeadPath, ...] = (),
            looks: Signature = Signature.none(),
        ) -> None:
            there = self._is_present(token) and any(s.key == wanted.subject for s in document.project.subjects)
            if (
                path is not None
                and there
                and presence.sighting_at(document.project.subject(wanted.subject), wanted.clip, wanted.frame)
                is not None
            ):
                document.edit("follow", placed, path, again, looks)
            self.followed.emit(wanted.clip, wanted.frame)
            self._notice.say(" ".join(text for text in said if text))

        runner = JobRunner(
            lambda control: run_in_child(follow_between, project, wanted, outline, control=control, told=runner.tell),
            self,
        )
        runner.told.connect(told)
        name = project.subject(wanted.subject).name
        runner.finished.connect(
            lambda found: take(found.path, end_sentences(project, wanted.clip, name, found), found.again, found.looks)
        )
        runner.cancelled.connect(
            lambda: take(
                far[0] if far else None, [tr("Following was stopped; what was followed stays.") if far else ""]
            )
        )
        self._begin(runner, "Following", self._scanning, lambda p: tr("Following {name}", name=name))

    def find_edge(self, subject: str, clip: str, frame: int) -> None:
        """Find the exact edge of what is in front, in all frames of its sighting."""
        document = self._document
        if self.running is not None or document.read_only:
            self._notice.reply(BUSY if self.running is not None else document.only_looked_at)
            return
        self._notice.say("")
        project, token = document.settled, document.token

        def take(found) -> None:
            if self._is_present(token) and any(s.key == subject for s in document.project.subjects):
                document.edit("exact edge", outlines.with_edge, subject, clip, frame, *found)

        runner = JobRunner(
            lambda control: run_in_child(find_edges, project, subject, clip, frame, control=control, told=runner.tell),
            self,
        )
        runner.finished.connect(take)
        self._begin(runner, "Finding the edge", self._scanning, lambda p: tr(p.step))

    # Looking once more, and the report

    def sweep(self) -> None:
        """Search all clips strictly, once; what is found is evidence, clip by clip."""
        document = self._document
        if self.running is not None or document.read_only:
            self._notice.reply(BUSY if self.running is not None else document.only_looked_at)
            return
        self._notice.say("")
        project, token = document.settled, document.token
        names = {c.key: c.path.name for c in project.clips}

        def end(count: int) -> None:
            if self._is_present(token):
                self._notice.say(
                    counted(
                        count,
                        "The strict search of 1 clip is done; what nobody knows of is among the findings.",
                        "The strict search of {n} clips is done; what nobody knows of is among the findings.",
                    )
                )

        runner = JobRunner(
            lambda control: run_in_child(_sweep_all, project, list(names), control=control, told=runner.tell), self
        )
        runner.told.connect(lambda sweep: document.take_sweep(sweep) if self._is_present(token) else None)
        runner.finished.connect(end)
        runner.cancelled.connect(
            lambda: self._notice.say(tr("The strict search was stopped; clips that were searched whole stay so."))
        )
        self._begin(runner, "Searching strictly", self._scanning, lambda p: tr(p.step))

    def _listen_after(self, token: object, keys: list[str]) -> None:
        """Who was scanned is listened to, so that speech of those who are covered is known as their faces are."""
        waiting = [
            k for k in keys if self._is_present(token) and self._document.settled.evidence.listening_of(k) is None
        ]
        if waiting and self.running is None and not self._document.read_only:
            self.listen(waiting, asked=False)

    def listen(self, keys: list[str], asked: bool = True) -> None:
        """Listen to clips: where somebody speaks, and which of it is one speaker; what is heard is evidence, clip by
        clip. asked: a person did, and is told of the end."""
        document = self._document
        if self.running is not None or document.read_only:
            self._notice.reply(BUSY if self.running is not None else document.only_looked_at)
            return
        if asked:
            self._notice.say("")
        project, token = document.settled, document.token
        names = {c.key: c.path.name for c in project.clips if c.key in keys}

        def end(count: int) -> None:
            if asked and self._is_present(token):
                found = sum(
                    len(one.voices) for key in names if (one := document.settled.evidence.listening_of(key)) is not None
                )
                self._notice.say(
                    counted(
                        found,
                        "1 voice was heard. Say whose it is in the voice row, with a right click.",
                        "{n} voices were heard. Say whose they are in the voice row, with a right click.",
                    )
                    if found
                    else tr("Nobody speaks, as far as can be heard.")
                )

        runner = JobRunner(
            lambda control: run_in_child(_listen_all, project, list(names), control=control, told=runner.tell), self
        )
        runner.told.connect(lambda listening: document.take_listening(listening) if self._is_present(token) else None)
        runner.finished.connect(end)
        self._begin(runner, "Listening", self._scanning, lambda p: tr(p.step))

    def report(self, target: Path, name: str) -> None:
        """Write the report of the project, with what was proved in this session, to a file."""
        if self.running is not None:
            self._notice.reply(BUSY)
            return
        self._notice.say("")
        project, proofs = self._document.settled, list(self._document.proofs)
        runner = JobRunner(
            lambda control: run_in_child(_write_report, project, name, proofs, target, control=control), self
        )
        runner.finished.connect(
            lambda verdict: self._notice.say(
                tr("The report is written: {path}. {verdict}", path=target, verdict=verdict),
                tr("Open it"),
                lambda: self.reportOpened.emit(str(target)),
            )
        )
        self._begin(runner, "Writing the report", self._scanning, lambda p: tr(p.step))


def _sweep_all(project, keys, control, tell) -> int:
    for key in keys:
        tell(sweep_clip(project, key, control))
    return len(keys)


def _listen_all(project, keys, control, tell) -> int:
    for key in keys:
        tell(listen_to(project, key, control))
    return len(keys)


def _write_report(project, name, proofs, target, control, tell) -> str:
    # Only here, since this brings in what lays pages out.
    from skiagraph.review.report import report_of, write_report

    report = report_of(project, name, proofs, control)
    write_report(report, target)
    return report.verdict
