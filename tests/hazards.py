"""Random mishaps over Load and Bind, and a pilot who does only what the tool says."""

from __future__ import annotations

import contextlib
import random

from linkcore.bench.bench import Bench
from linkcore.bench.messages import BenchState, Hands
from linkcore.craft.document import apply_edits
from linkcore.devices.board_api import Refused
from linkcore.devices.flash_job import Fault, FlashOrder, JobState
from linkcore.findings import Edit
from linkcore.hops.bind.view import BindTold, tell
from linkcore.parts.catalogue import shipped
from scenario.images import scenario_images

FAULTS = ("none", "cable pulled", "power lost", "bad page", "busy port", "charge-only cable", "no driver")
IMAGES = {name: (facts, content) for name, facts, content in scenario_images(shipped())}
PATIENCE_S = 60.0


def bind_told(bench: Bench) -> BindTold:
    """What is told of the bind."""
    return tell(bench.whole, bench.observed)


class Pilot:
    """Hands that follow what is said: which way is ready, what to do where none is."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench

    def passes(self, seconds: float) -> None:
        self.bench.run_until(self.bench.t + seconds)

    def do(self, seconds: float = 0.2, **hands) -> None:
        self.bench.hands(Hands.model_validate(hands))
        self.passes(seconds)

    def image_for(self, role: str):
        """The newest image that the device's maker gave for the region it was sold in."""
        target = self.bench.loading.devices[role].flash.target
        radio = self.bench.loading.devices[role].radio
        wanted = [
            (name, facts, content)
            for name, (facts, content) in IMAGES.items()
            if facts.target == target
            and facts.least_bootloader <= "1.2.0"
            and (
                radio is None
                or (facts.family == radio.family and facts.region == radio.regions[0] and facts.band == radio.band and facts.telemetry == radio.telemetry)
            )
        ]
        bootloader = self.bench.loading.memories[role].installed.bootloader
        fits = [each for each in wanted if each[1].least_bootloader <= bootloader]
        return max(fits, key=lambda each: each[1].version)

    def flash(self, role: str, way: str, *, full_erase: bool = False) -> JobState:
        name, facts, content = self.image_for(role)
        order = FlashOrder(role=role, image=name, way=way, full_erase=full_erase)
        return self.bench.loading.start(order, content, facts, self.bench.t)

    def see_it_end(self, job: JobState) -> None:
        until = self.bench.t + PATIENCE_S
        while not job.over and self.bench.t < until:
            self.passes(0.2)

    def make_ready(self, role: str, way: str) -> None:
        """Do what is said until the way in is ready: put the fault right, plug in, press the button."""
        for _ in range(6):
            seen = self.bench.loading.look(role, way)
            if seen.sight == "ready":
                return
            if seen.sight in ("busy", "supply only", "no driver"):
                self.do(fault=Fault().model_dump())
            elif way == "own port":
                self.do(own_port_plugged=True)
            elif way == "adapter":
                self.do(adapter_plugged=True)
            elif way == "button":
                self.do(boot_button=True)
                self.do(0.3, usb=False, pack=False)
                self.do(2.0, usb=True)
                self.do(boot_button=False)
            else:
                self.do(2.5, usb=True, pack=True, transmitter_on=True)

    # --- bind ---------------------------------------------------------------------------------------------------

    def write(self, count: int) -> None:
        """Set the bind count in the draft and write it."""
        document = apply_edits(self.bench.document, [Edit(path="/settings/bind_count", value=count)])
        self.bench.take_document(document)
        self.bench.write(document.settings)

    def follow(self, said: str, report) -> None:
        """Do what one step says."""
        if "Hold its" in said:
            self.do(bind_button=True)
            self.do(0.4, receiver_plugged=False)
            self.do(0.4, receiver_plugged=True)
            self.do(bind_button=False)
        elif "three times" in said:
            self.do(3.0)  # rests, so that the count begins anew
            for _ in range(3):
                self.do(0.4, receiver_plugged=False)
                self.do(0.4, receiver_plugged=True)
        elif "supply and give it back" in said or said.startswith("Receiver off and on"):
            self.do(0.4, receiver_plugged=False)
            self.do(1.0, receiver_plugged=True)
        elif said.startswith("Remove") and said.endswith("supply"):
            self.do(0.4, receiver_plugged=False)
        elif "Give the receiver supply" in said or "lead in" in said:
            self.do(1.0, receiver_plugged=True)
        elif "Choose bind" in said:
            self.do(1.5, transmitter_mode="bind")
        elif "Choose register" in said:
            self.do(1.5, transmitter_mode="register")
        elif "out of bind" in said or "out of register" in said:
            self.do(transmitter_mode="normal")
        elif said.startswith("Wait until"):
            self.passes(1.5)
        elif "phrase on the transmitter" in said:
            self.do(transmitter_phrase="low water at noon")
        elif "same phrase on the receiver" in said:
            self.do(receiver_phrase=report.transmitter_phrase)
        elif "back to 0" in said:
            self.write(0)
        elif "bind count" in said:
            self.write(report.count_wanted[0])
        elif "supply of board and satellite together" in said:
            self.do(0.5, usb=False, pack=False)
            self.do(1.6, pack=True)
        elif "Plug the satellite into" in said:
            self.do(satellite_away=True)
        elif "back into its own pad" in said:
            self.do(satellite_away=False)
        elif said.startswith("Transmitter off and on"):
            self.do(0.4, transmitter_on=False)
            self.do(1.0, transmitter_on=True)
        elif said.startswith("The link comes back"):
            self.passes(2.0)
        else:
            raise AssertionError(f"nobody knows how to do this: {said}")

    def bind(self, most: int = 40) -> list[str]:
        """Follow the steps until the bind is proven; what was done, in order."""
        done = []
        while len(done) < most:
            report = bind_told(self.bench)
            if report.proven:
                return done
            self.undo(report.hindrances)
            step = next((step.text for step in report.steps if step.next), None)
            if step is None:  # all done, and still not proven: off and on again, as the verdict says
                step = "Transmitter off and on again"
            done.append(step)
            self.follow(step, report)
        raise AssertionError(f"not bound after {most} steps: {bind_told(self.bench).verdict} {done[-6:]}")

    def undo(self, hindrances: list[str]) -> None:
        """Put right what keeps both ends from binding."""
        for said in hindrances:
            if " m apart" in said:
                self.do(distance_m=2.0)
            elif "transmitter is off" in said:
                self.do(1.0, transmitter_on=True)

    def recover(self, role: str) -> None:
        """Flash it once more by the first way that can be made ready."""
        self.do(fault=Fault().model_dump())
        for way in self.bench.loading.memories[role].flash.ways:
            self.make_ready(role, way)
            if self.bench.loading.look(role, way).sight == "ready":
                job = self.flash(role, way)
                self.see_it_end(job)
                if job.state == "done":
                    return
        raise AssertionError(f"{role} cannot be recovered")


