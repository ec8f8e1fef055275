"""Findings on bands: alone, against the craft, and against the detents, measured or expected."""

from __future__ import annotations

from collections.abc import Iterator

from linkcore.craft.airframes import FLYERS
from linkcore.craft.document import Band, BoardSettings, CraftDocument
from linkcore.craft.parts import KitParts
from linkcore.devices.modes import DEFAULT_MODE, NOT_A_FLIGHT_MODE, exclude_each_other, lacking, resolve, switch_channels
from linkcore.findings import At, Check, Edit, Finding, Mend
from linkcore.hops.switchboard.clearance import CLEARANCE_US, band_clearance
from linkcore.hops.switchboard.detents import MOST_SWITCHES, Detent, SwitchMeasure, by_position, known_detents
from linkcore.hops.switchboard.suggest import SCALE_US, edge_between
from linkcore.hops.switchboard.truth import truth_table

CHECK = Check("switchboard")
STICKS = Check("sticks")
WHOLE_TRAVEL_US = 800.0  # between the outermost detents; less leaves the bands too little room


def check_switches(document: CraftDocument, parts: KitParts, measured: SwitchMeasure) -> list[Finding]:
    """Findings on arming, on every band, on bands that clash, and on what no band says."""
    settings = document.settings
    findings = [*_arming(settings)]
    named = named_bands(settings)
    for name, band, path in named:
        findings += _channel(document, name, band)
        detents, seen = known_detents(document, parts.maybe_transmitter, measured, band.channel)
        findings += _fit(name, band, path, detents, seen)
    findings += [*_clashes(settings), *_across_channels(document, parts)]
    findings += [
        CHECK.stop(
            "switchboard.cannot",
            At.modes(band.mode),
            f"{_title(band.mode)} has a mode band, but {why}.",
            "The board does not turn it on.",
            _without(settings, index),
        )
        for index, band in enumerate(settings.modes)
        if (why := lacking(document, parts).get(band.mode))
    ]
    findings += _short_switches(document, settings, measured, parts)
    findings += _by_default(document, settings, measured, parts)
    return findings


def _title(name: str) -> str:
    return f"{name[0].upper()}{name[1:]}"


def _without(settings: BoardSettings, index: int) -> Mend:
    rest = [each.model_dump() for place, each in enumerate(settings.modes) if place != index]
    return Mend(text=f"Remove the mode band of {settings.modes[index].mode}", edits=(Edit(path="/settings/modes", value=rest),))


def _arming(settings: BoardSettings) -> Iterator[Finding]:
    if settings.arm_by == "switch" and settings.arming is None:
        yield CHECK.stop(
            "switchboard.no-arm-band",
            At.modes("arm"),
            "No mode band arms the craft.",
            "The motors can never start.",
            Mend(text="Give arming a switch channel and a mode band", go="switchboard"),
        )
    if settings.arm_by == "stick" and settings.stick_arming.timeout_s == 0:
        yield CHECK.warn(
            "switchboard.no-timeout",
            At.modes("arm"),
            "The stick arms, and nothing disarms by itself.",
            "A craft that lies armed in the grass has no switch that says so.",
            Mend(text="Disarm after 10 s of low throttle", edits=(Edit(path="/settings/stick_arming/timeout_s", value=10),)),
        )


def _channel(document: CraftDocument, name: str, band: Band) -> Iterator[Finding]:
    sent = len(document.transmitter.channels)
    if band.channel <= 4:
        yield CHECK.stop(
            "switchboard.stick-channel",
            At.modes(name),
            f"{name} listens to CH{band.channel}, a stick.",
            "Moving the stick would switch it.",
            Mend(text="Choose a switch's channel", go="switchboard"),
        )
    elif band.channel > sent:
        yield CHECK.stop("switchboard.no-channel", At.modes(name), f"{name} listens to CH{band.channel}; the transmitter sends {sent}.", "It can never switch.")
    elif not document.transmitter.source(band.channel):
        yield CHECK.stop(
            "switchboard.no-source", At.modes(name), f"{name} listens to CH{band.channel}, which has no source in the model memory.", "No switch moves it."
        )


