"""Clearance: how many us lie between a detent, jitter included, and the nearest band edge; negative where an edge cuts through the detent."""

from __future__ import annotations

from collections.abc import Sequence

from linkcore.hops.switchboard.detents import Detent

CLEARANCE_US = 40.0  # what is wanted, so that jitter and a trim of a few steps push no detent out; our figure


def edge_clearance(edge: float, detents: Sequence[Detent]) -> float:
    """From one edge (us) to the nearest of at least one detent."""
    return min(max(detent.low - edge, edge - detent.high) for detent in detents)


def band_clearance(low: float, high: float, detents: Sequence[Detent]) -> float:
    """From both edges of a band (us) to the nearest of at least one detent, be it inside or outside."""
    return min(edge_clearance(low, detents), edge_clearance(high, detents))
