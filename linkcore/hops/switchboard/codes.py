"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = (
    "switchboard.acro",
    "switchboard.band-misses",
    "switchboard.cannot",
    "switchboard.clearance",
    "switchboard.gives-way",
    "switchboard.guard-on-arm",
    "switchboard.no-arm-band",
    "switchboard.no-channel",
    "switchboard.no-source",
    "switchboard.no-timeout",
    "switchboard.overlap",
    "switchboard.stick-channel",
)
