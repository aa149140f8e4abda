"""Work on voices in the window: the row under the register, the part of the inspector, what is heard, and listening."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject, QPoint, QSettings, Signal
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from skiagraph.desktop.document import Document
from skiagraph.desktop.job_runner import JobRunner
from skiagraph.desktop.session import Session
from skiagraph.desktop.voice_part import VoicePart
from skiagraph.desktop.voice_row import VoiceRow
from skiagraph.desktop.words import counted, tr
from skiagraph.footage.hearing import Sound, sound_of
from skiagraph.project import voices
from skiagraph.project.model import Clip, VoiceRange
from skiagraph.review.voice_lanes import snapped, voice_lanes, voice_summary
from skiagraph.review.who_speaks import who_speaks
from skiagraph.timecode import Timecode
from skiagraph.voice.disguise import Disguise

# An end is brought to a pause within so many px of the row.
SNAP_PX = 12


class VoiceWork(QObject):
    """sought: a frame; listenWanted: somebody wants a clip listened to; heardChanged: another track is heard;
    chosenChanged: whether ranges are chosen. chosen: keys of the ranges that are worked on."""

    sought = Signal(int)
    said = Signal(str)
    listenWanted = Signal(str)
    heardChanged = Signal()
    chosenChanged = Signal(bool)

    def __init__(
        self, document: Document, session: Session, row: VoiceRow, part: VoicePart, parent: QObject | None = None
    ):
        super().__init__(parent)
        self._document, self._session, self.row, self.part = document, session, row, part
        self._sounds: dict[str, Sound] = {}
        self._troubles: dict[str, str] = {}
        self._asked: JobRunner | None = None
        self._alone: dict[str, int] = {}
        # Whether the row is open: as it was left, and in clips in which nobody speaks only where somebody opened it.
        self._settings = QSettings("skiagraph", "skiagraph")
        self._wanted = self._settings.value("folds/voices", True, bool)
        self._opened: set[str] = set()
        self.chosen: list[str] = []
        row.sought.connect(lambda seconds: self.sought.emit(self.frame_at(seconds)))
        row.rangeDrawn.connect(self._drawn)
        row.rangeMoved.connect(self._moved)
        row.selected.connect(self._select)
        row.menuWanted.connect(self._menu)
        row.heardChosen.connect(self._hear_alone)
        row.foldChosen.connect(self.fold)
        part.settled.connect(self._settled)
        part.speakWanted.connect(self.disguise_selected)
        part.anewWanted.connect(lambda: self._edit("another voice", voices.draw_anew, self.chosen))
        part.forAll.connect(self._for_all)
        part.asAll.connect(lambda: self._edit("disguise as everyone", voices.set_disguise, self.chosen, None))

    # What is known

    @property
    def sound(self) -> Sound | None:
        """Of the clip that is looked at, once it is read."""
        clip = self._session.clip
        return self._sounds.get(clip.fingerprint) if clip else None

    @property
    def heard(self) -> tuple[int, ...]:
        """Tracks that are heard, from 0."""
        clip, sound = self._session.clip, self.sound
        alone = self._alone.get(clip.key, 0) if clip else 0
        return (alone - 1,) if alone else tuple(range(len(sound.info.sound))) if sound else (0,)

    def frame_at(self, seconds: float) -> int:
        sound, clip = self.sound, self._session.clip
        if sound is not None:
            return sound.index.frame_at(max(0.0, seconds))
        return max(0, int(seconds * float(clip.rate))) if clip else 0

    def time_of(self, frame: float) -> float:
        """When a frame, or a place between two, is on the screen, s."""
        sound, clip = self.sound, self._session.clip
        if sound is None:
            return frame / float(clip.rate) if clip else 0.0
        whole = int(frame // 1)
        at, after = sound.index.time_s(max(0, whole)), sound.index.time_s(max(0, whole + 1))
        return at + (after - at) * (frame - whole)

    def _read(self, clip: Clip) -> None:
        """Read the sound of a clip in the background, once."""
        if clip.fingerprint in self._sounds or clip.fingerprint in self._troubles or self._asked is not None:
            return
        runner = self._asked = JobRunner(lambda control: sound_of(clip, control), self)
        runner.finished.connect(lambda sound: self._sounds.__setitem__(clip.fingerprint, sound))
        runner.failed.connect(lambda text: self._troubles.__setitem__(clip.fingerprint, text))
        runner.ended.connect(self._was_read)
        runner.start()

    def _was_read(self) -> None:
        self._asked = None
        self.refresh()
        self.heardChanged.emit()

    # Refreshing

    def refresh(self) -> None:
        """Show what the project says of the clip's sound."""
        clip, project = self._session.clip, self._document.project
        there = {v.key for v in project.decisions.voices if clip and v.clip == clip.key}
        self.chosen = [k for k in self.chosen if k in there]
        self.row.setVisible(clip is not None)
        if clip is None:
            self.part.setVisible(False)
            return
        self._read(clip)
        sound = self.sound
        tracks = len(sound.info.sound) if sound else 0
        lanes = voice_lanes(project, clip.key, tracks)
        note = ""
        if sound is None:
            state = self._troubles.get(clip.fingerprint, tr("The sound is being read …"))
        else:
            state = tr(voice_summary(project, clip.key, tracks))
            listened = project.evidence.listening_of(clip.key) is not None
            note = sound.trouble or (
                tr("Ctrl+L listens to who speaks. Drag over sound to disguise it.") if tracks and not listened else ""
            )
            if tracks > len(lanes[:4]):
                note = tr("{n} tracks more are not drawn", n=tracks - 4)
        self.row.set_open(self._is_open(clip))
        self.row.set_content(lanes, list(sound.waves) if sound else [], state, note)
        self.row.set_heard(self._alone.get(clip.key, 0))
        self.chosenChanged.emit(bool(self.chosen))
        self.row.set_selection(self.chosen, self._session.subject.key if self._session.subject else "")
        self._show_part(tracks)

    def _show_part(self, tracks: int) -> None:
        clip, project, subject = self._session.clip, self._document.project, self._session.subject
        # Where nobody speaks there is nothing to set.
        self.part.setVisible(tracks > 0 and self._is_needed(clip))
        if not tracks:
            return
        chosen = [voices.range_of(project, k) for k in self.chosen]
        ways = {project.disguise_of(v) for v in chosen}
        disguise = project.disguise_of(chosen[0]) if chosen else project.decisions.voice
        if len(chosen) == 1:
            what = self._told(chosen[0], clip)
        elif chosen:
            what = counted(len(chosen), "1 range chosen.", "{n} ranges chosen.") + (
                "" if len(ways) == 1 else " " + tr("They are disguised in different ways.")
            )
        else:
            what = tr("No range is chosen: this is how the project disguises voices.")
        speak = ""
        if subject is not None and subject.of.hides:
            theirs = [s for s in who_speaks(project, clip.key) if s.subject == subject.key]
            speak = tr("Disguise all they say") if theirs else ""
        mine = [v for v in voices.ranges_in(project, clip.key) if subject is None or v.subject == subject.key]
        state = (
            tr("{how} · {count}", how=tr(disguise.word), count=counted(len(mine), "1 range", "{n} ranges"))
            if mine or chosen
            else tr("nothing disguised")
        )
        self.part.show_voice(
            what, state, disguise, ranges=bool(chosen), own=any(v.disguise is not None for v in chosen), speak=speak
        )

    def _told(self, one: VoiceRange, clip: Clip) -> str:
        project = self._document.project
        name = project.subject(one.subject).name if one.subject else tr("Nobody's")
        timecode = Timecode.of(clip.rate, clip.timecode)
        place = (tr("all tracks") if not one.track else tr("track {n}", n=one.track)) + (
            ", " + tr("channel {n}", n=one.channel) if one.channel else ""
        )
        return tr(
            "{name}: {first} to {last}, {s} s, {place}",
            name=name,
            first=timecode.text(self.frame_at(one.begins_s)),
            last=timecode.text(self.frame_at(one.ends_s)),
            s=f"{one.length_s:.2f}",
            place=place,
        )

    def _is_needed(self, clip: Clip) -> bool:
        """False where nobody speaks and nothing is disguised: then the row takes no room."""
        project = self._document.project
        listening = project.evidence.listening_of(clip.key)
        return listening is None or bool(listening.voices) or bool(voices.ranges_in(project, clip.key))

    def _is_open(self, clip: Clip) -> bool:
        return self._wanted and (self._is_needed(clip) or clip.key in self._opened)

    # What a person does

    def fold(self, is_open: bool) -> None:
        """Open or fold the row, from now on."""
        clip = self._session.clip
        if clip is not None and not self._is_needed(clip):
            (self._opened.add if is_open else self._opened.discard)(clip.key)
        if is_open or clip is None or self._is_needed(clip):
            self._wanted = is_open
            self._settings.setValue("folds/voices", is_open)
        self.refresh()

    def _edit(self, name: str, function: Callable, *arguments) -> bool:
        return self._document.edit(name, function, *arguments)

    def _select(self, keys: list[str]) -> None:
        self.chosen = keys
        owners = {v.subject for v in self._document.project.decisions.voices if v.key in keys} - {""}
        if len(owners) == 1 and (self._session.subject is None or self._session.subject.key not in owners):
            self._session.select(list(owners))
        self.refresh()

    def _snap(self, track: int, seconds: float, exactly: bool) -> float:
        return (
            seconds
            if exactly
            else snapped(
                self._document.project, self._session.clip.key, track, seconds, SNAP_PX * self.row.seconds_a_px
            )
        )

    def _owner(self) -> str:
        subject = self._session.subject
        return subject.key if subject is not None and subject.of.hides and not subject.dismissed else ""

    def _drawn(self, track: int, begins: float, ends: float, exactly: bool) -> None:
        clip = self._session.clip
        several = self.sound is not None and len(self.sound.info.sound) > 1
        if self._edit(
            "disguise a voice",
            voices.add_range,
            clip.key,
            self._snap(track, begins, exactly),
            self._snap(track, ends, exactly),
            self._owner(),
            track if several else 0,
        ):
            self._select([self._document.project.decisions.voices[-1].key])

    def _moved(self, key: str, begins: float, ends: float, exactly: bool) -> None:
        one = voices.range_of(self._document.project, key)
        track = one.track or 1
        shifted = begins != one.begins_s and ends != one.ends_s
        first = begins if shifted or begins == one.begins_s else self._snap(track, begins, exactly)
        last = ends if shifted or ends == one.ends_s else self._snap(track, ends, exactly)
        self._edit("change the ends of a range", voices.move_ends, key, first, last)

    def disguise_selected(self) -> None:
        """What is between in and out where these are set; else all that whoever is selected says; else all that is
        heard plain."""
        clip, project, session = self._session.clip, self._document.project, self._session
        if clip is None:
            return
        if session.marks != (None, None):
            first, last = session.span
            if self._edit(
                "disguise a voice",
                voices.add_range,
                clip.key,
                self.time_of(first),
                self.time_of(last + 1),
                self._owner(),
            ):
                self._select([self._document.project.decisions.voices[-1].key])
            return
        subject = session.subject
        theirs = [s.voice for s in who_speaks(project, clip.key) if subject is not None and s.subject == subject.key]
        if not theirs:
            self.said.emit(
                tr(
                    "Nobody knows what this person says. Say whose voice it is in the voice row, or set in and out and"
                    " press V."
                )
                if subject is not None
                else tr("Choose somebody who speaks, or set in and out around what is to be disguised.")
            )
            return
        before = len(project.decisions.voices)
        if self._edit("disguise a voice", voices.disguise_voices, clip.key, theirs, subject.key):
            made = self._document.project.decisions.voices[before:]
            self._select([v.key for v in made])
            self.said.emit(
                counted(len(made), "1 range of the sound is disguised.", "{n} ranges of the sound are disguised.")
                if made
                else tr("All they say is disguised already.")
            )

    def split_here(self) -> None:
        """The chosen range in two at the playhead."""
        if self.chosen:
            self._edit("split a range", voices.split_range, self.chosen[-1], self.time_of(self._session.frame))

    def join(self) -> None:
        """The chosen ranges as one, or a single one with the next."""
        keys = list(self.chosen)
        if len(keys) == 1 and (after := voices.next_range(self._document.project, keys[0])):
            keys.append(after.key)
        if keys and self._edit("join ranges", voices.join_ranges, keys):
            self.refresh()

    def remove(self) -> bool:
        """Take the chosen ranges off; True where there were any."""
        if not self.chosen:
            return False
        keys, self.chosen = self.chosen, []
        self._edit("leave a voice as it is", voices.remove_ranges, keys)
        return True

    def clear(self) -> bool:
        """Choose no range; True where there were any."""
        had = bool(self.chosen)
        if had:
            self._select([])
        return had

    def _settled(self, disguise: Disguise) -> None:
        if self.chosen:
            self._edit("change the disguise", voices.set_disguise, self.chosen, disguise)
        else:
            self._edit("change how voices are disguised", voices.set_usual_disguise, disguise)

    def _for_all(self) -> None:
        disguise = self.part.disguise

        def made(project):
            return voices.set_disguise(voices.set_usual_disguise(project, disguise), self.chosen, None)

        self._edit("disguise everyone like this", made)

    def _hear_alone(self, track: int) -> None:
        self._alone[self._session.clip.key] = track
        self.row.set_heard(track)
        self.heardChanged.emit()

    # Menus

    def _menu(self, key: str, voice: str, track: int, seconds: float, place: QPoint) -> None:
        menu = self.menu_for(key, voice, track, seconds)
        menu.popup(place)

    def menu_for(self, key: str, voice: str, track: int, seconds: float) -> QMenu:
        """What can be done with a range, a voice, or a place in a track."""
        menu, project, clip = QMenu(self.row), self._document.project, self._session.clip
        if key:
            one = voices.range_of(project, key)
            self._choices(
                menu.addMenu(tr("Disguise as")),
                [(kind.word, tag) for tag, kind in Disguise.kinds.items()],
                project.disguise_of(one).kind,
                lambda tag: self._edit(
                    "change the disguise", voices.set_disguise, self.chosen or [key], Disguise.kinds[tag]()
                ),
            )
            self._choices(
                menu.addMenu(tr("Whose voice")),
                self._people(),
                one.subject,
                lambda subject: self._edit("say whose voice it is", voices.give_to, self.chosen or [key], subject),
            )
            self._places(menu.addMenu(tr("Tracks and channels")), one, key)
            menu.addSeparator()
            menu.addAction(tr("Split here"), lambda: self._edit("split a range", voices.split_range, key, seconds))
            menu.addAction(tr("Join with the next, or the chosen ones"), self.join)
            if project.disguise_of(one).kind == "altered":
                menu.addAction(
                    tr("Draw another voice"),
                    lambda: self._edit("another voice", voices.draw_anew, self.chosen or [key]),
                )
            menu.addAction(tr("Leave it as it was recorded"), self.remove)
            menu.addSeparator()
        speaks = next((s for s in who_speaks(project, clip.key) if s.voice.key == voice), None)
        if speaks is not None:
            people = [*self._people(False), (tr("Nobody here; may be heard"), "")]
            said = voices.said_speaker(project, voice)
            naming = menu.addMenu(tr("Voice {n} is", n=speaks.number))
            self._choices(
                naming, people, said, lambda subject: self._edit("say who speaks", voices.name_speaker, voice, subject)
            )
            if said is not None:
                naming.addAction(
                    tr("Nobody said"), lambda: self._edit("nobody said who speaks", voices.name_speaker, voice, None)
                )
            menu.addAction(
                tr("Disguise all that this voice says"),
                lambda: self._edit(
                    "disguise a voice", voices.disguise_voices, clip.key, [speaks.voice], speaks.subject
                ),
            )
        menu.addAction(
            tr("Disguise the whole clip"),
            lambda: self._edit(
                "disguise all sound",
                voices.add_range,
                clip.key,
                self._whole(track)[0],
                self._whole(track)[1],
                self._owner(),
            ),
        )
        menu.addAction(tr("Listen to who speaks …"), lambda: self.listenWanted.emit(clip.key))
        return menu

    def _people(self, with_nobody: bool = True) -> list[tuple[str, str]]:
        people = [
            (s.name, s.key)
            for s in self._document.project.subjects
            if s.of.hides and s.of.needs_strength and not s.dismissed and not s.doubtful
        ]
        return ([(tr("Nobody's"), "")] if with_nobody else []) + people

    def _places(self, menu: QMenu, one: VoiceRange, key: str) -> None:
        sound = self.sound
        entries = [(tr("All tracks"), (0, 0))]
        for n, info in enumerate(sound.info.sound if sound else (), 1):
            entries.append((tr("Track {n}", n=n), (n, 0)))
            entries += (
                [(tr("Track {n}, channel {c} only", n=n, c=c), (n, c)) for c in range(1, info.channels + 1)]
                if info.channels > 1
                else []
            )
        self._choices(
            menu,
            entries,
            (one.track, one.channel),
            lambda place: self._edit("change tracks", voices.set_place, self.chosen or [key], *place),
        )

    def _whole(self, track: int) -> tuple[float, float]:
        """First and last time of the sound and the picture, s."""
        sound, clip = self.sound, self._session.clip
        ends = (
            [(w.begins_s, w.begins_s + w.peak.shape[1] * w.step_s) for w in sound.waves if w is not None]
            if sound
            else []
        )
        return min([0.0, *(e[0] for e in ends)]), max([self.time_of(clip.frames), *(e[1] for e in ends)])

    @staticmethod
    def _choices(
        menu: QMenu, entries: list[tuple[str, object]], now: object, chosen: Callable[[object], object]
    ) -> None:
        for text, value in entries:
            action: QAction = menu.addAction(
                tr(text) if isinstance(value, str) and value in Disguise.kinds else text, lambda v=value: chosen(v)
            )
            action.setCheckable(True)
            action.setChecked(value == now)
