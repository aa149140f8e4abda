"""The shape of the program: the core knows no Qt, folders import only from those before them, and what ships has a
licence."""

import ast
import re
import subprocess
import sys
import tomllib
import unittest
from pathlib import Path

ROOT = Path(__file__).parents[1]
ORDER = [
    "errors",
    "logs",
    "memory",
    "remembering",
    "lazily",
    "values",
    "jobs",
    "child_process",
    "timecode",
    "boxes",
    "media",
    "detect",
    "voice",
    "track",
    "shape",
    "follow",
    "cover",
    "project",
    "footage",
    "review",
    "handover",
    "demo",
]
FRONTS = {"desktop", "cli", "commands"}


def imports(path: Path):
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.ImportFrom) and node.module and node.module.startswith("skiagraph."):
            yield node.module.split(".")[1]
        elif isinstance(node, ast.Import):
            for alias in node.names:
                if alias.name.startswith("skiagraph."):
                    yield alias.name.split(".")[1]


class ArchitectureTest(unittest.TestCase):
    def test_the_core_imports_no_qt(self):
        modules = [
            ".".join(p.relative_to(ROOT).with_suffix("").parts)
            for p in (ROOT / "skiagraph").rglob("*.py")
            if "desktop" not in p.parts and p.name != "__init__.py"
        ]
        code = (
            f"import sys, importlib\nfor m in {modules!r}: importlib.import_module(m)\nprint([m for m in sys.modules if"
            " 'PySide6' in m or 'shiboken' in m])"
        )
        done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, capture_output=True, text=True, timeout=120)
        self.assertEqual(done.stdout.strip().splitlines()[-1:], ["[]"], done.stderr)

    def test_only_the_desktop_names_qt(self):
        for path in (ROOT / "skiagraph").rglob("*.py"):
            if "desktop" not in path.parts:
                self.assertNotRegex(path.read_text(), r"(?m)^\s*(from|import) (PySide6|shiboken6)", path)

    def test_folders_import_from_those_before_them(self):
        for path in (ROOT / "skiagraph").rglob("*.py"):
            parts = path.relative_to(ROOT / "skiagraph").with_suffix("").parts
            own = parts[0]
            if own in FRONTS or own not in ORDER:
                continue
            for other in imports(path):
                if other in ("assets", own):
                    continue
                self.assertIn(other, ORDER[: ORDER.index(own)], f"{path} imports {other}")

    def test_only_media_knows_the_media_library(self):
        for path in (ROOT / "skiagraph").rglob("*.py"):
            if "media" not in path.parts:
                self.assertNotRegex(path.read_text(), r"(?m)^\s*(from av|import av)\b", path)

    def test_tests_mirror_packages(self):
        for folder in (ROOT / "tests").iterdir():
            if (
                folder.is_dir()
                and not folder.name.startswith("__")
                and folder.name not in ("tools", "benchmarks", "fixtures")
            ):
                self.assertTrue((ROOT / "skiagraph" / folder.name).is_dir(), folder)


class ShippedTest(unittest.TestCase):
    def test_versions_are_pinned_and_agree(self):
        pinned = dict(line.split("==") for line in (ROOT / "requirements.txt").read_text().split())
        project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
        for wanted in project["dependencies"]:
            name, version = wanted.split("==")
            self.assertEqual(pinned[name], version)

    def test_models_font_and_icons_have_licences_and_origins(self):
        assets = ROOT / "skiagraph" / "assets"
        told = (assets / "licences" / "README.md").read_text()
        for path in [*(assets / "models").iterdir(), *(assets / "fonts").iterdir()]:
            self.assertIn(path.name, told)
        for licence in re.findall(r"\(([\w.-]+\.txt)\)", told):
            self.assertTrue((assets / "licences" / licence).exists(), licence)

    def test_modules_stay_small(self):
        # Statements count the same however lines are broken; the largest had 474 when lines alone were counted.
        for path in (ROOT / "skiagraph").rglob("*.py"):
            text = path.read_text()
            self.assertLess(sum(isinstance(node, ast.stmt) for node in ast.walk(ast.parse(text))), 450, path)
            self.assertLess(len(text.splitlines()), 600, path)

    def test_lines_can_be_read(self):
        for folder in ("skiagraph", "benchmarks", "tests", "tools"):
            for path in (ROOT / folder).rglob("*.py"):
                for number, line in enumerate(path.read_text().splitlines(), 1):
                    self.assertLessEqual(len(line), 120, f"{path}, line {number}")
