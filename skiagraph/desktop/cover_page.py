"""Cover: the picture, the register under it and the inspector beside it, joined to the document and the session."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QSplitter, QWidget

from skiagraph.desktop.casting import ORDER_WORD, SHOW_WORD, Casting
from skiagraph.desktop.controls import column, line
from skiagraph.desktop.document import Document
from skiagraph.desktop.inspector import Inspector
from skiagraph.desktop.picture_server import Picture, PictureServer, Wish
from skiagraph.desktop.picture_view import PictureView
from skiagraph.desktop.player import Player
from skiagraph.desktop.portraits import Portraits
from skiagraph.desktop.question_bar import QuestionBar
from skiagraph.desktop.register_view import RegisterView
from skiagraph.desktop.session import Session
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.transport import Transport
from skiagraph.desktop.words import counted, percent, tr
from skiagraph.footage.following import Direction
from skiagraph.project import edits, outlines
from skiagraph.project.decisions import PersonSubject, ThingSubject
from skiagraph.project.model import Outline, Project
from skiagraph.project.outlines import keyframe_before, sighting_at
from skiagraph.project.rows import cover_outline, outline_at
from skiagraph.review.good_frame import good_frame
from skiagraph.review.register import Show, register_rows
from skiagraph.review.lanes import attention, lanes, next_finding, next_keyframe, seen_summary
from skiagraph.shape.shape import Shape
from skiagraph.track.path import ORIGIN_NAMES, Path

_ORIGIN_WORD = {"found": "Found", "followed": "Followed", "bridged": "Bridged", "placed": "By hand"}

_BETWEEN = {"smooth": "smooth", "straight": "straight", "hold": "held"}


class CoverPage(QWidget):
    """Asks the document for edits; its widgets are refreshed from the project."""

    said = Signal(str)
    followWanted = Signal(str, str, int, object, object)

    def __init__(self, document: Document, session: Session, portraits: Portraits, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("page")
        self.document, self.session, self.portraits = document, session, portraits
        self.server = PictureServer(self)
        self.player = Player(document, session, self.server, self)
        self.picture, self.transport = PictureView(), Transport()
        self.inspector, self.register, self.question = Inspector(), RegisterView(), QuestionBar()
        self.casting = Casting(document, session, self.register, self.question, portraits, self)
        self.register.set_faces(lambda subject: portraits.face(document.project, subject.portrait))
        self._size = (1280, 720)
        self._trial: Project | None = None
        self._asked = self._shown = 0
        self._build()
        self._connect()

    def _build(self) -> None:
        outer = column(margin=3 * GRID, spacing=2 * GRID, parent=self)
        self.splitter = QSplitter(Qt.Orientation.Vertical)
        self.splitter.setHandleWidth(2 * GRID)
        self.splitter.setChildrenCollapsible(False)
        upper = QWidget()
        row = line(spacing=3 * GRID, parent=upper)
        left = column(spacing=2 * GRID)
        left.addWidget(self.picture, 1)
        left.addWidget(self.transport)
        row.addLayout(left, 1)
        self.inspector.setFixedWidth(296)
        row.addWidget(self.inspector)
        self.splitter.addWidget(upper)
        lower = column(spacing=GRID)
        lower.addWidget(self.question)
        lower.addWidget(self.register, 1)
        holder = QWidget()
        holder.setLayout(lower)
        self.splitter.addWidget(holder)
        self.splitter.setStretchFactor(0, 1)
        self.splitter.setStretchFactor(1, 0)
        self.splitter.setSizes([498, 246])
        outer.addWidget(self.splitter)

    def _connect(self) -> None:
        document, session = self.document, self.session
        document.changed.connect(self._project_changed)
        document.findingsChanged.connect(self._refresh_register)
        session.clipChanged.connect(self._clip_changed)
        session.frameChanged.connect(self._frame_changed)
        session.selectionChanged.connect(self._selection_changed)
        session.viewChanged.connect(self._view_changed)
        session.marksChanged.connect(lambda: self.register.set_marks(*session.marks))
        session.reachChanged.connect(lambda: self.inspector.reach.set_value(session.reach))
        self.server.made.connect(self._picture_made)
        self.server.failed.connect(self._picture_failed)
        self.player.played.connect(lambda picture: self.picture.set_picture(picture.image, picture.other))
        self.player.speedChanged.connect(self._speed_changed)
        self.portraits.made.connect(self.register.redraw)
        view = self.picture
        view.viewResized.connect(self._view_resized)
        view.zoomChanged.connect(self.transport.set_scale)
        view.subjectClicked.connect(lambda key: session.select([key] if key else []))
        view.outlineDragged.connect(self._outline_dragged)
        view.outlineMoved.connect(self._outline_moved)
        view.drawn.connect(self._drawn)
        bar = self.transport
        bar.playPressed.connect(self.player.toggle)
        bar.stepPressed.connect(self.step)
        bar.jumpPressed.connect(self.jump)
        bar.markPressed.connect(lambda which: session.set_mark(which, session.frame))
        bar.viewChosen.connect(session.set_view)
        bar.fitPressed.connect(view.fit)
        bar.drawPressed.connect(self.draw)
        bar.clipChosen.connect(lambda key: self.show_clip(key))
        bar.sought.connect(self.seek)
        register = self.register
        register.selected.connect(session.select)
        register.sought.connect(self.seek)
        register.decided.connect(self.casting.decide)
        register.renamed.connect(self._rename)
        register.keyframeMoved.connect(lambda key, a, b: document.edit("move keyframe", outlines.move_keyframe, key, session.clip.key, a, b))
        register.endDragged.connect(self._end_dragged)
        panel = self.inspector
        panel.decided.connect(lambda decision: self.casting.decide(session.selected, decision))
        panel.portraitWanted.connect(self.casting.choose_portrait)
        panel.styleMoved.connect(self._style_moved)
        panel.styleSettled.connect(self._style_settled)
        panel.styleForAll.connect(self._style_for_all)
        panel.styleFromAll.connect(lambda: self._edit_subject("use the project's cover", edits.set_style, None))
        panel.reachChosen.connect(session.set_reach)
        panel.keyframeWanted.connect(lambda: self._edit_here("add keyframe", outlines.keyframe_here))
        panel.keyframeDropped.connect(self.drop_keyframe)
        panel.followPressed.connect(self.follow)
        panel.shapeChosen.connect(lambda shape: self._edit_here("change shape", outlines.set_shape, Shape.kinds[shape]()))
        panel.beginHere.connect(lambda: self.trim("begin"))
        panel.endHere.connect(lambda: self.trim("end"))
        panel.reach.set_value(session.reach)

    # What a person asks for

    def show_clip(self, key: str, frame: int = 0) -> None:
        self.player.set_speed(0)
        self.session.set_clip(key, frame)

    def seek(self, frame: int) -> None:
        self.player.set_speed(0)
        self.session.set_frame(frame)

    def step(self, frames: int) -> None:
        self.seek(self.session.frame + frames)

    def step_second(self, direction: int) -> None:
        if self.session.clip:
            self.step(direction * max(1, round(float(self.session.clip.rate))))

    def jump(self, where: str) -> None:
        if self.session.clip:
            self.seek(0 if where == "start" else self.session.clip.frames - 1)

    def jump_finding(self, backward: bool = False) -> None:
        clip = self.session.clip
        found = next_finding(self.document.waiting, clip.key, self.session.frame, backward=backward) if clip else None
        if found is None:
            self.said.emit(tr("No open findings in this clip."))
            return
        self.seek(found.at)
        if found.subject:
            self.session.select([found.subject])

    def go_to_good_frame(self) -> None:
        """A frame in which the selected is large, whole and surely seen."""
        subject, clip = self.session.subject, self.session.clip
        frame = good_frame(self.document.project, subject, clip.key, self.session.frame) if subject and clip else None
        if frame is None:
            self.said.emit(tr("Choose somebody who is in this clip first."))
        else:
            self.seek(frame)

    def jump_keyframe(self, backward: bool = False) -> None:
        subject, clip = self.session.subject, self.session.clip
        frame = next_keyframe(subject, clip.key, self.session.frame, backward=backward) if subject and clip else None
        if frame is not None:
            self.seek(frame)

    def drop_keyframe(self) -> None:
        self._edit_here("remove keyframe", outlines.remove_keyframe)

    def trim(self, which: str) -> None:
        subject, clip, frame = self.session.subject, self.session.clip, self.session.frame
        sighting = sighting_at(subject, clip.key, frame) if subject and clip else None
        if sighting is not None:
            first, last = (frame, sighting.last) if which == "begin" else (sighting.first, frame)
            self.document.edit("begin sighting here" if which == "begin" else "end sighting here", outlines.trim_sighting, subject.key, clip.key, frame, first, last)

    def remove_selected(self) -> None:
        if self.session.selected:
            self.document.edit("remove from register", edits.remove_subjects, self.session.selected)

    def draw(self, shape: str) -> None:
        """Draw an outline of a shape with the next drag; empty leaves it."""
        self.transport.set_tool(shape)
        self.picture.set_drawing(Shape.kinds[shape]() if shape else None)
        self.picture.set_hint({"ellipse": tr("Draw around the face.  Esc leaves."), "box": tr("Draw a box around what is to be covered.  Esc leaves.")}.get(shape, ""))

    def follow(self, direction: Direction) -> None:
        """Follow the selected outline from this frame, between the marks."""
        subject, clip, frame = self.session.subject, self.session.clip, self.session.frame
        sighting = sighting_at(subject, clip.key, frame) if subject and clip else None
        if sighting is None:
            self.said.emit(tr("Choose whoever or whatever is to be followed, at a frame where its outline lies well."))
            return
        self.picture.set_hint("")
        self.player.set_speed(0)
        self.followWanted.emit(subject.key, clip.key, frame, direction, self.session.span)

    def show_followed(self, subject: str, clip: str, frame: int, path: Path) -> None:
        """How far following is: the outline where it was found last, and the cover with it; nothing is kept of it."""
        if self.session.clip is None or self.session.clip.key != clip or all(s.key != subject for s in self.document.project.subjects):
            return
        self._trial = None
        self.session.set_frame(path.first if path.first < frame and (path.last == frame or self.session.frame < frame) else path.last)
        self._trial = outlines.rest_on_followed(self.document.project, subject, clip, frame, path)
        self._ask_picture()
        self._refresh_outlines()
        self._refresh_register()
        self._refresh_place()

    def escape(self) -> None:
        """Leave the smallest thing that is under way."""
        if self.picture.cancel_drag():
            return
        if self.picture.is_drawing:
            self.draw("")
        else:
            self.picture.set_hint("")
            self.session.select([])

    # What widgets report

    def _edit_subject(self, name: str, function, *arguments) -> None:
        if self.session.subject:
            self.document.edit(name, function, self.session.subject.key, *arguments)

    def _edit_here(self, name: str, function, *arguments) -> None:
        if self.session.subject and self.session.clip:
            self.document.edit(name, function, self.session.subject.key, self.session.clip.key, self.session.frame, *arguments)

    def change_between(self) -> None:
        """Smooth, straight, held, and smooth again, from the keyframe at or before the playhead to the next."""
        subject, clip, frame = self.session.subject, self.session.clip, self.session.frame
        sighting = sighting_at(subject, clip.key, frame) if subject and clip else None
        now = keyframe_before(sighting, frame) if sighting else None
        if now is None:
            self.said.emit(tr("There are no two keyframes around this frame; set them first."))
            return
        ways = list(_BETWEEN)
        self._edit_here("change the way between keyframes", outlines.set_between, ways[(ways.index(now.to_next) + 1) % len(ways)])

    def extend(self) -> None:
        """Cover the whole clip with the sighting at the playhead."""
        self._edit_here("cover the whole clip", outlines.extend_sighting)

    def _rename(self, key: str, name: str) -> None:
        if name.strip() and name.strip() != self.document.project.subject(key).name:
            self.document.edit("rename", edits.rename, key, name)

    def _end_dragged(self, key: str, inside: int, first: int, last: int) -> None:
        self.document.edit("change the ends of a sighting", outlines.trim_sighting, key, self.session.clip.key, inside, first, last)

    def _outline_dragged(self, outline: Outline | None) -> None:
        """A trial of the project shows what the drag will do; nothing is kept of it."""
        subject, clip = self.session.subject, self.session.clip
        self._trial = outlines.move_outline(self.document.project, subject.key, clip.key, self.session.frame, outline, self.session.reach) \
            if outline is not None and subject and clip and not self.document.read_only else None
        self._ask_picture()

    def _outline_moved(self, outline: Outline) -> None:
        self._trial = None
        subject, clip = self.session.subject, self.session.clip
        if subject and clip:
            sighting = sighting_at(subject, clip.key, self.session.frame)
            before = outline_at(self.document.project, sighting, self.session.frame) if sighting else None
            sized = before is not None and abs(outline.width - before.width) + abs(outline.height - before.height) > 0.01
            turned = before is not None and outline.angle != before.angle
            name = "turn outline" if turned else "resize outline" if sized else "move outline"
            self.document.edit(name, outlines.move_outline, subject.key, clip.key, self.session.frame, outline, self.session.reach)

    def _drawn(self, outline: Outline) -> None:
        self.draw("")
        clip = self.session.clip
        made: list[str] = []
        is_face = isinstance(outline.shape, Shape.kinds["ellipse"])

        def add(project):
            project, key = outlines.add_subject(project, clip.key, self.session.frame, outline, PersonSubject() if is_face else ThingSubject())
            made.append(key)
            return project

        if clip and self.document.edit("add face" if is_face else "add thing", add):
            self.session.select(made)
            self.picture.set_hint(tr("Press T to follow it both ways, or place it anew at other frames."))

    def _style_moved(self, style) -> None:
        subject = self.session.subject
        if subject:
            self._trial = edits.set_style(self.document.project, subject.key, style)
            self._ask_picture()
            self._refresh_outlines()

    def _style_settled(self, style) -> None:
        self._trial = None
        subject = self.session.subject
        if subject and style != self.document.project.style_of(subject):
            self.document.edit("change cover", edits.set_style, subject.key, style)
        else:
            self._ask_picture()

    def _style_for_all(self) -> None:
        subject = self.session.subject
        if subject and subject.style:
            self.document.edit("use cover for everyone", edits.set_style_for_all, subject.style)

    # Refreshing from the project

    def _project_changed(self) -> None:
        self._trial = None
        project = self.document.project
        self.transport.set_clips([(c.key, c.path.name) for c in project.clips], self.session.clip.key if self.session.clip else "")
        self._clip_shape()
        self._refresh_register()
        self._refresh_inspector()
        self._refresh_outlines()
        self._ask_picture()

    def _clip_changed(self) -> None:
        self.transport.set_clips([(c.key, c.path.name) for c in self.document.project.clips], self.session.clip.key if self.session.clip else "")
        self._clip_shape()
        self.picture.set_picture(None)
        self._refresh_register()

    def _clip_shape(self) -> None:
        clip = self.session.clip
        self.transport.set_clip(clip)
        if clip is None:
            self.picture.set_picture(None)
            self.picture.set_message(tr("Add a clip in Footage to begin."))
        else:
            self.picture.set_clip_size(clip.width, clip.height)

    def _frame_changed(self, frame: int) -> None:
        self._trial = None
        self.transport.set_frame(frame)
        self.register.set_frame(frame)
        if not self.player.speed:
            self._refresh_outlines()
            self._refresh_place()
            self._ask_picture()

    def _selection_changed(self) -> None:
        self._trial = None
        if not self.picture.is_drawing:
            self.picture.set_hint("")
        self.register.set_selection(self.session.selected)
        self._refresh_inspector()
        self._refresh_outlines()

    def _view_changed(self) -> None:
        self.transport.views.set_value(self.session.chosen_view)
        self.picture.set_view(self.session.view)
        self._ask_picture()

    def _view_resized(self, width: int, height: int) -> None:
        self._size = width, height
        self.player.set_size(width, height)
        self._ask_picture()

    def _speed_changed(self, speed: int) -> None:
        self.transport.set_speed(speed)
        self.picture.set_quiet(bool(speed))
        if not speed:
            self._refresh_outlines()
            self._refresh_place()
            self._ask_picture()

    def _ask_picture(self) -> None:
        clip = self.session.clip
        if clip is not None and not self.player.speed and self.isVisible():
            self._asked = self.server.ask(Wish(self._trial or self.document.project, clip.key, self.session.frame, self.session.view, *self._size))

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._ask_picture()

    def _picture_made(self, picture: Picture) -> None:
        """Show a still, unless a newer one was shown already, or it is of another clip or view than what is looked at now."""
        wish, clip = picture.wish, self.session.clip
        if self.player.speed or clip is None or (wish.clip, wish.view) != (clip.key, self.session.view) or wish.number < self._shown:
            return
        self._shown = wish.number
        self.picture.set_picture(picture.image, picture.other)

    def _picture_failed(self, text: str) -> None:
        if self.player.speed:
            self.player.set_speed(0)
        self.picture.set_picture(None)
        self.picture.set_message(text)
        self.document.learn_damage()

    def _refresh_register(self) -> None:
        # While something is followed its lane grows with it.
        clip, project = self.session.clip, self._trial or self.document.project
        if clip is None:
            self.register.set_content(None, [], {}, np.zeros(1, np.uint8), "", "Everyone found will be listed here once a clip is scanned.")
            return
        waiting = self.document.waiting
        casting = self.casting
        subjects = register_rows(project, clip, waiting, casting.show, casting.order)
        drawn = lanes(project, clip, subjects, waiting)
        count = sum(f.clip == clip.key for f in waiting)
        things = sum(isinstance(s.of, ThingSubject) for s in subjects)
        people = sum(not s.doubtful for s in subjects) - things
        doubtful = len(subjects) - people - things
        note = " · ".join([*([counted(people, "1 person", "{n} people")] if people or not things else []), *([counted(things, "1 thing", "{n} things")] if things else []), *([tr("{n} doubtful", n=doubtful)] if doubtful else []), tr("{n} to look at", n=count)]) if subjects else ""
        empty = "Nobody was found. Press A and draw around a face to add it." if project.scan_of(clip.key) else "Scan the clip in Footage, or press A and draw around a face to add it."
        if casting.show != Show.EVERYBODY and any(s.in_clip(clip.key) for s in project.subjects):
            empty = tr("Nobody is listed under “{list}”. Choose another list above.", list=tr(SHOW_WORD[casting.show]))
        self.register.set_list(SHOW_WORD[casting.show], ORDER_WORD[casting.order])
        self.register.set_content(clip, subjects, drawn, attention(clip, waiting), note, empty)
        self.register.set_selection(self.session.selected)

    def _refresh_inspector(self) -> None:
        subject, clip, project = self.session.subject, self.session.clip, self.document.project
        if subject is None or clip is None:
            self.inspector.show_subject(None, "", project.style, False)
            return
        times, seconds, first = seen_summary(project, subject, clip)
        facts = counted(times, "Seen once · {s} s · first at {at}", "Seen {n} times · {s} s · first at {at}", s=f"{seconds:.1f}", at=clip.at(first)) if times else tr("Not seen in this clip")
        elsewhere = [c.path.name for c in project.clips if c.key != clip.key and subject.in_clip(c.key)]
        if elsewhere:
            facts += tr(" · also in {clips}", clips=", ".join(elsewhere))
        if len(self.session.selected) > 1:
            facts = tr("One of {n} selected; decisions go to all of them.", n=len(self.session.selected)) + " " + facts
        if subject.doubtful:
            facts += ". " + tr("Hardly a face: cover it, or dismiss it if it is no person.")
        elif subject.sure < 0.995 and len(subject.sightings) > 1:
            facts += " · " + tr("one person, {share} sure", share=percent(subject.sure))
        self.inspector.show_subject(subject, facts, project.style_of(subject), subject.style is not None)
        self._refresh_place()

    def _refresh_place(self) -> None:
        subject, clip, frame = self.session.subject, self.session.clip, self.session.frame
        project = self._trial or self.document.project
        subject = next((s for s in project.subjects if subject is not None and s.key == subject.key), None)
        sighting = sighting_at(subject, clip.key, frame) if subject and clip else None
        if sighting is None:
            self.inspector.show_place(tr("Not in the picture at this frame."), False, False)
            return
        outline = outline_at(project, sighting, frame)
        marks = sighting.marks()
        put_right = any(r.frame == frame for r in sighting.repairs)
        how = tr("Corrected at this frame" if put_right else "Keyframe" if frame in marks else _ORIGIN_WORD[ORIGIN_NAMES[outline.origin]])
        text = how if frame in marks else tr("{how}, {share} sure", how=how, share=percent(outline.confidence))
        text += tr(" · {n} by hand", n=len(marks)) if marks else ""
        between = keyframe_before(sighting, frame)
        text += " · " + tr(_BETWEEN[between.to_next]) if between else ""
        self.inspector.show_place(text, True, frame in marks, next((name for name, kind in Shape.kinds.items() if isinstance(sighting.shape, kind)), ""))

    def _refresh_outlines(self) -> None:
        clip = self.session.clip
        if clip is None or self.player.speed:
            return
        project, frame = self._trial or self.document.project, self.session.frame
        outlines = []
        for subject in project.subjects:
            sighting = sighting_at(subject, clip.key, frame)
            if sighting is not None:
                outlines.append((subject.key, subject.name, outline_at(project, sighting, frame), cover_outline(project, sighting, frame, project.style_of(subject)), subject.is_covered))
        self.picture.set_outlines(outlines, self.session.subject.key if self.session.subject else "")

    def close_workers(self) -> None:
        self.player.set_speed(0)
        self.server.close()

