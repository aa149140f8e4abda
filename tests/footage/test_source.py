"""The file behind a clip: the one that was added, or it is said that it is not."""

import os
from pathlib import Path

from skiagraph.errors import CannotOpenMedia, SourceChanged
from skiagraph.footage import relink
from skiagraph.footage.adding import add_clip
from skiagraph.footage.source import SourceState, open_source, state_of
from skiagraph.handover.export import export_clip
from skiagraph.media.clip import PIECE, PIECES, fingerprint
from skiagraph.project.model import Project, replace
from tests.support import TemporaryFolder, head_path, make_clip, numbered_frame, opened, with_people


class SourceTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.path = make_clip(self.folder / "quay.mkv", 20, encoder="ffv1")
        self.project = with_people(add_clip(Project(), *opened(self.path)), head_path(0, 20))
        self.clip = self.project.clip("c1")

    def test_the_file_behind_a_clip(self):
        info, index = open_source(self.clip)
        self.assertEqual((info.path, len(index), state_of(self.clip)), (self.clip.path, 20, SourceState.THERE))

    def other_take(self):
        """Another film of the same size and length, in bytes as well."""
        make_clip(self.path, 20, encoder="ffv1", draw=lambda n, w, h: numbered_frame(n + 100, w, h))
        with self.path.open("ab") as file:
            file.truncate(self.clip.size)

    def test_another_take_of_the_same_size_and_length_is_not_taken_for_it(self):
        self.other_take()
        self.assertEqual((self.path.stat().st_size, state_of(self.clip)), (self.clip.size, SourceState.CHANGED))
        for use in (lambda: open_source(self.clip), lambda: export_clip(self.project, "c1", self.folder / "out.mkv")):
            with self.assertRaises(SourceChanged) as caught:
                use()
            self.assertSentence(str(caught.exception), "quay.mkv", "put the original back")
        self.assertFalse((self.folder / "out.mkv").exists())
        self.assertEqual(relink.missing(self.project), [self.clip])

    def test_a_clip_that_changes_while_it_is_exported_is_noticed(self):
        from skiagraph.jobs import JobControl

        control = JobControl(lambda progress: self.other_take() if progress.done == 19 else None)
        with self.assertRaises(SourceChanged):
            export_clip(self.project, "c1", self.folder / "out.mkv", control=control)
        self.assertEqual([p.name for p in self.folder.glob("*out*")], [])

    def test_another_size_or_length_is_refused_and_a_missing_file_is_a_sentence(self):
        for how in ({"frames": 20, "size": (320, 240)}, {"frames": 12}):
            make_clip(self.path, encoder="ffv1", **how)
            with self.assertRaises(SourceChanged):
                open_source(self.clip)
        self.path.unlink()
        self.assertEqual(state_of(self.clip), SourceState.MISSING)
        with self.assertRaises(CannotOpenMedia):
            open_source(self.clip)

    def test_a_clip_of_an_older_project_is_known_by_its_ends(self):
        older = replace(self.clip, fingerprint=fingerprint(self.path, "ends"))
        self.assertEqual(state_of(older), SourceState.THERE)
        self.other_take()
        self.assertEqual(state_of(older), SourceState.CHANGED)

    def test_a_change_anywhere_in_a_large_file_of_the_same_ends_is_seen(self):
        large = self.folder / "large.bin"
        size = PIECES * PIECE * 3
        large.write_bytes(os.urandom(1 << 20) * (size >> 20))
        before = fingerprint(large)
        step = size // PIECES
        data = bytearray(large.read_bytes())
        for n in range(0, size - step, step):
            data[n : n + step] = bytes(step)
        large.write_bytes(data[: size - (1 << 20)] + large.read_bytes()[-(1 << 20) :])
        self.assertNotEqual(fingerprint(large), before)
        self.assertEqual(fingerprint(large), fingerprint(Path(str(large))))
