"""Who is who, as asked for in the register: menus, merging, splitting, moving sightings, questions, decisions for
many."""

from __future__ import annotations

from PySide6.QtCore import QObject, QPoint
from PySide6.QtWidgets import QInputDialog, QMenu, QWidget

from skiagraph.desktop.document import Document
from skiagraph.desktop.portraits import Portraits
from skiagraph.desktop.question_bar import QuestionBar
from skiagraph.desktop.register_painter import DECISION_WORD
from skiagraph.desktop.register_view import RegisterView
from skiagraph.desktop.session import Session
from skiagraph.desktop.words import tr
from skiagraph.project import cast, edits, presence
from skiagraph.project.model import Answer, Decision, Likeness, Portrait
from skiagraph.project.presence import sighting_at
from skiagraph.project.rows import outline_at
from skiagraph.review.places import portrait_turns
from skiagraph.review.register import Order, Show

SHOW_WORD = {
    Show.EVERYBODY: "Everyone",
    Show.UNDECIDED: "Undecided",
    Show.COVERED: "Covered",
    Show.SHOWN: "Shown",
    Show.TO_LOOK_AT: "To look at",
    Show.DOUBTFUL: "Doubtful",
    Show.DISMISSED: "Dismissed",
}
_DECIDING = {Decision.COVER: "cover {who}", Decision.SHOW: "show {who}", Decision.UNDECIDED: "leave {who} undecided"}
ORDER_WORD = {
    Order.FIRST_SEEN: "First seen",
    Order.SCREEN_TIME: "Screen time",
    Order.FINDINGS: "Findings",
    Order.DECISION: "Decision",
    Order.NAME: "Name",
}


