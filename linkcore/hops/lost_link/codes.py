"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = tuple(
    f"lostlink.{each}"
    for each in (
        "at-once",
        "cannot",
        "charge",
        "climbs",
        "drift",
        "drives",
        "energy",
        "fast-landing",
        "hard-landing",
        "hidden",
        "hold-and-drop",
        "late",
        "long-grace",
        "low-path",
        "low-return",
        "never-home",
        "no-home",
        "no-landing",
        "no-sensor",
        "nobody-home",
        "over-ceiling",
        "people",
        "preset-arms",
        "preset-channels",
        "preset-disarms",
        "rssi-band",
        "rssi-channel",
        "rssi-holds",
        "short-grace",
        "slow-home",
        "throttle-low",
        "water",
    )
)
