"""What in a model memory would spoil the link: mixes, a reversed throttle, trims, rates, channels without a source, figures that cannot be dialled."""

from __future__ import annotations

from collections.abc import Iterator

from linkcore.craft.document import CURVE_POINTS, MIXES, ChannelSetup, CraftDocument, Layout, TransmitterSetup
from linkcore.devices.model_memory import reversed_wrongly
from linkcore.findings import At, Check, Edit, Finding, Mend, in_model_memory
from linkcore.parts.axes import STICK_AXES
from linkcore.parts.models import Transmitter

CHECK = Check("sticks")


LAYOUT_WORDS: dict[Layout, str] = {"plain": "plain", "helicopter": "a helicopter", "elevons": "elevons", "flaps": "flaps"}


_STEP_SLACK = 1e-6


def check_memory(document: CraftDocument, part: Transmitter) -> list[Finding]:
    """What in the model memory would spoil the link: mixes, a reversed throttle, trims, rates, channels without a source, figures that cannot be dialled."""
    return [
        *_whose(document, part),
        *_mixing(document.transmitter),
        *_softening(document.transmitter),
        *_channels(document.transmitter, part),
        *_beyond(document.transmitter),
    ]


def _beyond(setup: TransmitterSetup) -> Iterator[Finding]:
    for number, channel in enumerate(setup.channels, 1):
        if len(channel.curve) > CURVE_POINTS:
            yield CHECK.note(
                "sticks.beyond-the-memory",
                At.channel(number),
                f"CH{number}'s curve has {len(channel.curve)} points; a model memory takes {CURVE_POINTS}.",
                "It was set when more were taken, and stays as it is until it is changed.",
            )
    if len(setup.mixes) > MIXES:
        yield CHECK.note(
            "sticks.beyond-the-memory",
            At.setting("/transmitter/mixes", "mixes"),
            f"There are {len(setup.mixes)} mixes; a model memory takes {MIXES}.",
            "They were set when more were taken, and stay as they are until they are changed.",
        )


def _whose(document: CraftDocument, part: Transmitter) -> Iterator[Finding]:
    setup = document.transmitter
    if setup.made_for and setup.made_for != part.id:
        yield CHECK.stop(
            "sticks.other-transmitter",
            At.setting("/transmitter", "model memory"),
            f"This model memory was made for another transmitter, {setup.made_for}; here is the {part.name}.",
            "Its steps, limits and switches are others, so its figures say nothing here.",
            Mend(text=f"Keep the figures as the {part.name}'s, then measure anew", edits=(Edit(path="/transmitter/made_for", value=part.id),)),
        )
    if setup.module == "module bay" and not document.kit.module:
        yield CHECK.stop(
            "sticks.no-module",
            At.setting("/transmitter", "model memory"),
            "The model memory sends through the module bay, and the kit has no module there.",
            "Nothing leaves the transmitter.",
            Mend(text="Send through its own radio", edits=(Edit(path="/transmitter/module", value="own radio"),)),
        )


def _mixing(setup: TransmitterSetup) -> Iterator[Finding]:
    if setup.layout != "plain":
        yield CHECK.stop(
            "sticks.layout",
            At.setting("/transmitter", "model memory"),
            f"The model type is {LAYOUT_WORDS[setup.layout]}: it mixes channels by itself.",
            "The board does the mixing; one stick would move two axes.",
            Mend(text="Make it plain", edits=(Edit(path="/transmitter/layout", value="plain"),)),
        )
    for index, mix in enumerate(setup.mixes):
        rest = [each.model_dump() for place, each in enumerate(setup.mixes) if place != index]
        own = setup.source(mix.to)
        yield CHECK.warn(
            "sticks.mix",
            At.channel(mix.to),
            f"A mix adds {mix.percent:g} % of {mix.source or 'nothing'} to CH{mix.to}{f', which is for {own}' if own else ''}.",
            "The board sees a stick that was not moved.",
            Mend(text=f"Remove the mix from CH{mix.to}", edits=(Edit(path="/transmitter/mixes", value=rest),)),
        )


