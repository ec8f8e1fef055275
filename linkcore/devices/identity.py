"""The link identity: eight bytes that a frame carries and a receiver listens for.

Hash: BLAKE2b (RFC 7693) with an 8-byte digest and a personalisation of our own for each source, so that no phrase can meet a register by chance.
"""

from __future__ import annotations

import hashlib
import unicodedata
from functools import lru_cache

LENGTH = 8
SHORTEST_PHRASE = 8


@lru_cache(maxsize=64)  # who knows whom is asked many times a second
def _hash(data: bytes, purpose: bytes) -> bytes:
    return hashlib.blake2b(data, digest_size=LENGTH, person=purpose).digest()


def plain_phrase(phrase: str) -> str:
    """A phrase as it is hashed: in one Unicode form (NFC), without blanks at its ends. Raise ValueError for one that is too short."""
    plain = unicodedata.normalize("NFC", phrase).strip()
    if len(plain) < SHORTEST_PHRASE:
        raise ValueError(f"a link phrase has {SHORTEST_PHRASE} letters at least, so that nobody near uses the same one by chance")
    return plain


def from_phrase(phrase: str) -> bytes:
    """The identity that both ends make of a link phrase."""
    return _hash(plain_phrase(phrase).encode(), b"bell link phrase")


def serial_of(part_id: str) -> bytes:
    """A stand-in transmitter's own number, which registering hands over."""
    return _hash(part_id.encode(), b"bell serial no")


def from_model(serial: bytes, slot: int) -> bytes:
    """The identity that a transmitter sends with a model memory selected, and hands over in bind."""
    return _hash(serial + slot.to_bytes(2, "little"), b"bell model link")
