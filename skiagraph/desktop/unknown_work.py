"""Faces that were found and belong to nobody: marked in the picture, and covered by one click or key."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from skiagraph.desktop.document import Document
from skiagraph.desktop.hand_work import HandWork
from skiagraph.desktop.outline_painter import Unknown
from skiagraph.desktop.picture_view import PictureView
from skiagraph.desktop.session import Session
from skiagraph.desktop.words import tr
from skiagraph.review.unknown_faces import UnknownHead, cover_head, heads_at


class UnknownWork(QObject):
    """said: a sentence."""

    said = Signal(str)

    def __init__(self, document: Document, session: Session, picture: PictureView, hand: HandWork, parent: QObject):
        super().__init__(parent)
        self._document, self._session, self._picture, self._hand = document, session, picture, hand
        self._heads: list[UnknownHead] = []
        picture.unknownPressed.connect(lambda number: self._cover(self._heads[number : number + 1]))

    def refresh(self) -> None:
        """Mark whoever is unknown in the present frame."""
        clip = self._session.clip
        self._heads = (
            heads_at(self._document.project, self._document.waiting, clip.key, self._session.frame) if clip else []
        )
        self._picture.set_unknown(
            [Unknown(tr(head.finding.kind.word), head.outline, head.seen) for head in self._heads]
        )

    def cover_here(self) -> None:
        """Cover everybody who is marked as unknown in the present frame."""
        if not self._heads:
            self.said.emit(
                tr("No unknown face is marked in this frame. N goes to the next finding, A draws around a face.")
            )
        self._cover(self._heads)

    def _cover(self, heads: list[UnknownHead]) -> None:
        made: list[str] = []

        def add(project):
            for head in heads:
                project, key = cover_head(project, head)
                made.append(key)
            return project

        if heads and self._document.edit("cover unknown face" if len(heads) == 1 else "cover unknown faces", add):
            self._hand.offer_for(made)
