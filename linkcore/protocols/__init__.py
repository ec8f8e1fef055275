"""What each protocol puts on a wire: one module a protocol, and a registry of them.

A protocol module holds its spec, an encoder and a streaming decoder. Wire facts that are only fairly sure are named so
in the docstrings that rely on them.
"""
