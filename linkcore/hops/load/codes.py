"""What the checks of this hop can say: every code that a finding of it carries."""

CODES = (
    "load.address",
    "load.bootloader",
    "load.ends-part",
    "load.ends-silent",
    "load.less",
    "load.no-flash",
    "load.no-program",
    "load.older",
    "load.other-region",
    "load.same",
    "load.settings-anew",
    "load.start",
    "load.too-large",
    "load.wrong-band",
    "load.wrong-region",
    "load.wrong-target",
)
