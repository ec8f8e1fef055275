"""Links that are lost: any receiver, what it does on loss, any grace and response, armed by switch or by stick; predicted beside run."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from itertools import pairwise

from linkcore.bench.bench import REST_SLICE_S, Bench
from linkcore.bench.messages import Hands
from linkcore.bench.report import Reporter
from linkcore.craft.airframes import ON_THE_GROUND
from linkcore.craft.document import Band, CraftDocument, Place
from linkcore.devices.body import Body
from linkcore.hops.lost_link.proofs import clears
from linkcore.hops.lost_link.runs import LossRun, as_long_as
from linkcore.hops.lost_link.timeline import predict
from linkcore.parts.catalogue import shipped
from linkcore.parts.models import Receiver
from linkcore.standins.hands import Stick
from tests.crafts import with_gps
from tests.kits import planned_craft

REACTION_S, MOTORS_S, RETURN_S = 0.020, 0.040, 0.020  # how far a prediction may be off, the return by a frame period more
LONG_S = 11.0  # the receiver's own time, the longest grace, and time to see that nothing comes


@dataclass
class Loss:
    """One run: what was tried, whether the craft was armed, and what came otherwise than predicted."""

    craft: CraftDocument
    armed: bool = False
    hidden: bool = False
    does: str = ""
    faults: list[str] = field(default_factory=list)

    def __str__(self) -> str:
        return f"{self.craft.kit.receiver} on {self.craft.settings.receiver_input.protocol}, {self.craft.receiver.on_loss}, {self.craft.settings.lost_link.grace_ms} ms"


def losing(seed: int) -> CraftDocument | None:
    """A craft whose link works; None where the receiver's jumper lets nothing send."""
    rng = random.Random(seed)
    receiver = rng.choice(shipped().all_of(Receiver))
    craft = planned_craft(receiver, jumper=receiver.jumper is not None and rng.random() < 0.5)
    if craft is None:
        return None
    settings = craft.settings
    if rng.random() < 0.5:
        craft.air.rate_hz = rng.choice(receiver.radio.rates).hz
    settings.lost_link.grace_ms = 20 * rng.randint(2, 250)
    _response(craft, rng)
    craft.receiver.on_loss = rng.choice(receiver.on_loss)
    if settings.receiver_input.protocol == "PWM" or rng.random() < 0.3:
        settings.arm_by, settings.arming = "stick", None
    else:
        settings.arm_by, settings.arming = "switch", Band(channel=5, low=1750, high=2150)
        if rng.random() < 0.7:
            craft.receiver.preset_us = [1500.0, 1500.0, 1000.0, 1500.0, rng.choice([1000.0, 2000.0])]
    return CraftDocument.model_validate(craft.model_dump())


def _response(craft: CraftDocument, rng: random.Random) -> None:
    """Any airframe and response, somewhere; a GPS with a compass now and then."""
    lost = craft.settings.lost_link
    craft.airframe = rng.choice(["quad X", "quad X", "plane", "boat", "rover"])
    flies = craft.airframe not in ON_THE_GROUND
    lost.response = rng.choice(["motors off", "land", "return home", "loiter"])
    if rng.random() < 0.6:
        located = with_gps(craft, name="compass GPS")
        craft.kit, craft.wiring, craft.settings.ports = located.kit, located.wiring, located.settings.ports
    else:
        lost.without_home = "motors off"  # or it would not arm
    lost.throttle_fallback = rng.choice(["low", "hold", "value"])
    lost.descent_mps = rng.uniform(0.5, 3)
    lost.return_height_m, lost.return_mps = rng.randint(10, 60), rng.uniform(8, 14)
    lost.climb_first, lost.at_home = rng.random() < 0.5, rng.choice(["land", "circle"])
    lost.hover_percent = rng.choice([None, 40.0])
    craft.place = Place(
        mass_kg=rng.uniform(0.3, 3),
        thrust_ratio=rng.uniform(2, 8),
        speed_mps=rng.uniform(6, 14),
        height_m=rng.uniform(4, 40) if flies else 0,
        wind_mps=rng.uniform(0, 5) if rng.random() < 0.8 else rng.uniform(6, 14),
        home_m=rng.uniform(5, 200),
        obstacle_height_m=rng.choice([0, 0, 25]),
        obstacle_m=rng.choice([None, 8, 40]),
        people_m=rng.choice([None, 10, 60]),
        energy_limit_j=rng.choice([None, 30, 500]),
        water=rng.random() < 0.2,
    )
    if craft.airframe == "boat":  # as fast as water lets it
        top = Body.of("boat", craft.place).top_mps
        craft.place.speed_mps, craft.place.wind_mps = rng.uniform(0.2, 0.7) * top, rng.choice([0, rng.uniform(0, 0.4) * top])
        lost.return_mps = max(2.0, rng.uniform(0.6, 0.85) * top)
    if 0 < lost.return_mps - craft.place.wind_mps < 1:  # it would crawl home for half an hour
        craft.place.wind_mps = lost.return_mps + 1