def mishap(document, seed: int) -> dict[str, object]:
    """One seeded run: a flash in which something goes wrong at a random moment, and the way back; what became of it."""
    rng = random.Random(seed)
    bench = Bench(document, BenchState(stored=document.settings, running=document.settings, read_back=document.settings, usb=True), seed=seed)
    pilot = Pilot(bench)
    pilot.passes(1.6)
    role = rng.choice(sorted(bench.loading.memories))
    way = rng.choice(bench.loading.memories[role].flash.ways)
    fault = Fault(kind=rng.choice(FAULTS), at_percent=rng.uniform(0, 100))
    pilot.make_ready(role, way)
    pilot.do(fault=fault.model_dump())
    job = None
    moment = rng.choice(("none", "stop", "unplug", "restart", "quit"))
    with contextlib.suppress(Refused):
        job = pilot.flash(role, way, full_erase=rng.random() < 0.3)
    if job is not None:
        pilot.passes(rng.uniform(0, 8))
        if moment == "stop":
            with contextlib.suppress(Refused):
                bench.loading.stop(role)
        elif moment == "unplug":
            pilot.do(usb=False, own_port_plugged=False, adapter_plugged=False)
        elif moment == "restart":
            bench = Bench(document, BenchState.model_validate(bench.state().keep()), seed=seed)  # the process was killed, and another took the bench
            pilot = Pilot(bench)
            job = None
        elif moment == "quit":
            bench.loading.interrupt("Coin Bell stopped while it ran", bench.t)
        if job is not None:
            pilot.see_it_end(job)
    ended = None if job is None else job.state
    told = [] if job is None else job.recover
    if bench.loading.installed[role].facts is None:
        assert ended is None or told, "a device without a program, and nothing said"
        pilot.recover(role)
    pilot.do(0.3, fault=Fault().model_dump(), usb=False, pack=False, adapter_plugged=False, own_port_plugged=False, boot_button=False)
    pilot.do(0.3, transmitter_on=False)
    pilot.do(0.3, transmitter_on=True)
    pilot.do(3.0, usb=True, pack=True)
    return {
        "what": f"{role} {way} {fault.kind} at {fault.at_percent:.0f} %, then {moment}",
        "ended": ended,
        "over": job is None or job.over,
        "runs": all(bench.loading.runs(each) for each in bench.loading.devices),
        "whole": all(memory.installed.facts is not None for memory in bench.loading.memories.values()),
        "says": "" if job is None else job.says,
    }


