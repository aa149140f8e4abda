"""Work by hand on the picture: drawing, moving, keyframes, following, what is in front, copying.

Asks the document for edits; what a drag will do is a trial that nothing is kept of.
"""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QInputDialog, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.document import Document
from skiagraph.desktop.picture_view import PictureView
from skiagraph.desktop.session import Outlines, Session
from skiagraph.desktop.words import tr
from skiagraph.errors import SkiagraphError
from skiagraph.follow.follower import held_by
from skiagraph.follow.step import Hold
from skiagraph.footage.following import Direction, Following
from skiagraph.project import copying, edits, levels, outlines, presence
from skiagraph.project.decisions import PersonSubject, ThingSubject
from skiagraph.project.model import Change, HoldoutSubject, Outline, Project, Reach, Shape, Sighting, replace
from skiagraph.project.outlines import keyframe_before
from skiagraph.project.presence import sighting_at
from skiagraph.project.rows import outline_at
from skiagraph.review.ends import at_edge
from skiagraph.review.way import last_seen
from skiagraph.shape.change import change_between
from skiagraph.shape.pointed import with_point_moved, without_points
from skiagraph.track.path import Path

BETWEEN_WORD = {"smooth": "smooth", "straight": "straight", "hold": "held"}
REACH_WORD = {
    Reach.FRAME: "this frame",
    Reach.KEYFRAME: "this keyframe",
    Reach.ONWARD: "from here on",
    Reach.SIGHTING: "this sighting",
    Reach.ALL: "every sighting",
}
# What each tool draws: shape, and what to do with it.
TOOLS = {
    "ellipse": ("ellipse", "Draw around the face.  Esc leaves."),
    "box": ("box", "Draw a box around what is to be covered.  Esc leaves."),
    "curve": (
        "curve",
        "Click point by point, or draw freely. Enter or a click on the first point closes it, Esc leaves.",
    ),
    "front": ("curve", "Draw around what is in front and stays sharp: point by point, or freely.  Esc leaves."),
}