def _fit(name: str, band: Band, path: str, detents: list[Detent], seen: bool) -> Iterator[Finding]:
    """How a band lies beside the detents; `seen`: they were measured, not only expected."""
    if misses(band, detents):
        nearest = min(detents, key=lambda detent: min(abs(detent.value - band.low), abs(detent.value - band.high)))
        gap = min(abs(nearest.value - band.low), abs(nearest.value - band.high))
        low, high = around(nearest, detents)
        mend = Mend(text=f"Set the mode band to {low:g} to {high:g} us", edits=(Edit(path=f"{path}/low", value=low), Edit(path=f"{path}/high", value=high)))
        beside = f"misses every detent of CH{band.channel}, the nearest by {gap:.0f} us"
        what = f"{name}'s mode band {beside}." if seen else f"{name}'s mode band {beside}, by what the model memory lets expect."
        yield CHECK.stop("switchboard.band-misses", At.modes(name), what, "Flipping the switch will do nothing.", mend)
    for detent in held_by(band, detents):
        clear = band_clearance(band.low, band.high, [detent])
        if clear < CLEARANCE_US:
            yield CHECK.warn(
                "switchboard.clearance",
                At.modes(name),
                f"{name}'s mode band clears the detent at {detent.value:.0f} us by only {clear:.0f} us.",
                f"Jitter or a new trim could push it out; {CLEARANCE_US:.0f} us are wanted.",
            )


def _clashes(settings: BoardSettings) -> Iterator[Finding]:
    for index, band in enumerate(settings.modes):
        for other in settings.modes[index + 1 :]:
            if band.channel == other.channel and exclude_each_other(band.mode, other.mode) and band.low < other.high and other.low < band.high:
                yield CHECK.stop(
                    "switchboard.overlap",
                    At.modes(band.mode, other.mode),
                    f"The mode bands of {band.mode} and {other.mode} overlap.",
                    "They exclude each other: only one of them would be on where they do.",
                )
    guards = [band for band in settings.modes if band.mode == "guard"]
    if guards and settings.arm_by == "stick":
        return
    for guard in guards:
        if settings.arming is not None and guard.channel == settings.arming.channel:
            yield CHECK.warn(
                "switchboard.guard-on-arm",
                At.modes("guard"),
                "Guard and arm listen to the same switch.",
                "A guard is a second switch, so that one bump arms nothing.",
            )


def _across_channels(document: CraftDocument, parts: KitParts) -> Iterator[Finding]:
    """Two modes that exclude each other, asked for at once by bands on two channels: by one position of one switch, or by two switches together."""
    part, settings = parts.maybe_transmitter, document.settings
    if part is None:
        return
    for index, band in enumerate(settings.modes):
        for other in settings.modes[index + 1 :]:
            if band.channel == other.channel or not exclude_each_other(band.mode, other.mode):
                continue
            held = [[each.holds(us) for us in by_position(document, part, each.channel)] for each in (band, other)]
            sources = [document.transmitter.source(each.channel) for each in (band, other)]
            modes = At.modes(band.mode, other.mode)
            winner = resolve({band.mode, other.mode}, False, False, {}).main
            if sources[0] == sources[1]:
                both = [place + 1 for place, pair in enumerate(zip(*held, strict=False)) if all(pair)]
                if both:
                    yield CHECK.stop(
                        "switchboard.overlap",
                        modes,
                        f"{sources[0]} in its position {both[0]} asks for {band.mode} on CH{band.channel} and for {other.mode} on CH{other.channel}.",
                        f"They exclude each other: {winner} is on there, and the other never is.",
                    )
            elif any(held[0]) and any(held[1]):
                yield CHECK.note(
                    "switchboard.gives-way",
                    modes,
                    f"{sources[0]} and {sources[1]} can ask for {band.mode} and {other.mode} at once.",
                    f"They exclude each other: {winner} is on then. The truth table shows in which rows.",
                )


