"""Continuous saving: the newest value, whatever goes wrong on the way, and nothing on disk overwritten unseen."""

from unittest import mock

from skiagraph.errors import CannotSaveProject, ProjectChangedOnDisk
from skiagraph.project import edits, file
from skiagraph.project.store import ProjectStore
from tests.project.worlds import world
from tests.support import TemporaryFolder


class StoreTest(TemporaryFolder):
    def setUp(self):
        super().setUp()
        self.path = self.folder / "p.skiagraph"
        self.project, _ = edits.with_new_subject(world())
        self.told = []

    def named(self, name):
        return edits.rename(self.project, "s1", name)

    def opened(self):
        digest = file.save(self.project, self.path)
        store = ProjectStore(self.path, self.told.append, digest)
        self.addCleanup(store.close)
        return store

    def on_disk(self):
        return file.load(self.path).subject("s1").name

    def test_the_newest_value_is_written(self):
        store = self.opened()
        for n in range(20):
            store.put(self.named(f"Name {n}"))
        self.assertTrue(store.flush())
        self.assertEqual(self.on_disk(), "Name 19")
        store.put(self.named("Last"))
        self.assertTrue(store.close())
        self.assertEqual((self.on_disk(), self.told[-1]), ("Last", True))

    def test_any_failure_is_told_and_the_thread_lives_on(self):
        store = self.opened()
        for error in (
            CannotSaveProject("It cannot be saved."),
            RuntimeError("a surprise"),
            UnicodeEncodeError("utf-8", "\udcff", 0, 1, "surrogates"),
        ):
            with (
                mock.patch("skiagraph.project.store.save", side_effect=error),
                mock.patch("skiagraph.project.store.log"),
            ):
                store.put(self.named("Not written"))
                self.assertFalse(store.flush())
            self.assertIsInstance(self.told[-1], CannotSaveProject)
        store.put(self.named("Written"))
        self.assertTrue(store.flush())
        self.assertEqual(self.on_disk(), "Written")

    def test_what_failed_is_tried_again_by_itself(self):
        store = self.opened()
        with mock.patch("skiagraph.project.store.AGAIN_S", 0.01):
            with mock.patch("skiagraph.project.store.save", side_effect=CannotSaveProject("The disk is full.")):
                store.put(self.named("Later"))
                self.assertFalse(store.flush())
            # Closing tries once more, and says whether all is on disk.
            self.assertTrue(store.close())
        self.assertEqual(self.on_disk(), "Later")

    def test_a_name_that_cannot_be_written_stops_nobody(self):
        store = self.opened()
        broken = self.project.with_subject(edits.replace(self.project.subject("s1"), name="lone \udcff"))
        with mock.patch("skiagraph.project.store.log"):
            store.put(broken)
            self.assertFalse(store.flush())
        store.put(self.named("Good again"))
        self.assertTrue(store.flush())

    def test_what_something_else_wrote_is_not_overwritten(self):
        store = self.opened()
        file.save(self.named("Somebody else's"), self.path)
        store.put(self.named("Mine"))
        self.assertFalse(store.flush())
        self.assertIsInstance(self.told[-1], ProjectChangedOnDisk)
        self.assertSentence(str(self.told[-1]), "changed on disk", "copy")
        self.assertEqual(self.on_disk(), "Somebody else's")

    def test_a_file_that_was_only_touched_is_written(self):
        store = self.opened()
        self.path.touch()
        store.put(self.named("Mine"))
        self.assertTrue(store.flush())
        self.assertEqual(self.on_disk(), "Mine")

    def test_modes_are_kept_and_links_written_through(self):
        file.save(self.project, self.path)
        self.path.chmod(0o600)
        link = self.folder / "link.skiagraph"
        link.symlink_to(self.path)
        file.save(self.named("Through"), link)
        self.assertTrue(link.is_symlink())
        self.assertEqual((self.on_disk(), self.path.stat().st_mode & 0o777), ("Through", 0o600))
