"""Large content in the database: cut into pieces that fit any server's packet."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

PIECE_BYTES = 1 << 20


def in_pieces(chunks: Iterable[bytes]) -> Iterator[bytes]:
    """Chunks of any size as pieces of PIECE_BYTES, the last one shorter."""
    held = bytearray()
    for chunk in chunks:
        held += chunk
        while len(held) >= PIECE_BYTES:
            yield bytes(held[:PIECE_BYTES])
            del held[:PIECE_BYTES]
    if held:
        yield bytes(held)
