"""Covers on the command line: said in words, kept in the project, handed over by version."""

from skiagraph.media.clip import probe
from skiagraph.project import file
from skiagraph.project.house import house_style_named
from tests.command_line import CommandLine
from tests.support import head_path, make_clip, project_on


class CoversTest(CommandLine):
    def made(self):
        path = self.folder / "p.skiagraph"
        file.save(project_on(make_clip(self.folder / "a.mp4", 10), head_path(0, 10)), path)
        return path

    def test_what_there_is(self):
        code, out, _ = self.run_command("covers")
        self.assertEqual(code, 0)
        for word in ("mosaic: Blocks", "blocks (2 to 24 across; 3)", "Melt:", "grid (subject or picture; subject)"):
            self.assertIn(word, out)
        self.assertNotIn("solid:", self.run_command("covers", "blur")[1])
        self.assertEqual(self.run_command("covers", "fog")[0], 2)

    def test_said_and_kept(self):
        place = self.made()
        code, out, err = self.run_command(
            "cover", place, "--style", "mosaic:blocks=2+caption:text=Withheld", "--margin", "20"
        )
        self.assertEqual((code, err), (0, ""))
        style = file.load(place).style
        self.assertEqual(
            ([c.kind for c in style.covers], style.covers[1].text, style.margin),
            (["mosaic", "caption"], "Withheld", 0.2),
        )
        self.assertIn("mosaic:blocks=2 + caption:text=Withheld", out)
        for wrong in (("--style", "fog"), ("--margin", "999"), ("--house", "Nobody"), ("--everything", "b.mp4")):
            before = place.read_bytes()
            code, _, err = self.run_command("cover", place, *wrong)
            self.assertEqual((code, place.read_bytes()), (2, before))
            self.assertSentence(err)

    def test_versions_are_made_and_handed_over_each_by_itself(self):
        place, out = self.made(), self.folder / "out"
        out.mkdir()
        self.assertEqual(self.run_command("cover", place, "--house", "Slate")[0], 0)
        self.assertEqual(self.run_command("cover", place, "--version", "Late news", "--style", "haze")[0], 0)
        code, said, err = self.run_command("render", place, "-o", out, "--version", "all")
        self.assertEqual(code, 0, err)
        self.assertEqual(sorted(p.name for p in out.iterdir()), ["a-Late-news-covered.mp4", "a-Slate-covered.mp4"])
        self.assertIn("version “Late news”", said)
        one = self.folder / "one.mp4"
        self.assertEqual(self.run_command("render", place, "-o", one, "--version", "Slate")[0], 0)
        self.assertEqual(probe(one).width, 160)
        self.assertEqual(self.run_command("render", place, "-o", self.folder / "no.mp4", "--version", "Nobody")[0], 2)

    def test_house_styles_are_kept_shared_and_made_the_default(self):
        place, shared = self.made(), self.folder / "shared.housestyle.json"
        code, out, _ = self.run_command(
            "cover", place, "--style", "solid:colour=#102030", "--save-house", "Gull", "--export-house", shared
        )
        self.assertEqual((code, shared.exists()), (0, True))
        self.assertEqual(house_style_named("Gull").style.cover.colour, (16, 32, 48))
        self.assertEqual(self.run_command("house", "--import", shared)[0], 0)
        self.assertIn("“Gull”", self.run_command("house", "--default", "Gull")[1])
        self.assertEqual(self.run_command("house", "--default", "Nobody")[0], 2)
        clip, new = make_clip(self.folder / "b.mp4", 10), self.folder / "new.skiagraph"
        self.assertEqual(self.run_command("scan", clip, "-o", new)[0], 0)
        self.assertEqual(file.load(new).style.cover.colour, (16, 32, 48))
        self.assertIn("own cover", self.run_command("house", "--default", "")[1])

    def test_what_a_house_wants_beside_it(self):
        place = self.made()
        code, _, err = self.run_command(
            "cover",
            place,
            "--lead",
            0.2,
            "--tail",
            0.4,
            "--things",
            "solid",
            "--rule",
            "only:covers=mosaic/solid",
            "--rule",
            "most-blocks:blocks=4",
            "--rule",
            "whole-head:margin=20",
            "--rule",
            "safe",
        )
        self.assertEqual((code, err), (0, ""))
        house = file.load(place).decisions.house
        self.assertEqual((house.lead_s, house.tail_s, house.by_kind["thing"].cover.kind), (0.2, 0.4, "solid"))
        self.assertEqual(
            [
                (r.kind, getattr(r, "covers", None) or getattr(r, "blocks", None) or getattr(r, "margin", None))
                for r in house.rules
            ],
            [("only", ("mosaic", "solid")), ("most-blocks", 4), ("whole-head", 0.2), ("safe", None)],
        )
        code, out, _ = self.run_command("check", place)
        self.assertEqual(code, 3)
        self.assertIn("house-rule", out)
        self.run_command("cover", place, "--rule", "none", "--things", "same")
        self.assertEqual((file.load(place).decisions.house.rules, file.load(place).decisions.house.by_kind), ((), {}))
        for wrong in (("--lead", "99"), ("--rule", "never"), ("--rule", "most-blocks:blocks=0")):
            code, _, err = self.run_command("cover", place, *wrong)
            self.assertEqual(code, 2)
            self.assertSentence(err)

    def test_everything_but_those_shown_and_strength(self):
        place = self.made()
        self.assertEqual(self.run_command("cover", place, "--everything", "a.mp4")[0], 0)
        self.assertEqual([r.clip for r in file.load(place).decisions.rests], ["c1"])
        self.assertEqual(self.run_command("cover", place, "--only-subjects", "a.mp4")[0], 0)
        self.assertEqual(file.load(place).decisions.rests, ())
        code, out, _ = self.run_command("strength", place)
        self.assertEqual(code, 0)
        self.assertIn("Safe.", out)
        self.run_command("cover", place, "--style", "mosaic:blocks=12,even=0")
        code, out, _ = self.run_command("strength", place)
        self.assertEqual(code, 3)
        self.assertIn("Too weak.", out)