def bind_mishap(document, seed: int) -> dict[str, object]:
    """One seeded run: a bind in which something goes wrong at a random moment, and the way to a proven one by what is said."""
    rng = random.Random(seed)
    bench = Bench(document, BenchState(stored=document.settings, running=document.settings, read_back=document.settings, bound=False), seed=seed)
    pilot = Pilot(bench)
    pilot.passes(1.0)
    ways = bench.receiver_part.binding.ways
    pilot.do(way=rng.choice(ways))
    wrong = rng.choice(
        ("none", "too close", "too far", "other model", "transmitter off", "supply away", "board off", "waits too long", "left in bind", "killed", "forgotten")
    )
    for _ in range(rng.randrange(8)):
        report = bind_told(bench)
        step = next((step.text for step in report.steps if step.next), None)
        if step:
            pilot.follow(step, report)
    if wrong == "killed":
        bench = Bench(bench.document, BenchState.model_validate(bench.state().keep()), seed=seed)
        pilot = Pilot(bench)
    mishaps = {
        "too close": {"distance_m": 0.1},
        "too far": {"distance_m": 500.0},
        "other model": {"model": rng.randint(2, 10)},
        "transmitter off": {"transmitter_on": False},
        "supply away": {"receiver_plugged": False},
        "forgotten": {"forget_bind": True},
    }
    if wrong in mishaps:
        pilot.do(0.5, **mishaps[wrong])
    elif wrong == "board off":
        pilot.do(0.5, usb=False, pack=False)
        pilot.do(2.0, pack=True)
    elif wrong == "waits too long":
        pilot.passes(65)
    elif wrong == "left in bind":
        pilot.do(0.5, transmitter_on=True)
        pilot.do(1.0, transmitter_mode="bind")
    if not bench.link.plugged and wrong != "supply away":
        pilot.do(receiver_plugged=True)
    done = pilot.bind()
    return {
        "what": f"{bench.link.way}, {wrong}",
        "over": True,
        "runs": bench.link.knows,
        "whole": bind_told(bench).proven and not bench.board.stored.bind_count,
        "says": done,
    }


def right(outcome: dict[str, object]) -> bool:
    """Whether a run left nothing behind: the job is over, and every device runs a whole program."""
    return bool(outcome["over"] and outcome["runs"] and outcome["whole"])
