"""Handing over from the command line: presets, lists, the queue, and a folder of clips as one piece of work."""

import os
import signal
import subprocess
import sys
from fractions import Fraction
from pathlib import Path

import av
import opentimelineio as otio

from skiagraph.demo.ship import shipped
from skiagraph.footage.adding import add_clip
from skiagraph.handover.preset import Preset, film_in, keep_preset
from skiagraph.handover.queue import Queue
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import open_clip
from skiagraph.media.part import Part
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import FilmWriter
from skiagraph.project import file
from skiagraph.project.housing import add_version
from tests.command_line import CommandLine
from tests.support import head_path, make_clip, project_on

ROOT = Path(__file__).resolve().parents[1]


class HandoverTest(CommandLine):
    def setUp(self):
        super().setUp()
        make_clip(self.folder / "quay.mov", 40, size=(320, 240), timecode="10:00:00:00", sound=True)
        self.place = self.folder / "harbour.skiagraph"
        file.save(
            project_on(self.folder / "quay.mov", head_path(0, 40, cx=100, cy=100, width=50, height=66)), self.place
        )
        self.out = self.folder / "out"

    def hand_over(self, *more):
        return self.run_command("handover", self.place, "--to", self.out, *more)

    def test_films_lists_and_the_report_leave_together(self):
        code, told, error = self.hand_over(
            "--preset",
            "Newsroom mezzanine",
            "--with",
            "matte,alpha:ffv1,otio,edl,tracks,report",
            "--names",
            "{date}-{clip}",
        )
        self.assertEqual(code, 0, told + error)
        names = sorted(p.name for p in self.out.iterdir())
        day = names[0][:10]
        self.assertEqual(
            names,
            sorted(
                [
                    f"{day}-quay-covered.mov",
                    f"{day}-quay-covers.mkv",
                    f"{day}-quay-matte.mkv",
                    "harbour.otio",
                    "harbour.edl",
                    "harbour-tracks.csv",
                    "harbour-tracks.json",
                    "harbour-quay-tracks.txt",
                    "harbour-report.html",
                    "harbour-report.pdf",
                ]
            ),
        )
        self.assertIn("every cover is in place", told)
        with av.open(str(self.out / f"{day}-quay-covered.mov")) as film:
            self.assertEqual(
                [s.codec_context.name for s in film.streams if s.type in ("video", "audio")], ["prores", "pcm_s16le"]
            )
        code, told, error = self.hand_over("--preset", "Newsroom mezzanine", "--names", "{date}-{clip}")
        self.assertEqual(code, 2)
        self.assertSentence(error, "exists already", "--force")
        self.assertEqual(self.hand_over("--preset", "h264-mkv", "--names", "{date}-{clip}", "--no-check")[0], 0)
        code, told, error = self.hand_over("--preset", "h265-mkv", "--no-check", "--with", "otio")
        self.assertSentence(error, "harbour.otio", "exists already")
        self.assertFalse((self.out / "quay-covered.mkv").exists(), "before anything is written")
        before = (self.out / "harbour.otio").read_bytes()
        self.assertEqual(
            self.hand_over("--preset", "ffv1-mkv", "--no-check", "--with", "otio,tracks", "--beside")[0], 0
        )
        self.assertTrue((self.out / "harbour-2.otio").exists() and (self.out / "quay-covered.mkv").exists())
        self.assertEqual((self.out / "harbour.otio").read_bytes(), before)

    def test_a_programme_and_versions(self):
        file.save(add_version(file.load(self.place), "Late news"), self.place)
        (self.folder / "cut.edl").write_text(
            "TITLE: CUT\n\n001  QUAY     V     C        10:00:00:10 10:00:00:20 00:00:00:00 00:00:00:10\n* FROM CLIP"
            " NAME: quay.mov\n"
        )
        code, told, error = self.hand_over(
            "--programme",
            self.folder / "cut.edl",
            "--handles",
            "3",
            "--version",
            "all",
            "--no-check",
            "--with",
            "otio",
            "--preset",
            "ffv1-mkv",
        )
        self.assertEqual(code, 0, error)
        self.assertIn("cut.edl uses 1 part of 1 clip", told)
        self.assertEqual(
            sorted(p.name for p in self.out.iterdir()),
            ["harbour.otio", "quay-Late-news-covered.mkv", "quay-Version-1-covered.mkv"],
        )
        self.assertEqual(len(open_clip(self.out / "quay-Late-news-covered.mkv")[1]), 16)
        (item,) = otio.adapters.read_from_file(str(self.out / "harbour.otio")).find_clips()
        self.assertEqual((item.source_range.start_time.value, item.source_range.duration.value), (900_010, 10))

    def test_later_it_waits_in_the_queue(self):
        keep_preset(Preset("House", film_in("ffv1-mkv")))
        self.assertEqual(self.hand_over("--later", "--preset", "house", "--no-check")[0], 0)
        self.assertFalse(self.out.exists())
        self.assertIn("waiting", self.run_command("queue")[1])
        code, told, error = self.run_command("queue", "--run")
        self.assertEqual((code, [str(j.state) for j in Queue().jobs]), (0, ["done"]), told + error)
        self.assertIn("Written", told)
        self.assertIn("empty", self.run_command("queue", "--clear")[1])
        self.assertTrue((self.out / "quay-covered.mkv").exists())

    def test_wrong_wishes_are_sentences(self):
        for wish, words in (
            (["--preset", "Cinema"], "Cinema"),
            (["--with", "subtitles"], "subtitles"),
            (["--with", "alpha:gif"], "gif"),
            (["--names", "{house}"], "{house}"),
            (["--names", "a/b"], "slash"),
            (["--clip", "nobody"], "nobody"),
            (["--programme", str(self.place)], "edit list"),
            (["--preset", str(self.place)], "harbour"),
        ):
            code, told, error = self.hand_over(*wish)
            self.assertEqual(code, 2, wish)
            self.assertSentence(error, words)
        self.assertFalse(self.out.exists())
        self.assertIn("Newsroom mezzanine", self.run_command("presets")[1])

    def test_one_clip_that_fails_leaves_the_others(self):
        make_clip(
            self.folder / "phone.mp4",
            12,
            size=(320, 240),
            time_base=Fraction(1, 90000),
            pts=lambda n: n * 3600 + n % 3 * 900,
        )
        file.save(add_clip(file.load(self.place), *open_clip(self.folder / "phone.mp4")), self.place)
        code, told, error = self.hand_over("--preset", "Server MXF", "--no-check")
        self.assertEqual(code, 2)
        self.assertIn("different length", told)
        self.assertEqual([p.name for p in self.out.iterdir()], ["quay-covered.mxf"])


