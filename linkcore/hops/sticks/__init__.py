"""Sticks: four axes in their order, to both ends, at rest in the middle."""