class HandWork(QObject):
    """tried: what a drag will do changed; said: a sentence; followWanted: a Following. trial: the project with it, or
    None."""

    tried = Signal()
    said = Signal(str)
    followWanted = Signal(object)
    toolChosen = Signal(str)

    def __init__(self, document: Document, session: Session, picture: PictureView, parent: QWidget):
        super().__init__(parent)
        self._document, self._session, self._picture, self._parent = document, session, picture, parent
        self.trial: Project | None = None
        self.motion = self.room = self.looked = None
        self._tool = ""
        # Who was drawn or placed just now: what is usually next is offered for them.
        self._fresh, self._moved_at = "", -1
        self._last_change: Change | None = None
        self._copied: object = None
        # The luma of the frame that is shown, as it was shot.
        self.source: np.ndarray | None = None
        self._ghost_said = False
        self.shown = Outlines.ALL
        view = picture
        view.outlineDragged.connect(self._dragged)
        view.outlineMoved.connect(self._moved)
        view.drawing.connect(self._tell_hold)
        view.drawn.connect(self._drawn)
        view.wayMoved.connect(self._way_moved)
        view.ghostDropped.connect(self._placed_again)
        view.offerPressed.connect(self._offered)

    # Where the editor stands

    @property
    def project(self) -> Project:
        return self.trial or self._document.project

    def here(self) -> tuple[str, str, int] | None:
        """Key of the selected, of the clip, and the frame; None where one is missing."""
        subject, clip = self._session.subject, self._session.clip
        return (subject.key, clip.key, self._session.frame) if subject and clip else None

    def sighting(self) -> Sighting | None:
        """The selected's sighting at this frame."""
        subject, clip = self._session.subject, self._session.clip
        return sighting_at(subject, clip.key, self._session.frame) if subject and clip else None

    def edit_here(self, name: str, function, *arguments) -> bool:
        here = self.here()
        return bool(here) and self._document.edit(name, function, *here, *arguments)

    def drop_trial(self) -> None:
        self.trial = None

    # Drawing

    def draw(self, tool: str) -> None:
        """Draw with a tool of TOOLS; empty leaves it."""
        shape, hint = TOOLS.get(tool, ("", ""))
        self._tool = tool
        self.toolChosen.emit(tool)
        self._picture.set_drawing(Shape.kinds[shape]() if shape else None)
        self._picture.set_hint(tr(hint) if hint else "")

    def _drawn(self, outline: Outline) -> None:
        tool, clip, frame = self._tool, self._session.clip, self._session.frame
        self.draw("")
        made: list[str] = []
        before = [k for k in self._session.selected if self._document.project.subject(k).of.hides]

        def add(project):
            if tool == "front":
                project, key = outlines.add_holdout(project, clip.key, frame, outline, before or None)
            else:
                project, key = outlines.add_subject(
                    project, clip.key, frame, outline, PersonSubject() if tool == "ellipse" else ThingSubject()
                )
            made.append(key)
            return project

        if clip and self._document.edit(
            {"ellipse": "add face", "front": "add what is in front"}.get(tool, "add thing"), add
        ):
            self.offer_for(made)
            self._tell_hold(outline)

    def offer_for(self, made: list[str]) -> None:
        """Whoever was just drawn, or covered by one click, is selected, and what is usually next is offered."""
        self._fresh = made[0]
        self._session.select(made)
        self.refresh_offers()

    def _tell_hold(self, outline: Outline) -> None:
        """Say whether there is enough in an outline to follow it by."""
        hold = self._hold_of(outline)
        if hold is None:
            return
        text, colour = (
            (tr("Plain: take in an edge or a corner, or it cannot be followed."), theme.OCHRE)
            if hold.is_plain
            else (tr("Something beside it looks like it; following may slip."), theme.OCHRE)
            if hold.is_alike
            else (tr("Enough to hold on to."), theme.VERDIGRIS)
        )
        self._picture.set_hint(text, colour)

    def _hold_of(self, outline: Outline) -> Hold | None:
        """Of the picture as it was shot: what lies over it says nothing of what is there."""
        if self.source is None or min(outline.width, outline.height) < 8:
            return None
        x0, y0, x1, y1 = outline.box()
        rows, columns = self.source.shape
        return held_by(self.source, outline) if x1 > 0 and y1 > 0 and x0 < columns and y0 < rows else None

    # Moving

    def _dragged(self, outline: Outline | None) -> None:
        here = self.here()
        self.trial = None
        if outline is not None and here and not self._document.read_only:
            self.trial = self._with_outline(self._document.project, here, outline)
            self._picture.set_hint(
                tr(
                    "Applies to {reach}.  1 frame · 2 keyframe · 3 from here on · 4 sighting · 5 every sighting",
                    reach=tr(REACH_WORD[self._session.reach]),
                )
            )
        elif outline is None:
            self._picture.set_hint("")
        self.tried.emit()

    def _with_outline(self, project: Project, here: tuple[str, str, int], outline: Outline) -> Project:
        sighting = sighting_at(project.subject(here[0]), here[1], here[2])
        if sighting is not None and outline.shape != sighting.shape_at(here[2]):
            return outlines.set_shape(project, *here, outline.shape, self._session.reach)
        return outlines.move_outline(project, *here, outline, self._session.reach)

    def _moved(self, outline: Outline) -> None:
        self.trial = None
        self._picture.set_hint("")
        here, sighting = self.here(), self.sighting()
        if here is None:
            return
        before = outline_at(self._document.project, sighting, here[2]) if sighting else None
        if (
            self._document.edit(_name_of(before, outline), lambda project: self._with_outline(project, here, outline))
            and before is not None
        ):
            self._last_change = change_between(before.place, outline.place)
            self._moved_at = here[2]
            self.refresh_offers()

    def set_place(self, outline: Outline) -> None:
        """The outline at this frame as numbers say it."""
        self._moved(outline)

    def nudge(self, x: float, y: float) -> None:
        """Move the outline, or the chosen points of it, by px."""
        here, sighting = self.here(), self.sighting()
        if here is None or sighting is None:
            return
        outline = outline_at(self._document.project, sighting, here[2])
        if self._picture.chosen_points:
            u, v = outline.place.to_unit(np.array([outline.cx, outline.cx + x]), np.array([outline.cy, outline.cy + y]))
            self._moved(
                Outline(
                    outline.place,
                    with_point_moved(
                        outline.shape, self._picture.chosen_points, float(u[1] - u[0]), float(v[1] - v[0])
                    ),
                )
            )
        else:
            self._moved(outline.pulled("move", (0, 0), (x, y)))

    def _way_moved(self, frame: int, x: float, y: float) -> None:
        """A keyframe on the way pulled to another place."""
        here = self.here()
        sighting = sighting_at(self._session.subject, here[1], frame) if here else None
        if sighting is not None:
            outline = outline_at(self._document.project, sighting, frame)
            reach = Reach.FRAME if any(r.frame == frame for r in sighting.repairs) else Reach.KEYFRAME
            self._document.edit(
                "move keyframe",
                outlines.move_outline,
                here[0],
                here[1],
                frame,
                outline.pulled("move", (outline.cx, outline.cy), (x, y)),
                reach,
            )

    def repeat(self) -> None:
        """The last correction again: at this frame, or from in to out where both are set."""
        here = self.here()
        if here is None or self._last_change is None:
            self.said.emit(tr("Move, size or turn an outline first; that can be repeated at other frames."))
            return
        first, last = self._session.marks
        first, last = (first, last) if first is not None and last is not None else (here[2], here[2])
        self._document.edit(
            "repeat the correction", outlines.repeat_change, here[0], here[1], first, last, self._last_change
        )

    def choose_reach(self, number: int) -> bool:
        """While an outline is pulled a digit chooses what the change applies to; True when it did."""
        if not self._picture.is_dragging_outline:
            return False
        self._session.set_reach(list(Reach)[number - 1])
        self._picture.redrag()
        return True

    def remove_marked(self) -> None:
        """Chosen points of the outline, else what was set by hand at this frame."""
        sighting, chosen = self.sighting(), self._picture.chosen_points
        if sighting is not None and chosen:
            outline = outline_at(self._document.project, sighting, self._session.frame)
            self._moved(Outline(outline.place, without_points(outline.shape, chosen)))
            return
        self.edit_here("remove keyframe", outlines.remove_keyframe)

    def change_between(self) -> None:
        """Smooth, straight, held, and smooth again, from the keyframe at or before the playhead to the next."""
        sighting = self.sighting()
        now = keyframe_before(sighting, self._session.frame) if sighting else None
        if now is None:
            self.said.emit(tr("There are no two keyframes around this frame; set them first."))
            return
        ways = list(BETWEEN_WORD)
        self.edit_here(
            "change the way between keyframes", outlines.set_between, ways[(ways.index(now.to_next) + 1) % len(ways)]
        )

    # Following

    def follow(self, direction: Direction) -> None:
        """Follow the selected outline from this frame, between the marks."""
        here = self.here()
        if here is None or self.sighting() is None:
            self.said.emit(tr("Choose whoever or whatever is to be followed, at a frame where its outline lies well."))
            return
        self._fresh, self._moved_at = "", -1
        self._picture.set_hint("")
        self.refresh_offers()
        self.followWanted.emit(Following(*here, direction, self._session.span, self.motion, self.room, self.looked))

    def show_followed(self, wanted: Following, path: Path) -> None:
        """How far following is: the outline where it was found last, and the cover with it; nothing is kept of it."""
        clip, frame = self._session.clip, wanted.frame
        if (
            clip is None
            or clip.key != wanted.clip
            or all(s.key != wanted.subject for s in self._document.project.subjects)
        ):
            return
        self.trial = None
        self._session.set_frame(
            path.first if path.first < frame and (path.last == frame or self._session.frame < frame) else path.last
        )
        self.trial = outlines.rest_on_followed(self._document.project, wanted.subject, wanted.clip, frame, path)
        self.tried.emit()

    def _placed_again(self, outline: Outline) -> None:
        """The ghost was put where somebody is seen again: what lies between is bridged, and it goes on from here."""
        if self.edit_here("place it again", outlines.place_again, outline):
            self.follow(Direction.BOTH)

    def declare_absent(self) -> None:
        self.edit_here("not in the picture here", presence.declare_absent)

    # Offers

    def refresh_offers(self) -> None:
        """What is usually next, beside the outline: for who was just drawn, moved, or is not covered here."""
        subject, clip, frame = self._session.subject, self._session.clip, self._session.frame
        offers: list[tuple[str, str, str]] = []
        sighting = self.sighting()
        if subject is None or clip is None:
            pass
        elif sighting is not None and subject.key == self._fresh:
            offers = [("both", tr("Follow both ways"), "T"), ("whole", tr("Cover the whole clip"), "Shift+E")]
        elif sighting is not None and frame == self._moved_at and sighting.tracks:
            offers = [("both", tr("Follow again from here"), "T")]
        elif (
            sighting is not None
            and outline_at(self._document.project, sighting, frame).confidence < presence.ABSENT_BELOW
        ):
            offers = [("absent", tr("Not in the picture here"), "W")]
        elif (
            sighting is None
            and self._is_missed(subject, clip, frame)
            and any(s.last < frame for s in subject.in_clip(clip.key))
        ):
            offers = [("absent", tr("Not in the picture here"), "W")]
        self._picture.set_offers(offers)

    def _offered(self, name: str) -> None:
        {"both": lambda: self.follow(Direction.BOTH), "whole": self.extend, "absent": self.declare_absent}[name]()
        self._fresh = ""
        self.refresh_offers()

    def ghost(self) -> Outline | None:
        """Where the selected was seen last, in a frame in which it has no cover; and what to do, said in the
        picture."""
        subject, clip, frame = self._session.subject, self._session.clip, self._session.frame
        seen = None
        if (
            subject is not None
            and clip is not None
            and self.sighting() is None
            and not self._picture.is_drawing
            and not _is_away(subject, clip.key, frame)
        ):
            seen = last_seen(self._document.project, subject, clip.key, frame)
        if seen is None:
            if self._ghost_said:
                self._ghost_said = False
                self._picture.set_hint("")
            return None
        self._ghost_said = True
        missed = self._is_missed(subject, clip, frame)
        self._picture.set_hint(
            tr(
                "{name} has no cover here. Drag the dotted outline to where it is seen again."
                if missed
                else "{name} left the picture. If it is back, drag the dotted outline there.",
                name=subject.name,
            ),
            theme.OCHRE if missed else theme.PAPER,
        )
        # Where it can be got hold of, if it was lost at the edge.
        place, (width, height) = seen[1].place, clip.picture_size
        return seen[1].on(
            replace(
                place,
                cx=float(np.clip(place.cx, 0.08 * width, 0.92 * width)),
                cy=float(np.clip(place.cy, 0.08 * height, 0.92 * height)),
            )
        )

    def _is_missed(self, subject, clip, frame: int) -> bool:
        """True where somebody was lost inside the picture, and nobody said that they are away."""
        seen = last_seen(self._document.project, subject, clip.key, frame)
        return seen is not None and not at_edge(seen[1].place.row(), clip) and not _is_away(subject, clip.key, frame)

    # Sightings

    def extend(self) -> None:
        """Cover the whole clip with the sighting at the playhead."""
        self._fresh = ""
        self.edit_here("cover the whole clip", presence.extend_sighting)
        self.refresh_offers()

    def switch_off(self) -> None:
        """No cover at this frame, and as far as changes reach."""
        reach = self._session.reach
        self.edit_here("cover off", levels.switch_off, Reach.FRAME if reach == Reach.KEYFRAME else reach)

    def split(self) -> None:
        self.edit_here("split sighting", presence.split_sighting)

    def join(self) -> None:
        self.edit_here("join sightings", presence.join_sightings)

    def trim(self, which: str) -> None:
        here, sighting = self.here(), self.sighting()
        if here and sighting:
            first, last = (here[2], sighting.last) if which == "begin" else (sighting.first, here[2])
            self._document.edit(
                "begin sighting here" if which == "begin" else "end sighting here",
                presence.trim_sighting,
                *here,
                first,
                last,
            )

    # In front

    def set_holdout(self, kind: HoldoutSubject) -> None:
        subject = self._session.subject
        if subject and kind != subject.of:
            self._document.edit("change what is in front", outlines.set_holdout, subject.key, kind)

    # Copying

    def copy_outline(self) -> None:
        """The outline at this frame: its place and its shape."""
        sighting = self.sighting()
        if sighting is not None:
            self._copied = outline_at(self._document.project, sighting, self._session.frame)
            self._picture.set_hint(tr("Outline copied."))

    def copy_keyframes(self, first: int, last: int) -> None:
        here = self.here()
        if here:
            self._copy(
                lambda: copying.copied_keyframes(self._document.project, here[0], here[1], first, last),
                "{n} keyframes copied.",
            )

    def copy_sighting(self) -> None:
        here = self.here()
        if here:
            self._copy(lambda: copying.copied_sighting(self._document.project, *here), "Sighting copied.")

    def copy_cover(self) -> None:
        subject = self._session.subject
        if subject:
            self._copied = self._document.project.style_of(subject)
            self._picture.set_hint(tr("Cover copied."))

    def _copy(self, make, said: str) -> None:
        try:
            self._copied = make()
        except SkiagraphError as error:
            self.said.emit(str(error))
        else:
            self._picture.set_hint(tr(said, n=len(self._copied) if hasattr(self._copied, "__len__") else 1))

    def paste(self) -> None:
        """What was copied last, for the selected at this frame."""
        here, copied = self.here(), self._copied
        if here is None or copied is None:
            self.said.emit(tr("Copy an outline, keyframes, a sighting or a cover first, then choose who it is for."))
        elif isinstance(copied, copying.CopiedKeyframes):
            self._document.edit("paste keyframes", copying.with_keyframes, *here, copied)
        elif isinstance(copied, copying.CopiedSighting):
            self._document.edit("paste sighting", copying.with_sighting, *here, copied)
        elif isinstance(copied, Outline):
            self._document.edit("paste outline", lambda project: self._with_pasted(project, here, copied))
        else:
            self._document.edit("paste cover", edits.set_style, here[0], copied)

    def _with_pasted(self, project: Project, here: tuple[str, str, int], outline: Outline) -> Project:
        project = outlines.move_outline(project, *here, Outline(outline.place, outline.shape), self._session.reach)
        return outlines.set_shape(project, *here, outline.shape, self._session.reach)

    # Markers

    def set_marker(self) -> None:
        """Name the present frame; an empty name takes the marker away."""
        clip, frame = self._session.clip, self._session.frame
        if clip is None:
            return
        now = next(
            (m.name for m in self._document.project.decisions.markers if (m.clip, m.frame) == (clip.key, frame)), ""
        )
        name, said = QInputDialog.getText(
            self._parent, tr("Marker"), tr("What is here? Leave it empty to take the marker away."), text=now
        )
        if said and (name.strip() or now):
            self._document.edit(
                "set marker" if name.strip() else "remove marker", edits.set_marker, clip.key, frame, name
            )

    # Which outlines are seen

    def next_shown(self) -> None:
        """All outlines, the selected one, none, and all again."""
        order = list(Outlines)
        self.shown = order[(order.index(self.shown) + 1) % len(order)]
        self._picture.set_shown(self.shown)
        self._picture.set_hint(
            tr(
                {
                    Outlines.ALL: "All outlines are drawn.",
                    Outlines.SELECTED: "Only the selected outline is drawn.",
                    Outlines.NONE: "No outlines are drawn. X brings them back.",
                }[self.shown]
            )
        )


def _is_away(subject, clip: str, frame: int) -> bool:
    """True where a person said that a subject is not in the picture."""
    before = [s for s in subject.in_clip(clip) if s.last < frame]
    return bool(before) and max(before, key=lambda s: s.last).away_after


def _name_of(before: Outline | None, after: Outline) -> str:
    """What a change of an outline is called in the history."""
    if before is None:
        return "place outline"
    if after.shape != before.shape:
        return "move points" if len(after.shape.points()) == len(before.shape.points()) else "change points"
    if after.place.row()[5:].any() and not np.allclose(after.place.row()[5:], before.place.row()[5:]):
        return "pull a corner"
    if after.angle != before.angle:
        return "turn outline"
    return (
        "resize outline"
        if abs(after.width - before.width) + abs(after.height - before.height) > 0.01
        else "move outline"
    )