class BatchTest(CommandLine):
    def setUp(self):
        super().setUp()
        self.source = self.folder / "rushes"
        self.source.mkdir()
        self.out = self.folder / "out"

    def rushes(self, *formats):
        """Parts of a clip with drawn people in it, each in another format."""
        info, index = open_clip(shipped("quay.mp4"))
        with FrameReader(info, index) as reader:
            for n, key in enumerate(formats):
                export = FORMATS[key]
                with FilmWriter(
                    self.source / f"{key.split('-')[0]}{export.suffix}",
                    info,
                    export,
                    part=Part.of(info, index, 20 * n, 20 * n + 11),
                ) as writer:
                    for frame in reader.frames(20 * n, 20 * n + 12):
                        writer.write(frame)

    def batch(self, *more):
        return self.run_command("batch", self.source, "--to", self.out, "--every", "4", "--preset", "ffv1-mkv", *more)

    def test_five_formats_go_in_and_come_out_covered_proved_and_listed(self):
        self.rushes("h264-mp4", "prores-mov", "dnxhr-hq-mxf", "ffv1-mkv", "h265-mov")
        code, told, error = self.batch("--with", "otio,report", "--house", "Slate")
        rows = told[told.index("clip ") :].splitlines()
        self.assertEqual(len(rows), 6, told)
        self.assertIn(code, (0, 3), told + error)
        self.assertTrue(all(row.split()[3] == "good" for row in rows[1:]), told)
        timeline = otio.adapters.read_from_file(str(self.out / "rushes.otio"))
        items = list(timeline.find_clips())
        self.assertEqual(
            [
                (i.name, i.source_range.duration.value, (self.out / i.media_reference.target_url).is_file())
                for i in items
            ],
            [(name, 12, True) for name in ("dnxhr.mxf", "ffv1.mkv", "h264.mp4", "h265.mov", "prores.mov")],
        )
        for item in items:
            info, index = open_clip(self.out / item.media_reference.target_url)
            self.assertEqual(len(index), 12)
        project = file.load(self.out / "rushes.skiagraph")
        self.assertEqual(
            (len(project.clips), project.decisions.house.name, all(s.is_covered for s in project.subjects)),
            (5, "Slate", True),
        )
        self.assertGreater(len(project.subjects), 2)
        self.assertTrue((self.out / "rushes-report.pdf").exists())
        # Begun again nothing is made anew; with another cover all of it is.
        stamps = {p.name: p.stat().st_mtime_ns for p in self.out.glob("*.mkv")}
        code_again, told, _ = self.batch("--house", "Slate")
        self.assertEqual((code_again, {p.name: p.stat().st_mtime_ns for p in self.out.glob("*.mkv")}), (code, stamps))
        self.assertEqual(told.count("searched before"), 5)

    def test_killed_it_goes_on_and_what_cannot_be_read_fails_alone(self):
        self.rushes("h264-mp4", "prores-mov")
        (self.source / "broken.mp4").write_bytes(b"no film at all")
        (self.source / "notes.txt").write_text("not a clip")
        command = [
            sys.executable,
            "-m",
            "skiagraph",
            "batch",
            str(self.source),
            "--to",
            str(self.out),
            "--every",
            "4",
            "--preset",
            "ffv1-mkv",
        ]
        places = {
            "PYTHONPATH": str(ROOT),
            **{f"XDG_{name}_HOME": str(self.folder / name.lower()) for name in ("CACHE", "CONFIG", "STATE", "DATA")},
        }
        process = subprocess.Popen(
            command,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
            cwd=ROOT,
            start_new_session=True,
            env={**os.environ, **places},
        )
        for line in process.stderr:
            if line.startswith("Checking the export"):
                break
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()
        process.stderr.close()
        code, told, error = self.batch()
        self.assertEqual(code, 2)
        rows = {row.split()[0]: row for row in told[told.index("clip ") :].splitlines()[1:]}
        self.assertEqual(set(rows), {"broken.mp4", "h264.mp4", "prores.mov"})
        self.assertIn("FAILED", rows["broken.mp4"])
        self.assertEqual(told.count("searched before"), 2)
        self.assertEqual(sorted(p.name for p in self.out.glob("*.mkv")), ["h264-covered.mkv", "prores-covered.mkv"])
        self.assertEqual([p.name for p in self.out.iterdir() if "unfinished" in p.name], [])

    def test_lists_of_others_are_not_written_over(self):
        self.rushes("h264-mp4")
        self.out.mkdir()
        (self.out / "rushes.otio").write_text("somebody's")
        code, _, error = self.batch("--with", "otio")
        self.assertEqual((code, (self.out / "rushes.otio").read_text()), (2, "somebody's"))
        self.assertSentence(error, "exists already")

    def test_a_folder_without_clips_is_a_sentence(self):
        for folder in (self.folder / "none", self.out):
            self.out.mkdir(exist_ok=True)
            code, _, error = self.run_command("batch", folder)
            self.assertEqual(code, 2)
            self.assertSentence(error, str(folder))
