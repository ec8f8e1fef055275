"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = (
    "bind.count-external",
    "bind.count-for-nothing",
    "bind.count-kind",
    "bind.count-left",
    "bind.not-bound",
    "bind.other-link",
    "bind.over-limit",
    "bind.satellite-away",
    "bind.speaks-other",
    "bind.too-close",
)
