"""What holds the house together: projections, named proofs, declared hops, and measurements that come from what a board says."""

from __future__ import annotations

from contextlib import suppress
from typing import Annotated, Any

from django.test import SimpleTestCase
from pydantic import BaseModel

import scenario
from linkcore.chain import chain, foundations, newly_proven, still_chain, still_findings
from linkcore.craft.document import CraftDocument, CraftError, apply_edits
from linkcore.craft.parts import KitParts
from linkcore.craft.two_sides import two_sides
from linkcore.findings import At, Check, Edit
from linkcore.hop import Hop
from linkcore.hops.registry import HOPS
from linkcore.marks import LATER, KeptAs
from linkcore.parts.catalogue import shipped
from linkcore.proofs import UNKNOWN, Proof, ProofOf
from linkcore.reads import SECTIONS, NotInView, Reads, View, Whole, digest
from tests.crafts import crsf_craft, sbus_craft, whole_of
from tests.hand import Hand, fly

EVERY_READS = {f"{hop.key}: its rules": hop.reads for hop in HOPS} | {f"{hop.key}: {proof.name}": proof.reads for hop in HOPS for proof in hop.proofs}
OTHERS = {  # another value for a leaf whose kind says nothing of what it may be
    "board": "merle-f4",
    "receiver": "pip-s4",
    "transmitter": "stile-t12",
    "module": "wisp-nest-900",
    "part": "whimbrel",
    "pack": "tussock-6-4000",
    "ends": "at once",
    "at_home": "circle",
    "without_home": "motors off",
    "alarm": {"signal": "lq_percent", "begins_at": 60, "line": 70},
    "rssi_channel": 9,
    "hover_percent": 40,
    "people_m": 50,
    "obstacle_m": 70,
    "energy_limit_j": 80,
    "airframe": "plane",
    "region": "LBT",
    "protocol": "CRSF",
    "channel_order": "TAER",
    "channel_map": "TAER",
    "layout": "elevons",
    "on_loss": "hold",
    "arm_by": "stick",
    "throttle_fallback": "hold",
    "response": "land",
    "mode": "beeper",
    "source": "S4",
    "name": "Another",
    "pad": "G4",
    "pin": "TX",
    "about": "otherwise",
}


def leaves(data: Any, path: str = "") -> list[tuple[str, Any]]:
    """Every leaf of JSON data, with its path; an empty list or object is one."""
    if isinstance(data, dict) and data:
        return [leaf for name, value in data.items() for leaf in leaves(value, f"{path}/{name}")]
    if isinstance(data, list) and data:
        return [leaf for index, value in enumerate(data) for leaf in leaves(value, f"{path}/{index}")]
    return [(path, data)]


def other_values(path: str, value: Any) -> list[Any]:
    """What could stand there instead; the document says which of it may."""
    name = path.rsplit("/", 1)[-1]
    grown = {"curve": [-100, 0, 90], "mixes": [{"to": 5, "source": "rudder", "percent": 20}], "rates": [{"axis": "aileron", "percent": 80}]}
    grown |= {
        "trims_us": {"aileron": 8},
        "servo_reverse": ["GPS"],
        "preset_us": [1500, 1500, 1100, 1500],
        "switches_us": {"7": 1800},
        "place": {"mass_kg": 1, "thrust_ratio": 4, "speed_mps": 5, "height_m": 10, "home_m": 100},
        "modes": [{"mode": "beeper", "channel": 8, "low": 1700, "high": 2000}],
    }
    grown |= {
        "servos_turned": {"elevator": True},
        "outputs": {"M1": "motor"},
        "wiring": [{"device": "receiver", "pin": "SBUS", "pad": "R1"}],
        "devices": [{"name": "GPS", "part": "whimbrel"}],
    }
    if name in grown and value in ([], {}):
        return [grown[name]]
    if isinstance(value, bool):
        return [not value]
    if isinstance(value, (int, float)):
        return [value + 1, value - 1]
    others = [OTHERS[name]] if name in OTHERS else []
    return [*others, "GPS", "free", 1, 868, "own radio", {"channel": 5, "low": 1700, "high": 2000}, "LBT", "Merle", "gyro", "GPS fix", "out", "digital"]


