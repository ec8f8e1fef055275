"""What a board's memory makes of settings that are written to it."""

from __future__ import annotations

from linkcore.craft.document import BoardSettings
from linkcore.devices.carry_over import without_dropped
from linkcore.devices.image_facts import SettingsFormat
from linkcore.parts.models import Board

NEEDS_RESTART = ("ports", "port_baud", "receiver_input", "telemetry")  # what runs only after a restart


def as_kept(settings: BoardSettings, part: Board, form: SettingsFormat) -> BoardSettings:
    """Settings as this board keeps them: band edges and the grace in steps of its own, and what its firmware no longer has at its default."""
    data = settings.model_dump()
    step, grace_step = part.band_step_us, part.grace_step_ms
    for band in ([data["arming"]] if data["arming"] else []) + data["modes"]:
        for edge in ("low", "high"):
            band[edge] = float(round(band[edge] / step) * step)
        if band["low"] >= band["high"]:
            band["high"] = band["low"] + step
    data["lost_link"]["grace_ms"] = round(data["lost_link"]["grace_ms"] / grace_step) * grace_step
    return without_dropped(BoardSettings.model_validate(data), form)
