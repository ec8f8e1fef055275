"""Load: the firmware on every device, and whether both ends understand each other."""