def _softening(setup: TransmitterSetup) -> Iterator[Finding]:
    for axis, trim in setup.trims_us.items():
        if trim:
            others = {name: us for name, us in setup.trims_us.items() if name != axis}
            yield CHECK.warn(
                "sticks.trim",
                At.axes(axis),
                f"The trim of {axis} is {trim:+g} us off.",
                "A trim is a stick held off the centre; the board steadies about 1500 us.",
                Mend(text=f"Set the trim of {axis} to 0", edits=(Edit(path="/transmitter/trims_us", value=others),)),
            )
    for index, rate in enumerate(setup.rates):
        if rate.percent != 100 or rate.expo_percent:
            rest = [each.model_dump() for place, each in enumerate(setup.rates) if place != index]
            when = f" while {rate.switch} is in its position {rate.position + 1}" if rate.switch else ""
            said = [f"{rate.percent:g} % of its travel"] if rate.percent != 100 else []
            said += [f"{rate.expo_percent:g} % softer about the middle"] if rate.expo_percent else []
            yield CHECK.warn(
                "sticks.rate",
                At.axes(rate.axis),
                f"A rate makes {rate.axis} {' and '.join(said)}{when}.",
                "The stick no longer reaches both lines, or its centre is no longer where it is measured; the board has rates of its own.",
                Mend(text=f"Remove the rate from {rate.axis}", edits=(Edit(path="/transmitter/rates", value=rest),)),
            )


def _channels(setup: TransmitterSetup, part: Transmitter) -> Iterator[Finding]:
    known = {switch.name for switch in part.switches} | set(STICK_AXES)
    sources = [channel.source for channel in setup.channels]
    for axis in STICK_AXES:
        if axis not in sources:
            yield CHECK.stop(
                "sticks.no-axis",
                At.axes(axis),
                f"No channel carries {axis}.",
                "The craft cannot be steered about it.",
                in_model_memory(f"Give a channel the source {axis}"),
            )
    if len(setup.channels) > part.channels:
        yield CHECK.stop(
            "sticks.too-many-channels",
            At.setting("/transmitter", "model memory"),
            f"The model memory has {len(setup.channels)} channels; the {part.name} sends {part.channels}.",
            "The channels beyond never leave it.",
            Mend(
                text="Drop the channels beyond",
                edits=(Edit(path="/transmitter/channels", value=[each.model_dump() for each in setup.channels[: part.channels]]),),
            ),
        )
    for index, channel in enumerate(setup.channels):
        number = index + 1
        where, path = f"CH{number}", f"/transmitter/channels/{index}"
        if channel.source and channel.source not in known:
            yield CHECK.stop(
                "sticks.unknown-source",
                At.channel(number),
                f"{where} is driven by {channel.source}, which the {part.name} does not have.",
                "The channel never moves.",
                Mend(text=f"Leave {where} without a source", edits=(Edit(path=f"{path}/source", value=""),)),
            )
        elif not channel.source:
            yield CHECK.note("sticks.no-source", At.channel(number), f"{where} has no source.", "It rests at its centre; nothing may listen to it.")
        if channel.source == "throttle" and reversed_wrongly(channel, part):
            factory = ", as it comes from the factory" if part.throttle_reversed else ""
            yield CHECK.stop(
                "sticks.throttle-reversed",
                At.channel(number),
                f"Throttle is reversed in the transmitter{factory}.",
                "Stick low would be full power.",
                Mend(
                    text=f"{'Set' if part.throttle_reversed else 'Take'} the reverse {'on' if part.throttle_reversed else 'off'} {where}",
                    edits=(Edit(path=f"{path}/reverse", value=part.throttle_reversed),),
                ),
            )
        if channel.curve and channel.source in STICK_AXES:
            yield CHECK.warn(
                "sticks.curve",
                At.channel(number),
                f"{where} runs through a curve.",
                "Ends and centre as measured are the curve's, not the stick's.",
                Mend(text=f"Make {where} straight", edits=(Edit(path=f"{path}/curve", value=[]),)),
            )
        yield from _dials(channel, number, path, part)


def _dials(channel: ChannelSetup, number: int, path: str, part: Transmitter) -> Iterator[Finding]:
    """Figures that this transmitter's dials cannot show."""
    dials = (
        ("sub_trim_us", "sub-trim", "us", part.ends.sub_trim_step_us, -part.ends.sub_trim_max_us, part.ends.sub_trim_max_us),
        ("travel_low_percent", "low travel", "%", part.ends.travel_step_percent, 0.0, float(part.max_travel_percent)),
        ("travel_high_percent", "high travel", "%", part.ends.travel_step_percent, 0.0, float(part.max_travel_percent)),
    )
    for name, words, unit, step, least, most in dials:
        value = getattr(channel, name)
        nearest = max(least, min(most, round(value / step) * step))
        if abs(nearest - value) > _STEP_SLACK:
            limits = f"its limits are {least:g} and {most:g} {unit}" if not least <= value <= most else f"it goes in steps of {step:g} {unit}"
            yield CHECK.warn(
                "sticks.cannot-dial",
                At.channel(number),
                f"CH{number}: a {words} of {value:g} {unit} cannot be dialled on the {part.name}; {limits}.",
                "The transmitter sends something else than this sheet says.",
                Mend(text=f"Take {nearest:g} {unit}", edits=(Edit(path=f"{path}/{name}", value=nearest),)),
            )
