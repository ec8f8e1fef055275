"""What is joined to what: what each device asks of the board, which pads serve it best, and the wires of a craft as metal."""
