"""What a board, a receiver and a transmitter are, and the shipped catalogue as data files."""
