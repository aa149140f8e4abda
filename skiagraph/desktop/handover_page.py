"""Hand over: which clips leave, in what shape, and the queue of what is written."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QLabel, QWidget

from skiagraph.desktop import theme
from skiagraph.desktop.controls import Tick, column, emptied, line, quiet, scrolled, section
from skiagraph.desktop.crop_server import CropServer
from skiagraph.desktop.handover_side import HandoverSide
from skiagraph.desktop.queue_view import QueueView
from skiagraph.desktop.result_strip import ResultStrip
from skiagraph.desktop.theme import GRID
from skiagraph.desktop.words import tr
from skiagraph.handover.estimate import size_word
from skiagraph.handover.order import Order
from skiagraph.handover.queue import Job
from skiagraph.project.model import Clip, Project
from skiagraph.review.overview import ClipRow
from skiagraph.review.strips import Strip, room_for_clips, samples, strips_within

# Px: the line of a clip; what headings and margins of the page take, and what lies below the last clip.
ROW, MARGINS, BELOW = 32, 88, 12
# Pictures of the result are made so large, px.
MADE = 720, 320


class HandoverPage(QWidget):
    """ordered: an Order that is to be put into the queue; chosenChanged: other clips, or other parts of them, are
    chosen; pictureWanted: a picture of a result whose frame is to be gone to, a Crop."""

    ordered = Signal(object)
    chosenChanged = Signal()
    pictureWanted = Signal(object)

    def __init__(self, parent: QWidget | None = None):
        super().__init__(parent)
        self.setObjectName("page")
        self._boxes: list[tuple[Clip, Tick, QLabel]] = []
        self._parts_labels: list[QLabel] = []
        self._rows: list[tuple[ClipRow, QFrame]] = []
        self._strips: list[ResultStrip] = []
        self._project = Project()
        self.pictures = CropServer(MADE, self)
        self.pictures.made.connect(self._show_pictures)
        self._chosen: dict[str, bool] = {}
        self._parts: dict[str, list[tuple[int, int]]] = {}
        self._by_list = False
        outer = line(margin=4 * GRID, spacing=4 * GRID, parent=self)
        left = column(spacing=2 * GRID)
        outer.addLayout(left, 1)
        title = QLabel(tr("Hand over"))
        title.setObjectName("heading")
        left.addWidget(title)
        left.addWidget(section("Clips"))
        self._scroll, self._list = scrolled()
        left.addWidget(self._scroll)
        self.queue = QueueView()
        left.addWidget(self.queue, 1)
        self.side = HandoverSide()
        self.side.exportPressed.connect(self.press_export)
        self.side.markedToggled.connect(self._show_parts)
        outer.addWidget(self.side)

    def close_workers(self) -> None:
        self.pictures.close()

    def press_export(self) -> None:
        if self.side.export.isEnabled():
            self.ordered.emit(self.order())

    def order(self) -> Order:
        """What is asked for now."""
        return self.side.order(self.chosen, self._parts)

    @property
    def chosen(self) -> list[str]:
        """Keys of the clips that are ticked, and used where only that is wanted."""
        keys = [clip.key for clip, box, _ in self._boxes if box.isChecked()]
        return [key for key in keys if key in self._parts] if self.side.marked.isChecked() and self._by_list else keys

    def set_clips(
        self,
        entries: list[ClipRow],
        waiting: int,
        exposing: int,
        parts: dict[str, list[tuple[int, int]]] | None = None,
        programme: str = "",
    ) -> None:
        """parts: first and last frames of clips of which only some may be wanted: from in to out, or what the programme
        uses; programme: its name, empty where there is none."""
        self._parts, self._by_list = parts or {}, bool(programme)
        self.side.set_programme(programme)
        emptied(self._list)
        self._boxes, self._parts_labels, self._rows, self._strips = [], [], [], []
        for n, entry in enumerate(entries):
            row = self._clip_row(entry)
            self._rows.append((entry, row))
            self._list.insertWidget(n, row)
        if not entries:
            empty = quiet("Add clips in Footage first; they will be listed here.")
            empty.setAlignment(Qt.AlignmentFlag.AlignCenter)
            self._list.insertWidget(0, empty)
        if entries and not self.side.folder.text():
            self.side.folder.setText(str(entries[0].clip.path.parent / "covered"))
        # Tab goes through the clips in their order, and before what they are written as.
        chain = [self.queue.clear, *(box for _, box, _ in self._boxes)]
        for before, after in zip(chain, chain[1:]):
            self.setTabOrder(before, after)
        self._use_room()
        self.side.show_waiting(waiting, exposing)
        self.side.export.setEnabled(bool(entries))

    def show_results(self, project: Project) -> None:
        """Show pictures of what each clip looks like as it is decided now, where there is room for them."""
        self._project = project
        self._ask_for_pictures()

    def show_jobs(self, jobs: Sequence[Job], paused: bool) -> None:
        """The queue; what it leaves is room for the clips."""
        self.queue.show_jobs(jobs, paused)
        self._use_room()

    def resizeEvent(self, event) -> None:
        super().resizeEvent(event)
        self._use_room()

    def _use_room(self) -> None:
        """Few clips have pictures of the result, the larger the fewer; the queue has what is left."""
        room = room_for_clips(self.height() - MARGINS, len(self.queue.rows))
        parts = [self._frames_of(entry) for entry, _ in self._rows]
        strips = strips_within(
            [entry.clip.picture_size if shown else None for (entry, _), shown in zip(self._rows, parts)],
            self._scroll.viewport().width() - 6 * GRID,
            room - BELOW,
        )
        for strip in self._strips:
            strip.hide()
            strip.deleteLater()
        self._strips = []
        for (entry, panel), shown, how in zip(self._rows, parts, strips):
            panel.setFixedHeight(ROW + (how.tall if how else 0))
            if how:
                self._strips.append(self._strip(entry.clip, panel, shown, how))
        needed = BELOW + sum(panel.height() + GRID for _, panel in self._rows)
        self._scroll.setFixedHeight(min(room, max(needed, ROW + BELOW)))
        self._ask_for_pictures()

    def _frames_of(self, entry: ClipRow) -> list[tuple[int, int]]:
        """First and last frames of what would be handed over of a clip; none where it cannot be, or is not used."""
        clip = entry.clip
        if not entry.is_usable or not clip.frames:
            return []
        parts = self._parts.get(clip.key) if self.side.marked.isChecked() else None
        return parts or ([] if self.side.marked.isChecked() and self._by_list else [(0, clip.frames - 1)])

    def _strip(self, clip: Clip, panel: QFrame, parts: list[tuple[int, int]], how: Strip) -> ResultStrip:
        strip = ResultStrip(samples(clip, parts, how.count), lambda crop: clip.at(crop.at), how)
        strip.picked.connect(self.pictureWanted)
        panel.layout().addWidget(strip)
        return strip

    def _ask_for_pictures(self) -> None:
        known = {clip.key for clip in self._project.clips}
        wanted = [p.crop for strip in self._strips for p in strip.pictures if p.crop.clip in known]
        self.pictures.show(self._project, wanted)
        self._show_pictures()

    def _show_pictures(self) -> None:
        for strip in self._strips:
            strip.refresh(self.pictures.picture)

    def begin_project(self) -> None:
        """Another project: choices and the folder were the former one's."""
        self._chosen = {}
        self.side.folder.clear()

    def _clip_row(self, entry: ClipRow) -> QFrame:
        """The line of a clip; below it there is room for pictures of its result."""
        panel, clip = QFrame(), entry.clip
        panel.setObjectName("panel")
        rows = column(spacing=0, parent=panel)
        rows.setContentsMargins(3 * GRID, 0, 3 * GRID, 0)
        top = QWidget()
        top.setFixedHeight(ROW)
        row = line(spacing=3 * GRID, parent=top)
        rows.addWidget(top)
        rows.setAlignment(Qt.AlignmentFlag.AlignTop)
        box = Tick(clip.path.name)
        # Where nobody was looked for everybody is seen: such a clip is handed over only by choice.
        box.setChecked(entry.is_usable and self._chosen.get(clip.key, entry.was_searched))
        box.setEnabled(entry.is_usable)
        box.clicked.connect(lambda on, key=clip.key: self._choose(key, on))
        row.addWidget(box)
        if entry.is_usable and entry.was_searched:
            row.addWidget(
                quiet(
                    tr(
                        "{covered} covered, {shown} shown, scanned only in part"
                        if entry.partly
                        else "{covered} covered, {shown} shown",
                        covered=entry.people - entry.shown,
                        shown=entry.shown,
                    )
                )
            )
        else:
            facts = QLabel(tr("Not scanned: nobody in it is covered") if entry.is_usable else entry.state())
            facts.setStyleSheet(f"color: {theme.MADDER};")
            row.addWidget(facts)
        part = QLabel(_told_parts(clip, self._parts.get(clip.key, []), self._by_list))
        part.setStyleSheet(f"color: {theme.OCHRE};")
        part.setVisible(self.side.marked.isChecked())
        self._parts_labels.append(part)
        row.addWidget(part)
        row.addStretch(1)
        size = quiet("")
        row.addWidget(size)
        self._boxes.append((clip, box, size))
        return panel

    def _choose(self, key: str, on: bool) -> None:
        self._chosen[key] = on
        self.chosenChanged.emit()

    def _show_parts(self, on: bool) -> None:
        for label in self._parts_labels:
            label.setVisible(on)
        self._use_room()
        self.chosenChanged.emit()

    def show_estimates(self, sizes: dict[str, int], measuring: bool) -> None:
        """Bytes of each chosen clip's film, as far as they are known."""
        chosen = self.chosen
        for clip, _, label in self._boxes:
            label.setText(
                tr("about {size}", size=size_word(sizes[clip.key])) if clip.key in sizes and clip.key in chosen else ""
            )
        known = [sizes[key] for key in chosen if key in sizes]
        if not chosen:
            text = tr("No clip is chosen.")
        elif len(known) < len(chosen):
            text = tr("Estimating how large the films will be …") if measuring else ""
        else:
            text = tr(
                "About {size} for the films, {rate:.3g} Mbit/s.",
                size=size_word(sum(known)),
                rate=8e-6 * sum(known) / max(0.04, self._seconds(chosen)),
            )
        self.side.estimate.setText(text)
        self.side.estimate.setVisible(bool(text))

    def _seconds(self, keys: list[str]) -> float:
        """How long what is chosen of clips lasts."""
        length = 0.0
        for clip, _, _ in self._boxes:
            if clip.key in keys:
                parts = self._parts.get(clip.key) if self.side.marked.isChecked() else None
                length += sum(last - first + 1 for first, last in parts or [(0, clip.frames - 1)]) / float(clip.rate)
        return length


def _told_parts(clip: Clip, parts: list[tuple[int, int]], by_list: bool) -> str:
    if not parts:
        return tr("not used") if by_list else ""
    if len(parts) > 1:
        return tr("{n} parts, {frames} frames", n=len(parts), frames=sum(last - first + 1 for first, last in parts))
    ((first, last),) = parts
    return tr("from {begin} to {end}", begin=clip.at(first), end=clip.at(last))
