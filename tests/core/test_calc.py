from __future__ import annotations

import contextlib
import io
import json
import tempfile
from pathlib import Path

from django.test import SimpleTestCase

from commands.calc import main
from linkcore.craft.document import apply_edits, load
from linkcore.craft.parts import KitParts
from linkcore.findings import Edit
from linkcore.parts.catalogue import shipped
from linkcore.parts.files import facts_of, write_parts
from linkcore.parts.models import Board
from linkcore.ports.rules import check_ports
from server.demo import scenario


class CalcTest(SimpleTestCase):
    def calc(self, what: str, document: object, *more: str) -> tuple[int, dict, str]:
        out, told = io.StringIO(), io.StringIO()
        text = document if isinstance(document, str) else json.dumps(document)
        with contextlib.redirect_stderr(told):
            status = main(["calc", what, *more], io.StringIO(text), out)
        return status, json.loads(out.getvalue() or "{}"), told.getvalue()

    def test_a_plan_with_the_edits_that_take_it(self):
        craft = scenario.avocet()
        status, answer, _ = self.calc("ports", craft.model_dump(mode="json"))
        self.assertEqual((status, answer["plans"][0]["title"], [each["code"] for each in answer["findings"]]), (0, "Move ESC to R7", ["ports.clash"]))
        after = apply_edits(load(craft.model_dump(mode="json")), [Edit.model_validate(edit) for edit in answer["plans"][0]["edits"]])
        self.assertEqual(check_ports(after, after.settings, KitParts.of(after)), [])

    def test_a_clash_and_a_faulty_loom_have_a_status_of_their_own(self):
        craft = scenario.coot().model_dump(mode="json")
        status, answer, _ = self.calc("ports", craft | {"kit": craft["kit"] | {"board": "merle-f7"}, "wiring": []})
        self.assertEqual((status, answer["plans"], len(answer["clash"])), (3, [], 1))
        status, answer, _ = self.calc("loom", scenario.avocet().model_dump(mode="json"))
        self.assertEqual((status, "loom.two-drivers" in [each["code"] for each in answer["findings"]]), (3, True))
        status, answer, _ = self.calc("loom", scenario.curlew().model_dump(mode="json"))
        self.assertEqual((status, len(answer["wires"]), answer["usb"]["limit_ma"]), (0, 21, 500))

    def test_own_parts_come_from_a_file(self):
        craft = scenario.curlew()
        craft.kit.board = "own-merle"
        facts = facts_of(shipped().of(Board, "merle-f7")) | {"id": "own-merle", "usb_ma": 100}
        with tempfile.TemporaryDirectory() as folder:
            file = Path(folder) / "parts.json"
            file.write_text(json.dumps(write_parts([facts])))
            status, answer, _ = self.calc("loom", craft.model_dump(mode="json"), "--parts", str(file))
            self.assertEqual((status, "loom.usb-over" in [each["code"] for each in answer["findings"]]), (0, True))
            file.write_text(json.dumps(write_parts([facts | {"rails": []}])))
            status, _, told = self.calc("loom", craft.model_dump(mode="json"), "--parts", str(file))
            self.assertEqual((status, "parts.json: parts/0" in told), (2, True))

    def test_what_cannot_be_read_is_told_in_one_line(self):
        lost = scenario.curlew().model_dump(mode="json")
        for document, said in (
            ("{", "no JSON"),
            ({"format": "x"}, "this is no craft document"),
            (scenario.dunlin().model_dump(mode="json"), "no board is chosen yet"),
            (lost | {"kit": lost["kit"] | {"board": "gone"}}, "the catalogue has no board 'gone'"),
        ):
            for what in ("ports", "loom"):
                status, _, told = self.calc(what, document)
                self.assertEqual((status, told.count("\n"), said in told), (2, 1, True), told)
