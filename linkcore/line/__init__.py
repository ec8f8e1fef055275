"""The Line hop's rules: what is on a wire, and which settings would read it."""
