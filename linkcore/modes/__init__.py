"""The Switchboard hop's rules: detents, bands and the truth table."""
