"""The menu entry, the icon and the type of the project file: valid, complete, and gone again when asked."""

import configparser
import xml.etree.ElementTree as ElementTree
from unittest import mock

from skiagraph import integration
from skiagraph.errors import SkiagraphError
from skiagraph.project.file import SUFFIX
from tests.support import TemporaryFolder


class IntegrationTest(TemporaryFolder):
    def test_written_and_removed(self):
        written = integration.integrate(self.folder)
        self.assertEqual(len(written), 3)
        entry = configparser.RawConfigParser()
        entry.read(self.folder / "applications" / "skiagraph.desktop")
        self.assertEqual(entry["Desktop Entry"]["Type"], "Application")
        self.assertIn("skiagraph", entry["Desktop Entry"]["Exec"])
        self.assertTrue(entry["Desktop Entry"]["Exec"].endswith("open %F"))
        mime = ElementTree.parse(self.folder / "mime" / "packages" / "skiagraph-project.xml").getroot()
        names = {"m": "http://www.freedesktop.org/standards/shared-mime-info"}
        self.assertEqual(mime.find(".//m:glob", names).get("pattern"), f"*{SUFFIX}")
        self.assertIn(mime.find(".//m:mime-type", names).get("type"), entry["Desktop Entry"]["MimeType"])
        integration.remove(self.folder)
        self.assertFalse(any(path.exists() for path in written))
        integration.remove(self.folder)

    def test_a_closed_folder_is_a_sentence(self):
        with (
            mock.patch("pathlib.Path.write_text", side_effect=PermissionError(13, "Permission denied")),
            self.assertRaises(SkiagraphError) as caught,
        ):
            integration.integrate(self.folder)
        self.assertSentence(str(caught.exception), str(self.folder))
