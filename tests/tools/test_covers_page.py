"""The page about covers says what they say of themselves."""

import json
import tempfile
import unittest
from pathlib import Path

from skiagraph.cover.cover import Cover
from skiagraph.project import house
from skiagraph.values import parameters
from tools.covers_page import examples, page

DOCS = Path(__file__).parents[2] / "docs"


class CoversPageTest(unittest.TestCase):
    def test_it_is_current(self):
        text = (DOCS / "covers.md").read_text()
        self.assertEqual(page(text), text, "run python -m tools.covers_page")
        for tag, kind in Cover.kinds.items():
            self.assertIn(f"(`{tag}`)", text)
            for parameter in parameters(kind):
                self.assertIn(f"| `{parameter.name}` |", text)

    def test_the_picture_shows_every_kind(self):
        with tempfile.TemporaryDirectory() as folder:
            seen = {cover.kind for _, covers in examples(Path(folder)) for cover in covers or ()}
        self.assertEqual(seen, set(Cover.kinds))
        self.assertTrue((DOCS / "screenshots" / "covers.png").exists())

    def test_the_schema_of_house_styles_is_published(self):
        self.assertEqual(
            json.loads((DOCS / "house-style.schema.json").read_text()), json.loads(json.dumps(house.house_schema()))
        )
