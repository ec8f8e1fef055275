"""Downlink: what comes back, what is missing and why."""
