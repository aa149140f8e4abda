"""The command line as a person types it: from a clip to a checked file, and one sentence for everything that goes wrong."""

import io
import json
from contextlib import redirect_stderr, redirect_stdout
from unittest import mock


from skiagraph import cli
from skiagraph.demo.ship import shipped
from skiagraph.media.clip import probe
from skiagraph.media.index import open_clip
from skiagraph.media.reader import FrameReader
from skiagraph.project import cast, file
from skiagraph.project.lock import ProjectLock
from skiagraph.project.model import Decision
from tests.support import TemporaryFolder, head_path, make_clip, numbered_frame, project_on


class CommandTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        patcher = mock.patch("platformdirs.user_log_dir", lambda *a, **k: str(self.folder / "log"))
        patcher.start()
        self.addCleanup(patcher.stop)

    def run_command(self, *arguments):
        out, err = io.StringIO(), io.StringIO()
        with redirect_stdout(out), redirect_stderr(err):
            try:
                code = cli.main([str(a) for a in arguments])
            except SystemExit as stopped:
                code = stopped.code
        return code, out.getvalue(), err.getvalue()

    def assertFails(self, *arguments, words=()):
        code, out, err = self.run_command(*arguments)
        self.assertEqual(code, 2, (out, err))
        last = err.strip().splitlines()[-1]
        self.assertTrue(last.startswith("skiagraph: "), last)
        self.assertNotIn("Traceback", err)
        for word in words:
            self.assertIn(word, last)

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
        self.assertEqual((code, facts["frames"], facts["width"], facts["height"], facts["rotation"], facts["timecode"]), (0, 30, 96, 160, 90, "10:00:00:00"))
        code, out, _ = self.run_command("info", clip)
        self.assertIn("30 frames", out)
        self.assertIn("sound: aac", out)

    def test_info_names_damage(self):
        clip = make_clip(self.folder / "a.mkv", 60, encoder="libx264", size=(320, 240))
        data = clip.read_bytes()
        clip.write_bytes(data[:len(data) * 2 // 3])
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
        with FrameReader(info, index) as reader, PictureWriter(target, (info.width, info.height), Fraction(25), encoder="libx264", pixel_format="rgb24",
                                                               store="yuv420p", muxer="mp4", options={"crf": "18", "preset": "ultrafast"}) as writer:
            for frame in reader.frames(0, frames):
                writer.write(frame.rgb())

    def test_matte_is_white_where_the_cover_is_complete(self):
        place, project = self.project()
        self.run_command("render", place, "-o", self.folder / "o.mp4", "--matte", self.folder / "m.mkv")
        with FrameReader(*open_clip(self.folder / "m.mkv")) as reader:
            matte = reader.read(3).planes()[0]
        self.assertEqual((matte.shape, int(matte[120, 160]), int(matte[5, 5])), ((240, 320), 255, 0))

    def test_findings_have_their_fields_and_exit_codes(self):
        place, _ = self.project(scanned=False)
        code, out, _ = self.run_command("check", place, "--json", self.folder / "f.json")
        row, = json.loads((self.folder / "f.json").read_text())
        self.assertEqual(code, 3)
        self.assertEqual({k: row[k] for k in ("subject", "clip", "first_frame", "last_frame", "reason")},
                         {"subject": None, "clip": "quay.mp4", "first_frame": 0, "last_frame": 29, "reason": "not-scanned"})
        place, _ = self.project()
        self.assertEqual(self.run_command("check", place)[0], 0)

    def test_every_error_is_one_sentence(self):
        place, _ = self.project()
        text = self.folder / "notes.txt"
        text.write_text("no film")
        for arguments, words in ((("info", self.folder / "none.mp4"), ["none.mp4"]), (("info", text), ["notes.txt"]), (("info", self.folder), ["folder"]),
                                 (("render", text, "-o", self.folder / "o.mp4"), ["notes.txt"]), (("render", place, "-o", self.folder / "o.xyz"), ["o.xyz"]),
                                 (("render", place, "-o", self.folder / "quay.mp4"), ["source"]), (("render", place, "-o", self.folder / "no" / "o.mp4"), ["no"]),
                                 (("render", place, "-o", self.folder / "o.mp4", "--clip", "x"), ["quay.mp4"]), (("check", self.folder / "none.skiagraph"), ["none"]),
                                 (("render", place, "-o", self.folder / "o.mp4", "--format", "gif"), ["gif"]),
                                 (("scan", "-o", "x"), []), (("scan", text, "-o", self.folder / "p2.skiagraph", "--every", "0"), ["0"]), (("nothing",), [])):
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
        for arguments in (("render", place, "-o", place, "--format", "ffv1-mkv", "--force"), ("render", place, "-o", self.folder / "o.mkv", "--matte", place, "--force"),
                          ("check", place, "--json", self.folder / "quay.mp4"), ("check", place, "--json", place)):
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
        printer = cli.ProgressPrinter(stream)
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