def changed_leaf(craft: CraftDocument, path: str, value: Any) -> CraftDocument | None:
    """The craft with one leaf otherwise; None where nothing else may stand there."""
    for other in other_values(path, value):
        try:
            changed = apply_edits(craft, [Edit(path=path, value=other)])
        except CraftError:
            continue
        if changed != craft:
            return changed
    return None


FACTS: dict[int, tuple[Any, Any]] = {}  # of parts, by identity; the part is kept so that no other takes its place


def facts(part: Any) -> Any:
    if id(part) not in FACTS:
        FACTS[id(part)] = (part, part and part.model_dump(exclude={"name", "about"}))
    return FACTS[id(part)][1]


def readable(view: View) -> Any:
    """All that can be read from a view."""
    found: dict[str, Any] = {}
    for name in ("maybe_board", "maybe_receiver", "maybe_transmitter", "module", "pack", "spoken"):
        with suppress(NotInView):
            found[name] = facts(getattr(view.parts, name))
    with suppress(NotInView):
        found["devices"] = {key: facts(each) for key, each in view.parts.devices.items()}
    with suppress(NotInView):
        found["sensors"] = sorted(view.parts.sensors)
    for name in ("installed", "identity"):
        with suppress(NotInView):
            found[name] = getattr(view, name)
    return _plain(view.craft), found


def _plain(value: Any) -> Any:
    if isinstance(value, BaseModel):
        return {name: _plain(each) for name, each in value.__dict__.items()}
    if isinstance(value, dict):
        return {name: _plain(each) for name, each in value.items()}
    if isinstance(value, list):
        found = [_plain(each) for each in value]
        return sorted(found, key=repr) if found and isinstance(found[0], dict) and "pad" in found[0] else found  # the order of wires joins nothing
    return value


