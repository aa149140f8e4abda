"""Handing over into a folder: every clip written, checked and told of, and trouble said before anything is written."""

from skiagraph.errors import Cancelled, CannotWriteMedia, SkiagraphError
from skiagraph.footage.adding import add_clip
from skiagraph.handover.delivery import deliver, existing, planned
from skiagraph.handover.writers.film import CoveredFilm
from skiagraph.handover.writers.matte import Matte
from skiagraph.jobs import JobControl
from skiagraph.media.index import open_clip
from skiagraph.review.finding import Reason
from tests.support import TemporaryFolder, head_path, make_clip, opened, project_on


class DeliverTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.project = project_on(make_clip(self.folder / "quay.mp4", 12), head_path(0, 12))
        self.project = add_clip(self.project, *opened(make_clip(self.folder / "hall.mp4", 8)))
        self.out = self.folder / "for" / "the broadcaster"

    def plan(self, keys=("c1", "c2"), with_matte=False, **more):
        return planned(
            self.project, keys, self.out, (CoveredFilm("ffv1-mkv"), *((Matte(),) if with_matte else ())), **more
        )

    def deliver(self, keys=("c1", "c2"), *, with_matte=False, check=False, control=None, replace=False):
        told = []
        found = deliver(self.project, self.plan(keys, with_matte), check, replace, control or JobControl(), told.append)
        return told, found

    def test_each_clip_is_written_and_told_of(self):
        told, found = self.deliver(with_matte=True)
        self.assertEqual(
            [(d.clip, d.path.name, d.findings) for d in told],
            [("c1", "quay-covered.mkv", None), ("c2", "hall-covered.mkv", None)],
        )
        self.assertEqual(found, [])
        self.assertEqual(
            [
                len(open_clip(self.out / name)[1])
                for name in ("quay-covered.mkv", "quay-matte.mkv", "hall-covered.mkv", "hall-matte.mkv")
            ],
            [12, 12, 8, 8],
        )

    def test_a_check_comes_with_the_file_it_is_about(self):
        told, found = self.deliver(("c1",), check=True)
        self.assertEqual((told[0].findings, found), ([], []))

    def test_a_file_that_lost_frames_is_a_finding(self):
        make_clip(self.folder / "longer.mp4", 12)
        self.deliver(("c1",))
        from skiagraph.review.exposure import check_file

        shape = check_file(self.project, "c2", self.out / "quay-covered.mkv")
        self.assertEqual([f.reason for f in shape], [Reason.FILE_SHAPE])

    def test_clips_from_two_cards_that_are_called_alike_keep_apart(self):
        for card in ("A", "B"):
            (self.folder / card).mkdir()
            self.project = add_clip(
                self.project, *opened(make_clip(self.folder / card / "quay.mp4", 6 + len(card) + ord(card) % 7))
            )
        names = [entry.film.name for entry in self.plan(("c1", "c3", "c4"), True)]
        self.assertEqual(names, ["quay-covered.mkv", "quay-2-covered.mkv", "quay-3-covered.mkv"])
        self.deliver(("c1", "c3", "c4"))
        self.assertEqual(sorted(p.name for p in self.out.iterdir()), sorted(names))

    def test_what_exists_is_replaced_only_when_that_was_said(self):
        self.deliver(("c1",))
        there = self.out / "quay-covered.mkv"
        before = there.read_bytes()
        with self.assertRaises(CannotWriteMedia) as caught:
            self.deliver()
        self.assertSentence(str(caught.exception), "quay-covered.mkv", "exists already")
        self.assertEqual(([p.name for p in self.out.iterdir()], there.read_bytes()), (["quay-covered.mkv"], before))
        self.assertEqual(existing(self.plan()), [there])
        self.assertEqual([e.film.name for e in self.plan(beside=True)], ["quay-2-covered.mkv", "hall-covered.mkv"])
        self.deliver(replace=True)
        self.assertEqual(len(list(self.out.iterdir())), 2)

    def test_a_source_is_never_a_target(self):
        self.out = self.folder
        make_clip(self.folder / "quay-covered.mkv", 7, encoder="ffv1")
        self.project = add_clip(self.project, *opened(self.folder / "quay-covered.mkv"))
        self.assertEqual([e.film.name for e in self.plan(("c1",))], ["quay-2-covered.mkv"])

    def test_a_folder_that_cannot_be_made_is_a_sentence(self):
        (self.folder / "for").write_text("a file where a folder should be")
        with self.assertRaises(SkiagraphError) as caught:
            self.deliver()
        self.assertSentence(str(caught.exception), "the broadcaster", "choose another place")

    def test_cancelling_keeps_what_is_whole_and_nothing_else(self):
        control = JobControl()

        def tell(done):
            control.cancel()

        with self.assertRaises(Cancelled):
            deliver(self.project, self.plan(), False, False, control, tell)
        self.assertEqual([p.name for p in self.out.iterdir()], ["quay-covered.mkv"])
