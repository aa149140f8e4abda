"""The same thing over time: linking, following, bridging."""