class Casting(QObject):
    """Asks the document for edits of the cast; holds how the register is filtered and sorted."""

    def __init__(
        self,
        document: Document,
        session: Session,
        register: RegisterView,
        question: QuestionBar,
        portraits: Portraits,
        parent: QWidget,
    ):
        super().__init__(parent)
        self._document, self._session, self._register, self._question, self._portraits = (
            document,
            session,
            register,
            question,
            portraits,
        )
        self._parent = parent
        self.show, self.order = Show.EVERYBODY, Order.FIRST_SEEN
        self.brief_s = 1.0
        register.menuWanted.connect(self.menu)
        register.mergeWanted.connect(self.merge)
        register.sightingMoved.connect(self.move_sighting)
        register.listMenuWanted.connect(self.list_menu)
        register.manyMenuWanted.connect(self.many_menu)
        question.answered.connect(self.answer)
        document.changed.connect(self.refresh_question)
        portraits.made.connect(self.refresh_question)

    # Decisions

    def decide(self, keys: list[str], decision: Decision) -> None:
        if keys:
            who = self._document.project.subject(keys[0]).name if len(keys) == 1 else tr("{n} people", n=len(keys))
            self._document.edit(tr(_DECIDING[decision], who=who), cast.decide, keys, decision)

    def cover_all(self) -> None:
        self._document.edit("cover everyone", cast.cover_all)

    def show_all_but(self) -> None:
        self._document.edit("show everyone except the selected", cast.show_all_but, self._session.selected)

    def invert(self) -> None:
        self._document.edit("swap covered and shown", cast.invert)

    def cover_brief(self) -> None:
        seconds, said = QInputDialog.getDouble(
            self._parent,
            tr("Cover everyone seen only briefly"),
            tr("Cover everyone who is seen for less than this many seconds:"),
            self.brief_s,
            0.1,
            600,
            1,
        )
        if said:
            self.brief_s = seconds
            self._document.edit(
                tr("cover everyone seen for less than {s} s", s=f"{seconds:g}"), cast.cover_brief, seconds
            )

    def dismiss(self, keys: list[str]) -> None:
        if keys:
            self._document.edit("dismiss", cast.dismiss, keys)

    def dismiss_doubtful(self) -> None:
        self.dismiss([s.key for s in self._document.project.subjects if s.doubtful and not s.dismissed])

    # Who is who

    def merge(self, keys: list[str], into: str) -> None:
        if self._document.edit("merge people", cast.merge_subjects, into, keys):
            self._session.select([into])

    def merge_selected(self) -> None:
        keys = self._session.selected
        if len(keys) > 1:
            self.merge(keys[:-1], keys[-1])

    def split_here(self) -> None:
        subject, clip = self._session.subject, self._session.clip
        if subject and clip:
            self._take_key(
                "split person", lambda project: cast.split_at(project, subject.key, clip.key, self._session.frame)
            )

    def move_sighting(self, key: str, frame: int, to: str) -> None:
        """to: a subject's key, or empty for somebody new."""
        clip = self._session.clip
        if clip and to != key:
            self._take_key(
                "move sighting", lambda project: cast.move_sighting(project, key, clip.key, frame, to or None)
            )

    def swap_from(self, key: str, other: str) -> None:
        """Exchange two people from the playhead on: they were taken for each other there."""
        clip = self._session.clip
        if clip and self._document.edit("swap from here on", cast.swap_from, key, other, clip.key, self._session.frame):
            self._session.select([key])

    def give_rest(self, key: str, to: str) -> None:
        clip = self._session.clip
        if clip:
            self._take_key(
                "give the rest", lambda project: cast.give_rest(project, key, clip.key, self._session.frame, to)
            )

    def swap_selected(self) -> None:
        keys = self._session.selected
        if len(keys) == 2:
            self.swap_from(*keys)

    def _take_key(self, name: str, function) -> None:
        """An edit that also gives the key to select."""
        made: list[str] = []

        def apply(project):
            project, key = function(project)
            made.append(key)
            return project

        if self._document.edit(name, apply):
            self._session.select(made)

    def choose_portrait(self) -> None:
        """Use the present frame as the portrait of the selected subject."""
        subject, clip, frame = self._session.subject, self._session.clip, self._session.frame
        sighting = sighting_at(subject, clip.key, frame) if subject and clip else None
        if sighting is not None:
            outline = outline_at(self._document.project, sighting, frame)
            side, middle = 0.85 * outline.width, outline.cy + 0.1 * outline.height
            box = (outline.cx - side / 2, middle - side / 2, outline.cx + side / 2, middle + side / 2)
            self._document.edit("choose portrait", cast.choose_portrait, subject.key, Portrait(clip.key, frame, box))

    # Questions

    def answer(self, likeness: Likeness, said: Answer | None) -> None:
        name = {None: "same person", Answer.NO: "two people", Answer.LATER: "ask later"}[said]
        self._document.edit(name, cast.answer, likeness.one, likeness.other, said)

    def ask_again(self) -> None:
        self._document.edit("ask again", cast.ask_again)

    def refresh_question(self) -> None:
        project = self._document.project
        waiting = cast.open_likenesses(project)
        if not waiting:
            self._question.show_question(None, ("", ""), (None, None), 0)
            return
        pair = [project.subject(key) for key in (waiting[0].one, waiting[0].other)]
        faces = tuple(self._portraits.face(project, s.portrait, portrait_turns(project, s)) for s in pair)
        self._question.show_question(waiting[0], (pair[0].name, pair[1].name), faces, len(waiting) - 1)

    # Menus

    def menu(self, key: str, frame: int, place: QPoint) -> None:
        project, clip, selected = self._document.project, self._session.clip, self._session.selected
        subject = project.subject(key)
        menu = QMenu(self._parent)
        for decision in Decision:
            menu.addAction(tr(DECISION_WORD[decision]), lambda d=decision: self.decide(self._session.selected, d))
        menu.addAction(tr("Dismiss: not a person"), lambda: self.dismiss(self._session.selected))
        menu.addSeparator()
        menu.addAction(tr("Rename …"), lambda: self._register.edit_name(key))
        menu.addAction(tr("Use this frame as the portrait"), self.choose_portrait).setEnabled(
            clip is not None and sighting_at(subject, clip.key, self._session.frame) is not None
        )
        menu.addSeparator()
        menu.addAction(
            tr("Merge {n} selected into {name}", n=len(selected) - 1, name=subject.name)
            if len(selected) > 1
            else tr("Merge the selected into this person"),
            self.merge_selected,
        ).setEnabled(len(selected) > 1)
        menu.addAction(tr("Split at the playhead"), self.split_here)
        here = [
            s
            for s in project.subjects
            if s.key != key
            and not s.dismissed
            and s.of.hides
            and clip is not None
            and any(g.last >= self._session.frame for g in s.in_clip(clip.key))
        ]
        swap, rest = (
            menu.addMenu(tr("Swap from the playhead on with")),
            menu.addMenu(tr("Give the rest from the playhead on to")),
        )
        for inner, do in ((swap, self.swap_from), (rest, self.give_rest)):
            inner.setEnabled(bool(here))
            for other in here:
                inner.addAction(other.name, lambda k=other.key, do=do: do(key, k))
        seen = clip is not None and sighting_at(subject, clip.key, frame) is not None
        give = menu.addMenu(tr("Give this sighting to"))
        give.setEnabled(seen)
        give.addAction(tr("Somebody new"), lambda: self.move_sighting(key, frame, ""))
        give.addSeparator()
        for other in project.subjects:
            if other.key != key and not other.dismissed:
                give.addAction(other.name, lambda k=other.key: self.move_sighting(key, frame, k))
        menu.addAction(
            tr("Remove this sighting"),
            lambda: self._document.edit("remove sighting", presence.remove_sighting, key, clip.key, frame),
        ).setEnabled(seen)
        menu.addSeparator()
        menu.addAction(
            tr("Remove from register"),
            lambda: self._document.edit("remove from register", edits.remove_subjects, self._session.selected),
        )
        menu.popup(place)

    def list_menu(self, place: QPoint) -> None:
        """Whom the register lists, and in what order."""
        menu = QMenu(self._parent)
        for words, now, choose in (
            (SHOW_WORD, self.show, self._choose_show),
            (ORDER_WORD, self.order, self._choose_order),
        ):
            menu.addSection(tr("List") if words is SHOW_WORD else tr("Sorted by"))
            for value, word in words.items():
                action = menu.addAction(tr(word), lambda v=value, c=choose: c(v))
                action.setCheckable(True)
                action.setChecked(value == now)
        menu.popup(place)

    def many_menu(self, place: QPoint) -> None:
        """Decisions for many."""
        project = self._document.project
        menu = QMenu(self._parent)
        menu.addAction(tr("Cover everyone"), self.cover_all)
        menu.addAction(tr("Show everyone except the selected"), self.show_all_but).setEnabled(
            bool(self._session.selected)
        )
        menu.addAction(tr("Cover everyone seen only briefly …"), self.cover_brief)
        menu.addAction(tr("Swap covered and shown"), self.invert)
        menu.addSeparator()
        doubtful = sum(s.doubtful and not s.dismissed for s in project.subjects)
        menu.addAction(
            tr("Dismiss all {n} doubtful", n=doubtful) if doubtful > 1 else tr("Dismiss the doubtful one"),
            self.dismiss_doubtful,
        ).setEnabled(doubtful > 0)
        later = any(n.answer == Answer.LATER for n in project.likenesses)
        menu.addAction(tr("Ask the postponed questions again"), self.ask_again).setEnabled(later)
        menu.popup(place)

    def _choose_show(self, show: Show) -> None:
        self.show = show
        self._document.changed.emit()

    def _choose_order(self, order: Order) -> None:
        self.order = order
        self._document.changed.emit()
