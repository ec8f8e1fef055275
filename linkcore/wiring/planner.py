"""The port plan, worked out: ranked feasible plans, or the smallest set of demands that cannot stand together.

A constraint model (CP-SAT): every demand takes one placement, every port has one job, every MCU pin one wire. The cost of a plan
is a sum of the weights below, so that a plan's rank can be explained and checked by hand.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from ortools.sat.python import cp_model
from pydantic import BaseModel, Field

from linkcore.craft.document import RECEIVER, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.parts.models import Board, Job
from linkcore.wiring.demands import BENCH_LINK, UNIQUE_JOBS, Demand, Inversion, Placement, Variant, demands_of, fixed_pads, link_ports, place_on, placements

# What each thing costs. Our figures; only their order matters: an external inverter is dearer than any few moved wires,
# a moved wire dearer than a port used badly.
INVERSION_COST: Mapping[Inversion, int] = {"none": 0, "native": 0, "fixed": 10, "external": 40}
MOVED_WIRE = 6
FULL_PORT_HALF_USED = 3
NO_FULL_PORT_LEFT = 4
SECOND_CHOICE = 8
SHARED_PIN = 2
JOB_MOVED = 1
MOST_PLANS = 4
TIE_STEPS = 1000  # more than all ties together


class PlanWire(BaseModel):
    """One wire of a plan; `before` is the pad where it is soldered now."""

    pin: str
    pad: str
    before: str | None = None


class Assignment(BaseModel):
    """One demand's place in a plan, with its reason. `port` None for pulses."""

    device: str
    label: str
    job: Job
    port: str | None
    wires: list[PlanWire]
    inversion: Inversion
    reason: str

    @property
    def moved(self) -> list[PlanWire]:
        """The wires that must be unsoldered."""
        return [wire for wire in self.wires if wire.before not in (None, wire.pad)]


class Plan(BaseModel):
    """A feasible plan. `title` says in a few words what it changes; `cost` ranks it, `costs` says what it is made of."""

    title: str
    cost: int
    costs: dict[str, int]
    moved_wires: int
    new_wires: int
    assignments: list[Assignment]
    warnings: list[str] = Field(default_factory=list)


class WayOut(BaseModel):
    """What would free a demand that cannot be met; `tried`: whether a whole plan was found with it."""

    text: str
    tried: bool


class Clashing(BaseModel):
    """A demand that cannot stand together with the others, and what would free it."""

    device: str
    label: str
    job: Job
    why: str
    ways: list[WayOut]


class Worked(BaseModel):
    """What came of working it out: plans, best first, or the smallest set that clashes. Both empty: nothing asks for a port."""

    plans: list[Plan]
    clash: list[Clashing] = Field(default_factory=list)


@dataclass
class _Problem:
    """One board, its demands and every placement of each."""

    document: CraftDocument
    parts: KitParts
    demands: list[Demand]
    choices: list[list[Placement]] = field(default_factory=list)
    costs: list[list[dict[str, int]]] = field(default_factory=list)

    @classmethod
    def of(cls, document: CraftDocument, parts: KitParts, demands: Sequence[Demand], fixed: Mapping[tuple[str, str], str] | None = None) -> _Problem:
        choices = [placements(demand, document, parts, fixed=fixed) for demand in demands]
        costs = [[cost_of(document, parts.board, place) for place in places] for places in choices]
        return cls(document, parts, list(demands), choices, costs)

    @property
    def board(self) -> Board:
        return self.parts.board

    @property
    def links(self) -> list[str]:
        return link_ports(self.document, self.parts)


def cost_of(document: CraftDocument, board: Board, place: Placement) -> dict[str, int]:
    """What one placement costs, by reason."""
    costs: dict[str, int] = {}
    costs["inversion"] = INVERSION_COST[place.inversion]
    before = {pin: document.pad_of(pin, place.demand.device) for pin in place.variant.pins}
    costs["wires moved"] = MOVED_WIRE * sum(before[pin] not in (None, pad) for pin, pad in place.patches)
    one_way = place.variant.form in ("rx", "tx", "half")
    costs["full port half used"] = FULL_PORT_HALF_USED if place.port and one_way and board.full(place.port) else 0
    costs["second choice"] = SECOND_CHOICE if place.variant is not place.demand.variants[0] else 0
    costs["shared pin"] = SHARED_PIN * sum(bool(pad.pin or pad.also) for pad in place.pads if place.demand.device != BENCH_LINK)
    costs["job moved"] = JOB_MOVED if place.port and document.settings.ports.get(place.port) != place.demand.job else 0
    return {reason: amount for reason, amount in costs.items() if amount}


