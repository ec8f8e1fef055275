"""How devices behave by their trade: what prediction and stand-in share without knowing each other."""
