"""Telling the desktop: a message that the service understands, and nothing where there is no service."""

import os
import shutil
import subprocess
import sys
import unittest
from pathlib import Path
from unittest import mock

from skiagraph.desktop.notifying import notify

ROOT = Path(__file__).resolve().parents[2]
# A desktop that prints what it is asked to show.
DESKTOP = """
from jeepney.bus_messages import message_bus
from jeepney.io.blocking import open_dbus_connection
from skiagraph.desktop.notifying import notify
with open_dbus_connection("SESSION") as desktop:
    desktop.send_and_get_reply(message_bus.RequestName("org.freedesktop.Notifications"))
    print(notify("Handed over", "3 jobs are written."))
    while True:
        message = desktop.receive(timeout=10)
        if message.header.fields.get(3) == "Notify":
            print(message.header.fields[8], message.body[3:5])
            break
"""


class NotifyTest(unittest.TestCase):
    def test_without_a_desktop_nothing_happens(self):
        with mock.patch.dict(os.environ, {"DBUS_SESSION_BUS_ADDRESS": "unix:path=/nowhere/at/all"}):
            self.assertFalse(notify("Handed over", "1 job is written."))

    @unittest.skipUnless(shutil.which("dbus-run-session"), "there is no bus to try it on")
    def test_a_desktop_hears_it(self):
        found = subprocess.run(
            ["dbus-run-session", "--", sys.executable, "-c", DESKTOP],
            capture_output=True,
            text=True,
            cwd=ROOT,
            timeout=60,
        )
        self.assertEqual(
            found.stdout.split("\n")[:2], ["True", "susssasa{sv}i ('Handed over', '3 jobs are written.')"], found.stderr
        )
