"""What every hop rests on that is proven by a signal: the way it takes from the receiver to the board."""

SIGNAL = ("kit", "wiring", "receiver's output", "settings/ports", "settings/receiver_input", "programs")
