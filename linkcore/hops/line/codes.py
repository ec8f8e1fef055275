"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = (
    "line.damaged",
    "line.dead",
    "line.no-channels",
    "line.no-frames",
    "line.no-port",
    "line.nothing-at-pad",
    "line.silent",
    "line.two-outputs",
)
