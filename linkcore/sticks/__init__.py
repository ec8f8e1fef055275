"""The Sticks hop's rules: which channel is what, and how far each one reaches."""
