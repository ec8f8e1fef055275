"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = (
    "lostlink.hidden",
    "lostlink.hold-and-drop",
    "lostlink.long-grace",
    "lostlink.preset-arms",
    "lostlink.preset-disarms",
)
