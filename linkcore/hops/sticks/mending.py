"""What the measured sticks ask for, each on its right side: the board's map, the transmitter, or the servo."""

from __future__ import annotations

from linkcore.craft.document import BoardSettings, CraftDocument
from linkcore.devices.model_memory import layout_mixes
from linkcore.findings import At, Check, Edit, Finding, Mend, in_model_memory
from linkcore.hops.sticks.finder import Found
from linkcore.parts.axes import AXIS_OF, StickAxis

CHECK = Check("sticks")


def check_order(sent: str, settings: BoardSettings, *, seen: bool = False) -> list[Finding]:
    """Whether the board expects the order that the transmitter sends."""
    if sent == settings.channel_map:
        return []
    return [
        CHECK.stop(
            "sticks.order",
            At.setting("/settings/channel_map", "channel map"),
            f"The transmitter {'was seen to send' if seen else 'sends'} {sent}; the board expects {settings.channel_map}.",
            "A stick would move another axis than the one it is for.",
            Mend(text=f"Set the board's map to {sent}", edits=(Edit(path="/settings/channel_map", value=sent),)),
        )
    ]


def check_found(document: CraftDocument, settings: BoardSettings, found: Found) -> list[Finding]:
    """What the channel finder has seen and is not as it should be; order aside."""
    findings = []
    channels = document.transmitter.channels
    for axis, each in found.axes.items():
        word = AXIS_OF[axis]
        name = f"{word[0].upper()}{word[1:]}"
        if each.channel > 4:
            findings.append(
                CHECK.stop(
                    "sticks.not-on-a-stick-channel",
                    At.axes(word),
                    f"{name} arrives on CH{each.channel}; the board's map knows CH1 to CH4 only.",
                    "No map can mend that: it is mended in the transmitter.",
                    in_model_memory(f"Give {axis} one of the first four channels in the model memory"),
                )
            )
        if each.direction < 0:
            known = each.channel <= len(channels)
            edits = (Edit(path=f"/transmitter/channels/{each.channel - 1}/reverse", value=not channels[each.channel - 1].reverse),) if known else ()
            findings.append(
                CHECK.stop(
                    "sticks.reversed",
                    At.axes(word),
                    f"{name} runs the wrong way round on CH{each.channel}.",
                    "The board turns against the stick. A stick is turned in the transmitter; a servo that goes the wrong way is mended on the board.",
                    Mend(
                        text=f"{'Remove the reverse from' if known and channels[each.channel - 1].reverse else 'Reverse'} CH{each.channel} in the transmitter",
                        edits=edits,
                    ),
                )
            )
        findings += [_coupled(document, axis, coupling.channel, coupling.percent, found) for coupling in each.coupled]
    return findings


def _coupled(document: CraftDocument, axis: StickAxis, channel: int, percent: float, found: Found) -> Finding:
    setup = document.transmitter
    name = AXIS_OF[axis]
    other = next((AXIS_OF[each] for each, at in found.axes.items() if at.channel == channel), f"CH{channel}")
    mend = in_model_memory(f"Look for a mix from {axis} to CH{channel} in the model memory and remove it")
    if any(mix.to == channel and mix.source == axis for mix in setup.mixes):
        rest = [mix.model_dump() for mix in setup.mixes if not (mix.to == channel and mix.source == axis)]
        mend = Mend(text=f"Remove the mix from CH{channel}", edits=(Edit(path="/transmitter/mixes", value=rest),))
    elif any(mix.to == channel and mix.source == axis for mix in layout_mixes(setup)):
        mend = Mend(text="Make the model memory plain", edits=(Edit(path="/transmitter/layout", value="plain"),))
    return CHECK.warn(
        "sticks.coupled",
        At.channel(channel),
        f"{other[0].upper()}{other[1:]} follows {name} by {abs(percent):.0f} % on CH{channel}.",
        "A mix is on in the transmitter; the board mixes by itself.",
        mend,
    )
