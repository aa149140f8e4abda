"""Lists out and in: covered files where the originals were, the right frames of them, and nothing of this machine in
it."""

from fractions import Fraction

import opentimelineio as otio

from skiagraph.errors import SkiagraphError
from skiagraph.footage.adding import add_clip
from skiagraph.handover.companion import HandedOver, companion_of
from skiagraph.handover.delivery import Delivered, deliver, planned
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.jobs import JobControl
from skiagraph.media.clip import probe
from skiagraph.project.edit_list import read_programme
from skiagraph.project.model import Decision, replace
from tests.support import TemporaryFolder, changed_subject, head_path, make_clip, opened, project_on

DROP = Fraction(30000, 1001)


def span(start, frames, rate):
    return otio.opentime.TimeRange(otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(frames, rate))


class EditListTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        (self.folder / "B").mkdir()
        self.project = project_on(make_clip(self.folder / "quay.mov", 50, timecode="10:00:00:00"), head_path(4, 30))
        self.project = add_clip(
            self.project, *opened(make_clip(self.folder / "hall.mov", 60, rate=DROP, timecode="01:00:59;20"))
        )
        self.project = add_clip(self.project, *opened(make_clip(self.folder / "plain.mp4", 40)))
        self.out = self.folder / "out"

    def hand_over(self, parts=None, programme=None):
        """Written without covers being looked at: what was delivered, and the folder."""
        plan = planned(
            self.project, [c.key for c in self.project.clips], self.out, (CoveredFilm("prores-mov"),), parts=parts
        )
        done = []
        deliver(self.project, plan, False, False, JobControl(), done.append)
        return HandedOver(self.project, "harbour", done, programme)

    def write(self, short, handed):
        return companion_of(short).write(handed, self.out, "harbour", JobControl())

    def test_opentimelineio_reads_back_the_right_ranges_of_files_that_are_there(self):
        (path,) = self.write("otio", self.hand_over())
        timeline = otio.adapters.read_from_file(str(path))
        self.assertNotIn(str(self.folder), path.read_text(), "nothing of this machine leaves")
        for item, clip in zip(timeline.find_clips(), self.project.clips, strict=True):
            film = self.out / item.media_reference.target_url
            self.assertTrue(film.is_file())
            self.assertEqual((item.source_range.duration.value, item.name), (clip.frames, clip.path.name))
            self.assertEqual(item.media_reference.available_range, item.source_range)
            if clip.timecode:
                self.assertEqual(
                    otio.opentime.to_timecode(item.source_range.start_time, float(clip.rate)), probe(film).timecode
                )
            else:
                self.assertEqual(item.source_range.start_time.value, 0)

    def test_markers_stand_for_findings_and_sightings_and_name_nobody(self):
        self.project = changed_subject(self.project, "s1", name="Ada Real", decision=Decision.SHOW)
        (path,) = self.write("otio", self.hand_over())
        self.assertNotIn("Ada", path.read_text())
        first = next(iter(otio.adapters.read_from_file(str(path)).find_clips()))
        sighting = next(m for m in first.markers if m.name == "Person 1, shown")
        self.assertEqual(
            (
                sighting.marked_range.start_time.value - first.source_range.start_time.value,
                sighting.marked_range.duration.value,
            ),
            (4, 30),
        )
        self.assertTrue(all(m.name.startswith(("Look: ", "Person ")) for m in first.markers))

    def test_edl_counts_as_each_clip_does(self):
        handed = self.hand_over()
        paths = self.write("edl", handed)
        self.assertEqual([p.name for p in paths], ["harbour-25.edl", "harbour-29-97df.edl"])
        self.assertEqual([p.name for p in paths], companion_of("edl").names("harbour", handed))
        steady, dropped = (p.read_text() for p in paths)
        self.assertIn("FCM: NON-DROP FRAME", steady)
        self.assertRegex(steady, r"001  QUAY +V +C +10:00:00:00 10:00:02:00 00:00:00:00 00:00:02:00")
        self.assertIn("FCM: DROP FRAME", dropped)
        # 20 + 60 frames after 01:00:59: ten to the minute, of which two numbers are dropped.
        self.assertRegex(dropped, r"001  HALL +V +C +01:00:59;20 01:01:01;22 00:00:00;00 00:00:02;00")
        for path, rate in zip(paths, (25, 30000 / 1001)):
            item = next(iter(otio.adapters.read_from_file(str(path), rate=rate).find_clips()))
            self.assertIn(item.name, ("quay.mov", "hall.mov"))

    def test_frames_that_are_not_dropped_are_counted_whole(self):
        self.project = project_on(make_clip(self.folder / "ntsc.mov", 30, rate=DROP, timecode="01:00:00:00"))
        (path,) = self.write("edl", self.hand_over())
        self.assertRegex(path.read_text(), r"NON-DROP FRAME\n[\s\S]*01:00:00:00 01:00:01:00 00:00:00:00 00:00:01:00")

    def programme(self, rate=25.0):
        """A list of three events: twice of quay, by its timecode, once of a file that nobody has."""
        timeline = otio.schema.Timeline("evening")
        track = otio.schema.Track(kind=otio.schema.TrackKind.Video)
        timeline.tracks.append(track)
        for name, start, frames in (
            ("quay.mov", 900_000 + 10, 8),
            ("street.mov", 0, 20),
            ("quay.mov", 900_000 + 30, 6),
            ("plain.mp4", 5, 10),
        ):
            track.append(
                otio.schema.Clip(
                    name, otio.schema.ExternalReference(f"/volumes/card%20A/{name}"), span(start, frames, rate)
                )
            )
        path = self.folder / "evening.otio"
        otio.adapters.write_to_file(timeline, str(path))
        return path

    def test_a_programme_tells_which_parts_are_used(self):
        programme = read_programme(self.programme(), self.project, handles=0)
        self.assertEqual(
            [(u.clip, u.first, u.last) for u in programme.uses], [("c1", 10, 17), ("c1", 30, 35), ("c3", 5, 14)]
        )
        self.assertEqual(programme.missing, ("street.mov",))
        self.assertSentence(programme.told(), "3 parts of 2 clips", "street.mov")
        self.assertEqual(programme.parts(self.project.clips), {"c1": [(10, 17), (30, 35)], "c3": [(5, 14)]})
        self.assertEqual(replace(programme, handles=8).parts(self.project.clips), {"c1": [(2, 43)], "c3": [(0, 22)]})

    def test_the_programme_comes_back_with_covered_files_in_its_places(self):
        programme = read_programme(self.programme(), self.project, handles=2)
        handed = self.hand_over(programme.parts(self.project.clips), programme)
        (path,) = self.write("otio", handed)
        items = list(otio.adapters.read_from_file(str(path)).find_clips())
        self.assertEqual(
            [i.media_reference.target_url for i in items],
            ["quay-covered.mov", "/volumes/card%20A/street.mov", "quay-2-covered.mov", "plain-covered.mov"],
        )
        self.assertEqual(
            [(i.source_range.start_time.value, i.source_range.duration.value) for i in items],
            [(900_010, 8), (0, 20), (900_030, 6), (2, 10)],
        )
        for item, frames in zip((items[0], items[2], items[3]), (12, 10, 14)):
            film = self.out / item.media_reference.target_url
            self.assertEqual(item.media_reference.available_range.duration.value, frames)
            begin = item.media_reference.available_range.start_time
            self.assertEqual(
                probe(film).timecode, otio.opentime.to_timecode(begin, 25) if item.name == "quay.mov" else ""
            )
            self.assertTrue(
                begin <= item.source_range.start_time
                and item.source_range.end_time_exclusive() <= item.media_reference.available_range.end_time_exclusive()
            )
        (edl,) = self.write("edl", handed)
        self.assertRegex(edl.read_text(), r"10:00:00:10 10:00:00:18 00:00:00:00 00:00:00:08")

    def test_where_there_is_no_covered_film_the_list_says_so_and_holds_no_original(self):
        """One job may fail while the others leave."""
        programme = read_programme(self.programme(), self.project, handles=2)
        handed = self.hand_over(programme.parts(self.project.clips), programme)
        handed = HandedOver(self.project, "harbour", [d for d in handed.delivered if d.clip != "c3"], programme)
        (path,) = self.write("otio", handed)
        *_, street, _, plain = otio.adapters.read_from_file(str(path)).find_clips()
        self.assertIsInstance(plain.media_reference, otio.schema.MissingReference)
        self.assertEqual(
            [(m.name, m.color, m.marked_range.duration.value) for m in (*street.markers, *plain.markers)],
            [
                ("Not in the project: nobody in it is covered", "RED", 20),
                ("No covered film of this was handed over", "RED", 10),
            ],
        )
        (edl,) = self.write("edl", handed)
        self.assertIn("NO COVERED FILM OF THIS", edl.read_text())

    def test_a_cmx_list_is_read_with_dissolves_and_names_of_eight_letters(self):
        path = self.folder / "cut.edl"
        path.write_text(
            "TITLE: CUT\nFCM: NON-DROP FRAME\n\n001  QUAY     V     C        10:00:00:05 10:00:00:15 00:00:00:00"
            " 00:00:00:10\n* FROM CLIP NAME: quay.mov\n002  QUAY     V     C        10:00:01:00 10:00:01:10 00:00:00:10"
            " 00:00:00:20\n* FROM CLIP NAME: quay\n"
        )
        programme = read_programme(path, self.project)
        self.assertEqual([(u.clip, u.first, u.last) for u in programme.uses], [("c1", 5, 14), ("c1", 25, 34)])
        dropped = self.folder / "drop.edl"
        dropped.write_text(
            "TITLE: DROP\nFCM: DROP FRAME\n\n001  HALL     V     C        01:00:59;25 01:01:00;07 00:00:00;00"
            " 00:00:00;10\n* FROM CLIP NAME: hall.mov\n"
        )
        self.assertEqual(
            [(u.clip, u.first, u.last) for u in read_programme(dropped, self.project, DROP).uses], [("c2", 5, 14)]
        )

    def test_clips_of_one_name_are_told_apart_by_their_frames_or_asked_about(self):
        self.project = add_clip(
            self.project, *opened(make_clip(self.folder / "B" / "quay.mov", 45, timecode="11:00:00:00"))
        )
        self.assertEqual([u.clip for u in read_programme(self.programme(), self.project).uses], ["c1", "c1", "c3"])
        (self.folder / "C").mkdir()
        self.project = add_clip(
            self.project, *opened(make_clip(self.folder / "C" / "quay.mov", 48, timecode="10:00:00:00"))
        )
        with self.assertRaises(SkiagraphError) as caught:
            read_programme(self.programme(), self.project)
        self.assertSentence(str(caught.exception), "quay.mov", "not clear")

    def test_lists_that_are_none_are_sentences(self):
        broken, other, beyond = self.folder / "a.otio", self.folder / "a.xml", self.folder / "b.edl"
        broken.write_text("{not json")
        other.write_text("<xml/>")
        beyond.write_text(
            "TITLE: X\n\n001  QUAY     V     C        10:00:05:00 10:00:06:00 00:00:00:00 00:00:01:00\n* FROM CLIP"
            " NAME: quay.mov\n"
        )
        nobody = self.folder / "c.edl"
        nobody.write_text(
            "TITLE: X\n\n001  STREET   V     C        10:00:05:00 10:00:06:00 00:00:00:00 00:00:01:00\n* FROM CLIP"
            " NAME: street.mov\n"
        )
        for path, words in (
            (broken, "a.otio"),
            (other, ".edl"),
            (beyond, "10:00:01:24"),
            (nobody, "street.mov"),
            (self.folder / "no.otio", "cannot be read"),
        ):
            with self.subTest(path.name), self.assertRaises(SkiagraphError) as caught:
                read_programme(path, self.project)
            self.assertSentence(str(caught.exception), words)

    def test_tracks_of_clips_called_alike_keep_apart(self):
        self.project = add_clip(self.project, *opened(make_clip(self.folder / "B" / "quay.mov", 45)))
        self.out.mkdir()
        handed = HandedOver(
            self.project, "harbour", [Delivered(c.key, self.out / "x.mov", None) for c in self.project.clips]
        )
        written = [p.name for p in self.write("tracks", handed)]
        self.assertEqual(
            written,
            [
                "harbour-tracks.csv",
                "harbour-tracks.json",
                "harbour-quay-tracks.txt",
                "harbour-hall-tracks.txt",
                "harbour-plain-tracks.txt",
                "harbour-quay-c4-tracks.txt",
            ],
        )
        self.assertEqual(written, companion_of("tracks").names("harbour", handed))