class ProjectionTest(SimpleTestCase):
    def test_every_leaf_tarnishes_just_what_could_read_it(self):
        """One leaf of a craft at a time: whatever can be read from a projection is in its hash, and nothing else is."""
        tried = untried = 0
        for craft in (scenario.curlew(), scenario.sandpiper()):
            before = whole_of(craft)
            seen = {name: (readable(reads.view(before)), reads.foundation(before)) for name, reads in EVERY_READS.items()}
            found = still_findings(before)
            for path, value in leaves(craft.model_dump(mode="json")):
                changed = changed_leaf(craft, path, value)
                if changed is None:
                    untried += 1
                    continue
                tried += 1
                after = whole_of(changed)
                stays = set()
                for name, reads in EVERY_READS.items():
                    told, rests_on = seen[name]
                    same = readable(reads.view(after)) == told
                    self.assertEqual(reads.foundation(after) == rests_on, same, f"{craft.name} {path}: {name}")
                    if same and name.endswith("its rules"):
                        stays.add(name.removesuffix(": its rules"))
                now = still_findings(after)
                for hop in HOPS:
                    if hop.key in stays:
                        mine = [[each for each in which if each.code.split(".")[0] in {code.split(".")[0] for code in hop.codes}] for which in (found, now)]
                        self.assertEqual(*mine, f"{craft.name} {path}: {hop.key} reads what is not in its projection")
        self.assertGreater(tried, 400)
        self.assertLess(untried, tried / 10)

    def test_whatever_somebody_changes_is_told_to_the_other(self):
        """Two people's edits never vanish silently: every leaf of a craft has a name among what both sides did."""
        tried = 0
        for craft in (scenario.curlew(), scenario.sandpiper()):
            for path, value in leaves(craft.model_dump(mode="json")):
                changed = changed_leaf(craft, path, value)
                if changed is None or path.startswith("/wiring"):  # a wire goes by its two ends
                    continue
                tried += 1
                self.assertTrue(two_sides(craft, changed, craft), f"{craft.name} {path}")
        self.assertGreater(tried, 300)

    def test_no_projection_hands_on_the_whole_craft(self):
        everything = Reads(*SECTIONS)
        self.assertTrue(self.is_whole(everything), "or this test could not fail")
        for name, reads in EVERY_READS.items():
            self.assertFalse(self.is_whole(reads), name)

    def is_whole(self, reads: Reads) -> bool:
        craft = reads.view(whole_of(scenario.avocet())).craft
        settings = getattr(craft, "settings", None)
        shown = set(craft.__dict__) | {"format", "version", "name", "about"}
        return shown >= set(CraftDocument.model_fields) or (settings is not None and set(settings.__dict__) >= set(type(settings).model_fields))

    def test_what_is_not_declared_cannot_be_read(self):
        view = Reads("kit", "sensors", "settings/arming").view(whole_of(scenario.curlew()))
        self.assertTrue(view.craft.kit.board and view.craft.settings.arming and "GPS" in view.parts.sensors)
        for read in (
            lambda: view.craft.airframe,
            lambda: view.craft.kit.devices,
            lambda: view.craft.settings.modes,
            lambda: view.parts.devices,
            lambda: view.parts.spoken,
            lambda: view.installed,
            lambda: view.identity,
            lambda: view.rung,
        ):
            with self.assertRaises(AttributeError):
                read()
        with self.assertRaisesMessage(ValueError, "nothing to read under colour"):
            Reads("kit", "colour")

    def tarnished(self, before: CraftDocument, after: CraftDocument) -> set[str]:
        one, other = foundations(whole_of(before)), foundations(whole_of(after))
        return {f"{hop}: {name}" for hop, name in one if one[hop, name] != other[hop, name]}

    def edited(self, craft: CraftDocument, path: str, value: Any) -> set[str]:
        return self.tarnished(craft, apply_edits(craft, [Edit(path=path, value=value)]))

    def test_what_was_in_no_hash_before(self):
        curlew, sandpiper = scenario.curlew(), scenario.sandpiper()
        self.assertIn("switchboard: every row seen", self.edited(curlew, "/airframe", "plane"))
        without = [each.model_dump() for each in curlew.kit.devices if each.name != "GPS"]
        self.assertIn("switchboard: every row seen", self.edited(curlew, "/kit/devices", without), "the GPS decides which modes can hold")
        for path, value in (
            ("/settings/channel_map", "TAER"),
            ("/transmitter/channels/2/sub_trim_us", 12),
            ("/settings/modes", [{"mode": "lost-link test", "channel": 8, "low": 1700, "high": 2000}]),
        ):
            self.assertIn("lost link: armed, throttle up", self.edited(curlew, path, value))
        self.assertEqual(self.edited(sandpiper, "/servos_turned", {"elevator": True}), set(), "what was noted of a servo is no measurement")
        self.assertEqual(self.edited(sandpiper, "/settings/servo_reverse", ["elevator"]), {"airframe: surfaces", "airframe: steadying"})
        self.assertEqual(self.edited(curlew, "/acro_wanted", not curlew.acro_wanted), {"switchboard: every row seen"})
        self.assertEqual(self.edited(curlew, "/air/transmitter_gain_dbi", 5), {"bind: the link comes back", "lost link: range walk"})

    def test_what_a_part_is_counts_and_what_it_is_called_does_not(self):
        craft = scenario.curlew()
        parts = KitParts.of(craft)
        for change, same in (({"name": "Renamed"}, True), ({"about": "other words"}, True), ({"lost_after_s": 3.0}, False)):
            other = [part.model_copy(update=change) if part.id == craft.kit.receiver else part for part in shipped().values()]
            now = Whole(craft, craft.settings, KitParts.of(craft, type(shipped())(other)))
            lost = next(hop for hop in HOPS if hop.key == "lost link").proofs[0].reads
            self.assertEqual(lost.foundation(now) == lost.foundation(Whole(craft, craft.settings, parts)), same, change)


