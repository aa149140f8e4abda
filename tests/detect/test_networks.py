"""Networks that ship: loading and running one tells nobody, and leaves nothing in the user's places."""

import os
import subprocess
import sys
from pathlib import Path

from tests.support import TemporaryFolder

RUNS = (
    "import numpy as np\nfrom skiagraph.detect.finder import FaceFinder\nwith FaceFinder(36) as finder:\n   "
    " finder.find(np.zeros((120, 160, 3), np.uint8))\nfrom skiagraph.track.descriptor import"
    " FaceDescriber\nFaceDescriber()\n"
)


class SilenceTest(TemporaryFolder):
    def run_in_child(self):
        places = {
            "HOME": str(self.folder),
            "XDG_CACHE_HOME": str(self.folder / "cache"),
            "XDG_CONFIG_HOME": str(self.folder / "config"),
            "XDG_DATA_HOME": str(self.folder / "data"),
        }
        environment = {k: v for k, v in os.environ.items() if not k.startswith("ORT_")}
        done = subprocess.run(
            [sys.executable, "-c", RUNS],
            env={**environment, **places},
            cwd=Path(__file__).parents[2],
            capture_output=True,
            text=True,
            timeout=120,
        )
        self.assertEqual(done.returncode, 0, done.stderr)

    def test_nothing_is_kept_outside_our_own_folders(self):
        self.run_in_child()
        self.assertEqual([str(p) for p in self.folder.rglob("*")], [])

    def test_what_earlier_runs_left_is_taken_away_and_nothing_else(self):
        left = self.folder / "cache" / "Microsoft" / "DeveloperTools" / ".onnxruntime"
        left.mkdir(parents=True)
        (left / "deviceid").write_text("an id")
        other = self.folder / "cache" / "Microsoft" / "other"
        other.mkdir()
        self.run_in_child()
        self.assertFalse(left.exists())
        self.assertTrue(other.exists())
