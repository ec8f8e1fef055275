"""Firmware images: reading them, whether one may go on a device, and getting it there."""