class OldGrace(BaseModel):
    grace_ms: int = 400
    response: str = "drop"


class NewGrace(BaseModel):
    patience_ms: Annotated[int, KeptAs("grace_ms")] = 400
    response: str = "drop"
    slope: Annotated[int, LATER] = 0


class HashTest(SimpleTestCase):
    def test_a_renamed_field_and_a_later_one_tarnish_nothing(self):
        self.assertEqual(digest(NewGrace(patience_ms=300)), digest(OldGrace(grace_ms=300)))
        self.assertEqual(digest({"lost": [NewGrace()]}), digest({"lost": [OldGrace()]}))
        self.assertNotEqual(digest(NewGrace(slope=2)), digest(OldGrace()))
        self.assertNotEqual(digest(NewGrace(patience_ms=300)), digest(OldGrace()))


class NamedProofTest(SimpleTestCase):
    def recorded(self, whole: Whole, *names: str) -> dict[tuple[str, str], Proof]:
        return {key: Proof(hop=key[0], name=key[1], rests_on=rests_on) for key, rests_on in foundations(whole).items() if key[1] in names}

    def state(self, craft: CraftDocument, proofs: dict[tuple[str, str], Proof]):
        return next(state for state in chain(whole_of(craft), proofs, [])[0] if state.hop == "airframe")

    def test_a_hop_rings_true_once_all_that_this_craft_needs_is_proven(self):
        coot, curlew = scenario.coot(), scenario.curlew()  # nothing steadies a boat, and it has no surfaces
        proofs = {"facing": False, "level": False, "power": True, "motors": True, "end points": True, "surfaces": False, "steadying": False}
        self.assertEqual({each.name: each.needed for each in self.state(coot, {}).proofs}, proofs)
        some = self.recorded(whole_of(coot), "power", "motors")
        self.assertEqual((self.state(coot, some).coin, self.state(coot, some).why), ("blank", "2 of 3: end points is not proven yet"))
        every = self.recorded(whole_of(coot), "power", "motors", "end points")
        self.assertEqual(self.state(coot, every).coin, "rings true")
        slower = apply_edits(coot, [Edit(path="/settings/drive/pulse_hz", value=50)])
        self.assertEqual(self.state(slower, every).coin, "rings true", "how often they are told is nothing to their ends")
        other = apply_edits(coot, [Edit(path="/settings/drive/kind", value="shortened pulses")])
        self.assertEqual(self.state(other, every).coin, "tarnished")
        self.assertIn("2 of 3: proven before; changed since: how ESCs are driven", self.state(other, every).why)
        curlew.settings.drive.kind = "digital"
        needed = [each.name for each in self.state(curlew, {}).proofs if each.needed]
        self.assertEqual(needed, ["facing", "level", "power", "motors"], "digital commands have no end points")

    def test_a_proof_of_which_nobody_knows_any_more_what_it_rested_on_never_rings_true(self):
        craft = sbus_craft()
        proof = Proof(hop="line", name="the port reads", rests_on={UNKNOWN: "nobody knows"})
        state = next(state for state in chain(whole_of(craft), {("line", "the port reads"): proof}, [])[0] if state.hop == "line")
        self.assertEqual((state.coin, state.why), ("tarnished", "proven before, but nobody knows"))