def leaves_full_port(document: CraftDocument, parts: KitParts, chosen: Sequence[Placement]) -> bool:
    """Whether a port with both pads stays free."""
    board = parts.board
    taken = {place.port for place in chosen} | set(link_ports(document, parts))
    pins = {pin for place in chosen for pin in place.pins_of_mcu}
    for port in board.ports:
        if port not in taken and port not in board.software_ports and board.full(port):
            pads = [pad for pad in board.pads if pad.port == port]
            if not any((pad.pin or pad.name) in pins for pad in pads):
                return True
    return False


def fits_together(chosen: Sequence[Placement]) -> bool:
    """Whether no port has two jobs, no MCU pin two wires, and no job that there is only one of is given twice."""
    unique = [place.demand.job for place in chosen if place.demand.job in UNIQUE_JOBS]
    if len(unique) != len(set(unique)):
        return False
    ports = [place.port for place in chosen if place.port]
    pins = [pin for place in chosen for pin in place.pins_of_mcu]
    return len(ports) == len(set(ports)) and len(pins) == len(set(pins))


def _solve(problem: _Problem, plans: int) -> list[list[Placement]]:
    """The best `plans` sets of placements, one a demand; empty where there is none. `plans` 0: any one set will do."""
    if not all(problem.choices):
        return []
    model = cp_model.CpModel()
    chosen = [[model.new_bool_var("") for _ in places] for places in problem.choices]
    by_port: dict[str, list[cp_model.IntVar]] = {}
    by_pin: dict[str, list[cp_model.IntVar]] = {}
    by_job: dict[str, list[cp_model.IntVar]] = {}
    for demand, variables in zip(problem.demands, chosen, strict=True):
        if demand.job in UNIQUE_JOBS:
            by_job.setdefault(demand.job, []).extend(variables)
    for places, variables in zip(problem.choices, chosen, strict=True):
        model.add_exactly_one(variables)
        for place, variable in zip(places, variables, strict=True):
            if place.port:
                by_port.setdefault(place.port, []).append(variable)
            for pin in place.pins_of_mcu:
                by_pin.setdefault(pin, []).append(variable)
    for variables in (*by_port.values(), *by_pin.values(), *by_job.values()):
        if len(variables) > 1:
            model.add_at_most_one(variables)
    if plans:
        _minimise(model, problem, chosen, by_port, by_pin)
    solver = cp_model.CpSolver()
    solver.parameters.num_workers = 1
    solver.parameters.random_seed = 1
    solver.parameters.linearization_level = 2  # it is an assignment problem at heart: its relaxation is nearly always whole
    found: list[list[Placement]] = []
    while len(found) < max(1, plans):
        if solver.solve(model) not in (cp_model.OPTIMAL, cp_model.FEASIBLE):
            break
        picked = [next(i for i, variable in enumerate(variables) if solver.boolean_value(variable)) for variables in chosen]
        found.append([places[i] for places, i in zip(problem.choices, picked, strict=True)])
        kinds = [_kind(problem, places[i]) for places, i in zip(problem.choices, picked, strict=True)]
        model.add_bool_or(  # the next plan is of another kind, not the same on ports that are alike
            [
                variable
                for places, variables, kind in zip(problem.choices, chosen, kinds, strict=True)
                for place, variable in zip(places, variables, strict=True)
                if _kind(problem, place) != kind
            ]
        )
    return found


def _kind(problem: _Problem, place: Placement) -> tuple[object, ...]:
    """What tells two placements of one demand apart for the pilot; which of several like ports it is counts only where wires are soldered."""
    demand, document = place.demand, problem.document
    soldered = any(document.pad_of(pin, demand.device) for pin in place.variant.pins)
    which = place.port if soldered else None
    full = place.port is not None and problem.board.full(place.port)
    shared = any(pad.pin or pad.also for pad in place.pads)
    return place.variant, place.inversion, which, full, shared, tuple(pad.name for pad in place.pads) if place.port is None else ()