def _short_switches(document: CraftDocument, settings: BoardSettings, measured: SwitchMeasure, parts: KitParts) -> Iterator[Finding]:
    """A switch that reaches only part of its travel is mended on Sticks."""
    part = parts.maybe_transmitter
    for channel in switch_channels(document, settings):
        detents, seen = known_detents(document, part, measured, channel)
        if len(detents) < 2 or part is None:
            continue
        span = detents[-1].value - detents[0].value
        if span < WHOLE_TRAVEL_US * 0.9:
            most = min(part.max_travel_percent, 500 / part.us_at_100 * 100)
            edits = tuple(Edit(path=f"/transmitter/channels/{channel - 1}/{name}", value=most) for name in ("travel_low_percent", "travel_high_percent"))
            yield STICKS.warn(
                "sticks.switch-travel",
                At.channel(channel),
                f"{document.transmitter.source(channel)} {'moves' if seen else 'will move'} CH{channel} only from {detents[0].value:.0f} to {detents[-1].value:.0f} us.",
                "Its positions lie close together, so mode bands have little clearance.",
                Mend(text=f"Travel of CH{channel} to {most:g} % on both sides", edits=edits),
            )


def _by_default(document: CraftDocument, settings: BoardSettings, measured: SwitchMeasure, parts: KitParts) -> Iterator[Finding]:
    """Where no band holds, the craft flies acro: the first flight's surprise."""
    part = parts.maybe_transmitter
    if document.airframe not in FLYERS or document.acro_wanted or part is None:
        return
    wanted = Mend(text="Acro where no mode is on is what I want", edits=(Edit(path="/acro_wanted", value=True),))
    if len(switch_channels(document, settings)) > MOST_SWITCHES:
        return
    table = truth_table(document, settings, part, measured)
    rows = [row for row in table.rows if row.arm and row.mode.startswith(DEFAULT_MODE)]
    if not any(band.mode not in NOT_A_FLIGHT_MODE for band in settings.modes):
        yield CHECK.note(
            "switchboard.acro",
            At.setting("/settings/modes", "modes"),
            "No flight mode has a mode band: the craft always flies acro.",
            "It does not level itself. Intended? Say so once.",
            wanted,
        )
    elif rows:
        where = " ".join(f"{name} {place}" for name, place in zip(table.switches, rows[0].places, strict=True) if name)
        yield CHECK.note(
            "switchboard.acro",
            At.setting("/settings/modes", "modes"),
            f"{len(rows)} of {sum(row.arm for row in table.rows)} armed combinations have no flight mode on, as {where}.",
            "That is acro on this board. Intended? Say so once and those rows count as wanted.",
            wanted,
        )


def named_bands(settings: BoardSettings) -> list[tuple[str, Band, str]]:
    """Every band with its name and its place in the craft document, arm first."""
    arming = [("arm", settings.arming, "/settings/arming")] if settings.arming and settings.arm_by == "switch" else []
    return [*arming, *((band.mode, band, f"/settings/modes/{index}") for index, band in enumerate(settings.modes))]


def held_by(band: Band, detents: list[Detent]) -> list[Detent]:
    """The detents that a band touches, jitter included."""
    return [detent for detent in detents if band.low <= detent.high and detent.low < band.high]


def misses(band: Band, detents: list[Detent]) -> bool:
    """Whether a band touches no detent of a switch that has been flipped."""
    return len(detents) >= 2 and not held_by(band, detents)


def around(detent: Detent, detents: list[Detent]) -> tuple[float, float]:
    """The band that holds one detent alone with the greatest clearance: to the middle of the gap on both sides, or to the end of the scale."""
    ordered = sorted(detents, key=lambda each: each.value)
    at = next(index for index, each in enumerate(ordered) if each is detent or each.value == detent.value)
    low = edge_between(ordered[at - 1].high, ordered[at].low) if at > 0 else SCALE_US[0]
    high = edge_between(ordered[at].high, ordered[at + 1].low) if at + 1 < len(ordered) else SCALE_US[1]
    return low, high