def _dangers(craft: CraftDocument, seen: LossRun, said: set[str]) -> list[str]:
    """What the bench shows of danger on the way, and nothing was said of."""
    place, path = craft.place, seen.path
    if place is None or not path:
        return []
    found: list[tuple[str, str]] = []
    reacted = seen.since(seen.reacted_t)
    at_reaction = next((abs(along) for t, _, along, *_ in path if reacted is not None and t >= reacted), place.home_m)
    if place.obstacle_m is not None and at_reaction - place.home_m > place.obstacle_m + 1:
        found.append(("lostlink.late", "it was at the obstacle before the board reacted"))
    falls = seen.home_t is None and seen.at_height_t is None and seen.down_t is not None
    if falls and place.people_m is not None and abs(path[-1][2]) - place.home_m > place.people_m:
        found.append(("lostlink.people", "it came down among people"))
    if falls and place.energy_limit_j is not None and len(path) > 2:
        (t1, up1, along1, *_), (t2, up2, along2, *_) = next((pair for pair in pairwise(path) if pair[1][1] <= 0 < pair[0][1]), (path[0], path[1]))
        strikes = craft.place.mass_kg * ((up2 - up1) ** 2 + (along2 - along1) ** 2) / (t2 - t1) ** 2 / 2
        if strikes > 1.1 * place.energy_limit_j:  # between two points of the path, so it is not exact
            found.append(("lostlink.energy", "it struck harder than is allowed"))
    flew_home = seen.at_height_t is not None and seen.home_t is None and seen.down_t is None
    if flew_home and abs(path[-1][2]) > place.home_m + 50 and craft.settings.lost_link.return_mps <= place.wind_mps:
        found.append(("lostlink.never-home", "the wind carried it off"))
    if falls and place.water and craft.settings.lost_link.response == "land" and seen.motors_stopped_t is not None and seen.reacted_t != seen.motors_stopped_t:
        found.append(("lostlink.water", "it landed on water"))
    return [f"{what}, and nothing is said" for code, what in found if code not in said]


def lost(seed: int) -> Loss | None:
    """Arm it, switch its transmitter off, watch; None where the kit has no such craft."""
    craft = losing(seed)
    if craft is None:
        return None
    run, bench = Loss(craft), Bench(craft, seed=seed)
    bench.run_until(2.0)
    if craft.settings.arm_by == "switch":
        bench.hands(Hands(switches={"S1": 1}))
    else:
        bench.hands(Hands(left=Stick(x=1, y=-1)))
    bench.run_until(4.0)
    bench.hands(Hands(left=Stick(x=0, y=-0.4)))  # a throttle that stays low would disarm by itself
    bench.run_until(4.5 + random.Random(seed).random())
    if not bench.board.armed:
        return run
    run.armed = True
    predicted = predict(bench.whole.craft, bench.parts)
    run.hidden = predicted.hidden
    bench.hands(Hands(transmitter_on=False))
    ends = [t for t in (predicted.motors_stop_s, predicted.at_height_s, predicted.home_s, predicted.down_s) if t is not None]
    bench.run_until(bench.t + max([LONG_S, *(t + 2 for t in ends)]), REST_SLICE_S)
    seen = bench.loss

    def since(t: float | None) -> float | None:
        return None if t is None or seen is None else t - seen.radio_silent_t

    for name, was, should, within in (
        ("reaction", since(seen and seen.reacted_t), predicted.reacts_s, REACTION_S),
        ("motors", since(seen and seen.motors_stopped_t), predicted.motors_stop_s, MOTORS_S),
    ):
        if (was is None) != (should is None) or (was is not None and should is not None and abs(was - should) > within):
            run.faults.append(f"{name} after {was} s, predicted {should} s")
    for name, was, should in (
        ("at its return height", since(seen and seen.at_height_t), predicted.at_height_s),
        ("at home", since(seen and seen.home_t), predicted.home_s),
        ("on the ground", since(seen and seen.down_t), predicted.down_s),
    ):
        deceived = predicted.hidden and not predicted.preset_disarms  # then it does what the receiver's values say
        if not deceived and ((was is None) != (should is None) or (was is not None and should is not None and not as_long_as(was, should))):
            run.faults.append(f"{name} after {was} s, predicted {should} s")
    run.does = predicted.does
    fooled = bench.board.link == "good" or (seen is not None and seen.fooled_t is not None)
    said = {finding.code for finding in Reporter(bench).report(1).findings if finding.hop == "lost link"}
    if fooled != predicted.hidden:
        run.faults.append(f"the board {'takes' if fooled else 'does not take'} the link for good; predicted otherwise")
    if fooled and not said & {"lostlink.hidden", "lostlink.preset-arms", "lostlink.preset-disarms"}:
        run.faults.append("the board is deceived, and nothing is said")
    run.faults += _dangers(craft, seen, said) if seen is not None and not predicted.hidden else []
    low = (
        seen is not None
        and predicted.home_s is not None
        and craft.airframe not in ON_THE_GROUND
        and not clears(seen, craft.place.obstacle_height_m if craft.place else 0.0)
    )
    if low and not said & {"lostlink.low-return", "lostlink.low-path"}:
        run.faults.append("it came home lower than what stands around, and nothing is said")
    if not predicted.hidden:
        bench.hands(Hands(transmitter_on=True))
        on_t = bench.t
        bench.run_until(bench.t + 1.0)
        back = None if seen is None or seen.back_t is None else seen.back_t - on_t
        if back is None or abs(back - predicted.returns_s) > bench.link.period_s + RETURN_S:
            run.faults.append(f"the link is back after {back} s, predicted {predicted.returns_s} s")
    if bench.board.armed and "lostlink.preset-disarms" in said:
        run.faults.append("the preset was said to disarm, and did not")
    return run
