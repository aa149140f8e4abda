"""Cover: the picture, the register under it and the inspector beside it, joined to the document and the session."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QSplitter, QWidget

from skiagraph.desktop.casting import ORDER_WORD, SHOW_WORD, Casting
from skiagraph.desktop.controls import column, line
from skiagraph.desktop.cover_work import CoverWork
from skiagraph.desktop.document import Document
from skiagraph.desktop.hand_work import BETWEEN_WORD, HandWork
from skiagraph.desktop.inspector import Inspector
from skiagraph.desktop.looks import Looks
from skiagraph.desktop.outline_painter import Seen, Way
from skiagraph.desktop.picture_server import Picture, PictureServer, Wish
from skiagraph.desktop.picture_view import PictureView
from skiagraph.desktop.player import Player
from skiagraph.desktop.portraits import Portraits
from skiagraph.desktop.question_bar import QuestionBar
from skiagraph.desktop.register_view import RegisterView
from skiagraph.desktop.session import Session, View
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.tool_strip import ToolStrip
from skiagraph.desktop.transport import Transport
from skiagraph.desktop.unknown_work import UnknownWork
from skiagraph.desktop.voice_row import VoiceRow
from skiagraph.desktop.voice_work import VoiceWork
from skiagraph.desktop.words import counted, percent, tr
from skiagraph.project import edits, outlines, presence
from skiagraph.project.decisions import ThingSubject
from skiagraph.project.model import Decision
from skiagraph.project.outlines import keyframe_before
from skiagraph.project.presence import sighting_at
from skiagraph.project.rows import cover_outline, outline_at
from skiagraph.review.good_frame import good_frame
from skiagraph.review.lanes import attention, lanes, next_finding, next_keyframe, seen_summary
from skiagraph.review.places import portrait_turns
from skiagraph.review.register import Show, register_rows
from skiagraph.review.way import stops, way_of
from skiagraph.track.path import ORIGIN_NAMES

_ORIGIN_WORD = {"found": "Found", "followed": "Followed", "bridged": "Bridged", "placed": "By hand"}


class CoverPage(QWidget):
    """Asks the document for edits; its widgets are refreshed from the project."""

    said = Signal(str)
    followWanted = Signal(object)
    edgeWanted = Signal(str, str, int)

    def __init__(self, document: Document, session: Session, portraits: Portraits, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("page")
        self.document, self.session, self.portraits = document, session, portraits
        self.server = PictureServer(self)
        self.player = Player(document, session, self.server, self)
        self.picture, self.tools, self.transport = PictureView(), ToolStrip(), Transport()
        self.inspector, self.register, self.question = Inspector(), RegisterView(), QuestionBar()
        self.casting = Casting(document, session, self.register, self.question, portraits, self)
        self.hand = HandWork(document, session, self.picture, self)
        self.unknown = UnknownWork(document, session, self.picture, self.hand, self)
        self.covering = CoverWork(document, session, self.inspector, self.hand, self)
        self.looks = Looks(document, session, self)
        self.voice_row = VoiceRow()
        self.voice = VoiceWork(document, session, self.voice_row, self.inspector.voice_part, self)
        self.player.heard = lambda: self.voice.heard
        self.player.sound_info = lambda: self.voice.sound
        self.player.other_side = self.looks.other_side
        # What the register lists is painted until it is filled anew, also when another project is current already.
        self._listed = document.project
        self.register.set_faces(
            lambda subject: portraits.face(self._listed, subject.portrait, portrait_turns(self._listed, subject))
        )
        self._size = (1280, 720)
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
        seen = line(spacing=GRID)
        seen.addWidget(self.tools)
        seen.addWidget(self.picture, 1)
        left.addLayout(seen, 1)
        left.addWidget(self.transport)
        row.addLayout(left, 1)
        self.inspector.setFixedWidth(296)
        row.addWidget(self.inspector)
        self.splitter.addWidget(upper)
        lower = column(spacing=GRID)
        lower.addWidget(self.question)
        lower.addWidget(self.register, 1)
        lower.addWidget(self.voice_row)
        holder = QWidget()
        holder.setLayout(lower)
        self.splitter.addWidget(holder)
        self.splitter.setStretchFactor(0, 1)
        self.splitter.setStretchFactor(1, 0)
        self.splitter.setSizes([500, 244])
        outer.addWidget(self.splitter)

    def _connect(self) -> None:
        document, session = self.document, self.session
        document.changed.connect(self._project_changed)
        document.findingsChanged.connect(self._refresh_register)
        document.findingsChanged.connect(self.unknown.refresh)
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
        hand = self.hand
        hand.tried.connect(self._tried)
        hand.said.connect(self.said)
        self.unknown.said.connect(self.said)
        hand.followWanted.connect(self._follow)
        hand.toolChosen.connect(self.tools.set_tool)
        bar = self.transport
        bar.playPressed.connect(self.player.toggle)
        bar.stepPressed.connect(self.step)
        bar.jumpPressed.connect(self.jump)
        bar.markPressed.connect(lambda which: session.set_mark(which, session.frame))
        bar.viewChosen.connect(session.set_view)
        bar.fitPressed.connect(view.fit)
        self.tools.drawPressed.connect(hand.draw)
        bar.clipChosen.connect(lambda key: self.show_clip(key))
        bar.sought.connect(self.seek)
        register = self.register
        register.selected.connect(session.select)
        register.sought.connect(self.seek)
        register.decided.connect(self.casting.decide)
        register.renamed.connect(self._rename)
        register.keyframeMoved.connect(
            lambda key, a, b: document.edit("move keyframe", outlines.move_keyframe, key, session.clip.key, a, b)
        )
        register.endDragged.connect(self._end_dragged)
        register.repairPulled.connect(
            lambda key, frame, before, after: document.edit(
                "change the extent of a correction",
                outlines.set_repair_extent,
                key,
                session.clip.key,
                frame,
                before,
                after,
            )
        )
        register.markerMoved.connect(
            lambda a, b: document.edit("move marker", edits.move_marker, session.clip.key, a, b)
        )
        register.spanChanged.connect(self._show_span)
        self.voice_row.zoomed.connect(register.wheelEvent)
        self.voice.sought.connect(self.seek)
        self.voice.said.connect(self.said)
        self.voice.chosenChanged.connect(self.inspector.show_voice_alone)
        self.voice.heardChanged.connect(self._sound_known)
        panel = self.inspector
        panel.decided.connect(lambda decision: self.casting.decide(session.selected, decision))
        panel.portraitWanted.connect(self.casting.choose_portrait)
        self.covering.said.connect(self.said)
        self.covering.tried.connect(self._style_tried)
        self.looks.said.connect(self.said)
        self.looks.compared.connect(self._view_changed)
        panel.looks_menu.aboutToShow.connect(lambda: self.looks.fill(panel.looks_menu))
        panel.reachChosen.connect(session.set_reach)
        panel.keyframeWanted.connect(lambda: hand.edit_here("add keyframe", outlines.keyframe_here))
        panel.keyframeDropped.connect(hand.remove_marked)
        panel.followPressed.connect(hand.follow)
        panel.motionChosen.connect(lambda motion: setattr(hand, "motion", motion))
        panel.roomChosen.connect(lambda room: setattr(hand, "room", room))
        panel.lookedChosen.connect(lambda looked: setattr(hand, "looked", looked))
        panel.shapeChosen.connect(lambda kind: hand.edit_here("change shape", outlines.set_shape_kind, kind))
        panel.placeTyped.connect(hand.set_place)
        panel.holdoutChosen.connect(hand.set_holdout)
        panel.edgeWanted.connect(lambda: hand.here() and self.edgeWanted.emit(*hand.here()))
        panel.edgeDropped.connect(lambda: hand.edit_here("edge as drawn", outlines.with_edge, None, None))
        panel.frontWanted.connect(lambda: hand.draw("front"))
        panel.beginHere.connect(lambda: hand.trim("begin"))
        panel.endHere.connect(lambda: hand.trim("end"))
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

    def remove_selected(self) -> None:
        if self.session.selected:
            self.document.edit("remove from register", edits.remove_subjects, self.session.selected)

    def digit(self, number: int) -> None:
        """A decision; while an outline is pulled, what the change applies to."""
        if not self.hand.choose_reach(number) and number <= len(Decision):
            self.casting.decide(self.session.selected, list(Decision)[number - 1])

    def jump_stop(self, backward: bool = False) -> None:
        """The next marker, or where a sighting of the selected, or of anybody, begins or ends."""
        clip, frame = self.session.clip, self.session.frame
        every = stops(self.document.project, self.session.subject, clip.key) if clip else []
        there = [f for f in every if (f < frame if backward else f > frame)]
        if there:
            self.seek(there[-1] if backward else there[0])

    def copy(self) -> None:
        """Keyframes where some are marked in the lane, else the outline at this frame."""
        marked = self.register.marked
        if marked is not None and self.session.subject is not None and marked[0] == self.session.subject.key:
            self.hand.copy_keyframes(marked[1], marked[2])
        else:
            self.hand.copy_outline()

    def delete(self) -> None:
        """Chosen points, else keyframes marked in the lane, else what was set at this frame."""
        marked, clip = self.register.marked, self.session.clip
        if self.voice_row.hasFocus() and self.voice.remove():
            return
        if marked is not None and clip and not self.picture.chosen_points:
            self.document.edit("remove keyframes", outlines.remove_keyframes, marked[0], clip.key, marked[1], marked[2])
            self.register.mark(None)
        else:
            self.hand.remove_marked()

    def escape(self) -> None:
        """Leave the smallest thing that is under way."""
        if self.picture.cancel_drag() or self.voice_row.hasFocus() and self.voice.clear():
            return
        if self.register.marked is not None:
            self.register.mark(None)
        elif self.picture.is_drawing:
            self.hand.draw("")
        else:
            self.picture.set_hint("")
            self.session.select([])

    # What widgets report

    def _tried(self) -> None:
        """What a drag will do, or how far following is, is shown."""
        self._ask_picture()
        if self.picture.is_dragging_outline:
            return
        self._refresh_outlines()
        self._refresh_register()
        self._refresh_place()

    def _follow(self, wanted) -> None:
        self.player.set_speed(0)
        self.followWanted.emit(wanted)

    def _rename(self, key: str, name: str) -> None:
        if name.strip() and name.strip() != self.document.project.subject(key).name:
            self.document.edit("rename", edits.rename, key, name)

    def _end_dragged(self, key: str, inside: int, first: int, last: int) -> None:
        self.document.edit(
            "change the ends of a sighting", presence.trim_sighting, key, self.session.clip.key, inside, first, last
        )

    def _style_tried(self) -> None:
        self._ask_picture()
        self._refresh_outlines()
        self.covering.refresh_soon()

    # Refreshing from the project

    def _project_changed(self) -> None:
        self.hand.drop_trial()
        project = self.document.project
        self.transport.set_clips(
            [(c.key, c.path.name) for c in project.clips], self.session.clip.key if self.session.clip else ""
        )
        self._clip_shape()
        self._refresh_register()
        self._refresh_inspector()
        self._refresh_outlines()
        self.voice.refresh()
        self._ask_picture()

    def _clip_changed(self) -> None:
        self.transport.set_clips(
            [(c.key, c.path.name) for c in self.document.project.clips],
            self.session.clip.key if self.session.clip else "",
        )
        self._clip_shape()
        self.hand.source = None
        self.picture.set_picture(None)
        self._refresh_register()
        self.voice.clear()
        self.voice.refresh()
        self._show_span()

    def _clip_shape(self) -> None:
        clip = self.session.clip
        self.transport.set_clip(clip)
        if clip is None:
            self.picture.set_picture(None)
            self.picture.set_message(tr("Add a clip in Footage to begin."))
        else:
            self.picture.set_clip_size(clip.width, clip.height)

    def _frame_changed(self, frame: int) -> None:
        self.hand.drop_trial()
        self.transport.set_frame(frame)
        self.register.set_frame(frame)
        self.voice_row.set_time(self.voice.time_of(frame + 0.5))
        if not self.player.speed:
            self._refresh_outlines()
            self._refresh_place(moved=True)
            self._ask_picture()

    def _selection_changed(self) -> None:
        self.hand.drop_trial()
        if not self.picture.is_drawing:
            self.picture.set_hint("")
        self.register.set_selection(self.session.selected)
        self._refresh_inspector()
        self._refresh_outlines()
        self.voice.refresh()

    def _view_changed(self) -> None:
        self.transport.views.set_value(self.session.chosen_view)
        self.picture.set_other_name(self.looks.other_name)
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
            self._asked = self.server.ask(
                Wish(
                    self.hand.project,
                    clip.key,
                    self.session.frame,
                    self.session.view,
                    *self._size,
                    other=self.looks.other_side(self.hand.project) if self.session.view == View.SPLIT else None,
                )
            )

    def showEvent(self, event) -> None:
        super().showEvent(event)
        self._ask_picture()

    def _picture_made(self, picture: Picture) -> None:
        """Show a still, unless a newer one was shown already, or it is of another clip or view than what is looked at
        now."""
        wish, clip = picture.wish, self.session.clip
        if (
            self.player.speed
            or clip is None
            or (wish.clip, wish.view) != (clip.key, self.session.view)
            or wish.number < self._shown
        ):
            return
        self._shown = wish.number
        self.hand.source = picture.grey
        self.picture.set_picture(picture.image, picture.other)

    def _picture_failed(self, text: str) -> None:
        if self.player.speed:
            self.player.set_speed(0)
        self.picture.set_picture(None)
        self.picture.set_message(text)
        self.document.learn_damage()

    def _refresh_register(self) -> None:
        # While something is followed its lane grows with it.
        clip, project = self.session.clip, self.hand.project
        if clip is None:
            self.register.set_content(
                None, [], {}, np.zeros(1, np.uint8), "", "Everyone found will be listed here once a clip is scanned."
            )
            return
        waiting = self.document.waiting
        self._listed = project
        casting = self.casting
        subjects = register_rows(project, clip, waiting, casting.show, casting.order)
        drawn = lanes(project, clip, subjects, waiting)
        count = sum(f.clip == clip.key for f in waiting)
        things = sum(isinstance(s.of, ThingSubject) for s in subjects)
        fronts = sum(not s.of.hides for s in subjects)
        people = sum(not s.doubtful for s in subjects) - things - fronts
        doubtful = len(subjects) - people - things - fronts
        note = (
            " · ".join(
                [
                    *([counted(people, "1 person", "{n} people")] if people or not things else []),
                    *([counted(things, "1 thing", "{n} things")] if things else []),
                    *([tr("{n} doubtful", n=doubtful)] if doubtful else []),
                    tr("{n} to look at", n=count),
                ]
            )
            if subjects
            else ""
        )
        if self.document.scanning == clip.key:
            empty = "This clip is being scanned. Everyone found appears here."
        elif project.scan_of(clip.key):
            empty = "Nobody was found. Press A and draw around a face to add it."
        else:
            empty = "Scan the clip in Footage, or press A and draw around a face to add it."
        if casting.show != Show.EVERYBODY and any(s.in_clip(clip.key) for s in project.subjects):
            empty = tr("Nobody is listed under “{list}”. Choose another list above.", list=tr(SHOW_WORD[casting.show]))
        self.register.set_markers([(m.frame, m.name) for m in project.decisions.markers if m.clip == clip.key])
        self.register.set_list(SHOW_WORD[casting.show], ORDER_WORD[casting.order])
        self.register.set_content(clip, subjects, drawn, attention(clip, waiting), note, empty)
        self.register.set_selection(self.session.selected)

    def _refresh_inspector(self) -> None:
        subject, clip, project = self.session.subject, self.session.clip, self.document.project
        if subject is None or clip is None:
            self.inspector.show_subject(None, "", project.style, False)
            return
        times, seconds, first = seen_summary(project, subject, clip)
        facts = (
            counted(
                times,
                "Seen once · {s} s · first at {at}",
                "Seen {n} times · {s} s · first at {at}",
                s=f"{seconds:.1f}",
                at=clip.at(first),
            )
            if times
            else tr("Not seen in this clip")
        )
        elsewhere = [c.path.name for c in project.clips if c.key != clip.key and subject.in_clip(c.key)]
        if elsewhere:
            facts += tr(" · also in {clips}", clips=", ".join(elsewhere))
        if len(self.session.selected) > 1:
            facts = tr("One of {n} selected; decisions go to all of them.", n=len(self.session.selected)) + " " + facts
        if subject.doubtful:
            facts += ". " + tr("Hardly a face: cover it, or dismiss it if it is no person.")
        elif subject.sure < 0.995 and len(subject.sightings) > 1:
            facts += " · " + tr("one person, {share} sure", share=percent(subject.sure))
        fronts = [
            (s.key, s.name)
            for s in project.subjects
            if not s.of.hides and s.of.is_before(subject.key) and s.in_clip(clip.key)
        ]
        others = [(s.key, s.name) for s in project.subjects if s.of.hides and not s.dismissed and s.in_clip(clip.key)]
        self.inspector.show_subject(
            subject, facts, project.style_of(subject), subject.style is not None, fronts, others, self.looks.state()
        )
        self._refresh_place()

    def _refresh_place(self, moved: bool = False) -> None:
        """moved: only the frame is another."""
        subject, clip, frame = self.session.subject, self.session.clip, self.session.frame
        project = self.hand.project
        subject = next((s for s in project.subjects if subject is not None and s.key == subject.key), None)
        sighting = sighting_at(subject, clip.key, frame) if subject and clip else None
        if sighting is None:
            self.inspector.show_place(tr("Not in the picture at this frame."), None, False)
            self.covering.refresh_soon() if moved else self.covering.refresh()
            return
        outline = outline_at(project, sighting, frame)
        marks = sighting.marks()
        put_right = any(r.frame == frame for r in sighting.repairs)
        how = tr(
            "Corrected at this frame"
            if put_right
            else "Keyframe"
            if frame in marks
            else _ORIGIN_WORD[ORIGIN_NAMES[outline.origin]]
        )
        text = how if frame in marks else tr("{how}, {share} sure", how=how, share=percent(outline.confidence))
        text += tr(" · {n} by hand", n=len(marks)) if marks else ""
        between = keyframe_before(sighting, frame)
        text += " · " + tr(BETWEEN_WORD[between.to_next]) if between else ""
        self.inspector.show_place(text, outline, frame in sighting.all_marks(), bool(sighting.cut))
        if any(s.levels for s in subject.sightings):
            self.inspector.cover.show_style(self.covering.style_here(project))
        self.covering.refresh_soon() if moved else self.covering.refresh()

    def _refresh_outlines(self) -> None:
        clip = self.session.clip
        if clip is None or self.player.speed:
            return
        project, frame, selected = self.hand.project, self.session.frame, self.session.subject
        seen, way = [], Way()
        for subject in project.subjects:
            sighting = sighting_at(subject, clip.key, frame)
            if sighting is None:
                continue
            seen.append(
                Seen(
                    subject.key,
                    subject.name,
                    outline_at(project, sighting, frame),
                    cover_outline(project, sighting, frame, project.style_of(subject)),
                    subject.is_covered,
                    not subject.of.hides,
                )
            )
            if selected is not None and subject.key == selected.key:
                way = Way(way_of(project, sighting, frame), sighting.marks(), frame)
        self.picture.set_outlines(seen, selected.key if selected else "", way, self.hand.ghost())
        self.hand.refresh_offers()
        self.unknown.refresh()

    # The voice row

    def _show_span(self) -> None:
        first, last = self.register.span
        self.voice_row.set_span(
            self.voice.time_of(first),
            self.voice.time_of(last),
            self.register.width() - self.register.viewport().width(),
        )

    def _sound_known(self) -> None:
        """The clip's sound is read now, or another track is heard."""
        self._show_span()
        self.voice_row.set_time(self.voice.time_of(self.session.frame + 0.5))
        self.player.hear_anew()

    def close_workers(self) -> None:
        self.player.set_speed(0)
        self.server.close()
