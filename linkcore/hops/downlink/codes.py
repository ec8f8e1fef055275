"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = tuple(
    f"downlink.{each}"
    for each in (
        "asked-too-few",
        "bench-link",
        "clash",
        "device-baud",
        "device-job",
        "device-wire",
        "element",
        "firmware",
        "inversion",
        "job",
        "limit",
        "line-differs",
        "no-line",
        "no-port",
        "none",
        "not-asked",
        "off",
        "one-way",
        "picture",
        "protocol",
        "sag",
        "sensor-off",
        "sight",
        "slow",
        "two-senders",
        "under-line",
        "unnoticed",
        "waits",
        "wire",
    )
)
