"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = (
    "kit.cannot-read",
    "kit.family",
    "kit.incomplete",
    "kit.no-bay",
    "kit.no-drive",
    "kit.no-rail",
    "kit.no-shared-radio",
    "kit.no-such-part",
    "kit.no-telemetry",
    "kit.not-seen",
    "kit.region",
    "kit.sensor-missing",
    "kit.too-few-channels",
)
