"""Switchboard: what each combination of switch positions does."""
