"""Running commands as a person types them, with nothing of the user's own places touched."""

import io
from contextlib import redirect_stderr, redirect_stdout
from unittest import mock

from skiagraph import cli
from tests.support import TemporaryFolder


class CommandLine(TemporaryFolder):
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