def _minimise(
    model: cp_model.CpModel,
    problem: _Problem,
    chosen: list[list[cp_model.IntVar]],
    by_port: dict[str, list[cp_model.IntVar]],
    by_pin: dict[str, list[cp_model.IntVar]],
) -> None:
    board = problem.board
    links = problem.links
    free_ports = []
    for port in board.ports:
        if not board.full(port) or port in links or port in board.software_ports:
            continue
        free = model.new_bool_var("")  # may only be true where nothing touches the port or its pins
        for variable in by_port.get(port, []):
            model.add_implication(variable, free.negated())
        for pad in board.pads:
            if pad.port == port:
                for variable in by_pin.get(pad.pin or pad.name, []):
                    model.add_implication(variable, free.negated())
        free_ports.append(free)
    crowded = model.new_bool_var("")
    model.add_bool_or([*free_ports, crowded])
    terms = []
    for at, (places, costs, variables) in enumerate(zip(problem.choices, problem.costs, chosen, strict=True)):
        for place, cost, variable in zip(places, costs, variables, strict=True):
            # among plans of one cost the one whose ports follow the devices' order, which also spares the search its symmetries
            tie = abs(board.ports.index(place.port) - at) if place.port else 0
            terms.append((TIE_STEPS * sum(cost.values()) + tie) * variable)
    model.minimize(sum(terms) + TIE_STEPS * NO_FULL_PORT_LEFT * crowded)


def work_out(document: CraftDocument, parts: KitParts) -> Worked:
    """Plans for this craft, best first; or the smallest set of demands that cannot stand together."""
    demands = demands_of(document, parts)
    if not demands or parts.maybe_board is None:
        return Worked(plans=[])
    problem = _Problem.of(document, parts, demands)
    solutions = _solve(problem, MOST_PLANS)
    if solutions:
        return Worked(plans=[_plan(problem, chosen) for chosen in solutions])
    return Worked(plans=[], clash=_explain(problem, parts))


def feasible(document: CraftDocument, parts: KitParts, demands: Sequence[Demand], fixed: Mapping[tuple[str, str], str] | None = None) -> bool:
    """Whether those demands can stand together on the craft's board."""
    return bool(_solve(_Problem.of(document, parts, demands, fixed), 0))


# --- a plan in words --------------------------------------------------------------------------------------------


def _plan(problem: _Problem, chosen: list[Placement]) -> Plan:
    document, board = problem.document, problem.board
    costs: dict[str, int] = {}
    for place in chosen:
        for reason, amount in cost_of(document, board, place).items():
            costs[reason] = costs.get(reason, 0) + amount
    if not leaves_full_port(document, problem.parts, chosen):
        costs["no full port left"] = NO_FULL_PORT_LEFT
    assignments = [_assignment(problem, place) for place in chosen]
    moved = [(assignment, wire) for assignment in assignments for wire in assignment.moved]
    new = [wire for assignment in assignments for wire in assignment.wires if wire.before is None]
    return Plan(
        title=_title(document, assignments),
        cost=sum(costs.values()),
        costs=costs,
        moved_wires=len(moved),
        new_wires=len(new),
        assignments=assignments,
        warnings=_warnings(document, assignments),
    )


def _assignment(problem: _Problem, place: Placement) -> Assignment:
    demand = place.demand
    wires = [PlanWire(pin=pin, pad=pad, before=problem.document.pad_of(pin, demand.device)) for pin, pad in place.patches]
    return Assignment(
        device=demand.device, label=demand.label, job=demand.job, port=place.port, wires=wires, inversion=place.inversion, reason=_reason(problem, place, wires)
    )


