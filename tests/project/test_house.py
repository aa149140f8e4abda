"""House styles: they go there and back through a file with their pictures, ship in a state that can be used, and what
is none is a sentence."""

import json
from importlib.resources import files

from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.strength import Safety, detail_left, safety
from skiagraph.project import house
from skiagraph.project.house import CannotReadHouseStyle, House, HouseStyle
from skiagraph.project.rule import Rule
from tests.support import TemporaryFolder

Mosaic, Blur, Solid, Picture, Caption = (Cover.kinds[k] for k in ("mosaic", "blur", "solid", "picture", "caption"))
Only, Most, Whole, Safe = (Rule.kinds[k] for k in ("only", "most-blocks", "whole-head", "safe"))


class HouseTest(TemporaryFolder):
    def style(self, **more):
        return HouseStyle(
            Style.of(Mosaic(3), 0.2, 0.05),
            House(
                "Tern and Gull",
                "For the morning.",
                {"thing": Style.of(Solid())},
                0.2,
                0.4,
                (Only(("mosaic",)), Most(4)),
                **more,
            ),
        )

    def test_through_a_file_and_back(self):
        place = self.folder / "deep" / "tern.housestyle.json"
        house.write_house_style(self.style(), place)
        self.assertEqual(house.read_house_style(place), self.style())
        self.assertEqual(json.loads(place.read_text())["format"], "skiagraph-house-style")

    def test_pictures_go_with_it(self):
        picture = self.folder / "emblem.png"
        picture.write_bytes(b"a picture")
        style = HouseStyle(Style((Solid(), Picture(str(picture)))), House("Emblem"))
        place = self.folder / "shared" / "emblem.housestyle.json"
        house.write_house_style(style, place)
        (self.folder / "shared").rename(self.folder / "elsewhere")
        taken = house.read_house_style(self.folder / "elsewhere" / "emblem.housestyle.json")
        self.assertEqual(open(taken.style.covers[1].file, "rb").read(), b"a picture")
        self.assertNotIn(str(self.folder / "shared"), taken.style.covers[1].file)

    def test_what_is_none_is_a_sentence_and_loses_nothing(self):
        for content in (
            "",
            "{}",
            "[1]",
            json.dumps({"format": "skiagraph-house-style", "version": 9}),
            json.dumps({"format": "skiagraph-house-style", "version": 1, "style": {"covers": [{"kind": "fog"}]}}),
            json.dumps({"format": "skiagraph-house-style", "version": 1, "house": {"lead_s": -3}}),
        ):
            place = self.folder / "bad.housestyle.json"
            place.write_text(content)
            with self.assertRaises(CannotReadHouseStyle) as caught:
                house.read_house_style(place)
            self.assertSentence(str(caught.exception), "bad.housestyle.json")
        house.own_folder().mkdir(parents=True)
        place.rename(house.own_folder() / place.name)
        self.assertEqual(
            len(house.house_styles()), len(house.shipped_house_styles()), "a file that cannot be read is left out"
        )

    def test_those_of_the_user_and_the_default(self):
        self.assertIsNone(house.default_house_style())
        house.keep_house_style(self.style())
        self.assertEqual(house.house_style_named("tern and gull"), self.style())
        house.set_default_house_style("Tern and Gull")
        self.assertEqual(house.default_house_style(), self.style())
        house.set_default_house_style("")
        self.assertIsNone(house.default_house_style())
        with self.assertRaises(CannotReadHouseStyle) as caught:
            house.house_style_named("Nobody's")
        self.assertSentence(str(caught.exception), "Tern and Gull", "Melt")

    def test_those_that_ship_are_safe_keep_their_own_rules_and_say_what_they_are_for(self):
        shipped = house.shipped_house_styles()
        self.assertGreaterEqual(len(shipped), 4)
        self.assertEqual(len([e for e in files("skiagraph.assets").joinpath("house-styles").iterdir()]), len(shipped))
        for style in shipped:
            self.assertEqual(safety(detail_left(style.style)), Safety.SAFE, style.name)
            self.assertTrue(style.house.note and style.house.rules, style.name)
            for rule in style.house.rules:
                self.assertEqual(rule.broken(style.style), "", (style.name, rule))

    def test_rules(self):
        mosaic, fine, blur = Style.of(Mosaic(3)), Style.of(Mosaic(9, even=0)), Style.of(Blur())
        self.assertEqual(Only(("mosaic",)).broken(mosaic), "")
        self.assertIn("blur, not with mosaic", Only(("mosaic",)).broken(blur))
        self.assertEqual(Only(("solid",)).broken(Style((Solid(), Caption()))), "", "words on a solid are free")
        self.assertIn("dissolve", Only(("solid",)).broken(Style((Caption(),))), "what lies beneath counts")
        self.assertIn("9 blocks", Most(8).broken(fine))
        self.assertEqual(Most(8).broken(mosaic), "")
        self.assertIn("5%", Whole(0.14).broken(Style.of(Solid(), 0.05)))
        self.assertTrue(Safe().broken(fine) and not Safe().broken(mosaic))
        self.assertTrue(all(kind().sentence() for kind in Rule.kinds.values()))
