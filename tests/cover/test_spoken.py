"""Covers in words: everything that describes itself can be said, and what makes no sense is answered with what does."""

import unittest

from skiagraph.cover.cover import Cover, Style
from skiagraph.cover.spoken import BadCover, covers_of, in_words, told
from skiagraph.values import parameters


class SpokenTest(unittest.TestCase):
    def test_what_is_said_is_meant(self):
        mosaic, blur = covers_of("mosaic:blocks=3,rounded=50,grid=picture + blur:size=8")
        self.assertEqual((mosaic.blocks, mosaic.rounded, mosaic.grid, blur.size), (3, 0.5, "picture", 0.08))
        solid, words = covers_of("solid:colour=#ff0010+caption:text=Name, withheld,size=80%")
        self.assertEqual((solid.colour, words.text, words.size), ((255, 0, 16), "Name, withheld", 0.8))

    def test_every_parameter_of_every_kind_goes_there_and_back(self):
        for kind in Cover.kinds.values():
            changed = {}
            for p in parameters(kind):
                other = {
                    "colour": (1, 2, 3),
                    "text": "a, b",
                    "file": "/x/y.png",
                    "choice": p.options[-1][0] if p.options else "",
                }
                changed[p.name] = type(p.default)(p.high / p.scale) if p.form == "number" else other[p.form]
            cover = kind(**changed)
            self.assertEqual(covers_of(in_words(Style.of(cover))), (cover,))
            self.assertEqual(covers_of(in_words(Style.of(kind()))), (kind(),))
            self.assertTrue(all(any(p.name in line for line in told(kind)) for p in parameters(kind)))

    def test_what_makes_no_sense_is_answered(self):
        for text, word in (
            ("fog", "solid"),
            ("mosaic:bloks=3", "blocks=3"),
            ("mosaic:blocks=many", "number"),
            ("mosaic:blocks=0", "no cover"),
            ("solid:colour=red", "#1917A6"),
            ("mosaic:grid=sky", "subject or picture"),
            ("dissolve:x=1", "alone"),
            ("", "no cover"),
        ):
            with self.assertRaises(BadCover) as caught:
                covers_of(text)
            self.assertIn(word, str(caught.exception), text)