def _reason(problem: _Problem, place: Placement, wires: list[PlanWire]) -> str:
    """Why it is here, in a sentence."""
    board, demand = problem.board, place.demand
    at = problem.demands.index(demand)
    ports = {other.port for other in problem.choices[at]}
    if demand.device == BENCH_LINK:
        return f"{place.port} keeps the bench link, so that the settings can always be reached."
    said = []
    if wires and all(wire.before == wire.pad for wire in wires):
        said.append("it is soldered there")
    if place.port is None:
        pads = " to ".join(dict.fromkeys((place.pads[0].name, place.pads[-1].name)))
        said.append(
            f"{place.variant.reads} needs an input with a timer, and {pads} has one" if len(place.pads) == 1 else f"one lead a channel, in order, on {pads}"
        )
    elif len(ports) == 1:
        said.append(f"no other port can do it: {_why_not(problem, demand, {place.port})}")
    elif place.variant.form in ("rx", "half", "tx") and not board.full(place.port):
        pad = place.pads[0]
        said.append(f"{place.port} has only {pad.name}, and one pad is enough here, so full ports stay free")
    elif place.variant.form == "full" and not said:
        said.append(f"{place.port} both listens and sends")
    said += {
        "native": [f"{place.port} inverts by itself"],
        "fixed": [f"an inverter sits on {place.pads[0].name}"],
        "external": ["no pad that is left can invert, so an external inverter goes into the wire"],
        "none": [],
    }[place.inversion]
    if place.variant is not demand.variants[0]:
        said.append("its first choice would cost more here")
    text = "; ".join(said) or f"{place.port} is free"
    return text[0].upper() + text[1:] + "."


def _why_not(problem: _Problem, demand: Demand, besides: set[str | None]) -> str:
    """The commonest reasons why the other ports cannot take a demand."""
    links = problem.links
    reasons = []
    for port in problem.board.ports:
        if port in besides:
            continue
        place = place_on(problem.board, demand, demand.variants[0], port)
        if port in links:
            reasons.append(f"{port} keeps the bench link")
        elif isinstance(place, str):
            reasons.append(place)
        else:
            reasons.append(f"a fixed wire keeps it from {port}")
    return ", ".join(reasons[:3]) or "the board has no other"


def _title(document: CraftDocument, assignments: list[Assignment]) -> str:
    moves = []
    for assignment in assignments:
        to = " and ".join(wire.pad for wire in assignment.wires)
        if assignment.moved:
            moves.append(f"{_called(assignment)} to {to}")
    if moves:
        return "Move " + ", ".join(moves[:3]) + (f" and {len(moves) - 3} more" if len(moves) > 3 else "")
    new = [f"{_called(each)} to {' and '.join(wire.pad for wire in each.wires)}" for each in assignments if any(wire.before is None for wire in each.wires)]
    if new:
        return "Solder " + ", ".join(new[:3]) + (f" and {len(new) - 3} more" if len(new) > 3 else "")
    jobs = [f"{each.port} {each.job}" for each in assignments if each.port and document.settings.ports.get(each.port) != each.job]
    return "Give " + ", ".join(jobs) if jobs else "Leave everything as it is"


def _called(assignment: Assignment) -> str:
    if assignment.device == RECEIVER:
        return "the receiver" if assignment.job == "receiver input" else "the receiver's telemetry"
    return assignment.device


def _warnings(document: CraftDocument, assignments: list[Assignment]) -> list[str]:
    given = {each.port: each.job for each in assignments if each.port}
    lost = [f"{port} loses its job {job}" for port, job in document.settings.ports.items() if job != "free" and port not in given]
    return [f"{each}: no device of this craft needs it." for each in lost]


# --- why there is no plan ---------------------------------------------------------------------------------------


def smallest_clash(document: CraftDocument, parts: KitParts, demands: Sequence[Demand]) -> list[Demand]:
    """A set of demands that cannot stand together, while every proper subset of it can.

    Deletion filter: a demand is dropped for good whenever the rest still clashes. Fitting is monotone (leaving a demand out
    never hurts), so what remains is minimal: each of its members was tried, and without it the others fit.
    """
    core = list(demands)
    for demand in list(demands):
        rest = [other for other in core if other is not demand]
        if not feasible(document, parts, rest):
            core = rest
    return core


def _explain(problem: _Problem, parts: KitParts) -> list[Clashing]:
    core = smallest_clash(problem.document, parts, problem.demands)
    ways = _ways(problem, parts, core)
    return [
        Clashing(device=demand.device, label=demand.label, job=demand.job, why=_clash_reason(problem, demand, core), ways=ways[demand.key]) for demand in core
    ]


