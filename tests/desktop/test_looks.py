"""The look of a project in the real window: house styles, versions, comparing, everything but those shown, labels, and
the meter."""

from unittest import mock

import numpy as np
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QMenu

from skiagraph.cover.cover import Cover, Style
from skiagraph.desktop.house_sheet import HouseSheet
from skiagraph.desktop.session import View
from skiagraph.desktop.window import HANDOVER, REVIEW
from skiagraph.media.clip import probe
from skiagraph.project import housing
from skiagraph.project.house import house_style_named
from skiagraph.project.layers import matte
from skiagraph.project.model import Decision
from tests.desktop.test_window import MadeWindow


def picture(image: QImage) -> np.ndarray:
    image = image.convertToFormat(QImage.Format.Format_RGB888)
    rows = np.frombuffer(image.constBits(), np.uint8).reshape(image.height(), image.bytesPerLine())
    return rows[:, : 3 * image.width()].reshape(image.height(), image.width(), 3).astype(int)


class LooksTest(MadeWindow):
    def setUp(self):
        super().setUp()
        self.place = self.open_made()
        self.looks = self.window.cover.looks

    def shown(self):
        asked = self.window.cover._asked
        self.until(lambda: self.window.cover._shown >= asked)
        view = self.window.cover.picture
        return picture(view._image), None if view._other is None else picture(view._other)

    def entries(self, *path):
        """Actions of the menu of looks, down a path of its parts."""
        menu = QMenu()
        self.addCleanup(menu.deleteLater)
        self.looks.fill(menu)
        for part in path:
            menu = next(a.menu() for a in menu.actions() if a.text() == part)
        return {a.text().split(":")[0]: a for a in menu.actions() if a.text()}

    def test_a_house_style_in_one_step_and_back(self):
        self.entries("House style")["Slate"].trigger()
        self.assertEqual(
            (self.project.decisions.house.name, self.project.style), ("Slate", house_style_named("Slate").style)
        )
        self.assertTrue(self.entries("House style")["Slate"].isChecked())
        self.assertIn("Slate", self.looks.state())
        seen, _ = self.shown()
        self.assertLess(seen[100, 100].max(), 60, "the solid is seen at once")
        self.window.document.undo()
        self.assertEqual(self.project.decisions.house.name, "")

    def test_two_looks_side_by_side(self):
        self.entries("Compare the result with")["Slate"].trigger()
        self.assertEqual(self.window.session.view, View.SPLIT)
        result, other = self.shown()
        self.assertLess(other[100, 100].max(), 60)
        self.assertGreater(np.abs(result[100, 100] - other[100, 100]).max(), 20)
        np.testing.assert_array_equal(result[5, 5], other[5, 5])
        self.assertEqual(self.window.cover.picture._other_name, "Slate")
        self.assertEqual(self.window.document.undo_name, "", "looking changes nothing")
        self.entries("Compare the result with")["The source"].trigger()
        self.assertEqual(self.window.cover.picture._other_name, "")

    def test_versions_and_handing_each_over(self):
        with mock.patch("skiagraph.desktop.looks.QInputDialog.getText", return_value=("Late", True)):
            self.looks.new_version()
        self.entries("House style")["Slate"].trigger()
        self.assertEqual(set(self.entries("Version")) >= {"Version 1", "Late"}, True)
        self.entries("Version")["Version 1"].trigger()
        self.assertEqual(self.project.decisions.house.name, "")
        self.entries("Version")["Late"].trigger()
        self.assertEqual(self.project.decisions.house.name, "Slate")
        self.window.show_step(HANDOVER)
        page = self.window.handover.side
        self.assertTrue(page.version.isVisible())
        self.assertEqual(page.versions, ["Late"])
        page.version.setCurrentIndex(0)
        page.folder.setText(str(self.folder / "out"))
        page.check.setChecked(False)
        self.window.handover.press_export()
        self.until(lambda: not self.window.handing.running, 60)
        names = sorted(p.name for p in (self.folder / "out").iterdir())
        self.assertEqual(names, ["quay-Late-covered.mp4", "quay-Version-1-covered.mp4"])
        self.assertEqual(probe(self.folder / "out" / names[0]).width, 320)

    def test_everything_but_somebody(self):
        self.window.cover.casting.decide(["s1"], Decision.SHOW)
        self.looks.turn_rest()
        self.assertIsNotNone(self.project.rest_of("c1"))
        seen = matte(self.project, "c1", 0)
        self.assertEqual((int(seen[100, 100]), int(seen[5, 5]), int(seen[100, 220])), (0, 255, 255))
        self.looks.turn_rest()
        self.assertIsNone(self.project.rest_of("c1"))

    def test_a_house_style_is_kept_written_and_taken(self):
        sheet = HouseSheet(housing.house_style_of(self.project, ""), Style.of(Cover.kinds["solid"]()))
        self.addCleanup(sheet.deleteLater)
        self.assertFalse(sheet.keep.isEnabled(), "it needs a name")
        sheet.name.setText("  Gull ")
        sheet.times.field("tail_s").field.setValue(0.4)
        self.pick(sheet.things, "here")
        only, most = sheet.rules["only"], sheet.rules["most-blocks"]
        only[0].setChecked(True)
        most[0].setChecked(True)
        most[1].field("blocks").field.setValue(4)
        self.looks._keep(sheet.style)
        kept = house_style_named("Gull")
        self.assertEqual(
            (kept.style, kept.house.tail_s, kept.house.by_kind["thing"].cover.kind), (self.project.style, 0.4, "solid")
        )
        self.assertEqual(
            [(r.kind, getattr(r, "blocks", 0)) for r in kept.house.rules], [("most-blocks", 4), ("only", 0)]
        )
        self.assertEqual(self.project.decisions.house, kept.house)
        file = str(self.folder / "gull.housestyle.json")
        with mock.patch("skiagraph.desktop.looks.QFileDialog.getSaveFileName", return_value=(file, "")):
            self.looks.write_house()
        self.entries("House style")["Slate"].trigger()
        with mock.patch("skiagraph.desktop.looks.QFileDialog.getOpenFileName", return_value=(file, "")):
            self.looks.take_house()
        self.assertEqual(self.project.decisions.house.name, "Gull")
        self.entries("House style", "New projects begin with")["Gull"].trigger()
        self.window.document.begin(self.folder / "new.skiagraph")
        self.assertEqual(self.project.decisions.house.name, "Gull")
        said = self.heard(self.looks.said)
        (self.folder / "bad.json").write_text("{}")
        with mock.patch(
            "skiagraph.desktop.looks.QFileDialog.getOpenFileName", return_value=(str(self.folder / "bad.json"), "")
        ):
            self.looks.take_house()
        self.assertSentence(said[-1], "bad.json")

    def test_a_label_is_typed_and_stands_beside(self):
        self.window.session.select(["s1"])
        panel = self.window.cover.inspector
        panel.label_part.set_open(True)
        panel.label_text.setText("Clerk")
        panel.label_text.editingFinished.emit()
        self.assertEqual(self.project.subject("s1").label.caption.text, "Clerk")
        self.pick(panel.label_look.field("side").findChild(type(panel.shape)), "above")
        self.assertEqual(self.project.subject("s1").label.side, "above")
        panel.label_text.setText("")
        panel.label_text.editingFinished.emit()
        self.assertIsNone(self.project.subject("s1").label)

    def test_a_weak_cover_is_made_safe_with_one_click(self):
        self.window.session.select(["s1"])
        panel = self.window.cover.inspector
        panel.styleSettled.emit(Style.of(Cover.kinds["mosaic"](12, even=0)))
        self.settle()
        self.assertTrue(panel.meter.text.startswith("Too weak"))
        panel.safe.click()
        self.settle()
        self.assertTrue(panel.meter.text.startswith("Safe"))
        self.assertEqual(self.project.subject("s1").style.cover.kind, "mosaic")
        self.assertEqual(housing.versions(self.project), [])

    def test_a_finding_on_a_weak_cover_is_put_right_from_the_list(self):
        self.window.document.edit("x", lambda p: p.deciding(style=Style.of(Cover.kinds["mosaic"](12, even=0))))
        self.until(lambda: any(f.reason == "cover-too-weak" for f in self.window.document.waiting))
        self.window.show_step(REVIEW)
        self.settle()
        review = self.window.review
        finding = next(f for f in self.window.document.waiting if f.reason == "cover-too-weak")
        review.list.select(finding)
        self.assertTrue(review.remedy.isVisible())
        review.remedy.click()
        self.until(
            lambda: (
                not any(
                    f.reason == "cover-too-weak" and f.subject == finding.subject for f in self.window.document.waiting
                )
            )
        )
        self.assertEqual(self.project.subject(finding.subject).style.cover.kind, "mosaic")

    def test_measuring_asks_in_the_background(self):
        self.window.session.select(["s1"])
        said = self.heard(self.window.cover.covering.said)
        self.window.cover.inspector.meter.measure.click()
        self.until(lambda: said, 60)
        self.assertIn("no detail across a face", said[-1])
