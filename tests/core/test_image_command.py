from __future__ import annotations

import contextlib
import io
import json
import tempfile
from pathlib import Path

from django.test import SimpleTestCase

from commands.images import main
from linkcore.devices.factory import flash_of
from linkcore.devices.hexfile import Content, read_hex, read_named
from linkcore.devices.image_facts import ImageError
from linkcore.hops.load.rules import misplaced, remarks
from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images


class ImageCommandTest(SimpleTestCase):
    def run_it(self, *arguments: str) -> tuple[int, str, str]:
        out, told = io.StringIO(), io.StringIO()
        with contextlib.redirect_stderr(told):
            return main(arguments, out), out.getvalue(), told.getvalue()

    def test_the_scenarios_images_are_written_and_read_as_they_were_built(self):
        with tempfile.TemporaryDirectory() as folder:
            status, said, _ = self.run_it("images", "--into", folder)
            built = list(scenario_images(shipped()))
            self.assertEqual((status, said), (0, f"{len(built)} images in {folder}\n"))
            for name, facts, content in built[::17]:
                status, said, _ = self.run_it("image", str(Path(folder) / name))
                answer = json.loads(said)
                self.assertEqual((status, answer["sha256"], answer["facts"]["version"], answer["remarks"]), (0, content.sha256, facts.version, []))

    def test_what_cannot_be_read_is_one_line(self):
        with tempfile.TemporaryDirectory() as folder:
            for name, data, says in (("a.hex", b":10\n", "a.hex: line 1"), ("a.bin", b"", "zero bytes"), ("a.txt", b"x", "neither .hex nor .bin")):
                path = Path(folder) / name
                path.write_bytes(data)
                status, said, told = self.run_it("image", str(path))
                self.assertEqual((status, said, told.count("\n"), says in told), (2, "", 1, True), told)
            self.assertEqual(self.run_it("image", f"{folder}/nothing.hex")[0], 2)


class RemarksTest(SimpleTestCase):
    def setUp(self):
        self.flash = flash_of("WISP 900", shipped())

    def test_a_place_that_fits_and_places_that_do_not(self):
        start, space = self.flash.start, self.flash.room
        for address, size, code in (
            (start, space, None),
            (start + 16, space - 16, None),
            (start, space + 1, "load.too-large"),
            (start - 1, 10, "load.address"),
            (start + space - 9, 10, "load.address"),
            (0, 10, "load.address"),
        ):
            found = misplaced(address, size, self.flash)
            self.assertEqual(found.code if found else None, code, (address, size))
        self.assertIn("overwrite the bootloader", misplaced(start - 1, 10, self.flash).why)
        self.assertIn("no memory", misplaced(0, 10, self.flash).why)

    def test_each_remark_and_none_where_all_is_well(self):
        good = Content(self.flash.start, bytes(64), start=self.flash.start)
        self.assertEqual(remarks(good, "WISP 900", self.flash), [])
        self.assertEqual(remarks(Content(0, bytes(64), placed=False), "", None), [], "raw bytes of no known target have no place yet")
        gappy = read_hex(b":020000040801F1\n:0400000001020304F2\n:0400100001020304E2\n:0400000508004001AE\n:00000001FF\n")
        said = remarks(gappy, "WISP 900", self.flash)
        self.assertEqual(len(said), 3)
        self.assertIn("12 bytes from 08010004", said[0])
        self.assertIn("starts at 08004001, outside its own bytes", said[1])
        self.assertIn("the flash of a WISP 900 is 00010000", said[2])
        self.assertIn("No part of the catalogue is a NOBODY 1", remarks(good, "NOBODY 1", None)[0])

    def test_the_ending_decides_how_a_file_is_read(self):
        self.assertEqual(read_named("A.BIN", b"x").data, b"x")
        self.assertEqual(read_named("a.HEX", b":0100000041BE\n:00000001FF").data, b"A")
        for name in ("a", "a.hexx", "hex", ".bi"):
            with self.assertRaises(ImageError):
                read_named(name, b"x")