def _clash_reason(problem: _Problem, demand: Demand, core: list[Demand]) -> str:
    places = problem.choices[problem.demands.index(demand)]
    same = [other.device for other in core if other is not demand and other.job == demand.job]
    if same and demand.job in UNIQUE_JOBS:
        return f"A board has one port with the job {demand.job}, and {' and '.join(same)} {'asks' if len(same) == 1 else 'ask'} for it too."
    if not places:
        if demand.variants[0].form == "pulses":
            have = sum(demand.variants[0].reads in pad.reads for pad in problem.board.pads)
            return f"It needs {len(demand.variants[0].pins)} inputs with a timer for {demand.variants[0].reads}; the {problem.board.name} has {have}."
        return f"No port of the {problem.board.name} can do it: {_why_not(problem, demand, set())}."
    spots = list(dict.fromkeys(place.port or place.pads[0].name for place in places))
    needs = {"full": "both ways", "rx": "a pad that listens", "tx": "a pad that sends", "half": "a TX pad for half duplex", "pulses": "an input with a timer"}
    rivals = [other.device if other.device != RECEIVER else f"the receiver's {other.job}" for other in core if other is not demand]
    others = " and ".join(rivals) if len(rivals) <= 3 else f"{len(rivals)} other demands"
    return (
        f"It needs {needs[demand.variants[0].form]}, which only {', '.join(spots)} can give, and {others} {'asks' if len(rivals) == 1 else 'ask'} for the same."
    )


def _ways(problem: _Problem, parts: KitParts, core: list[Demand]) -> dict[str, list[WayOut]]:
    """For each demand of the clash, what would free it, each tried on the whole craft."""
    document, board, demands = problem.document, problem.board, problem.demands
    ways: dict[str, list[WayOut]] = {demand.key: [] for demand in core}
    held = fixed_pads(document)
    for demand in core:
        own = {key for key in held if key[0] == demand.device}
        mine = ways[demand.key]
        if own:
            loose = {key: pad for key, pad in held.items() if key not in own}
            mine.append(WayOut(text=f"Let the fixed wires of {demand.device} move", tried=feasible(document, parts, demands, loose)))
        if demand.variants[0].form == "full" and demand.device != BENCH_LINK:
            listening = Demand(
                demand.device,
                demand.label,
                demand.job,
                demand.baud,
                (Variant("rx", demand.variants[0].pins[:1], demand.variants[0].inverted, protocol=demand.variants[0].protocol),),
            )
            changed = [listening if other is demand else other for other in demands]
            mine.append(WayOut(text="Wire only the line that it sends on; nothing is sent to it then", tried=feasible(document, parts, changed)))
        if demand.device == RECEIVER and parts.receiver.jumper:
            mine += _by_jumper(document, parts)
        if demand.device == BENCH_LINK:
            text = f"Give up the bench link on {' and '.join(problem.links)}; to get back in, start the board with its boot button held and load it anew"
        else:
            text = f"Leave {demand.device if demand.device != RECEIVER else demand.job} out"
        rest = [other for other in demands if other is not demand]
        freed = document
        if demand.device == BENCH_LINK:
            freed = document.model_copy(deep=True)
            freed.settings.ports = {port: "free" if job == BENCH_LINK else job for port, job in freed.settings.ports.items()}
        mine.append(WayOut(text=text, tried=feasible(freed, parts, rest)))
    boards = [
        other.name for other in parts.catalogue.all_of(Board) if other.id != board.id and feasible(document, replace(parts, maybe_board=other), demands, {})
    ]
    if boards:
        for mine in ways.values():
            mine.append(WayOut(text=f"Another board: {', '.join(boards[:3])}", tried=True))
    return ways


def _by_jumper(document: CraftDocument, parts: KitParts) -> list[WayOut]:
    other = document.model_copy(deep=True)
    other.kit.jumper_fitted = not document.kit.jumper_fitted
    outputs = parts.receiver.active(other.kit.jumper_fitted)
    if not outputs:
        return []
    speaking = parts.speaking(other)
    doing = "Fit" if other.kit.jumper_fitted else "Remove"
    return [
        WayOut(
            text=f"{doing} the receiver's jumper ({parts.receiver.jumper}), so that it sends {outputs[0].protocol}",
            tried=feasible(other, speaking, demands_of(other, speaking)),
        )
    ]
