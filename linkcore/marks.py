"""Marks on fields of models: what of them enters the hashes that proofs rest on, and under which name."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Later:
    """Marks a field that came after the first version: what proofs rest on counts it only where it is used."""


@dataclass(frozen=True)
class KeptAs:
    """Marks a field that was renamed: what proofs rest on knows it by its old name."""

    name: str


LATER = Later()
