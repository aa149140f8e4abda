"""The command line as a person types it: from a clip to a checked file, and one sentence for everything that goes
wrong."""

import io
import json
import os
import signal
import subprocess
import sys
from pathlib import Path
from unittest import mock

import numpy as np

from skiagraph import cli
from skiagraph.commands import shared
from skiagraph.demo.ship import shipped
from skiagraph.errors import CannotSaveProject
from skiagraph.media.clip import probe
from skiagraph.media.formats import FORMATS
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.media.writer import FilmWriter
from skiagraph.project import cast, file
from skiagraph.project.lock import ProjectLock
from skiagraph.project.model import Decision
from tests.command_line import CommandLine
from tests.follow.test_follower import SIZE, Scene
from tests.media.test_pictures import write_pictures
from tests.support import TemporaryFolder, head_path, make_clip, numbered_frame, project_on


class CommandTest(CommandLine):
    def project(self, **more):
        clip = make_clip(self.folder / "quay.mp4", 30, size=(320, 240))
        project = project_on(clip, head_path(0, 30, cx=160, cy=120, width=60, height=80), **more)
        path = self.folder / "p.skiagraph"
        file.save(project, path)
        return path, project

    def test_info(self):
        clip = make_clip(self.folder / "a.mp4", 30, sound=True, timecode="10:00:00:00", rotation=90)
        code, out, _ = self.run_command("info", clip, "--json")
        facts = json.loads(out)
        self.assertEqual(
            (code, facts["frames"], facts["width"], facts["height"], facts["rotation"], facts["timecode"]),
            (0, 30, 96, 160, 90, "10:00:00:00"),
        )
        code, out, _ = self.run_command("info", clip)
        self.assertIn("30 frames", out)
        self.assertIn("sound: aac", out)

    def test_info_names_damage(self):
        clip = make_clip(self.folder / "a.mkv", 60, encoder="libx264", size=(320, 240))
        data = clip.read_bytes()
        clip.write_bytes(data[: len(data) * 2 // 3])
        code, out, _ = self.run_command("info", clip)
        self.assertEqual(code, 0)
        self.assertIn("damaged at 00:00:0", out)

    def test_scan_render_check(self):
        short = self.folder / "short.mp4"
        self.cut(shipped("quay.mp4"), short, 12)
        place = self.folder / "p.skiagraph"
        code, out, err = self.run_command("scan", short, "-o", place, "--every", 3)
        self.assertEqual(code, 0, err)
        self.assertIn("4 people in 12 frames", out)
        project = file.load(place)
        self.assertTrue(all(s.decision == Decision.UNDECIDED for s in project.subjects))
        covered, matte = self.folder / "out.mkv", self.folder / "matte.mkv"
        code, out, err = self.run_command("render", place, "-o", covered, "--matte", matte, "--style", "solid")
        self.assertEqual(code, 0, err)
        self.assertEqual(probe(matte).pixel_format, "gray")
        code, out, err = self.run_command("check", place, "--file", covered, "--json", self.folder / "f.json")
        rows = json.loads((self.folder / "f.json").read_text())
        self.assertEqual(code, 3 if any(not r["accepted"] for r in rows) else 0)
        self.assertFalse([r for r in rows if r["reason"].endswith("file")], rows)
        shown = cast.decide(project, [s.key for s in project.subjects], Decision.SHOW)
        bare = self.folder / "bare.skiagraph"
        file.save(shown, bare)
        self.run_command("render", bare, "-o", self.folder / "bare.mkv")
        code, out, _ = self.run_command("check", place, "--file", self.folder / "bare.mkv")
        self.assertEqual(code, 3)
        self.assertIn("cover-missing-in-file", out)
        again = self.run_command("render", place, "-o", covered)
        self.assertEqual(again[0], 2)
        self.assertIn("exists already", again[2])
        self.assertEqual(self.run_command("render", place, "-o", covered, "--force")[0], 0)
        code, out, _ = self.run_command("scan", short, "-o", place, "--every", 3)
        self.assertEqual((code, len(file.load(place).subjects)), (0, len(project.subjects)))

    def cut(self, source, target, frames):
        from fractions import Fraction

        from skiagraph.media.writer import PictureWriter

        info, index = open_clip(source)
        with (
            FrameReader(info, index) as reader,
            PictureWriter(
                target,
                (info.width, info.height),
                Fraction(25),
                encoder="libx264",
                pixel_format="rgb24",
                store="yuv420p",
                muxer="mp4",
                options={"crf": "18", "preset": "ultrafast"},
            ) as writer,
        ):
            for frame in reader.frames(0, frames):
                writer.write(frame.rgb())

    def test_a_folder_of_pictures_is_a_clip_and_its_rate_can_be_said(self):
        shots, place = write_pictures(self.folder / "shots"), self.folder / "p.skiagraph"
        code, out, err = self.run_command("scan", shots, "-o", place, "--rate", "23.976", "--every", 4)
        self.assertEqual(code, 0, err)
        self.assertEqual(str(file.load(place).clip("c1").rate), "24000/1001")
        code, out, err = self.run_command("render", place, "-o", self.folder / "out.mov")
        self.assertEqual((code, len(open_clip(self.folder / "out.mov")[1])), (0, 8), err)
        self.assertEqual(self.run_command("check", place, "--json", shots / "quay.0003.png", "--force")[0], 2)
        film = make_clip(self.folder / "a.mp4", 5)
        for arguments in ((film, "--rate", "24"), (shots, "--rate", "0"), (shots, "--rate", "often")):
            code, _, err = self.run_command("scan", *arguments, "-o", self.folder / "q.skiagraph")
            self.assertEqual(code, 2)
            self.assertSentence(err)

    def test_follow_and_tracks(self):
        scene = Scene(lambda n: (150 + 6 * n, 180, 1, 0))
        film = make_clip(
            self.folder / "plate.mp4",
            30,
            size=SIZE,
            options={"g": 12, "crf": 10},
            draw=lambda n, w, h: np.repeat(scene.frame(n)[..., None], 3, axis=2),
        )
        place, table = self.folder / "p.skiagraph", self.folder / "t.csv"
        outline = f"box:{150 + 60},180,90,64"
        code, out, err = self.run_command(
            "follow", film, "-o", place, "--frame", 10, "--outline", outline, "--name", "Plate"
        )
        self.assertEqual(code, 0, err)
        self.assertIn("Plate: followed from 00:00:00:00 to 00:00:01:04 (30 frames)", out)
        code, out, err = self.run_command(
            "follow",
            place,
            "--frame",
            10,
            "--outline",
            "polygon:200,160;240,170;215,200",
            "--direction",
            "on",
            "--motion",
            "position",
        )
        self.assertEqual(code, 0, err)
        self.assertEqual([s.name for s in file.load(place).subjects], ["Plate", "Thing 1"])
        code, out, err = self.run_command("tracks", place, "-o", table)
        rows = table.read_text().splitlines()
        self.assertEqual(
            (code, rows[0]), (0, "subject,name,clip,frame,cx,cy,width,height,angle,confidence,origin"), err
        )
        self.assertEqual(
            rows[11].split(",")[:4] + rows[11].split(",")[-1:], ["s1", "Plate", "plate.mp4", "10", "placed"]
        )
        for arguments in (
            ("follow", film, "--frame", 1, "--outline", outline),
            ("follow", place, "--frame", 99, "--outline", outline),
            ("follow", place, "--frame", 1, "--outline", "ring:1,2"),
            ("follow", place, "--clip", "other", "--frame", 1, "--outline", outline),
            ("tracks", place, "-o", table),
            ("tracks", place, "-o", film, "--force"),
        ):
            code, _, err = self.run_command(*arguments)
            self.assertEqual(code, 2, arguments)
            self.assertSentence(err)

    def test_matte_is_white_where_the_cover_is_complete(self):
        place, project = self.project()
        self.run_command("render", place, "-o", self.folder / "o.mp4", "--matte", self.folder / "m.mkv")
        with FrameReader(*open_clip(self.folder / "m.mkv")) as reader:
            matte = reader.read(3).planes()[0]
        self.assertEqual((matte.shape, int(matte[120, 160]), int(matte[5, 5])), ((240, 320), 255, 0))

    def test_findings_have_their_fields_and_exit_codes(self):
        place, _ = self.project(scanned=False)
        code, out, _ = self.run_command("check", place, "--json", self.folder / "f.json")
        (row,) = json.loads((self.folder / "f.json").read_text())
        self.assertEqual(code, 3)
        self.assertEqual(
            {k: row[k] for k in ("subject", "clip", "first_frame", "last_frame", "reason")},
            {"subject": None, "clip": "quay.mp4", "first_frame": 0, "last_frame": 29, "reason": "not-scanned"},
        )
        place, _ = self.project()
        self.assertEqual(self.run_command("check", place)[0], 0)

    def test_every_error_is_one_sentence(self):
        place, _ = self.project()
        text = self.folder / "notes.txt"
        text.write_text("no film")
        for arguments, words in (
            (("info", self.folder / "none.mp4"), ["none.mp4"]),
            (("info", text), ["notes.txt"]),
            (("info", self.folder), ["folder"]),
            (("render", text, "-o", self.folder / "o.mp4"), ["notes.txt"]),
            (("render", place, "-o", self.folder / "o.xyz"), ["o.xyz"]),
            (("render", place, "-o", self.folder / "quay.mp4"), ["source"]),
            (("render", place, "-o", self.folder / "no" / "o.mp4"), ["no"]),
            (("render", place, "-o", self.folder / "o.mp4", "--clip", "x"), ["quay.mp4"]),
            (("check", self.folder / "none.skiagraph"), ["none"]),
            (("render", place, "-o", self.folder / "o.mp4", "--format", "gif"), ["gif"]),
            (("scan", "-o", "x"), []),
            (("scan", text, "-o", self.folder / "p2.skiagraph", "--every", "0"), ["0"]),
            (("nothing",), []),
        ):
            with self.subTest(arguments):
                self.assertFails(*arguments, words=words)
        self.assertFalse((self.folder / "p2.skiagraph").exists())

    def test_moved_clip_is_found_beside_the_project_and_a_lost_one_named(self):
        place, _ = self.project()
        other = self.folder / "moved"
        other.mkdir()
        (self.folder / "quay.mp4").rename(other / "quay.mp4")
        place.rename(other / "p.skiagraph")
        self.assertEqual(self.run_command("check", other / "p.skiagraph")[0], 0)
        (other / "quay.mp4").unlink()
        self.assertFails("check", other / "p.skiagraph", words=["quay.mp4"])

    def test_unexpected_failures_are_a_sentence_too(self):
        place, _ = self.project()
        with mock.patch("skiagraph.project.file.load", side_effect=RuntimeError("boom")):
            self.assertFails("check", place, words=["boom", "log"])
        self.assertTrue((self.folder / "log" / "skiagraph.log").exists() or cli.log.handlers)

    def test_a_project_that_is_open_elsewhere_is_not_scanned_into(self):
        place, project = self.project()
        before = place.read_bytes()
        with ProjectLock.take(place):
            self.assertFails("scan", self.folder / "quay.mp4", "-o", place, words=["p.skiagraph", "open in process"])
        self.assertEqual(place.read_bytes(), before)
        self.assertFalse(list(self.folder.glob("*.lock")) + list(self.folder.glob(".*.lock")))

    def test_a_clip_that_was_replaced_is_not_rendered_under_the_old_covers(self):
        place, _ = self.project()
        make_clip(self.folder / "quay.mp4", 30, size=(320, 240), draw=lambda n, w, h: numbered_frame(n + 90, w, h))
        for arguments in (("render", place, "-o", self.folder / "o.mp4"), ("check", place)):
            self.assertFails(*arguments, words=["quay.mp4", "no longer the file"])
        self.assertFalse((self.folder / "o.mp4").exists())

    def test_outputs_that_would_destroy_something_are_refused(self):
        place, _ = self.project()
        for arguments in (
            ("render", place, "-o", place, "--format", "ffv1-mkv", "--force"),
            ("render", place, "-o", self.folder / "o.mkv", "--matte", place, "--force"),
            ("check", place, "--json", self.folder / "quay.mp4"),
            ("check", place, "--json", place),
        ):
            before = place.read_bytes(), (self.folder / "quay.mp4").read_bytes()
            self.assertFails(*arguments)
            self.assertEqual((place.read_bytes(), (self.folder / "quay.mp4").read_bytes()), before)

    def test_demo_is_written_and_kept(self):
        target = self.folder / "demo"
        self.assertEqual(self.run_command("demo", target)[0], 0)
        project = file.load(target / "quay-inquiry.skiagraph")
        self.assertEqual(sorted(c.path.name for c in project.clips), ["hall.mp4", "quay.mp4", "voice.mp4"])
        marked = cast.cover_all(project)
        file.save(marked, target / "quay-inquiry.skiagraph")
        before = (target / "quay-inquiry.skiagraph").read_bytes()
        self.run_command("demo", target)
        self.assertEqual((target / "quay-inquiry.skiagraph").read_bytes(), before)

    def test_progress_is_plain_lines_away_from_a_terminal(self):
        stream = io.StringIO()
        printer = shared.ProgressPrinter(stream)
        from skiagraph.jobs import Progress

        for n in range(101):
            printer(Progress("Scanning", n, 100, n / 10))
        lines = stream.getvalue().splitlines()
        self.assertEqual(len(lines), 11)
        self.assertNotIn("\r", stream.getvalue())

    def test_help_for_every_command(self):
        for command in ("info", "scan", "render", "check", "demo", "open"):
            code, out, _ = self.run_command(command, "--help")
            self.assertEqual(code, 0)
            self.assertIn("usage: skiagraph", out)

    def test_a_scan_that_could_not_be_saved_is_not_lost(self):
        clip = make_clip(self.folder / "quay.mp4", 30, size=(320, 240))
        checkpoints = self.folder / "cache" / "scans"
        with mock.patch(
            "skiagraph.project.file.save", side_effect=CannotSaveProject("The disk is full; free some space.")
        ):
            self.assertFails("scan", clip, "-o", self.folder / "p.skiagraph", words=("disk is full",))
        self.assertTrue(list(checkpoints.rglob("*.npz")))
        self.assertEqual(self.run_command("scan", clip, "-o", self.folder / "p.skiagraph")[0], 0)
        self.assertEqual(list(checkpoints.rglob("*.npz")), [])

    def test_names_that_are_no_text_or_too_long_are_a_sentence(self):
        place, _ = self.project()
        odd = os.fsdecode(b"caf\xe9")
        (self.folder / f"{odd}.mp4").write_bytes((self.folder / "quay.mp4").read_bytes())
        for arguments in (
            ("info", self.folder / f"{odd}.mp4"),
            ("scan", self.folder / "quay.mp4", "-o", self.folder / f"{odd}.skiagraph"),
            ("render", place, "-o", self.folder / f"{odd}-out.mp4"),
        ):
            self.assertFails(*arguments, words=("caf", "UTF-8"))
        self.assertFails("render", place, "-o", self.folder / ("x" * 260 + ".mp4"), words=("too long",))
        self.assertFails(
            "scan", self.folder / "quay.mp4", "-o", self.folder / ("x" * 260 + ".skiagraph"), words=("too long",)
        )
        self.assertEqual(self.run_command("render", place, "-o", self.folder / ("x" * 230 + ".mp4"))[0], 0)

    def test_a_file_of_findings_is_not_replaced_unasked(self):
        place, _ = self.project()
        theirs = self.folder / "notes.json"
        theirs.write_text("{}")
        self.assertFails("check", place, "--json", theirs, words=("exists already", "--force"))
        self.assertEqual(theirs.read_text(), "{}")
        self.run_command("check", place, "--json", theirs, "--force")
        self.assertIsInstance(json.loads(theirs.read_text()), list)

    def test_pipes_and_devices_are_no_targets(self):
        place, _ = self.project()
        os.mkfifo(self.folder / "pipe.mp4")
        self.assertFails("render", place, "-o", self.folder / "pipe.mp4", "--force", words=("pipe",))
        self.assertTrue((self.folder / "pipe.mp4").is_fifo())

    def test_a_terminal_without_our_letters_and_a_machine_without_a_screen(self):
        clip = make_clip(self.folder / "møle.mp4", 5)
        places = {"XDG_CACHE_HOME": str(self.folder / "cache"), "XDG_STATE_HOME": str(self.folder / "state")}
        bare = {k: v for k, v in os.environ.items() if k not in ("DISPLAY", "WAYLAND_DISPLAY", "QT_QPA_PLATFORM")}

        def run(*arguments, **more):
            return subprocess.run(
                [sys.executable, "-m", "skiagraph", *map(str, arguments)],
                env={**bare, **places, **more},
                cwd=Path(__file__).parents[1],
                capture_output=True,
                timeout=120,
            )

        done = run("info", clip, PYTHONIOENCODING="ascii")
        self.assertEqual((done.returncode, done.stdout[:8]), (0, b"m?le.mp4"))
        done = run("open", clip)
        self.assertEqual(done.returncode, 2)
        self.assertIn(b"skiagraph: There is no screen", done.stderr)


class SignalTest(TemporaryFolder):
    """A real process that is ended in the middle of a render."""

    def setUp(self):
        super().setUp()
        self.place = self.folder / "p.skiagraph"
        file.save(
            project_on(
                make_clip(self.folder / "quay.mp4", 400, size=(640, 480)),
                head_path(0, 400, cx=160, cy=120, width=60, height=80),
            ),
            self.place,
        )
        self.out = self.folder / "out"
        self.out.mkdir()

    def ended_by(self, number, all_of_it=False):
        """Exit code of a render that gets a signal after its first frame, and what it said. all_of_it: so does every
        process it started."""
        places = {"XDG_CACHE_HOME": str(self.folder / "cache"), "XDG_STATE_HOME": str(self.folder / "state")}
        with subprocess.Popen(
            [sys.executable, "-m", "skiagraph", "render", str(self.place), "-o", str(self.out / "o.mp4")],
            env={**os.environ, **places},
            cwd=Path(__file__).parents[1],
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            text=True,
            start_new_session=True,
        ) as process:
            self.assertIn("Exporting", next(line for line in process.stderr if "Exporting" in line))
            if all_of_it:
                os.killpg(process.pid, number)
            else:
                process.send_signal(number)
            said = process.communicate(timeout=60)[1]
        return process.returncode, said

    def test_ending_and_interrupting_tidy_up(self):
        for number, code in ((signal.SIGTERM, 143), (signal.SIGINT, 130)):
            got, said = self.ended_by(number)
            self.assertEqual(got, code, said)
            self.assertNotIn("Traceback", said)
            self.assertEqual(os.listdir(self.out), [])

    def test_what_a_killed_process_left_goes_with_the_next_render_and_nothing_else(self):
        self.assertEqual(
            (self.ended_by(signal.SIGKILL)[0], os.listdir(self.out)),
            (-9, []),
            "the process that wrote tidies up when nobody is left to work for",
        )
        self.assertEqual((self.ended_by(signal.SIGKILL, all_of_it=True)[0], len(os.listdir(self.out))), (-9, 1))
        theirs = self.out / ".notes.unfinished"
        theirs.write_text("not ours")
        with FilmWriter(self.out / "other.mp4", probe(self.folder / "quay.mp4"), FORMATS["h264-mp4"]) as living:
            self.assertEqual(
                len([n for n in os.listdir(self.out) if n.endswith(".unfinished.mp4")]),
                1,
                "only that of the living is left",
            )
            FilmWriter(self.out / "third.mp4", probe(self.folder / "quay.mp4"), FORMATS["h264-mp4"]).discard()
            with FrameReader(*open_clip(self.folder / "quay.mp4")) as reader:
                living.write(reader.read(0))
        self.assertEqual(sorted(os.listdir(self.out)), [".notes.unfinished", "other.mp4"])
