"""Every code that a finding of the Airframe hop can carry."""

CODES = (
    "airframe.facing",
    "airframe.eyes",
    "airframe.level",
    "airframe.gravity",
    "airframe.pack",
    "airframe.no-count",
    "airframe.cells",
    "airframe.capacity",
    "airframe.mixing",
    "airframe.outputs",
    "airframe.servo-rate",
    "airframe.esc-current",
    "airframe.voltage",
    "airframe.current",
    "airframe.motors-turn-compass",
    "airframe.craft-turns-compass",
)
