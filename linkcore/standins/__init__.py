"""Simulated transmitter, radio link, receiver and flight controller, and the bench that wires them up."""