class MadeUpHopTest(SimpleTestCase):
    def made_up(self) -> Hop:
        check = Check("make-believe")

        def stands(_: View, standing: Any) -> list[Any]:
            blank = [key for key, state in standing.items() if state.coin == "blank"]
            return [check.note("make-believe.blank", At("chain"), f"{len(blank)} hops before are blank.", "They are to be seen first.")] if blank else []

        return Hop(
            key="make-believe",
            title="Make-believe",
            question="Is a hop one declared thing?",
            reads=Reads("airframe"),
            codes=("make-believe.blank", "make-believe.rover"),
            rules=lambda view: (
                [check.stop("make-believe.rover", At("airframe"), "Rovers do not believe.", "They roll.")] if view.craft.airframe == "rover" else []
            ),
            stands=stands,
            proofs=(ProofOf("a wish", "Somebody wished.", Reads("airframe"), 1, lambda _, seen: {"wish": seen} if seen == "wish" else None),),
            value=lambda view, _: view.craft.airframe,
            flows=lambda seen: seen == "wish",
        )

    def test_a_hop_more_is_seen_on_the_chain(self):
        hops = (self.made_up(),)
        craft = sbus_craft()
        (state,) = still_chain(whole_of(craft), {}, hops)
        self.assertEqual((state.coin, state.value, state.flows), ("blank", "quad X", False))
        (proof,) = newly_proven(whole_of(craft), {}, "wish", hops)
        proofs = {(proof.hop, proof.name): proof}
        ((state,), found) = chain(whole_of(craft), proofs, [], "wish", hops)
        self.assertEqual((state.coin, state.flows, found), ("rings true", True, []))
        self.assertEqual(newly_proven(whole_of(craft), proofs, "wish", hops), [], "it is recorded once")
        rover = apply_edits(craft, [Edit(path="/airframe", value="rover")])
        self.assertEqual(still_chain(whole_of(rover), proofs, hops)[0].coin, "cracked")
        plane = apply_edits(craft, [Edit(path="/airframe", value="plane")])
        self.assertEqual(still_chain(whole_of(plane), proofs, hops)[0].coin, "tarnished")

    def test_it_may_ask_how_the_hops_before_it_stand(self):
        states, found = chain(whole_of(sbus_craft()), {}, [], None, (*HOPS, self.made_up()))
        self.assertEqual((len(states), states[-1].hop), (len(HOPS) + 1, "make-believe"))
        self.assertEqual([each.what for each in found], [f"{len(HOPS)} hops before are blank."])


class EventTest(SimpleTestCase):
    def lost(self, later_s: float) -> Hand:
        hand = Hand(crsf_craft())
        fly(hand)
        board = hand.bench.board
        react = board._react
        board._react = lambda t, why: react(t + later_s, why)
        hand.do(3.0, transmitter_on=False)
        hand.do(2.0, transmitter_on=True)
        return hand

    def test_a_board_that_reacts_later_than_it_was_set_to_is_not_proven(self):
        self.assertTrue(self.lost(0.0).report().told.lost_link.proven)
        late = self.lost(0.5)
        self.assertFalse(late.report().told.lost_link.proven)
        self.assertIn("were predicted", late.report().told.lost_link.verdict)
        self.assertEqual(late.coins()["lost link"], "blank")

    def test_only_what_is_looked_at_is_told(self):
        hand = Hand(crsf_craft())
        hand.passes(1.0)
        told = hand.reporter.report(1, {"line"}).told
        self.assertIsNotNone(told.line)
        self.assertEqual([told.bind, told.sticks, told.switchboard, told.load], [None] * 4)
        self.assertEqual(len(hand.reporter.report(1, set()).chain), len(HOPS))


class RegisterTest(SimpleTestCase):
    def test_every_code_belongs_to_one_hop(self):
        codes = [code for hop in HOPS for code in hop.codes]
        self.assertEqual(len(codes), len(set(codes)))
        for craft in (scenario.avocet(), scenario.dunlin(), scenario.sandpiper(), scenario.coot()):
            for finding in still_findings(whole_of(craft)):
                self.assertIn(finding.code, next(hop.codes for hop in HOPS if hop.key == finding.hop))
                self.assertTrue(finding.about, finding.code)
