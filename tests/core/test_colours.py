"""Every text and every border keeps its contrast, by day and at night: WCAG 2.2, success criteria 1.4.3 (4.5:1) and 1.4.11 (3:1)."""

from __future__ import annotations

import re

from django.conf import settings
from django.test import SimpleTestCase

GROUNDS = ("paper", "raised", "bench")
# what is written with which colour, on what: each wash carries its own ink
TEXTS = {
    "ink": GROUNDS,
    "softInk": GROUNDS,
    "verdigris": (*GROUNDS, "verdigrisWash"),
    "copperText": (*GROUNDS, "copperWash"),
    "oxide": (*GROUNDS, "oxideWash"),
    "slate": (*GROUNDS, "slateWash"),
    "tarnishText": GROUNDS,
    "raised": ("verdigris", "copper", "slate"),
}
BORDERS = {"tarnish": GROUNDS, "verdigris": GROUNDS, "copper": GROUNDS, "slate": GROUNDS, "oxide": GROUNDS}


def luminance(colour: str) -> float:
    channels = (int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5))
    red, green, blue = (each / 12.92 if each <= 0.04045 else ((each + 0.055) / 1.055) ** 2.4 for each in channels)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, other: str) -> float:
    brighter, darker = sorted((luminance(one), luminance(other)), reverse=True)
    return (brighter + 0.05) / (darker + 0.05)


def palettes() -> dict[str, dict[str, str]]:
    text = (settings.ROOT / "web" / "src" / "look" / "colours.ts").read_text()
    found = {}
    for mode, block in re.findall(r"  (light|dark): \{\n(.*?)\n  \},", text, re.DOTALL):
        found[mode] = dict(re.findall(r'    (\w+): "(#[0-9A-F]{6})",', block))
    return found


class ContrastTest(SimpleTestCase):
    def test_the_measure_itself(self):
        self.assertAlmostEqual(contrast("#000000", "#FFFFFF"), 21.0)
        self.assertAlmostEqual(contrast("#777777", "#FFFFFF"), 4.48, places=2)

    def test_texts_and_borders_in_both_themes(self):
        self.assertEqual(set(palettes()), {"light", "dark"})
        self.assertEqual(set(palettes()["light"]), set(palettes()["dark"]))
        for mode, palette in palettes().items():
            for pairs, least in ((TEXTS, 4.5), (BORDERS, 3.0)):
                for name, grounds in pairs.items():
                    for ground in grounds:
                        with self.subTest(mode, text=name, on=ground):
                            self.assertGreaterEqual(round(contrast(palette[name], palette[ground]), 2), least)
