"""The hops of the chain, one folder each."""
