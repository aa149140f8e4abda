"""Everything that imports Qt, and nothing that computes."""
