"""The findings as a list in groups: an item model over plain values, and a delegate that paints a row.

Thousands of them cost what is on the screen.
"""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QAbstractItemModel, QModelIndex, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter
from PySide6.QtWidgets import QAbstractItemView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QTreeView, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import KeepsKeys
from skiagraph.desktop.words import tr
from skiagraph.project.model import Project
from skiagraph.review.finding import Finding, sentence
from skiagraph.review.grouped import Group, Listed

# px of a row and of a group's head.
ROW, HEAD = 58, 28


class FindingsModel(QAbstractItemModel):
    """Groups at the top, their findings beneath.

    Owns nothing: it is given the groups, and asks for a sentence when a row is painted.
    """

    def __init__(self, parent=None):
        super().__init__(parent)
        self._project, self._groups = Project(), []
        self._sentences: dict[Finding, str] = {}

    def set_groups(self, project: Project, groups: Sequence[Group]) -> None:
        self.beginResetModel()
        self._project, self._groups, self._sentences = project, list(groups), {}
        self.endResetModel()

    def index(self, row: int, column: int, parent: QModelIndex = QModelIndex()) -> QModelIndex:
        if not self.hasIndex(row, column, parent):
            return QModelIndex()
        # A group's number is kept in its findings, from 1 on; 0 is a group itself.
        return self.createIndex(row, column, parent.row() + 1 if parent.isValid() else 0)

    def parent(self, index: QModelIndex = QModelIndex()) -> QModelIndex:
        group = index.internalId() if index.isValid() else 0
        return self.createIndex(group - 1, 0, 0) if group else QModelIndex()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:
        if not parent.isValid():
            return len(self._groups)
        return len(self._groups[parent.row()].rows) if not parent.internalId() else 0

    def columnCount(self, parent: QModelIndex = QModelIndex()) -> int:
        return 1

    def flags(self, index: QModelIndex) -> Qt.ItemFlag:
        return Qt.ItemFlag.ItemIsEnabled | (
            Qt.ItemFlag.ItemIsSelectable if self.row_at(index) is not None else Qt.ItemFlag.NoItemFlags
        )

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole):
        row = self.row_at(index)
        if role == Qt.ItemDataRole.DisplayRole:
            return self.sentence_of(row.finding) if row is not None else self.group_at(index).title
        if role == Qt.ItemDataRole.ToolTipRole and row is not None:
            return self.sentence_of(row.finding)
        return None

    def row_at(self, index: QModelIndex) -> Listed | None:
        """The finding at an index; None for a group."""
        return (
            self._groups[index.internalId() - 1].rows[index.row()] if index.isValid() and index.internalId() else None
        )

    def group_at(self, index: QModelIndex) -> Group:
        return self._groups[index.row()]

    def sentence_of(self, finding: Finding) -> str:
        if finding not in self._sentences:
            self._sentences[finding] = sentence(self._project, finding)
        return self._sentences[finding]

    def place_of(self, finding: Finding) -> QModelIndex:
        """Where a finding is, or nowhere."""
        for g, group in enumerate(self._groups):
            for n, row in enumerate(group.rows):
                if row.finding == finding:
                    return self.createIndex(n, 0, g + 1)
        return QModelIndex()

    @property
    def project(self) -> Project:
        return self._project


class _RowPainter(QStyledItemDelegate):
    """Paints a finding: how bad it is at the left, what and whose and when above, what to do beneath in two lines at
    most."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        return QSize(200, ROW if index.internalId() else HEAD)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        model: FindingsModel = index.model()
        row = model.row_at(index)
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if row is None:
            group = model.group_at(index)
            painter.setFont(theme.font(12))
            painter.setPen(QColor(theme.QUIET))
            mark = "▾" if option.state & QStyle.StateFlag.State_Open else "▸"
            painter.drawText(
                option.rect.adjusted(4, 4, -4, 0),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
                f"{mark}  {tr(group.title)}  ·  {len(group.rows)}",
            )
        else:
            self._paint_row(painter, option, model, row)
        painter.restore()

    def _paint_row(self, painter: QPainter, option: QStyleOptionViewItem, model: FindingsModel, row: Listed) -> None:
        finding, rect = row.finding, QRect(option.rect.adjusted(0, 1, -2, -1))
        selected = bool(option.state & QStyle.StateFlag.State_Selected)
        colour = QColor(theme.FAINT if row.answer else theme.MADDER if finding.is_exposing else theme.OCHRE)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(
            QColor(
                theme.ASH
                if selected
                else theme.RAISED
                if option.state & QStyle.StateFlag.State_MouseOver
                else theme.SOOT
            )
        )
        painter.drawRoundedRect(rect, 4, 4)
        painter.setBrush(colour)
        painter.drawRect(rect.left(), rect.top() + 3, 3, rect.height() - 6)
        inner = rect.adjusted(12, 5, -8, -4)
        project = model.project
        clip = project.clip(finding.clip)
        painter.setFont(theme.font(12))
        painter.setPen(colour.lighter(105))
        metrics = painter.fontMetrics()
        when = clip.at(finding.at)
        wide = metrics.horizontalAdvance(when)
        top = QRect(inner.left(), inner.top(), inner.width() - wide - 8, 15)
        name = project.subject(finding.subject).name if finding.subject else clip.path.name
        title = tr(finding.kind.word) + (
            " · " + tr("accepted by {by}", by=row.answer.by)
            if row.answer
            else " · " + tr("changed since it was accepted")
            if row.again
            else ""
        )
        painter.drawText(
            top,
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            metrics.elidedText(f"{title}  ·  {name}", Qt.TextElideMode.ElideRight, top.width()),
        )
        painter.setPen(QColor(theme.QUIET))
        painter.drawText(
            QRect(inner.right() - wide, inner.top(), wide + 1, 15),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
            when,
        )
        painter.setPen(QColor(theme.QUIET if row.answer else theme.PAPER))
        words = QRect(inner.left(), inner.top() + 16, inner.width(), 32)
        painter.drawText(
            words,
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap,
            _two_lines(painter, model.sentence_of(finding), words.width()),
        )


def _two_lines(painter: QPainter, text: str, width: int) -> str:
    """A text cut so that it fits into two lines."""
    metrics = painter.fontMetrics()
    if metrics.horizontalAdvance(text) < 1.9 * width:
        return text
    return metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(1.85 * width))


class FindingsList(KeepsKeys, QTreeView):
    """chosen: the findings that are selected changed; lookWanted: a finding to go to; keyed: a letter that means
    something to whoever shows the list. Arrows, Page Up and Page Down go, Enter goes to the frame."""

    LETTERS = {Qt.Key.Key_E: "E", Qt.Key.Key_M: "M", Qt.Key.Key_P: "P"}
    KEYS = KeepsKeys.KEYS | {
        Qt.Key.Key_Left,
        Qt.Key.Key_Right,
        Qt.Key.Key_Home,
        Qt.Key.Key_End,
        Qt.Key.Key_Return,
        Qt.Key.Key_Enter,
        *LETTERS,
    }
    keyed = Signal(str)
    chosen = Signal()
    lookWanted = Signal(object)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.rows = FindingsModel(self)
        self.setModel(self.rows)
        self.setItemDelegate(_RowPainter(self))
        self.setHeaderHidden(True)
        self.setIndentation(0)
        self.setRootIsDecorated(False)
        self.setMouseTracking(True)
        self.setFrameShape(QTreeView.Shape.NoFrame)
        self.setStyleSheet(
            "QTreeView { background: transparent; border: none; } QTreeView::branch { background: transparent; }"
        )
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(tr("Findings"))
        self.selectionModel().selectionChanged.connect(lambda *_: self.chosen.emit())
        self.doubleClicked.connect(self._look)
        self.clicked.connect(self._fold)

    def set_groups(self, project: Project, groups: Sequence[Group]) -> None:
        """Show these; what was selected stays so, or what took the place of the first of it."""
        before, place = self.selected(), self._number_of(self.currentIndex())
        self.rows.set_groups(project, groups)
        self.expandAll()
        again = [index for finding in before if (index := self.rows.place_of(finding)).isValid()]
        if not again and before and (index := self._index_of(place)).isValid():
            again = [index]
        if again:
            self.setCurrentIndex(again[0])
            for index in again[1:]:
                self.selectionModel().select(index, self.selectionModel().SelectionFlag.Select)
        self.chosen.emit()

    def selected(self) -> list[Finding]:
        """The findings that are selected, in the order of the list."""
        rows = sorted(self.selectionModel().selectedIndexes(), key=lambda i: (i.internalId(), i.row()))
        return [row.finding for index in rows if (row := self.rows.row_at(index)) is not None]

    def selected_rows(self) -> list[Listed]:
        return [
            row for index in self.selectionModel().selectedIndexes() if (row := self.rows.row_at(index)) is not None
        ]

    def select_first(self) -> None:
        """Select the first finding where none is."""
        if not self.selected() and (index := self._index_of(0)).isValid():
            self.setCurrentIndex(index)

    def select(self, finding: Finding) -> None:
        index = self.rows.place_of(finding)
        if index.isValid():
            self.setCurrentIndex(index)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._look(self.currentIndex())
            return
        if event.key() in self.LETTERS and not event.modifiers():
            self.keyed.emit(self.LETTERS[event.key()])
            return
        super().keyPressEvent(event)
        # A group's head cannot be selected: the arrows go past it.
        if (
            event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down)
            and self.currentIndex().isValid()
            and not self.currentIndex().internalId()
        ):
            index = (
                self.indexBelow(self.currentIndex())
                if event.key() == Qt.Key.Key_Down
                else self.indexAbove(self.currentIndex())
            )
            if index.isValid():
                self.setCurrentIndex(index)

    def focusInEvent(self, event) -> None:
        super().focusInEvent(event)
        self.select_first()

    def _look(self, index: QModelIndex) -> None:
        row = self.rows.row_at(index)
        if row is not None:
            self.lookWanted.emit(row.finding)

    def _fold(self, index: QModelIndex) -> None:
        if index.isValid() and not index.internalId():
            self.setExpanded(index, not self.isExpanded(index))

    def _number_of(self, index: QModelIndex) -> int:
        """The how manieth finding of the list an index is."""
        if not index.isValid() or not index.internalId():
            return 0
        return sum(self.rows.rowCount(self.rows.index(g, 0)) for g in range(index.internalId() - 1)) + index.row()

    def _index_of(self, number: int) -> QModelIndex:
        """The index of the how manieth finding, the last one beyond it."""
        last = QModelIndex()
        for g in range(self.rows.rowCount()):
            group = self.rows.index(g, 0)
            count = self.rows.rowCount(group)
            if number < count:
                return self.rows.index(number, 0, group)
            number -= count
            last = self.rows.index(count - 1, 0, group)
        return last
